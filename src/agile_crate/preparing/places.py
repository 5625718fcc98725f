"""Steps that change where pixels lie: canvas, shift, outline, trim, pivot. The pixel at the pivot stays there."""

from __future__ import annotations

import dataclasses
from functools import cache

from ..core.align import offset_in, pivot_in
from ..core.canvas import Beyond, brought, largest
from ..core.errors import FitError
from ..core.model import ORIGIN, Box, Offset, Picture, Point, Size
from ..core.pivot import feet, snapped
from ..core.text import counted, few, joined, measured, quoted
from ..core.trim import EMPTY, displacement, forgotten, trimmed, trimmed_alike, visible_on_canvas
from ..core.wishes import PivotWish
from .load import Load

FEET = PivotWish(unit="feet")


def bring_to_canvas(load: Load) -> None:
    """Canvas, pivot and shift are settled first; then every picture is moved once, so that a shift can save what the
    new canvas alone would cut off."""
    ways = [(picture.canvas, ORIGIN) for picture in load.pictures]
    wish = load.settings.canvas
    if wish == "animation":
        for group in load.named_groups():
            _bring(load, ways, group)
    elif wish != "own":
        _bring(load, ways, slice(None), wish if isinstance(wish, Size) else None)
    _bring_together(load, ways)
    pivots = _pivots(load, ways)
    lost: list[str] = []
    for name, group in load.groups.items():
        shift = load.shifts[name] or ORIGIN
        if any(shift):
            frames = counted(group.stop - group.start, "frame")
            load.remarks.append(f"{frames} of {quoted(name or 'the stills')} shifted by {shift.x},{shift.y}")
        for index in range(group.start, group.stop):
            picture, (canvas, offset), pivot = load.pictures[index], ways[index], pivots[index]
            picture = dataclasses.replace(picture, pivot=Point(pivot.x - offset.x, pivot.y - offset.y))
            load.pictures[index], beyond = brought(picture, canvas, Offset(offset.x + shift.x, offset.y + shift.y))
            if beyond:
                lost.append(f"{quoted(picture.name)} by {_sides(beyond)}")
    if lost:
        options = " and ".join(f"--{name}" for name in ("canvas", "shift") if name in load.settings.given)
        raise FitError(
            f"{options} would cut off what is visible of {few(lost, 3)}; give a larger --canvas, or another --shift"
        )


Way = tuple[Size, Offset]
"""Which canvas a picture goes to, and where on it its old top left comes to lie."""


def _bring(load: Load, ways: list[Way], group: slice, canvas: Size | None = None) -> None:
    """Ways of a group to one canvas, by default the largest of theirs, put where `--align` says."""
    target = canvas or largest(size for size, _ in ways[group])
    for index in range(*group.indices(len(ways))):
        size, before = ways[index]
        by = offset_in(target, size, load.settings.align)
        ways[index] = target, Offset(before.x + by.x, before.y + by.y)


def _sides(beyond: Beyond) -> str:
    words = zip(beyond, ("at the left", "at the top", "at the right", "at the bottom"), strict=True)
    return joined(f"{counted(pixels, 'pixel')} {side}" for pixels, side in words if pixels)


def _bring_together(load: Load, ways: list[Way]) -> None:
    """What looks at several frames at once needs them on one canvas."""
    settings = load.settings
    if settings.trimming == "sheet":
        _bring_if_needed(load, ways, slice(None), "--trim sheet")
        return
    for name, group in load.groups.items():
        reasons = (
            ("--trim animation", settings.trimming == "animation"),
            ("--pivot feet", load.pivots[name] == FEET),
            ("--shape-of animation", settings.shape_of == "animation"),
        )
        needed = [option for option, is_needed in reasons if is_needed]
        if name is not None and needed:
            _bring_if_needed(load, ways, group, f"{needed[0]}, {quoted(name)}")


def _bring_if_needed(load: Load, ways: list[Way], group: slice, why: str) -> None:
    sizes = {canvas for canvas, _ in ways[group]}
    if len(sizes) > 1:
        _bring(load, ways, group)
        load.remarks.append(
            f"canvases of {counted(len(sizes), 'size')} were first brought to {measured(largest(sizes))}, at its "
            f"{load.settings.align} ({why})"
        )


