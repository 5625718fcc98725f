"""Frames onto sheets: the only place that puts pixels down."""

from collections.abc import Iterable
from typing import NamedTuple

import numpy as np

from ..model.geometry import Box, Offset, Size
from ..pixels import Pixels


class Placed(NamedTuple):
    """What is drawn of a frame: its pixels, where in its upright box they begin, the box, and whether it is turned."""

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
    sheet = np.zeros((size.h, size.w, 4), np.uint8)
    for pixels, (x, y), box, turned in placed:
        target = sheet[box.y : box.bottom, box.x : box.right]
        height, width = pixels.shape[:2]
        upright = np.rot90(target) if turned else target  # a view: turned pixels lie there by 90° clockwise
        upright[y : y + height, x : x + width] = pixels
        if edge_repeat and box.w and box.h:
            repeat_edges(sheet, box, edge_repeat)
    return sheet


def repeat_edges(sheet: Pixels, box: Box, count: int) -> None:
    """Copies the outermost pixels of a box outwards, into the sheet: rows first, then columns with the corners."""
    left, top, right, bottom = box.x - count, box.y - count, box.right + count, box.bottom + count
    sheet[top : box.y, box.x : box.right] = sheet[box.y, box.x : box.right]
    sheet[box.bottom : bottom, box.x : box.right] = sheet[box.bottom - 1, box.x : box.right]
    sheet[top:bottom, left : box.x] = sheet[top:bottom, box.x : box.x + 1]
    sheet[top:bottom, box.right : right] = sheet[top:bottom, box.right - 1 : box.right]
