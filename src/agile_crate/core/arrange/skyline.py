"""Rectangles onto one sheet of a known size by a skyline: the outline of what has been placed, filled from below.

Best fit after Burke, Kendall and Whitwell ("A new placement heuristic for the orthogonal stock-cutting problem",
Operations Research 52, 2004): always the lowest niche is filled. The choice of the box is scored in the spirit of
Leung, Zhang and Sim ("A two-stage intelligent search algorithm for the two-dimensional strip packing problem", European
Journal of Operational Research 215, 2011): boxes that fill the niche's width, or end level with a neighbor, come
first. Our own departures: boxes lie by width, each width's heights sorted, and every width that fits is looked at,
widest first, until none can win any more; the sheet's height is known beforehand, and a box that ends level with it
counts as level too; a box that leaves room for just the width of another is worth something; a pass ends as soon as
more is wasted than the sheet has to spare.

This module is compiled by mypyc where a wheel is built with a compiler at hand, and runs as it is elsewhere, with the
same results: it reckons in whole numbers only. `i64` is a plain int to Python.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from mypy_extensions import i64

UNBOUNDED = 1 << 29
"""Farther than any sheet is high."""

SHARE = 1000
"""The score for width of a box as wide as its niche."""


class Stock:
    """Boxes to place, equal ones once. A kind that may lie turned stands under both its widths.

    Entries are sorted by width, then height: `widths`, `heights`, `kinds` say what each is; the entries of the k-th
    distinct width, `columns[k]`, begin at `begins[k]`. `counts` has the number of each kind.
    """

    def __init__(self, sizes: list[tuple[int, int]], counts: list[int], turn: bool) -> None:
        found: list[tuple[int, int, int]] = []
        for kind, (w, h) in enumerate(sizes):
            found.append((w, h, kind))
            if turn and w != h:
                found.append((h, w, kind))
        found.sort()
        self.widths: list[int] = [w for w, _, _ in found]
        self.heights: list[int] = [h for _, h, _ in found]
        self.kinds: list[int] = [kind for _, _, kind in found]
        self.counts: list[int] = counts
        self.columns: list[int] = sorted(set(self.widths))
        self.begins: list[int] = [
            index for index, w in enumerate(self.widths) if not index or w != self.widths[index - 1]
        ]
        self.tallest: int = max(self.heights)
        self.turn: bool = turn
        self.area: int = sum(w * h * count for (w, h), count in zip(sizes, counts, strict=True))


class Weights:
    """Scores of a choice, besides 0 to 1000 for its share of the niche's width. `exact`: filling the width; `level`:
    ending level with a neighbor or the sheet's top; `tall`: each pixel of height; `sliver`: leaving less than the
    narrowest box (a loss); `pair`: leaving just the width of another box."""

    def __init__(self, exact: int, level: int, tall: int, sliver: int, pair: int) -> None:
        self.exact: i64 = exact
        self.level: i64 = level
        self.tall: i64 = tall
        self.sliver: i64 = sliver
        self.pair: i64 = pair


class Filled:
    """A pass's result. `placed`: entry, left and top edge of each box, in order; `left_over`: the area of what found no
    place; `work`: boxes placed and widths looked at."""

    def __init__(self, placed: list[tuple[int, int, int]], left_over: int, work: int) -> None:
        self.placed: list[tuple[int, int, int]] = placed
        self.left_over: int = left_over
        self.work: int = work


class Skyline:
    """Steps from left to right: where each begins, how high it is (from the sheet's top, in pixels), how wide."""

    def __init__(self, width: i64) -> None:
        self.left: list[i64] = [0]
        self.level: list[i64] = [0]
        self.span: list[i64] = [width]

    def lowest(self) -> i64:
        """The lowest step, the leftmost of several."""
        level = self.level
        lowest: i64 = 0
        low: i64 = level[0]
        step: i64 = 1
        while step < len(level):
            here: i64 = level[step]
            if here < low:
                low = here
                lowest = step
            step += 1
        return lowest

    def before(self, step: i64) -> i64:
        """Return how much higher the step before is; far where the sheet's edge is."""
        return self.level[step - 1] - self.level[step] if step > 0 else UNBOUNDED

    def after(self, step: i64) -> i64:
        """Return how much higher the next step is; far where the sheet's edge is."""
        return self.level[step + 1] - self.level[step] if step + 1 < len(self.level) else UNBOUNDED

    def remove(self, step: i64) -> None:
        """Remove a step."""
        del self.left[step]
        del self.level[step]
        del self.span[step]

    def give_up(self, step: i64) -> None:
        """Give up a niche that no box fits: it joins its lower neighbor."""
        before = self.before(step)
        after = self.after(step)
        if before <= after:
            self.span[step - 1] += self.span[step]
            self.remove(step)
            if before == after:
                self.span[step - 1] += self.span[step]
                self.remove(step)
        else:
            self.left[step + 1] = self.left[step]
            self.span[step + 1] += self.span[step]
            self.remove(step)

    def put(self, step: i64, w: i64, h: i64) -> i64:
        """Put a box into a niche, next to the neighbor that it ends level with, or else the higher one; join steps of
        one height. Return the box's left edge."""
        before = self.before(step)
        after = self.after(step)
        low: i64 = self.level[step]
        rest: i64 = self.span[step] - w
        x: i64 = self.left[step]
        if rest == 0:
            self.level[step] = low + h
        elif h == before or (h != after and before >= after):
            self.left.insert(step + 1, x + w)
            self.level.insert(step + 1, low)
            self.span.insert(step + 1, rest)
            self.level[step] = low + h
            self.span[step] = w
        else:
            x += rest
            step += 1
            self.left.insert(step, x)
            self.level.insert(step, low + h)
            self.span.insert(step, w)
            self.span[step - 1] = rest
        if self.after(step) == 0:
            self.span[step] += self.span[step + 1]
            self.remove(step + 1)
        if self.before(step) == 0:
            self.span[step - 1] += self.span[step]
            self.remove(step)
        return x


class Shelf:
    """The boxes left during a pass, by width."""

    def __init__(self, stock: Stock) -> None:
        self.widths: list[i64] = stock.widths
        self.heights: list[i64] = stock.heights
        self.kinds: list[i64] = stock.kinds
        self.columns: list[i64] = stock.columns
        self.begins: list[i64] = stock.begins
        self.count: list[i64] = stock.counts[:]
        self.ends: list[i64] = stock.begins[1:]  # one past the tallest that is left, of each width
        self.ends.append(len(stock.widths))
        self.lower: list[i64] = list(range(-1, len(stock.columns) - 1))  # the next narrower width with something left
        self.narrowest: i64 = 0  # the narrowest width that has something left
        self.of_width: list[i64] = [0] * (stock.columns[len(stock.columns) - 1] + 1)  # how many entries are left
        entry: i64 = 0
        while entry < len(self.widths):
            self.of_width[self.widths[entry]] += self.count[self.kinds[entry]]
            entry += 1
        self.tallest: i64 = stock.tallest
        self.turn: bool = stock.turn
        self.looked: i64 = 0
        # Of the niche that is looked at: its walls and its room, and what scores most so far.
        self.room: i64 = 0
        self.before: i64 = 0
        self.after: i64 = 0
        self.tall: i64 = 0
        self.level: i64 = 0
        self.most: i64 = -UNBOUNDED
        self.chosen: i64 = -1

    def trimmed(self, column: i64) -> i64:
        """Return the end of a width's remaining entries; the width's start if none remain."""
        end: i64 = self.ends[column]
        begin: i64 = self.begins[column]
        while end > begin and self.count[self.kinds[end - 1]] == 0:
            end -= 1
        self.ends[column] = end
        return end

    def least_width(self) -> i64:
        """The narrowest width of the remaining boxes, of which at least one must be left."""
        while self.trimmed(self.narrowest) == self.begins[self.narrowest]:
            self.narrowest += 1
        return self.columns[self.narrowest]

    def at_most(self, numbers: list[i64], begin: i64, end: i64, most: i64) -> i64:
        """The last index of a sorted part that is not above `most`, or the index before the part."""
        low: i64 = begin - 1
        while end - low > 1:
            middle: i64 = (low + end) >> 1
            if numbers[middle] <= most:
                low = middle
            else:
                end = middle
        return low

    def take(self, entry: i64) -> None:
        """Take one box of an entry off the shelf."""
        w: i64 = self.widths[entry]
        h: i64 = self.heights[entry]
        self.count[self.kinds[entry]] -= 1
        self.of_width[w] -= 1
        if self.turn and w != h:
            self.of_width[h] -= 1

    def best(self, niche: i64, room: i64, before: i64, after: i64, weights: Weights, favor: list[i64]) -> i64:
        """Return the entry that scores most in a niche `niche` wide, under the sheet's top by `room`; -1 if none fits.
        Of equals it is the widest and tallest."""
        least = self.least_width()
        if least > niche:
            return -1
        columns = self.columns
        lower = self.lower
        of_width = self.of_width
        column = self.at_most(columns, self.narrowest, len(columns), niche)
        self.room, self.before, self.after = room, before, after
        self.tall, self.level = weights.tall, weights.level
        self.most, self.chosen = -UNBOUNDED, -1
        above: i64 = -1
        beyond: i64 = (room if room < self.tallest else self.tallest) * self.tall + self.level + weights.pair
        if len(favor):
            beyond += FAVOR
        while column >= self.narrowest:
            w: i64 = columns[column]
            below: i64 = lower[column]
            begin: i64 = self.begins[column]
            end: i64 = self.ends[column]
            if self.count[self.kinds[end - 1]] == 0:
                end = self.trimmed(column)
            if end == begin:  # nothing of this width is left: it is skipped from now on
                if above >= 0:
                    lower[above] = below
                column = below
                continue
            score: i64 = SHARE * w // niche
            if w == niche:
                score += weights.exact
            else:
                if score + beyond <= self.most:
                    break
                rest = niche - w
                if rest < least:
                    score -= weights.sliver
                elif rest < len(of_width) and of_width[rest] > (1 if rest == w else 0):
                    score += weights.pair
            self.looked += 1
            entry: i64 = end - 1
            if self.heights[entry] > room:
                entry = self.at_most(self.heights, begin, end, room)
            if len(favor):
                self.look_at_all(begin, entry, score, favor)
            elif score + self.tall * self.heights[entry] + self.level > self.most:  # else none here can win
                self.look_at_tallest(begin, entry, score)
            above = column
            column = below
        return self.chosen

    def look_at_all(self, begin: i64, entry: i64, score: i64, favor: list[i64]) -> None:
        """Compare every entry of a width, down from `entry`: any kind may be favored."""
        heights, kinds, count = self.heights, self.kinds, self.count
        room, before, after = self.room, self.before, self.after
        while entry >= begin:
            kind: i64 = kinds[entry]
            if count[kind] > 0:
                h: i64 = heights[entry]
                value: i64 = score + self.tall * h + favor[kind]
                if h in (before, after, room):
                    value += self.level
                if value > self.most:
                    self.most = value
                    self.chosen = entry
                self.looked += 1
            entry -= 1

    def look_at_tallest(self, begin: i64, entry: i64, score: i64) -> None:
        """Compare the tallest entry of a width, down from `entry`, and those that end level with a neighbor: no other
        can score more."""
        heights, kinds, count = self.heights, self.kinds, self.count
        before, after = self.before, self.after
        while entry >= begin and count[kinds[entry]] == 0:
            entry -= 1
        if entry < begin:
            return
        h: i64 = heights[entry]
        value: i64 = score + self.tall * h
        if h in (before, after, self.room):
            value += self.level
        if value > self.most:
            self.most = value
            self.chosen = entry
        wall = before
        while True:
            value = score + self.tall * wall + self.level
            if wall < h and value > self.most:
                found = self.at_most(heights, begin, entry, wall)
                if found >= begin and heights[found] == wall and count[kinds[found]] > 0:
                    self.most = value
                    self.chosen = found
            if wall == after:
                break
            wall = after


FAVOR = 1000
"""The most that a kind may be favored."""


def fill(stock: Stock, width: int, height: int, spare: int, weights: Weights, favor: list[int]) -> Filled:
    """Place boxes on a sheet of `width` × `height`; give up once more than `spare` pixels are wasted.

    `favor` gives each kind up to 1000 of its own that it scores more; empty for none. Ties go to the widest, then the
    tallest, and to the leftmost niche, so the result hangs on nothing but the arguments.
    Cost: for each box the widths that could still win, each with up to three binary searches, and the skyline's steps.
    """
    shelf = Shelf(stock)
    skyline = Skyline(width)
    score_of: list[i64] = favor
    placed: list[tuple[int, int, int]] = []
    top: i64 = height
    left_over: i64 = stock.area
    waste: i64 = spare
    while left_over > 0:
        step = skyline.lowest()
        low: i64 = skyline.level[step]
        before = skyline.before(step)
        after = skyline.after(step)
        niche: i64 = skyline.span[step]
        entry = shelf.best(niche, top - low, before, after, weights, score_of)
        if entry < 0:
            wall = before if before < after else after
            if wall >= UNBOUNDED:
                break
            waste -= niche * wall
            if waste < 0:
                break
            skyline.give_up(step)
            continue
        w: i64 = shelf.widths[entry]
        h: i64 = shelf.heights[entry]
        shelf.take(entry)
        left_over -= w * h
        placed.append((entry, skyline.put(step, w, h), low))
    return Filled(placed, left_over, shelf.looked + PLACING * len(placed))


PLACING = 8
"""The work of placing a box, in looks at a width."""
