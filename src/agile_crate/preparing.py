"""The prepare stop: what is done to frames between their sources and the arrangement, always in the same order.

colour key → scale → hard alpha, palette → canvas, shift → outline → trim → pivot → fill under → shapes. Each step is a
pure function of `core`; here they are given their settings and spread over the threads, and what they changed is
counted. A build and its proof both walk this.
"""

from __future__ import annotations

import dataclasses
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass
from fractions import Fraction
from itertools import chain
from typing import TypeVar

from .core.align import offset_in, pivot_in
from .core.alpha import UNDER_REACH, filled_under, hard_alpha
from .core.canvas import Beyond, brought, largest
from .core.color_key import keyed
from .core.errors import FitError, UsageError
from .core.model import Offset, Picture, Point, Size
from .core.outline import outlined
from .core.palette import PaletteMap, derived
from .core.pivot import feet, snapped
from .core.pixels import Pixels
from .core.scale import is_whole, scaled, scaled_canvas
from .core.shape import moved_shape, shape_of, union_mask
from .core.take import Sequences
from .core.text import counted, few, joined, measured, quoted
from .core.trim import EMPTY, displacement, forgotten, trimmed, trimmed_alike, visible_on_canvas
from .core.visible import on_canvas, without_rim
from .core.wishes import PivotWish, Scaling
from .settings import Settings

T = TypeVar("T")

LARGEST_CANVAS = 16_384
"""Pixels. No side of a canvas may grow beyond it."""

FEET = PivotWish(unit="feet")

BATCH = 1 << 18
"""Pixels that a thread takes at a time."""


@dataclass(frozen=True, slots=True)
class Prepared:
    """Sequences whose pictures are ready to be arranged, the factor by which they were scaled, and what to tell."""

    sequences: Sequences
    factor: Fraction
    remarks: tuple[str, ...]
    warnings: tuple[str, ...]


def first_look(settings: Settings) -> Callable[[str, Pixels], Picture]:
    """What is done to each frame as soon as it is decoded, so that large drawings never lie in memory all at once:
    the colour key, the scale if it is known by then, and cutting off what is empty to the last byte."""

    def see(name: str, pixels: Pixels) -> Picture:
        canvas = Size(pixels.shape[1], pixels.shape[0])
        if settings.color_key:
            pixels = keyed(pixels, settings.color_key)
        pixels, offset = without_rim(pixels)
        return _scaled(Picture(name, pixels, canvas, offset), _scaling(settings, settings.scale))

    return see


def _scaling(settings: Settings, factor: Fraction) -> Scaling:
    return Scaling(factor, settings.resample == "smooth", settings.align)


def _scaled(picture: Picture, scaling: Scaling) -> Picture:
    """The picture scaled; one that vanishes or grows too large keeps only its new canvas, to be refused by name."""
    if scaling.factor == 1:
        return picture
    canvas = scaled_canvas(picture.canvas, scaling.factor)
    if min(canvas) < 1 or max(canvas) > LARGEST_CANVAS:
        return dataclasses.replace(picture, canvas=canvas, pixels=picture.pixels[:0, :0], offset=Offset(0, 0))
    pixels, offset = scaled(picture.pixels, picture.offset, picture.canvas, scaling)
    return dataclasses.replace(picture, canvas=canvas, pixels=pixels, offset=offset)


def prepare(sequences: Sequences, settings: Settings, executor: Executor) -> Prepared:
    """All steps over all frames. Raises UsageError and FitError."""
    load = _Load(sequences, settings, executor)
    del sequences  # so that pixels of before can go as soon as there are new ones
    for step in _STEPS:
        step(load)
    return Prepared(load.sequences(), load.factor, tuple(load.remarks), tuple(load.warnings))


