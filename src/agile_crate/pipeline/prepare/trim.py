"""The step that trims empty margins: of each frame, or together for an animation or all."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from ...core.arrange.layouts import LAYOUTS
from ...core.frame.trim import EMPTY, trimmed, visible_on_canvas
from ...core.frame.visible import union, visible_box
from ...core.message import Message, message
from ...core.model.geometry import Box, Size
from ...core.model.picture import Picture
from ...core.text import counted
from ...settings.table import Settings
from .step import Decision, FrameGroup, Lineup, Step, seen_together, warning_of_empty


class Rim(NamedTuple):
    """The visible box of a frame above the trim alpha, on its canvas, and a flag for pixels below it."""

    seen: Box | None
    canvas: Size
    is_faint: bool


def fact(picture: Picture, settings: Settings) -> Rim:
    seen = visible_on_canvas(picture, settings.trim_alpha)
    if picture.source is not None and (before := visible_box(picture.source, settings.trim_alpha)):
        seen = union((before, seen or before))  # else an edit that erases would be cut off, and forgotten
    is_faint = seen is None and settings.trim_alpha > 0 and bool(picture.pixels[..., 3].any())
    return Rim(seen, picture.canvas, is_faint)


def decide(facts: Iterable[Rim], lineup: Lineup, settings: Settings) -> Decision[Box]:
    rims = list(facts)
    faint = [name for name, rim in zip(lineup.names, rims, strict=True) if rim.is_faint]
    warnings = warning_of_empty(faint, lineup, "trim_alpha", settings.trim_alpha) if settings.trim_alpha else ()
    boxes = [rim.seen and _with_cushion(rim.seen, settings.cushion) for rim in rims]
    if settings.trimming == "frame":
        kept = [box or EMPTY for box in boxes]
    else:
        groups = [FrameGroup(None, range(len(boxes)))] if settings.trimming == "sheet" else lineup.together
        kept = [box for group in groups for box in _alike([boxes[index] for index in group.span])]
    remarks = [_trim_remark(kept, [rim.canvas for rim in rims])]
    if settings.trimming == "frame" and LAYOUTS[settings.layout].has_cells and lineup.animations:
        remarks.append(
            message(
                "cells hold frames as trimmed, each by itself: a game that ignores offsets sees them wobble; "
                "{trim:animation} or {trim:sheet} keeps them in step"
            )
        )
    return Decision(tuple(kept), tuple(remarks), warnings)


def _with_cushion(seen: Box, cushion: int) -> Box:
    """Return the box with empty pixels around it; they may lie beyond the canvas, which stays as it is."""
    return Box(seen.x - cushion, seen.y - cushion, seen.w + 2 * cushion, seen.h + 2 * cushion)


def _alike(boxes: list[Box | None]) -> list[Box]:
    """Return one box for all, which holds the visible art of each."""
    return [union(box for box in boxes if box is not None) or EMPTY] * len(boxes)


def _trim_remark(kept: list[Box], canvases: list[Size]) -> Message:
    whole = sum(canvas.w * canvas.h for canvas in canvases)
    stored = sum(box.w * box.h for box in kept)
    fewer = sum(box.size != canvas for box, canvas in zip(kept, canvases, strict=True))
    return Message(
        f"trimmed {counted(fewer, 'frame')}: {max(0, 1 - stored / whole):.0%} of their pixels were empty margin"
    )


STEP = Step(fact, decide, trimmed, joined=seen_together, is_shared=True)
