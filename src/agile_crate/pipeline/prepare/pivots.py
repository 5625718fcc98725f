"""The step that puts pivots at the feet, or on whole pixels."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from ...core.frame.options import FEET, PivotOptions
from ...core.frame.pivot import GroundContact, feet, ground_of, snapped
from ...core.frame.trim import visible_on_canvas
from ...core.message import Message
from ...core.model.geometry import Box, Point, Size
from ...core.model.picture import Picture
from ...core.text import counted, few, quoted
from ...settings.table import PerAnimation, Settings
from .step import Decision, FrameGroup, Lineup, Step


class Stance(NamedTuple):
    """A frame's pivot so far, and what its pivot is placed by.

    area     its canvas, or what will be its canvas
    canvas   its size so far
    ground   its ground contact; None if no pivot is at the feet
    art      the box of its visible art; None if nothing is visible, or if no pivot needs it
    flipped  it is mirrored
    """

    pivot: Point
    area: Box
    canvas: Size
    ground: GroundContact | None
    art: Box | None
    flipped: bool


def asks_for_art(settings: Settings) -> bool:
    """Return True if the art decides where any pivot is."""
    return _asks_for_feet(settings) or any(options and options.of_art for options in _options(settings))


def _asks_for_feet(settings: Settings) -> bool:
    return FEET in _options(settings)


def _options(settings: Settings) -> list[PivotOptions | None]:
    return [settings.pivot.everyone, *(options for _, options in settings.pivot.named)]


def fact(picture: Picture, settings: Settings) -> Stance:
    ground = ground_of(picture, settings.trim_alpha) if _asks_for_feet(settings) else None
    art = visible_on_canvas(picture, settings.trim_alpha) if asks_for_art(settings) else None
    area = picture.stored_box if settings.no_offsets else Box(0, 0, *picture.canvas)
    return Stance(picture.pivot, area, picture.canvas, ground, art, picture.flipped)


def decide(facts: Iterable[Stance], lineup: Lineup, settings: Settings) -> Decision[Point]:
    stances = list(facts)
    pivots = [stance.pivot for stance in stances]
    warnings: list[Message] = []
    for group in lineup.together:
        options = settings.pivot.of(group.name)
        if options == FEET:
            warnings += _stand_on_feet(pivots, stances, group, lineup)
        elif options and options.of_art:
            for index in group.span:
                if art := stances[index].art:
                    pivots[index] = options.on(art)
    if settings.snap_pivot:
        pairs = zip(pivots, stances, strict=True)
        pivots = [snapped(pivot, stance.canvas.w if stance.flipped else None) for pivot, stance in pairs]
    triples = zip(lineup.names, pivots, (stance.area for stance in stances), strict=True)
    outside = [name for name, (x, y), a in triples if not (a.x <= x <= a.right and a.y <= y <= a.bottom)]
    if outside and settings.pivot != PerAnimation(None):
        frames = counted(len(outside), "frame")
        warnings.append(Message(f"the pivot lies outside the canvas of {frames}: {few(outside)}"))
    return Decision(tuple(pivots), warnings=tuple(warnings))


def _stand_on_feet(pivots: list[Point], stances: Sequence[Stance], group: FrameGroup, lineup: Lineup) -> list[Message]:
    """Put the pivots of a group at its feet: one point for all where their canvases agree, else each by itself."""
    one_canvas = len({stances[index].canvas for index in group.span}) == 1
    warnings = []
    for indices in [list(group.span)] if one_canvas else [[index] for index in group.span]:
        point = feet(stances[index].ground for index in indices)
        if point is None:
            warnings.append(
                Message(
                    f"nothing is visible of {few(quoted(lineup.names[index]) for index in indices)}, so there are no "
                    "feet: their pivots have the default place"
                )
            )
            continue
        for index in indices:
            pivots[index] = point
    return warnings


def apply(picture: Picture, pivot: Point) -> Picture:
    return picture._replace(pivot=pivot)


STEP = Step(fact, decide, apply, asks_for_art, is_shared=True)