class _Load:
    """The pictures on their way, in crate order, and what is to be told of them."""

    def __init__(self, sequences: Sequences, settings: Settings, executor: Executor) -> None:
        self.settings = settings
        self.factor = settings.scale
        self.pictures = [picture for sequence in sequences for picture in sequence.pictures]
        self.groups: dict[str | None, slice] = {}
        first = 0
        for sequence in sequences:
            self.groups[sequence.name] = slice(first, first + len(sequence.pictures))
            first += len(sequence.pictures)
        self.remarks: list[str] = []
        self.warnings: list[str] = []
        self._shells = [dataclasses.replace(sequence, pictures=()) for sequence in sequences]
        self._executor = executor

    def sequences(self) -> Sequences:
        groups = self.groups.values()
        return tuple(
            dataclasses.replace(shell, pictures=tuple(self.pictures[group]))
            for shell, group in zip(self._shells, groups, strict=True)
        )

    def on_threads(self, work: Callable[[Picture], T]) -> list[T]:
        """What `work` makes of every picture, in order."""

        def some(batch: Sequence[Picture]) -> list[T]:
            return [work(picture) for picture in batch]

        return list(chain.from_iterable(self._executor.map(some, _batches(self.pictures))))

    def replace_pixels(self, work: Callable[[Picture], Pixels]) -> None:
        self.pictures = self.on_threads(lambda picture: dataclasses.replace(picture, pixels=work(picture)))

    def warn_of_empty(self, names: Sequence[str], after: str) -> None:
        """Warns of frames that a step emptied; a step that leaves nothing at all is refused."""
        if len(names) == len(self.pictures):
            raise UsageError(f"{after} leaves nothing of any frame; give another value")
        if names:
            verb = "is" if len(names) == 1 else "are"
            self.warnings.append(f"{counted(len(names), 'frame')} {verb} wholly empty after {after}: {few(names)}")


def _batches(pictures: Sequence[Picture]) -> Iterator[list[Picture]]:
    batch: list[Picture] = []
    pixels = 0
    for picture in pictures:
        batch.append(picture)
        pixels += picture.nbytes // 4
        if pixels >= BATCH:
            yield batch
            batch, pixels = [], 0
    if batch:
        yield batch


def _check_key(load: _Load) -> None:
    if load.settings.color_key:
        boxes = load.on_threads(visible_on_canvas)
        load.warn_of_empty([p.name for p, box in zip(load.pictures, boxes, strict=True) if box is None], "--color-key")


def _scale_to_fit(load: _Load) -> None:
    settings = load.settings
    if settings.fit:
        most = largest(picture.canvas for picture in load.pictures)
        load.factor = min(Fraction(settings.fit.w, most.w), Fraction(settings.fit.h, most.h))
        scaling = _scaling(settings, load.factor)
        load.pictures = load.on_threads(lambda picture: _scaled(picture, scaling))
    if load.factor == 1:
        return
    _refuse_lost(load)
    percent = f"{float(load.factor * 100):.6g}%"
    canvases = few((measured(canvas) for canvas in dict.fromkeys(picture.canvas for picture in load.pictures)), 3)
    load.remarks.append(f"scaled to {percent}: canvases of {canvases}")
    if settings.resample == "pixel" and not is_whole(load.factor):
        load.warnings.append(
            f"--resample pixel keeps pixels even at whole factors only, and this is {percent}: "
            "some rows and columns are lost, or doubled, and others are not"
        )


def _refuse_lost(load: _Load) -> None:
    by = f"scaled by {float(load.factor):.4g}"
    vanished = [quoted(picture.name) for picture in load.pictures if min(picture.canvas) < 1]
    if vanished:
        raise UsageError(f"{by}, nothing is left of {few(vanished)}; choose a larger --scale or --fit")
    grown = [picture for picture in load.pictures if max(picture.canvas) > LARGEST_CANVAS]
    if grown:
        raise FitError(
            f"{by}, {quoted(grown[0].name)} would be {measured(grown[0].canvas)}, and no canvas may be longer than "
            f"{LARGEST_CANVAS} pixels; choose a smaller --scale or --fit"
        )


