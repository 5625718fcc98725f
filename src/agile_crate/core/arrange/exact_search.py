"""Exhaustive search: decides if a few boxes fit on a sheet, so that a smallest sheet can be proven.

After Huang and Korf ("Optimal rectangle packing: an absolute placement approach", Journal of Artificial Intelligence
Research 46, 2013): first every box's left edge, the largest boxes first, as long as no column is too full; only then
the top edges, which hardly leave a choice. A branch is given up when more is lost than the sheet has to spare, by two
bounds: columns with little left cannot hold the higher boxes (Korf, "Optimal rectangle packing: initial results",
2003), and the rest of a column is filled by a sum of heights at best. Left edges are sums of widths (the normal
patterns of Herz, 1972); the first box lies in the left half, since a mirrored arrangement is as good.

Compiled by mypyc like `skyline`, in whole numbers only, with the same results where it is not.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from mypy_extensions import i64


class ExactSearch:
    """A search for boxes, the largest first, on one sheet. Afterwards `x`, `y`, `turned` tell where each lies, if all
    fit; `steps` is how many more steps it might have taken: below 0 it ended without an answer."""

    def __init__(self, sizes: list[tuple[int, int]], turn: bool, width: int, height: int, steps: int) -> None:
        self.width: i64 = width
        self.height: i64 = height
        self.steps: i64 = steps
        self.turn: bool = turn
        self.count: i64 = len(sizes)
        self.wide: list[i64] = [w for w, _ in sizes]
        self.high: list[i64] = [h for _, h in sizes]
        self.x: list[i64] = [0] * len(sizes)
        self.y: list[i64] = [0] * len(sizes)
        self.turned: list[bool] = [False] * len(sizes)
        self.down: list[bool] = [False] * len(sizes)  # whether it has its top edge
        self.spare: i64 = width * height - sum(w * h for w, h in sizes)
        self.left: list[i64] = [height] * width  # of each column: the height that no box has taken
        self.level: list[i64] = [0] * width  # of each column: the height that boxes have, from the top
        self.by_height: list[i64] = [0] * (height + 1)
        self.edges: list[bool] = [True] + [False] * width  # which left edges are sums of widths
        self.lost: list[list[i64]] = []  # of each column with so much left: what no sum of heights can fill
        self.small: list[list[i64]] = []  # the area of boxes that are no higher
        found: list[bool] = [True] + [False] * height
        small: list[i64] = [0] * (height + 1)
        self.lost.append(losses(found))
        self.small.append(small)
        for w, h in reversed(sizes):
            small = small[:]
            add_area(small, w if turn and w < h else h, w * h)
            add_length(self.edges, w)
            add_length(found, h)
            if turn:
                add_length(self.edges, h)
                add_length(found, w)
            self.lost.append(losses(found))
            self.small.append(small)
        self.lost.reverse()
        self.small.reverse()

    def bounded(self, first: i64) -> bool:
        """Return True if the columns may still take the boxes from `first` on without losing too much."""
        lost = self.lost[first]
        small = self.small[first]
        left = self.left
        by_height = self.by_height
        rest: i64 = 0
        while rest <= self.height:
            by_height[rest] = 0
            rest += 1
        total: i64 = 0
        column: i64 = 0
        while column < self.width:
            rest = left[column]
            total += lost[rest]
            by_height[rest] += rest
            column += 1
        if total > self.spare:
            return False
        room: i64 = -self.spare
        rest = 1
        while rest <= self.height:
            room += by_height[rest]
            if room > small[rest]:
                return False
            rest += 1
        return True

    def across(self, box: i64) -> bool:
        """Find left edges for the boxes from `box` on, and top edges for all. Return True if they exist."""
        if box == self.count:
            return self.downward(0)
        if self.along(box, self.wide[box], self.high[box]):
            return True
        if self.turn and self.wide[box] != self.high[box] and self.steps >= 0:
            w: i64 = self.wide[box]
            h: i64 = self.high[box]
            self.wide[box] = h
            self.high[box] = w
            self.turned[box] = True
            if self.along(box, h, w):
                return True
            self.wide[box] = w
            self.high[box] = h
            self.turned[box] = False
        return False

    def along(self, box: i64, w: i64, h: i64) -> bool:
        """Try the left edges of one box, in its present orientation."""
        left = self.left
        last: i64 = self.width - w
        x: i64 = 0
        if box == 0:
            last >>= 1
        elif self.wide[box - 1] == w and self.high[box - 1] == h:
            x = self.x[box - 1]  # of equal boxes, the order does not matter
        while x <= last:
            column: i64 = x + w - 1
            while column >= x and left[column] >= h:
                column -= 1
            if column >= x:
                x = column + 1
                continue
            if self.edges[x]:
                self.steps -= 1
                if self.steps < 0:
                    return False
                self.fill(x, w, -h)
                self.x[box] = x
                if self.bounded(box + 1) and self.across(box + 1):
                    return True
                self.fill(x, w, h)
                if self.steps < 0:
                    return False
            x += 1
        return False

    def fill(self, x: i64, w: i64, h: i64) -> None:
        """Raise the left edges of some columns by a height."""
        left = self.left
        column: i64 = x
        while column < x + w:
            left[column] += h
            column += 1

    def downward(self, placed: i64) -> bool:
        """Find top edges for known left edges: the highest free place takes a box that begins at it, or stays empty."""
        if placed == self.count:
            return True
        level = self.level
        lost: list[i64] = []  # columns of which a pixel was given up, one after the other
        found = False
        while self.steps > 0:
            self.steps -= 1
            top: i64 = level[0]
            x: i64 = 0
            column: i64 = 1
            while column < self.width:
                if level[column] < top:
                    top = level[column]
                    x = column
                column += 1
            found = self.beginning_at(x, top, placed)
            if found or self.left[x] == 0:
                break
            self.left[x] -= 1
            level[x] += 1
            lost.append(x)
        else:
            self.steps = -1
        for column in lost:
            self.left[column] += 1
            level[column] -= 1
        return found

    def beginning_at(self, x: i64, top: i64, placed: i64) -> bool:
        """Try the boxes whose left edge is at the highest free place."""
        level = self.level
        box: i64 = 0
        while box < self.count:
            if not self.down[box] and self.x[box] == x:
                end: i64 = x + self.wide[box]
                column: i64 = x
                while column < end and level[column] == top:
                    column += 1
                if column == end:
                    self.down[box] = True
                    self.y[box] = top
                    self.raise_to(x, end, top + self.high[box])
                    if self.downward(placed + 1):
                        return True
                    self.raise_to(x, end, top)
                    self.down[box] = False
            box += 1
        return False

    def raise_to(self, begin: i64, end: i64, top: i64) -> None:
        """Raise the skyline over a span to a level."""
        level = self.level
        while begin < end:
            level[begin] = top
            begin += 1


def add_length(found: list[bool], length: i64) -> None:
    """Add a length to make sums from: `found` marks the numbers that are sums."""
    total: i64 = len(found) - 1
    while total >= length:
        if found[total - length]:
            found[total] = True
        total -= 1


def losses(found: list[bool]) -> list[i64]:
    """Return each number's distance from the largest sum that is not above it."""
    result: list[i64] = []
    above: i64 = 0
    for reached in found:
        above = 0 if reached else above + 1
        result.append(above)
    return result


def add_area(areas: list[i64], height: i64, area: i64) -> None:
    """Add a box to the areas of boxes up to each height."""
    while height < len(areas):
        areas[height] += area
        height += 1


def search_exactly(
    sizes: list[tuple[int, int]], turn: bool, width: int, height: int, steps: int
) -> tuple[bool | None, list[tuple[int, int, bool]], int]:
    """Return True if boxes (width, height), best the largest first, fit on a sheet: True, with left and top edge of
    each and whether it is turned; False, if it is proven that they do not; None after `steps` without an answer. Also
    the steps taken. Cost: a step takes time in proportion to the sheet's width and height; the steps grow
    exponentially."""
    search = ExactSearch(sizes, turn, width, height, steps)
    fits = search.bounded(0) and search.across(0)
    taken = min(steps, steps - search.steps)
    if fits:
        return True, list(zip(search.x, search.y, search.turned, strict=True)), taken
    return (None if search.steps < 0 else False), [], taken