def _pivots(load: Load, ways: list[Way]) -> list[Point]:
    """Pivots on the canvases that pictures go to. The one by default is the point named by `--align` on the largest (or
    the cell), in which smaller ones stand aligned: whoever draws by pivots sees what one sees who draws cells."""
    settings = load.settings
    of_cells = settings.trimming == "off" and settings.cell
    reference = of_cells or largest(canvas for canvas, _ in ways)

    @cache
    def named(canvas: Size, wish: PivotWish | None) -> Point:
        if wish is None or wish == FEET:
            return pivot_in(reference, settings.align, offset_in(reference, canvas, settings.align))
        return wish.on(canvas)

    return [named(canvas, load.pivots[name]) for name, group in load.groups.items() for canvas, _ in ways[group]]


def draw_outline(load: Load) -> None:
    """The canvas grows first where the line would not fit, then each figure gets its line."""
    if load.settings.outline is None:
        return
    from ..core.outline import outlined

    outline = dataclasses.replace(load.settings.outline, hard=bool(load.settings.hard_alpha))
    reach = outline.reach
    boxes = zip(load.pictures, load.on_threads(visible_on_canvas), strict=True)
    _grow(load, [Beyond(), *(_beyond_rim(picture, box, reach) for picture, box in boxes if box)], "the outline")

    def drawn(picture: Picture) -> Picture:
        offset = Offset(picture.offset.x - reach, picture.offset.y - reach)
        wider = dataclasses.replace(picture, pixels=outlined(picture.pixels, outline), offset=offset)
        return brought(wider, picture.canvas, ORIGIN)[0]

    load.pictures = load.on_threads(drawn)
    where = "inside" if outline.inner else "round"
    load.remarks.append(f"a line of {counted(outline.width, 'pixel')} {where} every figure, {outline.color.hex}")


def trim(load: Load) -> None:
    settings = load.settings
    if settings.trimming == "off":
        return
    floor = settings.alpha_floor
    boxes = load.on_threads(lambda picture: visible_on_canvas(picture, floor))
    if floor:
        emptied = [
            p.name for p, box in zip(load.pictures, boxes, strict=True) if box is None and p.pixels[..., 3].any()
        ]
        load.warn_of_empty(emptied, f"--alpha-floor {floor}")
    if settings.cushion:
        boxes = _cushioned(load, boxes)
    before = load.pictures
    if settings.trimming == "frame":
        load.pictures = [trimmed(picture, box or EMPTY) for picture, box in zip(before, boxes, strict=True)]
    else:
        groups = [slice(None)] if settings.trimming == "sheet" else list(load.groups.values())
        load.pictures = [p for group in groups for p in trimmed_alike(before[group], boxes[group])]
    whole = sum(picture.canvas.w * picture.canvas.h for picture in load.pictures)
    stored = sum(picture.stored_box.w * picture.stored_box.h for picture in load.pictures)
    fewer = sum(picture.stored_box.size != picture.canvas for picture in load.pictures)
    load.remarks.append(f"{counted(fewer, 'frame')} trimmed, {1 - stored / whole:.0%} of the pixels were empty rim")
    if settings.trimming == "frame" and settings.layout != "tight" and load.named_groups():
        load.remarks.append(
            "cells hold frames as trimmed, each by itself: a game that ignores offsets sees them wobble; "
            "--trim animation or --trim sheet keeps them in step"
        )


def _cushioned(load: Load, boxes: list[Box | None]) -> list[Box | None]:
    """Boxes with so many empty pixels round them; every canvas grows alike where one has not as many to give."""
    cushion = load.settings.cushion
    together = zip(load.pictures, boxes, strict=True)
    needs = [Beyond(), *(_beyond_rim(picture, box, cushion) for picture, box in together if box)]
    grown = _grow(load, needs, "the cushion")
    return [
        box and Box(box.x + grown.left - cushion, box.y + grown.top - cushion, box.w + 2 * cushion, box.h + 2 * cushion)
        for box in boxes
    ]


def _beyond_rim(picture: Picture, box: Box, reach: int) -> Beyond:
    """How far what is drawn `reach` pixels round a box lies beyond its canvas."""
    rim = (box.x, box.y, picture.canvas.w - box.right, picture.canvas.h - box.bottom)
    return Beyond(*(max(0, reach - room) for room in rim))


def _grow(load: Load, needs: list[Beyond], what: str) -> Beyond:
    """All canvases grown alike, by what the one frame needs that needs most, so that none moves against another."""
    grown = Beyond(*map(max, zip(*needs, strict=True)))
    if any(grown):
        by = Offset(grown.left, grown.top)
        load.pictures = [
            brought(p, Size(p.canvas.w + grown.left + grown.right, p.canvas.h + grown.top + grown.bottom), by)[0]
            for p in load.pictures
        ]
        load.remarks.append(f"every canvas grew by {_sides(grown)}, to hold {what}")
    return grown


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