def _recolour(load: _Load) -> None:
    settings = load.settings
    if settings.hard_alpha:
        load.replace_pixels(lambda picture: hard_alpha(picture.pixels, settings.hard_alpha))
    if settings.colors:
        colors = derived((picture.pixels for picture in load.pictures), settings.colors)
    elif isinstance(settings.palette, tuple):
        colors = settings.palette
    else:
        return
    mapping = PaletteMap(colors, settings.dither)
    load.replace_pixels(lambda picture: mapping.mapped(picture.pixels, *picture.offset))
    load.remarks.append(f"all frames in the {counted(len(mapping.colors), 'colour')} of one palette")
    if moved := mapping.furthest():
        told = joined(f"{m.before.hex} to {m.after.hex} ({m.distance:.3f})" for m in moved)
        load.remarks.append(f"colours that moved furthest, in Oklab: {told}")
    if len(mapping.colors) == 1:
        load.warnings.append("the palette has one colour: every frame becomes a silhouette")


def _bring_to_canvas(load: _Load) -> None:
    wish = load.settings.canvas
    everything = slice(None)
    if isinstance(wish, Size):
        _bring(load, everything, wish)
    elif wish == "common":
        _bring(load, everything)
    for name, group in load.groups.items():
        if wish == "animation" and name is not None:
            _bring(load, group)
    _bring_together(load)
    _name_pivots(load)
    _shift(load)


def _bring(load: _Load, group: slice, canvas: Size | None = None) -> None:
    """Pictures on one canvas, by default the largest of theirs, put where `--align` says."""
    pictures = load.pictures[group]
    target = canvas or largest(picture.canvas for picture in pictures)
    offsets = {size: offset_in(target, size, load.settings.align) for size in {p.canvas for p in pictures}}
    option = f"--canvas {measured(target)}"
    _move(load, group, [(target, offsets[picture.canvas]) for picture in pictures], option)


def _move(load: _Load, group: slice, ways: Sequence[tuple[Size, Offset]], option: str) -> None:
    moved = [brought(picture, *way) for picture, way in zip(load.pictures[group], ways, strict=True)]
    lost = [(picture.name, beyond) for picture, beyond in moved if beyond]
    if lost:
        told = [f"{quoted(name)} by {_sides(beyond)}" for name, beyond in lost]
        raise FitError(
            f"{option} cuts off what is visible of {few(told, 3)}; give a larger --canvas, or a --shift that holds all"
        )
    load.pictures[group] = [picture for picture, _ in moved]


def _sides(beyond: Beyond) -> str:
    words = zip(beyond, ("at the left", "at the top", "at the right", "at the bottom"), strict=True)
    return joined(f"{counted(pixels, 'pixel')} {side}" for pixels, side in words if pixels)


def _bring_together(load: _Load) -> None:
    """What looks at several frames at once needs them on one canvas."""
    settings = load.settings
    if settings.trim == "sheet":
        if len({picture.canvas for picture in load.pictures}) > 1:
            _tell_of_bringing(load, load.pictures, "--trim sheet")
            _bring(load, slice(None))
        return
    for name, group in load.groups.items():
        reasons = [
            option
            for option, needed in (
                ("--trim animation", settings.trim == "animation"),
                ("--pivot feet", _pivot_wish(load, name) == FEET),
                ("--shape-of animation", settings.shape_of == "animation"),
            )
            if needed
        ]
        pictures = load.pictures[group]
        if name is not None and reasons and len({picture.canvas for picture in pictures}) > 1:
            _tell_of_bringing(load, pictures, f"{reasons[0]}, {quoted(name)}")
            _bring(load, group)


def _tell_of_bringing(load: _Load, pictures: Sequence[Picture], why: str) -> None:
    sizes = Counter(picture.canvas for picture in pictures)
    target = largest(sizes)
    load.remarks.append(
        f"canvases of {counted(len(sizes), 'size')} were first brought to {measured(target)}, at its "
        f"{load.settings.align} ({why})"
    )


def _pivot_wish(load: _Load, name: str | None) -> PivotWish | None:
    wishes = load.settings.pivot
    return dict(wishes.named).get(name or "", wishes.everyone)


