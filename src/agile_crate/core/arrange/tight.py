"""The tight arrangement: boxes of any size on as small a sheet as can be found.

A search over sheets and over ways to fill them. For many widths, and by many policies of `skyline.fill`, it is tried to
fill a sheet a little smaller than the best so far; success makes the next aim smaller. What effort is left goes on by
chance, from a fixed seed: policies at random, and for few boxes local search over their order (swaps that do not leave
out more area are kept; after Leung, Zhang and Sim, 2011). Effort is counted in boxes placed, never in seconds, so the
same boxes give the same sheet on every machine.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from typing import NamedTuple

from ..model.geometry import Size
from .sheet_size import SheetRules
from .skyline import FAR, Filled, Policy, fill

Sizes = Sequence[tuple[int, int]]

ORDERS: dict[str, Callable[[tuple[int, int]], tuple[int, ...]]] = {
    "perimeter": lambda box: (-(box[0] + box[1]), -box[0]),
    "area": lambda box: (-box[0] * box[1], -box[0]),
    "height": lambda box: (-box[1], -box[0]),
    "longer side": lambda box: (-max(box), -min(box)),
    "width": lambda box: (-box[0], -box[1]),
}

POLICIES = (
    Policy("perimeter", 64, 15, 12),
    Policy("area", 128, 15, 12),
    Policy("perimeter", 256, 15, 12),
    Policy("area", 64, 15, 12),
    Policy("height", 256, 0.3, 12),
    Policy("area", 256, 15, 30),
    Policy("perimeter", 64, 2, 4),
    *(Policy(order, 128, 2, 12) for order in ORDERS),
    *(Policy(order, 30, 10, 2) for order in ORDERS),
    *(Policy(order, 8, 2, 4) for order in ORDERS),
)
"""What did best over many sets of sprites comes first."""

EFFORTS = {"quick": (1_500, 1), "steady": (30_000, 18), "deep": (600_000, 30)}
"""How many boxes may be placed in all, at least, and for each box that there is; a wide window counts for more."""


@dataclass(frozen=True, slots=True)
class Limits:
    """What a sheet must obey. `aspect` is how many times longer one side may be than the other, None for any; it yields
    where nothing would fit otherwise."""

    rules: SheetRules = SheetRules()
    aspect: float | None = 2
    margin: int = 0
    gap: int = 0
    turn: bool = False
    effort: str = "steady"


class Place(NamedTuple):
    """Where a box lies: its left and top edge, and whether it is turned by 90°."""

    x: int
    y: int
    turned: bool = False


class Tried(NamedTuple):
    """A sheet that was considered: its size, by which policy, and whether everything found room on it."""

    size: Size
    policy: Policy
    fits: bool


@dataclass(frozen=True, slots=True)
class Arranged:
    """A sheet with a place for every box, and what was considered on the way (the last success is the result)."""

    size: Size
    places: tuple[Place, ...]
    tried: tuple[Tried, ...] = field(default=(), compare=False)


def arrange(sizes: Sizes, limits: Limits) -> Arranged | None:
    """The smallest sheet found that holds all boxes (width, height; 1 or more pixels each), or None if none was found.

    Boxes keep `gap` between them and `margin` to the edges. The order of `sizes` does not matter for the sheet.
    Cost: as `EFFORTS` says, each box placed at the cost told in `skyline.fill`.
    """
    square = replace(limits, aspect=None, rules=replace(limits.rules, square=True))
    if limits.aspect == 1 and not limits.rules.exact:
        limits = square
    if not sizes:
        return Arranged(limits.rules.sheet_size(Size(2 * limits.margin or 1, 2 * limits.margin or 1)), ())
    search = _Search(sizes, limits)
    if limits.rules.exact or limits.rules.pow2:
        search.among_few()
    elif limits.rules.square:
        search.squares()
    else:
        search.by_widths()
    search.by_chance()
    if search.best is None and limits.aspect is not None:
        as_square = None if limits.rules.exact else arrange(sizes, square)
        return as_square or arrange(sizes, replace(limits, aspect=None))
    return search.result()


def lowest(sizes: Sizes, width: int, effort: str = "steady") -> int:
    """The least height found for all boxes on a sheet of this width, without gaps."""
    search = _Search(sizes, Limits(SheetRules(Size(width, 1 << 30)), None, effort=effort))
    search.by_widths([width])
    search.by_chance(width)
    found = search.result()
    assert found is not None, "a strip without end holds everything"
    return found.size.h


def bound(sizes: Sizes, gap: int) -> int:
    """The area of all boxes with their gap. The inside of a sheet, with one gap more each way, cannot be smaller."""
    return sum((w + gap) * (h + gap) for w, h in sizes)


class _Search:
    """Boxes with their gap on the inside of sheets, which is larger by one gap each way and smaller by the margins."""

    def __init__(self, sizes: Sizes, limits: Limits) -> None:
        self.limits = limits
        self.rules = limits.rules
        self.rim = 2 * limits.margin - limits.gap
        self.boxes = [(w + limits.gap, h + limits.gap) for w, h in sizes]
        canonical = sorted(range(len(sizes)), key=lambda index: (self.boxes[index], index))
        self.orders = {name: sorted(canonical, key=lambda i: key(self.boxes[i])) for name, key in ORDERS.items()}
        self.area = sum(w * h for w, h in self.boxes)
        least, per_box = EFFORTS[limits.effort]
        self.budget = least + per_box * len(sizes)
        sides = [(min(box), min(box)) if limits.turn else box for box in self.boxes]
        self.least = Size(max(w for w, _ in sides), max(h for _, h in sides))
        self.longest = max(map(max, self.boxes))
        self.most = Size(*(side - self.rim for side in self.rules.usable))
        self.aspect = self._aspect()
        self.best: tuple[Size, Filled, list[int]] | None = None
        self.tried: list[Tried] = []

    def _aspect(self) -> float | None:
        """The aspect that is asked for, or any, where the longest box alone is longer than that."""
        aspect = self.limits.aspect
        return None if aspect is None or self.longest**2 > aspect * self.area else aspect

    def result(self) -> Arranged | None:
        if self.best is None:
            return None
        size, filled, order = self.best
        margin = self.limits.margin
        places = [Place(0, 0)] * len(order)
        for k, index in enumerate(order):
            places[index] = Place(filled.x[k] + margin, filled.y[k] + margin, filled.turned[k])
        return Arranged(size, tuple(places), tuple(self.tried))

    def attempt(
        self, inside: Size, policy: Policy, order: list[int] | None = None, to_the_end: bool = False
    ) -> Filled | None:
        """One pass, kept if everything found room on the best sheet so far. None if it cannot be.

        A pass that has wasted too much is broken off, unless it is wanted to the end.
        """
        spare = inside.w * inside.h - self.area
        if spare < 0 or inside.w < self.least.w or inside.h < self.least.h:
            return None
        order = order or self.orders[policy.order]
        filled = fill([self.boxes[i] for i in order], *inside, policy, FAR if to_the_end else spare, self.limits.turn)
        self.budget -= 20 + int(filled.placed * (100 + policy.window) / 160)
        fits = not filled.left_over
        size = self._sheet(inside, filled) if fits else Size(inside.w + self.rim, inside.h + self.rim)
        self.tried.append(Tried(size, policy, fits))
        if fits and (self.best is None or _rank(size) < _rank(self.best[0])):
            self.best = size, filled, order
        return filled

    def _sheet(self, inside: Size, filled: Filled) -> Size:
        """The sheet that holds what is in use; where that would be too long for its width, the whole inside."""
        size = self.rules.sheet_size(Size(filled.width + self.rim, filled.height + self.rim))
        if self._is_too_long(size):
            size = self.rules.sheet_size(Size(inside.w + self.rim, inside.h + self.rim))
        return size

    def _is_too_long(self, size: Size) -> bool:
        return self.aspect is not None and max(size) > self.aspect * min(size)

    def among_few(self) -> None:
        """Where only some sizes are allowed: the smallest first, each by every policy, until one holds everything."""
        share = self.budget // 2
        for inside in self._few():
            allowance = self.budget - share
            for number, policy in enumerate(POLICIES):
                if number > 2 and self.budget < allowance:
                    break
                self.attempt(inside, policy)
                if self.best:
                    return

    def _few(self) -> list[Size]:
        if self.rules.exact:
            sizes = [self.rules.exact]
        else:
            sides = [1 << power for power in range(15) if (1 << power) % self.rules.multiple == 0]
            largest = self.rules.usable
            sizes = [Size(w, h) for w in sides for h in sides if w <= largest.w and h <= largest.h]
            sizes = [
                size for size in sizes if not self._is_too_long(size) and (size.w == size.h or not self.rules.square)
            ]
        return [Size(size.w - self.rim, size.h - self.rim) for size in sorted(sizes, key=_rank)]

    def by_widths(self, widths: Sequence[int] | None = None) -> None:
        """Where any size will do: every policy at every width in turn, as long as the effort lasts."""
        widths = widths or self._widths()
        turns = [(policy, width) for policy in POLICIES for width in widths]
        for policy, width in turns:
            if self.budget <= 0 and self.best:
                break
            self._lower(partial(self._inside, width), policy)

    def squares(self) -> None:
        for policy in POLICIES:
            if self.budget <= 0 and self.best:
                break
            self._lower(self._square, policy)

    def _lower(self, inside: Callable[[float], Size | None], policy: Policy) -> None:
        """Aims at less and less: `inside` gives the sheet at a share of the way from the bound to the best so far."""
        while self.best is None:
            for share in (1 / 64, 1 / 32, 1 / 16, 1 / 8, 1 / 4, 1 / 2, 1):
                aim = inside(share)
                if aim:
                    self.attempt(aim, policy)
                if self.best:
                    break
            else:
                return
        again = True
        while again and self.budget > 0:
            again = False
            for share in AIMS:
                before, aim = self.best, inside(share)
                if aim is None:
                    return
                self.attempt(aim, policy)
                if self.best is not before:
                    again = True
                    break

    def _inside(self, width: int, share: float) -> Size | None:
        """An inside of this width that is higher than the bound, and gives a smaller sheet than the best."""
        sheet_width = width + self.rim
        low = max(self.least.h, -(-self.area // width), self.longest if width < self.longest else 0)
        high = self.most.h
        if self.aspect is not None:
            low = max(low, math.ceil(sheet_width / self.aspect) - self.rim)
            high = min(high, int(sheet_width * self.aspect) - self.rim)
        if self.best:
            area = self.best[0].w * self.best[0].h
            high = min(high, (area - 1) // sheet_width - self.rim)
        else:
            high = min(high, 2 * low + self.longest)
        return self._between(low, high, share, lambda height: Size(width, height))

    def _square(self, share: float) -> Size | None:
        low = max(self.longest, math.isqrt(self.area - 1) + 1)
        high = min(self.most)
        high = min(high, self.best[0].w - 1 - self.rim) if self.best else min(high, 2 * low + self.longest)
        return self._between(low, high, share, lambda side: Size(side, side))

    def _between(self, low: int, high: int, share: float, made: Callable[[int], Size]) -> Size | None:
        multiple = self.rules.multiple
        low = -(-(low + self.rim) // multiple) * multiple - self.rim
        high = (high + self.rim) // multiple * multiple - self.rim
        return made(low + int((high - low) / multiple * share) * multiple) if low <= high else None

    def _widths(self) -> list[int]:
        """Widths of the inside to try, those near a square first: as many as the effort allows, even on a log scale."""
        aspect: float = self.aspect or self.area / (self.least.w * self.least.h) + 1
        low = max(self.least.w, math.isqrt(int(self.area / aspect)))
        high = max(low, min(self.most.w, math.isqrt(int(self.area * aspect * 1.1)) + 1))
        count = min(high - low + 1, max(4, min(400, self.budget // (len(self.boxes) * WIDTH_SHARE))))
        steps = (low * (high / low) ** (k / max(1, count - 1)) for k in range(count))
        multiple = self.rules.multiple
        rounded = {-(-(int(width + 0.5) + self.rim) // multiple) * multiple - self.rim for width in steps}
        fitting = [width for width in rounded if self.least.w <= width <= self.most.w]
        middle = math.sqrt(self.area)
        return sorted(fitting, key=lambda width: (abs(math.log(width / middle)), width))

    def by_chance(self, width: int = 0) -> None:
        """With what effort is left: policies and widths at random, and for few boxes a local search with each."""
        chance = random.Random(len(self.boxes))
        widths = [width] if width else self._widths() or [0]
        hopeless = 0
        while self.budget > 0 and hopeless < 3 * len(widths) + 9:
            self.budget -= 20
            policy = Policy(
                chance.choice(list(ORDERS)),
                int(24 * 32 ** chance.random()),
                0.05 * 600 ** chance.random(),
                3 * 10 ** chance.random(),
            )
            width = chance.choice(widths)
            if len(self.boxes) <= FEW:
                found = self._climb(chance, policy, width)
            else:
                aim = self._aim(width, 0.3 + 0.7 * chance.random())
                found = aim is not None and self.attempt(aim, policy) is not None
            hopeless = 0 if found else hopeless + 1

    def _climb(self, chance: random.Random, policy: Policy, width: int) -> bool:
        """Local search over the order of boxes: changes are kept as long as no more area is left out. False if there
        is nothing to aim at."""
        order, left_out, idle = list(self.orders[policy.order]), 2 * self.area, 0
        while self.budget > 0 and idle < PATIENCE:
            aim = self._aim(width, 1)
            if aim is None:
                return left_out < 2 * self.area
            tried = list(order)
            for _ in range(chance.randrange(1, 4) if idle or left_out <= self.area else 0):
                i, j = chance.randrange(len(tried)), chance.randrange(len(tried))
                tried[i], tried[j] = tried[j], tried[i]
            filled = self.attempt(aim, policy, tried, to_the_end=True)
            if filled is None:
                return False
            left = sum(self.boxes[tried[k]][0] * self.boxes[tried[k]][1] for k in filled.left_over)
            idle = 0 if left < left_out else idle + 1
            if left <= left_out:
                order, left_out = tried, left or self.area
        return True

    def _aim(self, width: int, share: float) -> Size | None:
        """A sheet smaller than the best, as the rules allow; where they allow few, the largest while there is none."""
        if self.rules.exact or self.rules.pow2:
            return None if self.best else self._few()[-1]
        if self.rules.square:
            return self._square(share)
        return self._inside(width, share) if width else None


WIDTH_SHARE = 6
"""One width more is tried for each so many boxes of effort that each box has."""

PATIENCE = 60
"""Changes without gain after which a local search begins anew."""

FEW = 150
"""Boxes. Up to so many, their order is worth a local search."""

AIMS = (0.6, 0.85, 1.0)
"""How far from the bound to the best so far the next sheet is, one after the other."""


def _rank(size: Size) -> tuple[int, int, int]:
    return size.w * size.h, max(size), size.w
