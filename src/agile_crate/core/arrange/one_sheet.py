"""A remark on frames in cells that need several sheets: the size, and the scale, at which one would hold them all."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from fractions import Fraction

from ..errors import FitError
from ..message import Message, message, setting
from ..model.geometry import Size
from ..rounding import half_up
from ..text import measured
from .grid import GridOptions, GridSheet
from .sheet_size import LARGEST_SIDE

Arrange = Callable[[GridOptions], Sequence[GridSheet]]


def on_one_sheet(grid: Sequence[GridSheet], wanted: GridOptions, arrange: Arrange) -> Iterator[Message]:
    """Yield the remark if there are several sheets. Cost: eight more arrangements."""
    if len(grid) < 2:
        return
    rules = wanted.rules
    larger = _single(
        arrange, wanted._replace(rules=rules._replace(largest=Size(LARGEST_SIDE, LARGEST_SIDE), exact=None))
    )
    low, high = 0, 100  # per cent: `low` fits, or nothing does; `high` does not
    while high - low > 1:
        percent = (low + high) // 2
        cell = Size(*(max(1, half_up(Fraction(side * percent, 100))) for side in wanted.cell))
        low, high = (percent, high) if _single(arrange, wanted._replace(cell=cell)) else (low, percent)
    name = "size" if rules.exact else "max_size"
    ways = [message("{} would hold all", setting(name, f"{larger.w}x{larger.h}"))] if larger else []
    ways += [message("{} would fit", setting("scale", f"{low}%"))] if low else []
    if ways:
        ways += [message("{layout:grid} would put it in rows")] if wanted.strip else []
        advice = message(", ".join(["{}"] * (len(ways) - 1)) + ", or {}", *ways) if len(ways) > 1 else ways[0]
        yield message(
            "{} sheets, because the largest sheet is {}; on one sheet, {}", len(grid), measured(rules.usable), advice
        )


def _single(arrange: Arrange, options: GridOptions) -> Size | None:
    """Return the size of the only sheet, or None if there are several or none."""
    try:
        grid = arrange(options)
    except FitError:
        return None
    return grid[0].size if len(grid) == 1 else None
