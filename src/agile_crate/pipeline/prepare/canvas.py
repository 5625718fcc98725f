"""The step that puts frames on their canvases and moves them. Canvas, shift and default pivot are decided together and
each picture is moved once, so that a shift can save what the new canvas alone would cut off."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import cache
from typing import NamedTuple

from ...core.align import default_pivot, offset_in
from ...core.errors import FitError
from ...core.frame.canvas import Sides, beyond, largest, moved_to
from ...core.frame.options import FEET, PivotOptions
from ...core.frame.region import mirrored_region
from ...core.frame.trim import visible_on_canvas
from ...core.frame.visible import union
from ...core.message import Message, listed, message, setting
from ...core.model.geometry import ORIGIN, Box, Offset, Point, Size
from ...core.model.picture import Picture
from ...core.text import counted, joined, measured, quoted
from ...settings.table import PerAnimation, Settings
from .step import Decision, FrameGroup, Lineup, Standing, Step, seen_together


class Move(NamedTuple):
    """A picture's new canvas, the place of its old top left on it, and its pivot before that."""

    canvas: Size
    by: Offset
    pivot: Point


class Way(NamedTuple):
    """A canvas, the place of the old top left on it before any shift, and a flag if the frame is mirrored."""

    canvas: Size
    by: Offset
    flipped: bool


def may_cut(settings: Settings) -> bool:
    """Return True if something visible might come to lie off its canvas, so that it must be looked for."""
    return isinstance(settings.canvas, Size) or settings.shift != PerAnimation(None)


def fact(picture: Picture, settings: Settings) -> Standing:
    empty = settings.trim_alpha if settings.recenters else 0
    return Standing(picture.canvas, visible_on_canvas(picture, empty) if may_cut(settings) else None, picture.flipped)


def decide(facts: Iterable[Standing], lineup: Lineup, settings: Settings) -> Decision[Move]:
    standings = list(facts)
    ways = [Way(standing.canvas, ORIGIN, standing.flipped) for standing in standings]
    if settings.recenters:
        remarks = _recenter(ways, standings, settings)
    else:
        _bring_to_canvas(ways, lineup, settings)
        remarks = _bring_together(ways, lineup, settings)
    pivots = _default_pivots(ways, lineup, settings)
    moves: list[Move] = []
    lost: dict[int, Sides] = {}
    for group in lineup.groups:
        shift = settings.shift.of(group.name) or ORIGIN
        if any(shift):
            frames = counted(len(group.span), "frame")
            remarks.append(Message(f"{frames} of {quoted(group.name or 'the stills')} shifted by {shift.x},{shift.y}"))
        for index in group.span:
            (canvas, offset, _), pivot = ways[index], pivots[index]
            by = Offset(offset.x + shift.x, offset.y + shift.y)
            moves.append(Move(canvas, by, Point(pivot.x - offset.x, pivot.y - offset.y)))
            if sides := beyond(standings[index].seen, canvas, by):
                lost[index] = sides
    if lost:
        options = listed([setting(name) for name in ("canvas", "shift") if name in settings.given])
        worst = max(lost, key=lambda index: sum(lost[index]))
        name = quoted(lineup.names[worst])
        what = f"of {name}" if len(lost) == 1 else f"of {counted(len(lost), 'frame')}, most of {name}"
        raise FitError(
            "{} would cut off visible pixels {}, by {}; {}",
            options,
            what,
            sides_text(lost[worst]),
            _remedy(standings, moves, settings),
        )
    return Decision(tuple(moves), tuple(remarks))


def _remedy(standings: Sequence[Standing], moves: Sequence[Move], settings: Settings) -> str:
    """The smallest shift that keeps all on their canvases, or else the canvas they need."""
    if settings.shift.named:
        return message("give a larger {canvas}, or another {shift}")
    pairs = [
        (ranges.seen.moved(move.by), move.canvas) for ranges, move in zip(standings, moves, strict=True) if ranges.seen
    ]
    by_axis = [
        [(box.x, box.right, canvas.w) for box, canvas in pairs],
        [(box.y, box.bottom, canvas.h) for box, canvas in pairs],
    ]
    saving: list[int] = []
    for lines in by_axis:
        least, most = max(-begin for begin, _, _ in lines), min(side - end for _, end, side in lines)
        if least > most:
            needed = Size(
                *(max(end for _, end, _ in ranges) - min(begin for begin, _, _ in ranges) for ranges in by_axis)
            )
            return message("no single shift saves all: choose a {canvas} of at least {}", measured(needed))
        saving.append(min(max(0, least), most))
    before = settings.shift.everyone or ORIGIN
    return message(
        "{} saves all, and so does a larger {canvas}",
        setting("shift", f"{before.x + saving[0]},{before.y + saving[1]}"),
    )


def apply(picture: Picture, move: Move) -> Picture:
    return moved_to(picture._replace(pivot=move.pivot), move.canvas, move.by)


STEP = Step(fact, decide, apply, may_cut, seen_together, is_shared=True)


