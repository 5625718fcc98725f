"""The tight arrangement: boxes of any size on as small a sheet as can be found.

A search over sheets and over what a choice is worth. Each pass of `skyline.fill` aims at a sheet smaller than the best
so far, at a width by chance; what it prefers is taken from a few sets of weights that did best over many sets of boxes,
first as they are, then changed by chance, from a fixed seed. Of all that was tried (local search over the favored
kinds, raising the favor of leftover boxes, going back some steps, a beam of states), many passes of this kind found the
smallest sheets for the time: see docs/arrange.md. Few kinds of boxes are also favored by chance in half of the passes,
and few boxes are searched through (`through`), which can prove the result. Effort is counted in work, never in seconds,
so the same boxes give the same sheet on every machine.
"""

from __future__ import annotations

import math
import random
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import NamedTuple

from ..model.geometry import Size
from . import skyline
from .exact_search import search_exactly
from .policies import POLICIES, Policy, policies
from .sheet_size import SheetLimits, SheetRules
from .skyline import UNBOUNDED, Stock, Weights, fill

COMPILED = not skyline.__file__.endswith(".py")
"""True if the placing code was compiled at installation; the results are the same either way."""

Sizes = Sequence[tuple[int, int]]
Laid = list[tuple[tuple[int, int], int, int]]
"""Boxes as they lie: width and height, left and top edge."""


EFFORTS = {"quick": (500, 1_000), "normal": (1_000, 44_000), "deep": (5_000, 5_000_000)}
"""Work limits: per box, and per square root of the number of boxes. Looking at a width is
one, placing a box some more; compiled, 1,000 take about as long as decoding a frame of 64×64."""

NEXT = 0.8
"""This share of the passes aims at the next smaller sheet; the others at any between it and the bound."""


class Place(NamedTuple):
    """A box's place: left and top edge, and a flag if it is turned by 90°."""

    x: int
    y: int
    turned: bool = False


class Tried(NamedTuple):
    """A sheet that was considered: its size, the policy (None: an exhaustive search), and a flag if everything found
    room."""

    size: Size
    policy: Policy | None
    fits: bool


@dataclass(frozen=True, slots=True)
class ArrangedSheet:
    """A sheet with a place for every box, a flag if no smaller sheet can hold them, and the sheets considered on the
    way (the last success is the result)."""

    size: Size
    places: tuple[Place, ...]
    proven: bool = False
    tried: tuple[Tried, ...] = field(default=(), compare=False)


def arrange(sizes: Sizes, limits: SheetLimits) -> ArrangedSheet | None:
    """The smallest sheet found that holds all boxes (width, height; 1 or more pixels each), or None if none was found.

    Boxes keep `gap` between them and `margin` to the edges. The order of `sizes` does not matter for the sheet.
    Cost: as `EFFORTS` says.
    """
    square = replace(limits, aspect=None, rules=limits.rules._replace(square=True))
    if limits.aspect == 1 and not limits.rules.exact:
        limits = square
    if not sizes:
        return ArrangedSheet(limits.rules.sheet_size(Size(2 * limits.margin or 1, 2 * limits.margin or 1)), (), True)
    found = _TightSearch(sizes, limits).result()
    if found is None and limits.aspect is not None:
        as_square = None if limits.rules.exact else arrange(sizes, square)
        if as_square:
            return replace(as_square, proven=False)  # no smaller square: a smaller sheet of another shape may exist
        return arrange(sizes, replace(limits, aspect=None))
    return found


def lowest(sizes: Sizes, width: int, effort: str = "normal") -> int:
    """The least height found for all boxes on a sheet of this width, without gaps."""
    found = _TightSearch(sizes, SheetLimits(SheetRules(Size(width, 1 << 30)), None, effort=effort), width).result()
    assert found is not None, "a strip without end holds everything"
    return found.size.h


def bound(sizes: Sizes, gap: int) -> int:
    """The area of all boxes with their gap. The inside of a sheet, with one gap more each way, cannot be smaller."""
    return sum((w + gap) * (h + gap) for w, h in sizes)


