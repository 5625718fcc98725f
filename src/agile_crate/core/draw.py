"""Frames onto sheets: the only place that puts pixels down."""

from collections.abc import Iterable

import numpy as np

from .model import Offset, Size
from .pixels import Pixels


def draw_sheet(size: Size, placed: Iterable[tuple[Pixels, Offset]]) -> Pixels:
    """A new sheet, transparent black, with each picture copied to its place.

    Every picture must lie on the sheet. Pictures that overlap would hide pixels, so the arrangement must keep them
    apart; nothing is blended.

    Cost: one pass over the sheet to clear it and one over the pixels placed.
    """
    sheet = np.zeros((size.h, size.w, 4), np.uint8)
    for pixels, (x, y) in placed:
        height, width = pixels.shape[:2]
        sheet[y : y + height, x : x + width] = pixels
    return sheet