def sides_text(sides: Sides) -> str:
    """Return how much lies on which side, as part of a sentence."""
    words = zip(sides, ("at the left", "at the top", "at the right", "at the bottom"), strict=True)
    return joined(f"{counted(pixels, 'pixel')} {side}" for pixels, side in words if pixels)


def _recenter(ways: list[Way], standings: Sequence[Standing], settings: Settings) -> list[Message]:
    """Bring frames to one canvas of the wanted size, on which the visible art of all together is aligned."""
    assert isinstance(settings.canvas, Size)
    _bring(ways, range(len(ways)), settings)
    pairs = zip(standings, ways, strict=True)
    seen = union(_unmirrored(way, standing.seen) for standing, way in pairs if standing.seen)
    if seen is None:
        _bring(ways, range(len(ways)), settings, settings.canvas)
        return []
    place = offset_in(settings.canvas, seen.size, settings.align)
    for index, (before, by, flipped) in enumerate(ways):
        across = place.x - seen.x
        across = settings.canvas.w - before.w - across if flipped else across
        ways[index] = Way(settings.canvas, Offset(by.x + across, by.y + place.y - seen.y), flipped)
    return [
        message(
            "the visible art of all frames, {} together, is aligned to the canvas's {} ({align})",
            measured(seen.size),
            settings.align,
        )
    ]


def _unmirrored(way: Way, seen: Box) -> Box:
    """Return the box of a frame's visible art on its new canvas, before any mirroring."""
    moved = seen.moved(way.by)
    return mirrored_region(moved, way.canvas) if way.flipped else moved


def _bring_to_canvas(ways: list[Way], lineup: Lineup, settings: Settings) -> None:
    wanted = settings.canvas
    if wanted == "animation":
        for group in lineup.animations:
            _bring(ways, group.span, settings)
    elif wanted != "own":
        _bring(ways, range(len(ways)), settings, wanted if isinstance(wanted, Size) else None)


def _bring(ways: list[Way], span: Sequence[int], settings: Settings, canvas: Size | None = None) -> None:
    """Return the moves that bring frames to one canvas, by default their largest, aligned by `align`."""
    target = canvas or largest(ways[index].canvas for index in span)
    for index in span:
        size, before, flipped = ways[index]
        by = offset_in(target, size, settings.align, flipped)
        ways[index] = Way(target, Offset(before.x + by.x, before.y + by.y), flipped)


def _bring_together(ways: list[Way], lineup: Lineup, settings: Settings) -> list[Message]:
    """Return what looks at several frames at once needs them on one canvas."""
    if settings.trimming == "sheet":
        everyone = FrameGroup(None, range(len(ways)))
        return _bring_if_needed(ways, everyone, settings, setting("trim", "sheet"))
    remarks = []
    for group in lineup.animations:
        reasons = (
            (setting("trim", "animation"), settings.trimming == "animation"),
            (setting("pivot", "feet"), settings.pivot.of(group.name) == FEET),
            (setting("shape_of", "animation"), settings.shape_of == "animation"),
        )
        needed = [setting_name for setting_name, is_needed in reasons if is_needed]
        if needed:
            remarks += _bring_if_needed(ways, group, settings, message("{}, {}", needed[0], quoted(group.name or "")))
    return remarks


def _bring_if_needed(ways: list[Way], group: FrameGroup, settings: Settings, why: Message) -> list[Message]:
    sizes = {ways[index].canvas for index in group.span}
    if len(sizes) < 2:
        return []
    _bring(ways, group.span, settings)
    return [
        message(
            "canvases of {} were first brought to {}, at its {} ({})",
            counted(len(sizes), "size"),
            measured(largest(sizes)),
            settings.align,
            why,
        )
    ]


def _default_pivots(ways: list[Way], lineup: Lineup, settings: Settings) -> list[Point]:
    """Return the pivots on the canvases that pictures go to. The default is the point named by `align` on a reference
    in which smaller canvases stand aligned. Where cells hold whole canvases, that is the cell: drawing by pivots then
    shows the same as drawing cells. Elsewhere it is the animation's largest canvas, and a still's own."""
    of_cells: Size | None = None
    if settings.trimming == "off" and settings.has_one_cell:
        of_cells = settings.cell or largest(way.canvas for way in ways)
        of_cells = Size(max(of_cells), max(of_cells)) if settings.square_cells else of_cells

    @cache
    def named(canvas: Size, flipped: bool, options: PivotOptions | None, reference: Size) -> Point:
        if options is None or options == FEET or options.of_art:  # the step `pivots` looks at the art
            return default_pivot(reference, canvas, settings.align, flipped)
        return options.on(Box(0, 0, *canvas))

    pivots: list[Point] = []
    for name, span in lineup.together:
        reference = of_cells or largest(ways[index].canvas for index in span)
        options = settings.pivot.of(name)
        pivots += [named(ways[index].canvas, ways[index].flipped, options, reference) for index in span]
    return pivots
