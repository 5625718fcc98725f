"""The ranges of all numbers in the metadata, as docs/programmers/format.md gives them.

`format.document` reads by this table, `core.crate.check` holds every crate to it before it is written, and settings are
bounded by it; tests hold both published schemas to it.
"""

from __future__ import annotations

from typing import NamedTuple

from .crate import LARGEST_NUMBER


class Range(NamedTuple):
    """The least value, and whether that one itself is left out; whole numbers unless `is_whole` says otherwise."""

    least: int = 0
    is_open: bool = False
    is_whole: bool = True

    def holds(self, number: float) -> bool:
        """Return True if a number is in the range."""
        return (self.least < number if self.is_open else self.least <= number) and number < LARGEST_NUMBER

    def __str__(self) -> str:
        kind = "a whole number" if self.is_whole else "a number"
        if self.least == -LARGEST_NUMBER:
            return kind
        return f"{kind} above {self.least}" if self.is_open else f"{kind} of at least {self.least}"


ANY = Range(-LARGEST_NUMBER, is_open=True, is_whole=False)

RANGES = {
    "scale": Range(0, is_open=True, is_whole=False),
    "sheets.size": Range(1),
    "sheets.margin": Range(),
    "sheets.gap": Range(),
    "sheets.edge_repeat": Range(),
    "cells.size": Range(1),
    "cells.columns": Range(1),
    "cells.rows": Range(1),
    "cells.margin": Range(),
    "cells.gap": Range(),
    "cells.filled": Range(),
    "blocks.first": Range(),
    "blocks.count": Range(1),
    "blocks.origin": Range(),
    "blocks.size": Range(1),
    "blocks.columns": Range(1),
    "blocks.rows": Range(1),
    "frames.sheet": Range(),
    "frames.box": Range(),
    "frames.canvas": Range(1),
    "frames.offset": Range(-LARGEST_NUMBER),
    "frames.pivot": ANY,
    "shape.points": ANY,
    "shape.tolerance": Range(0, is_whole=False),
    "animations.frames": Range(),
    "animations.durations": Range(1),
    "animations.fps": Range(1),
    "animations.beats": Range(1),
    "animations.times": Range(2),
}
"""By the part of the document and the key; a list has the range for each of its numbers."""
