"""The step that crops canvases to the visible art, and warns of art that a fixed region cut off."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from ...core.errors import UsageError
from ...core.frame.region import cropped, mirrored_region
from ...core.frame.trim import visible_on_canvas
from ...core.frame.visible import union
from ...core.message import Message, message
from ...core.model.geometry import Box, Size
from ...core.model.picture import Picture
from ...core.text import counted, few, quoted
from ...settings.table import Settings
from .step import Decision, FrameGroup, Lineup, Step, seen_together


class Extent(NamedTuple):
    """A frame's canvas, the box of its visible art before any mirroring, the visible pixels that a fixed region cut
    off, and a flag if it is mirrored."""

    canvas: Size
    seen: Box | None
    cut: int
    flipped: bool


def fact(picture: Picture, settings: Settings) -> Extent:
    seen = visible_on_canvas(picture, settings.trim_alpha) if settings.finds_region else None
    if seen and picture.flipped:
        seen = mirrored_region(seen, picture.canvas)
    return Extent(picture.canvas, seen, picture.cut, picture.flipped)


def decide(facts: Iterable[Extent], lineup: Lineup, settings: Settings) -> Decision[Box]:
    extents = list(facts)
    if not settings.finds_region:
        return Decision(warnings=_cut_off(extents, lineup))
    everyone = FrameGroup(None, range(len(extents)))
    boxes: dict[int, Box] = {}
    remarks: list[Message] = []
    for group in lineup.together if settings.region == "animation" else (everyone,):
        seen = union(box for index in group.span if (box := extents[index].seen))
        if seen is None:
            what = group.name or few([lineup.names[index] for index in group.span])
            raise UsageError("{region}: nothing is visible of {}; leave it out", quoted(what))
        of = f" of {quoted(group.name)}" if group.name else ""
        remarks += [Message(f"the region{of} is {seen.w}x{seen.h}+{seen.x}+{seen.y}")]
        for index in group.span:
            canvas, _, _, flipped = extents[index]
            boxes[index] = mirrored_region(seen, canvas) if flipped else seen
    return Decision(tuple(boxes[index] for index in range(len(extents))), tuple(remarks))


def _cut_off(extents: list[Extent], lineup: Lineup) -> tuple[Message, ...]:
    """Return a warning if the region cuts off visible pixels."""
    cut = [name for name, extent in zip(lineup.names, extents, strict=True) if extent.cut]
    if not cut:
        return ()
    most = max(extent.cut for extent in extents)
    what = f"cuts off visible pixels of {counted(len(cut), 'frame')}, {most:,} at most"
    return (message("{region} {}: {}", what, few(cut)),)


STEP = Step(fact, decide, cropped, joined=seen_together, is_shared=True)
