"""Sheet sizes: limits, and rounding to powers of two and multiples."""

from dataclasses import dataclass
from typing import NamedTuple

from ..model.geometry import Size

LARGEST_SIDE = 16_384
"""Pixels. The longest side of a sheet or cell, as current graphics hardware has it."""


class SheetRules(NamedTuple):
    """Rules for a sheet's size. `exact` is the size itself and takes the place of `largest`."""

    largest: Size = Size(4096, 4096)
    exact: Size | None = None
    pow2: bool = False
    square: bool = False
    multiple: int = 1

    @property
    def usable(self) -> Size:
        """The largest content (margins included) that a sheet can hold under these rules; 0 if none can."""
        if self.exact:
            return self.exact
        w, h = (self._rounded_down(side) for side in self.largest)
        return Size(min(w, h), min(w, h)) if self.square else Size(w, h)

    def sheet_size(self, content: Size) -> Size:
        """The smallest sheet that obeys the rules and holds `content`, which must not exceed `usable`."""
        if self.exact:
            return self.exact
        w, h = (self._rounded_up(side) for side in content)
        return Size(max(w, h), max(w, h)) if self.square else Size(w, h)

    def _rounded_up(self, side: int) -> int:
        side = -(-side // self.multiple) * self.multiple
        return 1 << (side - 1).bit_length() if self.pow2 else side

    def _rounded_down(self, side: int) -> int:
        if self.pow2:
            side = 1 << (side.bit_length() - 1)
        return side // self.multiple * self.multiple


@dataclass(frozen=True, slots=True)
class SheetLimits:
    """Limits of a sheet. `aspect` is how many times longer one side may be than the other, None for any; it yields
    where nothing would fit otherwise."""

    rules: SheetRules = SheetRules()
    aspect: float | None = 2
    margin: int = 0
    gap: int = 0
    turn: bool = False
    effort: str = "normal"

    @property
    def inside(self) -> Size:
        """The room for boxes with their gap on the largest sheet."""
        return Size(*(side - 2 * self.margin + self.gap for side in self.rules.usable))