def _name_pivots(load: _Load) -> None:
    """Pivots on the canvas as it is now. The one by default is the point named by `--align` on the largest canvas (or
    the cell), in which smaller ones stand aligned: whoever draws by pivots sees what one sees who draws cells."""
    settings = load.settings
    of_cells = settings.trim == "off" and settings.cell
    reference = of_cells or largest(picture.canvas for picture in load.pictures)

    def named(canvas: Size, wish: PivotWish | None) -> Point:
        if wish is None or wish == FEET:
            return pivot_in(reference, settings.align, offset_in(reference, canvas, settings.align))
        return wish.on(canvas)

    for name, group in load.groups.items():
        wish = _pivot_wish(load, name)
        pivots = {canvas: named(canvas, wish) for canvas in {picture.canvas for picture in load.pictures[group]}}
        load.pictures[group] = [dataclasses.replace(p, pivot=pivots[p.canvas]) for p in load.pictures[group]]


def _shift(load: _Load) -> None:
    settings = load.settings
    wishes = dict(settings.shift.named)
    for name, group in load.groups.items():
        by = wishes.get(name or "", settings.shift.everyone)
        if by:
            option = f"--shift {by.x},{by.y}"
            _move(load, group, [(picture.canvas, by) for picture in load.pictures[group]], option)


def _draw_outline(load: _Load) -> None:
    """All canvases grow alike, by what the one frame needs that needs most, so that none moves against another."""
    if load.settings.outline is None:
        return
    outline = dataclasses.replace(load.settings.outline, hard=bool(load.settings.hard_alpha))
    reach = outline.reach
    needs = [Beyond()]
    for picture, box in zip(load.pictures, load.on_threads(visible_on_canvas), strict=True):
        if box:
            rim = (box.x, box.y, picture.canvas.w - box.right, picture.canvas.h - box.bottom)
            needs.append(Beyond(*(max(0, reach - room) for room in rim)))
    grown = Beyond(*map(max, zip(*needs, strict=True)))

    def drawn(picture: Picture) -> Picture:
        pixels = outlined(picture.pixels, outline)
        wider = dataclasses.replace(
            picture, pixels=pixels, offset=Offset(picture.offset.x - reach, picture.offset.y - reach)
        )
        canvas = Size(picture.canvas.w + grown.left + grown.right, picture.canvas.h + grown.top + grown.bottom)
        return brought(wider, canvas, Offset(grown.left, grown.top))[0]

    load.pictures = load.on_threads(drawn)
    if any(grown):
        load.remarks.append(f"every canvas grew by {_sides(grown)}, to hold the outline")


def _trim(load: _Load) -> None:
    settings = load.settings
    if settings.trim == "off":
        return
    floor = settings.alpha_floor
    boxes = load.on_threads(lambda picture: visible_on_canvas(picture, floor))
    if floor:
        emptied = [
            p.name for p, box in zip(load.pictures, boxes, strict=True) if box is None and p.pixels[..., 3].any()
        ]
        load.warn_of_empty(emptied, f"--alpha-floor {floor}")
    before = load.pictures
    if settings.trim == "frame":
        load.pictures = [trimmed(picture, box or EMPTY) for picture, box in zip(before, boxes, strict=True)]
    else:
        groups = [slice(None)] if settings.trim == "sheet" else list(load.groups.values())
        load.pictures = [p for group in groups for p in trimmed_alike(before[group], boxes[group])]
    whole = sum(picture.canvas.w * picture.canvas.h for picture in load.pictures)
    stored = sum(picture.stored_box.w * picture.stored_box.h for picture in load.pictures)
    fewer = sum(picture.stored_box.size != picture.canvas for picture in load.pictures)
    load.remarks.append(f"{counted(fewer, 'frame')} trimmed, {1 - stored / whole:.0%} of the pixels were empty rim")
    if settings.trim == "frame" and settings.layout != "tight":
        load.remarks.append(
            "cells hold frames as trimmed, each by itself: a game that ignores offsets sees them wobble; "
            "--trim animation or --trim sheet keeps them in step"
        )


