"""Steps that change where pixels lie: canvas, shift, outline, trim, pivot. The pixel at the pivot stays there."""

from __future__ import annotations

import dataclasses
from collections import Counter
from collections.abc import Sequence

from ..core.align import offset_in, pivot_in
from ..core.canvas import Beyond, brought, largest
from ..core.errors import FitError
from ..core.model import Offset, Picture, Point, Size
from ..core.outline import outlined
from ..core.pivot import feet, snapped
from ..core.text import counted, few, joined, measured, quoted
from ..core.trim import EMPTY, displacement, forgotten, trimmed, trimmed_alike, visible_on_canvas
from ..core.wishes import PivotWish
from .load import Load

FEET = PivotWish(unit="feet")


def bring_to_canvas(load: Load) -> None:
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


def _bring(load: Load, group: slice, canvas: Size | None = None) -> None:
    """Pictures on one canvas, by default the largest of theirs, put where `--align` says."""
    pictures = load.pictures[group]
    target = canvas or largest(picture.canvas for picture in pictures)
    offsets = {size: offset_in(target, size, load.settings.align) for size in {p.canvas for p in pictures}}
    option = f"--canvas {target.w}x{target.h}"
    _move(load, group, [(target, offsets[picture.canvas]) for picture in pictures], option)


def _move(load: Load, group: slice, ways: Sequence[tuple[Size, Offset]], option: str) -> None:
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


def _bring_together(load: Load) -> None:
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
                ("--pivot feet", load.pivots[name] == FEET),
                ("--shape-of animation", settings.shape_of == "animation"),
            )
            if needed
        ]
        pictures = load.pictures[group]
        if name is not None and reasons and len({picture.canvas for picture in pictures}) > 1:
            _tell_of_bringing(load, pictures, f"{reasons[0]}, {quoted(name)}")
            _bring(load, group)


def _tell_of_bringing(load: Load, pictures: Sequence[Picture], why: str) -> None:
    sizes = Counter(picture.canvas for picture in pictures)
    target = largest(sizes)
    load.remarks.append(
        f"canvases of {counted(len(sizes), 'size')} were first brought to {measured(target)}, at its "
        f"{load.settings.align} ({why})"
    )


def _name_pivots(load: Load) -> None:
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
        wish = load.pivots[name]
        pivots = {canvas: named(canvas, wish) for canvas in {picture.canvas for picture in load.pictures[group]}}
        load.pictures[group] = [dataclasses.replace(p, pivot=pivots[p.canvas]) for p in load.pictures[group]]


def _shift(load: Load) -> None:
    for name, group in load.groups.items():
        by = load.shifts[name]
        if by:
            option = f"--shift {by.x},{by.y}"
            _move(load, group, [(picture.canvas, by) for picture in load.pictures[group]], option)


def draw_outline(load: Load) -> None:
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


def trim(load: Load) -> None:
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


def place_pivots(load: Load) -> None:
    for name, group in load.groups.items():
        if load.pivots[name] == FEET:
            _stand_on_feet(load, group)
    if load.settings.snap_pivot:
        load.pictures = [dataclasses.replace(p, pivot=snapped(p.pivot)) for p in load.pictures]
    outside = [p.name for p in load.pictures if not (0 <= p.pivot.x <= p.canvas.w and 0 <= p.pivot.y <= p.canvas.h)]
    if outside and load.settings.pivot != type(load.settings.pivot)(None):
        load.warnings.append(f"the pivot lies outside the canvas of {counted(len(outside), 'frame')}: {few(outside)}")


def _stand_on_feet(load: Load, group: slice) -> None:
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


def forget_offsets(load: Load) -> None:
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
