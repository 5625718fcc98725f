"""Draw frames on sheets; no other module writes pixels on a sheet."""

from collections.abc import Iterable
from typing import NamedTuple

import numpy as np

from ..model.geometry import Box, Offset, Size
from ..pixels import Pixels


class Placed(NamedTuple):
    """A frame's drawing: its pixels, where they begin in the upright box, the box, and a flag if it is turned."""

    pixels: Pixels
    inside: Offset
    box: Box
    turned: bool = False


def draw_sheet(size: Size, placed: Iterable[Placed], edge_repeat: int = 0) -> Pixels:
    """A new sheet, transparent black, with each picture copied into its box.

    Every box must lie on the sheet, its repeated edge included, and every picture in its box. Boxes that overlap would
    hide pixels, so the arrangement must keep them apart; nothing is blended. With `edge_repeat` the outermost pixels
    of each box are copied outwards so many times, corners too.

    Cost: one pass over the sheet to clear it and one over the pixels placed; turning them costs about twice that.
    """
    return draw_rows(size.w, range(size.h), placed, edge_repeat)


def draw_rows(width: int, rows: range, placed: Iterable[Placed], edge_repeat: int = 0) -> Pixels:
    """Draw some rows of a sheet of this width, as `draw_sheet` does; skip frames in other rows."""
    band = np.zeros((len(rows), width, 4), np.uint8)
    for drawing in placed:
        box = drawing.box
        around = edge_repeat if box.w and box.h else 0
        if not around or (rows.start <= box.y - around and box.bottom + around <= rows.stop):
            _put(band, drawing, rows.start)
            if around:
                repeat_edges(band, box.moved(Offset(0, -rows.start)), around)
            continue
        # the repeated edge may lie in another band
        reached = Box(box.x - around, box.y - around, box.w + 2 * around, box.h + 2 * around)
        alone = np.zeros((reached.h, reached.w, 4), np.uint8)
        inside = Box(around, around, box.w, box.h)
        _put(alone, drawing._replace(box=inside), 0)
        repeat_edges(alone, inside, around)
        top, bottom = max(reached.y, rows.start), min(reached.bottom, rows.stop)
        if top < bottom:
            part = alone[top - reached.y : bottom - reached.y]
            band[top - rows.start : bottom - rows.start, reached.x : reached.right] = part
    return band


def _put(band: Pixels, placed: Placed, first: int) -> None:
    """Copy the part of a picture that lies in a band; `first` is the band's first row on the sheet."""
    pixels, (x, y), box, turned = placed
    height, width = pixels.shape[:2]
    if turned:
        pixels = np.rot90(pixels, -1)  # a view: by 90° clockwise
        x, y, width, height = box.w - (y + height), x, height, width
    left, top = box.x + x, box.y + y - first
    hidden, bottom = max(0, -top), min(top + height, len(band))
    if top + hidden < bottom:
        band[top + hidden : bottom, left : left + width] = pixels[hidden : bottom - top]


def repeat_edges(sheet: Pixels, box: Box, count: int) -> None:
    """Copy the outermost pixels of a box outwards, into the sheet: rows first, then columns with the corners."""
    left, top, right, bottom = box.x - count, box.y - count, box.right + count, box.bottom + count
    sheet[top : box.y, box.x : box.right] = sheet[box.y, box.x : box.right]
    sheet[box.bottom : bottom, box.x : box.right] = sheet[box.bottom - 1, box.x : box.right]
    sheet[top:bottom, left : box.x] = sheet[top:bottom, box.x : box.x + 1]
    sheet[top:bottom, box.right : right] = sheet[top:bottom, box.right - 1 : box.right]