def _place_pivots(load: _Load) -> None:
    for name, group in load.groups.items():
        if _pivot_wish(load, name) == FEET:
            _stand_on_feet(load, group)
    if load.settings.snap_pivot:
        load.pictures = [dataclasses.replace(p, pivot=snapped(p.pivot)) for p in load.pictures]
    outside = [p.name for p in load.pictures if not (0 <= p.pivot.x <= p.canvas.w and 0 <= p.pivot.y <= p.canvas.h)]
    if outside and load.settings.pivot != type(load.settings.pivot)(None):
        load.warnings.append(f"the pivot lies outside the canvas of {counted(len(outside), 'frame')}: {few(outside)}")


def _stand_on_feet(load: _Load, group: slice) -> None:
    pictures = load.pictures[group]
    together = [pictures] if len({p.canvas for p in pictures}) == 1 else [[picture] for picture in pictures]
    standing: list[Picture] = []
    for frames in together:
        point = feet(frames, load.settings.alpha_floor)
        if point is None:
            load.warnings.append(
                f"nothing is visible of {few(quoted(p.name) for p in frames)}, so there are no feet: "
                "the pivot is where it is by default"
            )
        standing += [dataclasses.replace(p, pivot=point or p.pivot) for p in frames]
    load.pictures[group] = standing


def _fill_under(load: _Load) -> None:
    if not load.settings.fill_under:
        return

    def filled(picture: Picture) -> Picture:
        stored, part = picture.stored_box, picture.part
        left, top = max(stored.x, part.x - UNDER_REACH), max(stored.y, part.y - UNDER_REACH)
        right, bottom = min(stored.right, part.right + UNDER_REACH), min(stored.bottom, part.bottom + UNDER_REACH)
        room = Size(right - left, bottom - top)
        pixels = filled_under(on_canvas(picture.pixels, Offset(part.x - left, part.y - top), room))
        return dataclasses.replace(picture, pixels=pixels, offset=Offset(left, top))

    load.pictures = load.on_threads(lambda picture: filled(picture) if picture.pixels.size else picture)


def _draw_shapes(load: _Load) -> None:
    settings = load.settings
    if not settings.shape:
        return
    kind, most, floor = settings.shape, settings.shape_points, settings.alpha_floor

    def own_shape(picture: Picture) -> Picture:
        shape = shape_of(picture.pixels[..., 3] > floor, kind, most)
        return dataclasses.replace(picture, shape=shape and moved_shape(shape, *picture.offset))

    if settings.shape_of == "frame":
        load.pictures = load.on_threads(own_shape)
    else:
        for name, group in load.groups.items():
            pictures = load.pictures[group]
            if name is None:
                load.pictures[group] = [own_shape(picture) for picture in pictures]
                continue
            mask = union_mask(pictures[0].canvas, [(p.pixels[..., 3] > floor, p.part) for p in pictures])
            shape = shape_of(mask, kind, most)
            load.pictures[group] = [dataclasses.replace(picture, shape=shape) for picture in pictures]
    shapes = [picture.shape for picture in load.pictures if picture.shape]
    points = sum(len(polygon) for shape in shapes for polygon in shape.polygons)
    tolerance = max((shape.tolerance for shape in shapes), default=0)
    load.remarks.append(
        f"{counted(len(shapes), 'shape')} of {points / max(1, len(shapes)):.1f} points on average; "
        f"what is visible lies at most {tolerance:g} px outside of them"
    )


def _forget_offsets(load: _Load) -> None:
    settings = load.settings
    if not settings.forget_offsets:
        return
    moves = [displacement(picture, settings.align) for picture in load.pictures if picture.stored_box.w]
    across, along = (max((abs(move[axis]) for move in moves), default=0) for axis in (0, 1))
    load.pictures = [forgotten(picture) for picture in load.pictures]
    load.remarks.append(
        f"offsets are forgotten: put at the {settings.align} of their canvas again, frames move by up to {across:g} "
        f"pixels across and {along:g} up or down; drawn by their pivots they stay"
    )


_STEPS = (
    _check_key,
    _scale_to_fit,
    _recolour,
    _bring_to_canvas,
    _draw_outline,
    _trim,
    _place_pivots,
    _fill_under,
    _draw_shapes,
    _forget_offsets,
)