class _TightSearch:
    """Boxes with their gap on the inside of sheets, which is larger by one gap each way and smaller by the margins."""

    def __init__(self, sizes: Sizes, limits: SheetLimits, only_width: int = 0) -> None:
        self.limits = limits
        self.rules = limits.rules
        self.rim = 2 * limits.margin - limits.gap
        self.boxes = [(w + limits.gap, h + limits.gap) for w, h in sizes]
        counts = Counter(map(self._kind, self.boxes))
        self.kinds = sorted(counts)
        self.stock = Stock(self.kinds, [counts[kind] for kind in self.kinds], limits.turn)
        self.area = self.stock.area
        for_each, for_root = EFFORTS[limits.effort]
        self.budget = for_each * len(sizes) + int(for_root * math.sqrt(max(60, len(sizes))))
        sides = [(min(box), min(box)) if limits.turn else box for box in self.kinds]
        self.least = Size(max(w for w, _ in sides), max(h for _, h in sides))
        self.longest = max(map(max, self.kinds))
        self.most = limits.inside
        self.aspect = self._aspect()
        self.chance = random.Random(len(sizes))
        self.best: tuple[Size, Laid] | None = None
        self.proven = False
        self.tried: list[Tried] = []
        if self.rules.exact or self.rules.pow2:
            self._among_few()
        else:
            self._among_all(only_width)

    def _kind(self, box: tuple[int, int]) -> tuple[int, int]:
        return (min(box), max(box)) if self.limits.turn else box

    def _aspect(self) -> float | None:
        """Return the wanted aspect, or any if the longest box alone exceeds it."""
        aspect = self.limits.aspect
        return None if aspect is None or self.longest**2 > aspect * self.area else aspect

    def result(self) -> ArrangedSheet | None:
        """Return the smallest sheet that was found, None if none was."""
        if self.best is None:
            return None
        size, laid = self.best
        waiting: dict[tuple[int, int], list[int]] = {}
        for index in range(len(self.boxes) - 1, -1, -1):
            waiting.setdefault(self._kind(self.boxes[index]), []).append(index)
        places = [Place(0, 0)] * len(self.boxes)
        margin = self.limits.margin
        for box, x, y in laid:
            index = waiting[self._kind(box)].pop()
            places[index] = Place(x + margin, y + margin, box != self.boxes[index])
        return ArrangedSheet(size, tuple(places), self.proven, tuple(self.tried))

    def attempt(self, inside: Size, policy: Policy, favor: list[int] | None = None) -> bool:
        """Make one pass; keep it if everything found room on a smaller sheet than the best so far."""
        spare = min(inside.w * inside.h - self.area, UNBOUNDED)
        filled = fill(self.stock, *inside, spare, Weights(*policy), favor or [])
        self.budget -= AROUND + filled.work
        if filled.left_over:
            self._note(inside, policy, False)
            return False
        stock = self.stock
        laid = [((stock.widths[entry], stock.heights[entry]), x, y) for entry, x, y in filled.placed]
        return self._keep(inside, laid, policy)

    def _note(self, inside: Size, policy: Policy | None, fits: bool) -> None:
        self.tried.append(Tried(Size(inside.w + self.rim, inside.h + self.rim), policy, fits))

    def _keep(self, inside: Size, laid: Laid, policy: Policy | None) -> bool:
        """Size the sheet to the used area, or to the whole inside where that would be too long for its width. Return
        True if it is the smallest so far."""
        right, bottom = (max(box[side] + at[side] for box, *at in laid) for side in (0, 1))
        size = self.rules.sheet_size(Size(right + self.rim, bottom + self.rim))
        if self._is_too_long(size):
            size = self.rules.sheet_size(Size(inside.w + self.rim, inside.h + self.rim))
        self.tried.append(Tried(size, policy, True))
        if self.best and _rank(size) >= _rank(self.best[0]):
            return False
        self.best = size, laid
        return True

    def _is_too_long(self, size: Size) -> bool:
        return self.aspect is not None and max(size) > self.aspect * min(size)

    def _among_few(self) -> None:
        """Try the allowed sizes from the smallest until one holds everything, then the smaller ones again."""
        few = [inside for inside in self._few() if self._may_hold(inside)]
        share = self.budget / max(1, len(few)) / 2
        for number, inside in enumerate(few):
            least = self.budget - share
            for count, (policy, favor) in enumerate(policies(self.chance, len(self.kinds))):
                if self.attempt(inside, policy, favor):
                    self._again(few[:number])
                    return
                if count >= 2 and self.budget < least:
                    break

    def _again(self, smaller: list[Size]) -> None:
        for policy, favor in policies(self.chance, len(self.kinds)):
            self.proven = not smaller
            for number, inside in enumerate(smaller):
                if self.budget > 0 and self.attempt(inside, policy, favor):
                    smaller = smaller[:number]
                    break
            if self.proven or self.budget <= 0:
                return

    def _may_hold(self, inside: Size) -> bool:
        """Return True if the area and the longest boxes leave a hope."""
        return inside.w * inside.h >= self.area and inside.w >= self.least.w and inside.h >= self.least.h

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

    def _among_all(self, only_width: int) -> None:
        """Try a first sheet, then smaller and smaller ones; any size is allowed."""
        only = [only_width] if only_width or self.rules.square else []  # 0 means squares
        self.proven = self._equal_boxes()
        if self.proven:
            return
        self._first(only or self._widths())
        widths = only or self._widths()
        ways = policies(self.chance, len(self.kinds))
        if len(self.boxes) <= SO_FEW and not only_width:
            budget, self.budget = self.budget, self.budget // 4
            widths = self._smaller(widths, ways)
            self.budget += budget - budget // 4
            widths = self._search_through(widths, AS_MUCH * budget)
        self.proven = not self._smaller(widths, ways)

    def _smaller(self, widths: list[int], ways: Iterator[tuple[Policy, list[int]]]) -> list[int]:
        """Run passes, each at a sheet smaller than the best. Return the widths that still have any."""
        daring = DARING
        while self.best and self.budget > 0 and widths:
            width = self.chance.choice(widths)
            heights = self._heights(width)
            if not heights:
                widths = [width for width in widths if self._heights(width)]
                continue
            policy, favor = next(ways)
            bold = daring if self.chance.random() < NEXT else self.chance.random()
            height = heights[int((len(heights) - 1) * (1 - bold))]
            success = self.attempt(self._inside(width, height), policy, favor)
            daring = min(DARING, 1.5 * daring + 0.01) if success else daring * CAUTION
        return widths

    def _search_through(self, widths: list[int], budget: int) -> list[int]:
        """Search all smaller sheets for few boxes, the smallest first, each with more and more steps. Return the widths
        that may still hold a smaller sheet."""
        boxes = sorted(self.boxes, key=lambda box: (-box[0] * box[1], box))
        either_way = self.limits.turn or all(w == h for w, h in boxes)  # as wide as high is as good as the other way
        at_least = len(boxes) * 2 * math.isqrt(self.area) // COLUMNS // (1 + either_way)  # squares have the least sides
        if sum(len(self._heights(width)) for width in widths) * at_least > budget:
            return widths  # too many to even begin with each
        ruled_out: set[Size] = set()
        steps = FIRST_STEPS
        while self.best and budget > 0:
            smaller = {self._inside(width, height) for width in widths for height in self._heights(width)}
            if either_way:  # as far as the rules allow both
                smaller = {size for size in smaller if size.w <= size.h or Size(size.h, size.w) not in smaller}
            undecided = sorted(smaller - ruled_out, key=_rank)
            if not undecided:
                return []
            if sum(len(boxes) * (w + h) // COLUMNS for w, h in undecided) > budget:
                return widths
            for inside in undecided:
                if budget <= 0:
                    return widths
                fits, places, taken = search_exactly(boxes, self.limits.turn, *inside, steps)
                budget -= AROUND + (taken + len(boxes)) * (inside.w + inside.h) // COLUMNS
                if fits:
                    pairs = zip(boxes, places, strict=True)
                    laid = [((h, w) if turned else (w, h), x, y) for (w, h), (x, y, turned) in pairs]
                    self._keep(inside, laid, None)
                    break
                self._note(inside, None, False)
                if fits is False:
                    ruled_out.add(inside)
            steps *= LONGER
        return widths

    def _first(self, widths: list[int]) -> None:
        """Return a first sheet that holds everything, with the least waste allowed."""
        middle = math.sqrt(self.area)
        near = sorted(widths, key=lambda width: (abs(math.log(max(width, 1) / middle)), width))
        for policy in POLICIES:
            for width in near[:: max(1, len(near) // MOST_WIDTHS)]:
                for share in (1 / 64, 1 / 32, 1 / 16, 1 / 8, 1 / 4, 1 / 2, 1):
                    if self.best or self.budget <= 0:
                        return
                    if heights := self._heights(width):
                        self.attempt(self._inside(width, heights[int((len(heights) - 1) * share)]), policy)

    def _equal_boxes(self) -> bool:
        """Boxes of one kind, in rows and columns: the smallest grid. True if it is the best: no arrangement of
        equal boxes that are not turned holds more of them than a grid."""
        (w, h), count = self.kinds[0], self.stock.counts[0]
        if len(self.kinds) > 1 or (self.limits.turn and w != h):
            return False
        most = self.most.w // w, self.most.h // h
        grids = ((columns, -(-count // columns)) for columns in range(1, min(count, most[0]) + 1))
        fitting = [Size(columns * w + self.rim, rows * h + self.rim) for columns, rows in grids if rows <= most[1]]
        smallest = sorted({self.rules.sheet_size(size) for size in fitting}, key=_rank)
        for number, size in enumerate(smallest):
            if not self._is_too_long(size):
                self.attempt(Size(size.w - self.rim, size.h - self.rim), POLICIES[0])
                return self.best is not None and number == 0
        return False

    def _inside(self, width: int, height: int) -> Size:
        return Size(width or height, height)

    def _heights(self, width: int) -> range:
        """Return the inner heights for a width that the rules allow, that reach the bound, and that give a smaller
        sheet than the best so far. Width 0 means squares."""
        return self._sides() if not width else self._of_width(width)

    def _of_width(self, width: int) -> range:
        sheet_width = width + self.rim
        low = max(self.least.h, -(-self.area // width), self.longest if width < self.longest else 0)
        high = self.most.h
        if self.aspect is not None:
            low = max(low, math.ceil(sheet_width / self.aspect) - self.rim)
            high = min(high, int(sheet_width * self.aspect) - self.rim)
        if self.best:
            high = min(high, (self.best[0].w * self.best[0].h - 1) // sheet_width - self.rim)
        else:
            high = min(high, 2 * low + self.longest)
        return self._multiples(low, high)

    def _sides(self) -> range:
        low = max(self.longest, math.isqrt(self.area - 1) + 1)
        high = min(self.most)
        high = min(high, self.best[0].w - 1 - self.rim) if self.best else min(high, 2 * low + self.longest)
        return self._multiples(low, high)

    def _multiples(self, low: int, high: int) -> range:
        multiple = self.rules.multiple
        return range(-(-(low + self.rim) // multiple) * multiple - self.rim, high + 1, multiple)

    def _widths(self) -> list[int]:
        """Return all inner widths that may give a smaller sheet than the best, or one with little waste."""
        area = self.best[0].w * self.best[0].h if self.best else int(1.1 * self.area)
        low, high = self.least.w, area // max(1, self.least.h + self.rim) - self.rim
        if self.aspect is not None:
            low = max(low, math.isqrt(int(self.area / self.aspect)) - max(0, self.rim))
            high = min(high, math.isqrt(int(area * self.aspect)) + 1 - self.rim)
        high = max(low, min(high, self.most.w))
        return [width for width in self._multiples(low, high + self.rules.multiple - 1) if width <= self.most.w]


SO_FEW = 30
"""Boxes. Up to so many, all arrangements on a sheet are searched through."""

AS_MUCH = 3
"""The work of an exhaustive search, as a multiple of the passes' work."""

FIRST_STEPS = 300
"""Steps of the first search through a sheet."""

LONGER = 8
"""The factor by which each further search may take longer."""

COLUMNS = 4
"""So many columns or rows of a sheet, at one step of a search through it, are as much work as looking at a width."""

MOST_WIDTHS = 400
"""So many widths are tried, at most, for a first sheet."""

DARING = 0.5
"""The first target below the best result: half the way to the bound."""

CAUTION = 0.6
"""The factor for the next target after a failed pass."""

AROUND = 20
"""The work around a pass."""


def _rank(size: Size) -> tuple[int, int, int]:
    return size.w * size.h, max(size), size.w
