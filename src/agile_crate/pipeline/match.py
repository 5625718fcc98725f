"""Matched sizes: one arrangement for all sizes of a build.

Every box, offset and pivot of another size is exactly a portion of that of the crate's own size, so a game swaps the
image and multiplies by one number. Canvases are multiples of what all sizes divide before anything is scaled
(`core.frame.decode`). Boxes are decided here: each holds what any size keeps, and is a multiple as well.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction

from ..core.arrange.arrangement import Arrangement, SheetPlan
from ..core.arrange.layout import Arranged, LayoutRequest
from ..core.arrange.layouts import LAYOUTS
from ..core.errors import FitError
from ..core.frame.trim import EMPTY
from ..core.frame.visible import union
from ..core.message import Message, message
from ..core.model.crate import Crate
from ..core.model.geometry import Box, Cells, Offset, Point, Shape, Size
from ..core.model.picture import Picture, Sequences
from ..core.rounding import plain
from ..core.text import counted, measured, quoted
from .prepare import Prepared


def matched(sizes: Sequence[Prepared], unit: int) -> tuple[Prepared, ...]:
    """Return the sizes of a build with matching boxes, pivots and shapes, the crate's own size first. `unit` is the
    `Settings.unit` of that size. Raises FitError."""
    first = sizes[0]
    portions = [size.settings.portion for size in sizes]
    _refuse_uneven(sizes, portions)
    before = [picture.stored_box for picture in first.pictures]
    by_size = ([picture.stored_box for picture in size.pictures] for size in sizes)
    boxes = [_common_box(boxes, portions, unit) for boxes in zip(*by_size, strict=True)]
    pivots = [picture.pivot for picture in first.pictures]
    shapes = [picture.shape for picture in first.pictures]

    def at(size: Prepared, portion: Fraction) -> Prepared:
        places = [
            (_box(box, portion), _point(pivot, portion), shape and _shape(shape, portion))
            for box, pivot, shape in zip(boxes, pivots, shapes, strict=True)
        ]
        variants = (
            variant._replace(pictures=[_placed(*pair) for pair in zip(variant.pictures, places, strict=True)])
            for variant in size.variants
        )
        return size._replace(variants=tuple(variants))

    made = [at(size, portion) for size, portion in zip(sizes, portions, strict=True)]
    made[0] = made[0]._replace(remarks=(*made[0].remarks, _cost(before, boxes, portions[1:])))
    return tuple(made)


def arranged_together(
    sequences: Sequences, sizes: Sequence[Prepared], unit: int, previous: Crate | None
) -> list[Arranged]:
    """Arrange the first size, and return the same arrangement for every size. Frames share a box only if they are alike
    at every size. Raises FitError."""
    first, *others = sizes
    skins = [variant.pictures for variant in first.variants[1:]]
    skins += [variant.pictures for size in others for variant in size.variants]
    settings = first.settings
    request = LayoutRequest(sequences, first.pictures, skins, settings.layout_options, previous)
    arranged = LAYOUTS[settings.layout].arrange(request)
    for sheet in arranged.arrangement.sheets:
        if sheet.size.w % unit or sheet.size.h % unit:
            raise FitError(
                message(
                    "the sheet of {} is not a multiple of {}; leave out {pow2}, {square} or {matched}",
                    measured(sheet.size),
                    unit,
                )
            )
    at_portion = (_arrangement(arranged.arrangement, size.settings.portion) for size in others)
    return [arranged, *(Arranged(arrangement, ()) for arrangement in at_portion)]


def is_divisible(crate: Crate, unit: int) -> bool:
    """Return True if all boxes and sheets of a crate are multiples of a unit."""
    lengths = (
        *(side for frame in crate.frames for side in frame.box),
        *(s for sheet in crate.sheets for s in sheet.size),
    )
    return all(length % unit == 0 for length in lengths)


def _refuse_uneven(sizes: Sequence[Prepared], portions: Sequence[Fraction]) -> None:
    """Raise FitError for canvases that do not match. A step that changes each size by itself would cause that."""
    for size, portion in zip(sizes, portions, strict=True):
        for own, other in zip(sizes[0].pictures, size.pictures, strict=True):
            if list(other.canvas) != [side * portion for side in own.canvas]:
                raise FitError(
                    message(
                        "{} has a canvas of {}, and of {} at another size; they do not match, so leave out {matched}",
                        quoted(own.name),
                        measured(own.canvas),
                        measured(other.canvas),
                    )
                )


def _common_box(boxes: Sequence[Box], portions: Sequence[Fraction], unit: int) -> Box:
    """Return the box that holds the stored pixels of every size, in pixels of the first. Its edges are multiples."""
    kept: list[Box] = []
    for box, portion in zip(boxes, portions, strict=True):
        if min(box.size) > 0:
            step = portion * unit  # a whole number of pixels at that size
            left, top = (edge // step * unit for edge in (box.x, box.y))
            right, bottom = (-(-edge // step) * unit for edge in (box.right, box.bottom))
            kept.append(Box(int(left), int(top), int(right - left), int(bottom - top)))
    return union(kept) or EMPTY


def _placed(picture: Picture, place: tuple[Box, Point, Shape | None]) -> Picture:
    stored, pivot, shape = place
    return picture._replace(stored=stored, pivot=pivot, shape=shape)


def _cost(before: Sequence[Box], boxes: Sequence[Box], portions: Sequence[Fraction]) -> Message:
    old, new = (sum(box.w * box.h for box in some) for some in (before, boxes))
    more = f"; that adds {new / max(1, old) - 1:.1%} to the pixels in boxes" if new > old else ", at no cost"
    sizes = counted(len(portions), "other size")
    return Message(f"matched with {sizes}: all boxes, offsets and pivots are exact multiples{more}")


def _arrangement(arrangement: Arrangement, portion: Fraction) -> Arrangement:
    spots = tuple(spot._replace(x=int(spot.x * portion), y=int(spot.y * portion)) for spot in arrangement.spots)
    sheets = tuple(_sheet(sheet, portion) for sheet in arrangement.sheets)
    return Arrangement(sheets, spots, (), int(arrangement.bound * portion * portion), arrangement.proven)


def _sheet(sheet: SheetPlan, portion: Fraction) -> SheetPlan:
    blocks = tuple(
        replace(block, at=_offset(block.at, portion), cells=_cells(block.cells, portion)) for block in sheet.blocks
    )
    return sheet._replace(
        size=_size(sheet.size, portion),
        cells=sheet.cells and _cells(sheet.cells, portion),
        margin=int(sheet.margin * portion),
        gap=int(sheet.gap * portion),
        blocks=blocks,
    )


def _cells(cells: Cells, portion: Fraction) -> Cells:
    margin, gap = int(cells.margin * portion), int(cells.gap * portion)
    return replace(cells, size=_size(cells.size, portion), margin=margin, gap=gap)


def _size(size: Size, portion: Fraction) -> Size:
    return Size(int(size.w * portion), int(size.h * portion))


def _offset(offset: Offset, portion: Fraction) -> Offset:
    return Offset(int(offset.x * portion), int(offset.y * portion))


def _box(box: Box, portion: Fraction) -> Box:
    return Box(*(int(side * portion) for side in box))


def _point(point: Point, portion: Fraction) -> Point:
    # A float such as 9.9 means 99/10, not the nearest binary fraction.
    return Point(*(plain(Fraction(side).limit_denominator(10**6) * portion) for side in point))


def _shape(shape: Shape, portion: Fraction) -> Shape:
    polygons = tuple(tuple(_point(point, portion) for point in polygon) for polygon in shape.polygons)
    return Shape(polygons, plain(Fraction(shape.tolerance) * portion))
