"""A tight arrangement in which boxes stay where they were: new and grown ones fill holes, or new space beside.

Free space is kept as the largest empty rectangles, those that lie in no other one (Naamad, Lee and Hsu, "On the
maximum empty rectangle problem", Discrete Applied Mathematics 8, 1984, count them): each box that is put is taken out
of all that it meets. Rectangles narrower or lower than anything that waits are dropped at once, so on a full sheet few
are left. New boxes go, the largest first, where the shorter side left over is least. A sheet grows to the right,
downwards, or both ways, by as little as halving finds.
Cost: for each box one pass over the empty rectangles; about eight times as much for each way to grow.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..model.geometry import Size
from .sheet_size import SheetLimits
from .sheets import BoxGroup, Filling, arrange_on_sheets
from .tight import ArrangedSheet, Place, Sizes

Rects = NDArray[np.int64]
"""Rectangles, one a row: left, top, right, bottom."""

HALVINGS = 8
"""Halvings of the smallest growth in a direction."""

Member = tuple[int, int]
"""A group, and one of its boxes."""


class PinnedBox(NamedTuple):
    """A box's place in the previous build: the sheet, and the place on it."""

    sheet: int
    place: Place


class Stayed(NamedTuple):
    """Sheets, those of before first, in their order; and how many boxes stayed where they were."""

    fillings: list[Filling]
    kept: int


def arrange_pinned(
    sizes: Sizes,
    groups: Sequence[BoxGroup],
    stays: Mapping[Member, PinnedBox],
    before: Sequence[Size],
    limits: SheetLimits,
) -> Stayed:
    """Arrange all groups' boxes on sheets. Groups in `stays` keep their places, where the present limits and gaps
    allow. `before` are the previous sizes of the sheets. Empty sheets are removed.

    A new box goes to its group's sheet if it has room; a whole new group goes to any sheet with room
    for it, or to new ones. Every box must fit on a sheet by itself.
    """
    sheets = [_Sheet(size, sizes, limits) for size in before]
    for g, group in enumerate(groups):
        for box in group.boxes:
            stay = stays.get((g, box))
            if stay and stay.sheet < len(sheets):
                sheets[stay.sheet].stay(g, box, stay.place)
    kept = sum(len(sheet.places) for sheet in sheets)
    waiting = list(_at_home(sheets, groups))
    left: dict[int, list[int]] = {}
    for g, boxes, home in sorted(waiting, key=lambda entry: entry[2] is None):  # those that have a home first
        rest = boxes
        if home is not None:
            rest = sheets[home].put(g, rest)
        for sheet in sorted(sheets, key=lambda sheet: not sheet.places):
            if rest and (groups[g].loose or sheet.has_room(rest)):
                rest = sheet.put(g, rest, whole=not groups[g].loose)
        if rest:
            left[g] = rest
    numbers = list(left)
    fresh = (
        arrange_on_sheets(sizes, [BoxGroup(tuple(left[g]), groups[g].loose) for g in numbers], limits) if left else []
    )
    new = (
        Filling(filling.boxes, filling.arranged, frozenset((numbers[g], box) for g, box in filling.members))
        for filling in fresh
    )
    return Stayed([*(sheet.filling() for sheet in sheets if sheet.places), *new], kept)


def _at_home(sheets: Sequence[_Sheet], groups: Sequence[BoxGroup]) -> Iterator[tuple[int, list[int], int | None]]:
    """Yield each group's boxes that are on no sheet yet, and the sheet that holds most of the group. Boxes that are on
    that sheet for another group need no room of their own."""
    for g, group in enumerate(groups):
        counts = [sum(1 for box in group.boxes if (g, box) in sheet.members) for sheet in sheets]
        most = max(counts, default=0)
        home = counts.index(most) if most else None
        placed = {box for sheet in sheets for member, box in sheet.members if member == g}
        rest = [box for box in group.boxes if box not in placed]
        if home is not None:
            sheets[home].members |= {(g, box) for box in rest if box in sheets[home].places}
            rest = [box for box in rest if box not in sheets[home].places]
        if rest:
            yield g, rest, home


class _Sheet:
    """A sheet that receives more boxes. Boxes with their gap lie in the room inside the margins, one gap larger."""

    def __init__(self, size: Size, sizes: Sizes, limits: SheetLimits) -> None:
        self.sizes = sizes
        self.limits = limits
        self.places: dict[int, Place] = {}
        self.members: set[Member] = set()
        self.taken: Rects = np.empty((0, 4), np.int64)
        rules = limits.rules
        fits = size.w <= rules.usable.w and size.h <= rules.usable.h and rules.sheet_size(size) == size
        self.size = size if fits else None
        self.room = self._room(rules.usable)

    def _room(self, size: Size) -> tuple[int, int, int, int]:
        margin, gap = self.limits.margin, self.limits.gap
        return margin, margin, size.w - margin + gap, size.h - margin + gap

    def _rect(self, box: int, place: Place) -> tuple[int, int, int, int]:
        w, h = self.sizes[box]
        w, h = (h, w) if place.turned else (w, h)
        return place.x, place.y, place.x + w + self.limits.gap, place.y + h + self.limits.gap

    def stay(self, g: int, box: int, place: Place) -> None:
        """Put a box at its previous place, if that is free."""
        if box in self.places:
            self.members.add((g, box))
            return
        left, top, right, bottom = rect = self._rect(box, place)
        x, y, far_right, far_bottom = self.room
        inside = x <= left and y <= top and right <= far_right and bottom <= far_bottom
        if inside and not (place.turned and not self.limits.turn) and not _meeting(self.taken, rect).any():
            self._take(g, box, place)

    def _take(self, g: int, box: int, place: Place) -> None:
        self.places[box] = place
        self.members.add((g, box))
        self.taken = np.vstack((self.taken, [self._rect(box, place)]))

    def has_room(self, boxes: Sequence[int]) -> bool:
        """Return True if the area that is free leaves a hope."""
        gap = self.limits.gap
        free = (self.room[2] - self.room[0]) * (self.room[3] - self.room[1]) - _area(self.taken)
        return sum((self.sizes[b][0] + gap) * (self.sizes[b][1] + gap) for b in boxes) <= free

    def put(self, g: int, boxes: Sequence[int], whole: bool = False) -> list[int]:
        """Put boxes into holes or new space; return those that found no room. With `whole`: all or none."""
        rest = [box for box in boxes if box not in self.places]
        here = set(boxes) - set(rest)
        free = _free(self.room, self.taken, self._least(rest))
        best: tuple[Size, dict[int, Place]] | None = None
        for size in self._sizes(free, rest):
            found = self._tried(free, rest, size)
            if len(found) == len(rest):
                best = size, found
                break
        if best is None:
            if whole:
                return list(boxes)
            best = self.limits.rules.usable, self._tried(free, rest, self.limits.rules.usable)
        self.members |= {(g, box) for box in here}
        for box, place in best[1].items():
            self._take(g, box, place)
        return [box for box in rest if box not in self.places]

    def _least(self, boxes: Sequence[int]) -> Size:
        """Return what no hole may be smaller than."""
        gap = self.limits.gap
        sides = [(self.sizes[box][0] + gap, self.sizes[box][1] + gap) for box in boxes]
        if self.limits.turn:
            side = min((min(pair) for pair in sides), default=1)
            return Size(side, side)
        return Size(min((w for w, _ in sides), default=1), min((h for _, h in sides), default=1))

    def _sizes(self, free: Rects, boxes: Sequence[int]) -> list[Size]:
        """Yield small sizes of the sheet at which all boxes find room, the smallest first."""
        rules, now = self.limits.rules, self._now()
        if len(self._tried(free, boxes, now)) == len(boxes):
            return [now]
        grown = [self._least_growth(free, boxes, now, *way) for way in ((False, True), (True, False), (True, True))]
        found = [size for size in grown if size]
        aspect = self.limits.aspect

        def rank(size: Size) -> tuple[bool, int, int]:
            return aspect is not None and max(size) > aspect * min(size), size.w * size.h, max(size)

        return sorted({rules.sheet_size(size) for size in found}, key=rank)

    def _least_growth(self, free: Rects, boxes: Sequence[int], now: Size, across: bool, down: bool) -> Size | None:
        """Return the size at which all boxes find room when the sheet grows in one direction, by doubling and then
        halving."""
        usable = self.limits.rules.usable
        most = max((usable.w - now.w) * across, (usable.h - now.h) * down)

        def grown(by: int) -> Size:
            w, h = min(usable.w, now.w + by * across), min(usable.h, now.h + by * down)
            size = self.limits.rules.sheet_size(Size(w, h))
            return size if size.w <= usable.w and size.h <= usable.h else usable

        def fits(by: int) -> bool:
            return len(self._tried(free, boxes, grown(by))) == len(boxes)

        low, high = 0, min(most, 8)
        while high < most and not fits(high):
            low, high = high, min(most, 2 * high)
        if not high or not fits(high):
            return None
        for _ in range(HALVINGS):
            middle = (low + high) // 2
            low, high = (low, middle) if fits(middle) else (middle, high)
        return grown(high)

    def _now(self) -> Size:
        """Return the previous size, or the size that the boxes need if the present rules forbid it."""
        if self.size:
            return self.size
        right, bottom = (int(self.taken[:, side].max(initial=0)) for side in (2, 3))
        beyond = self.limits.margin - self.limits.gap
        content = Size(max(1, right + beyond, 2 * self.limits.margin), max(1, bottom + beyond, 2 * self.limits.margin))
        return self.limits.rules.sheet_size(content)

    def _tried(self, free: Rects, boxes: Sequence[int], size: Size) -> dict[int, Place]:
        """Place all boxes that find room on a sheet of this size, the largest first."""
        room = self._room(size)
        least = self._least(boxes)
        free = _large(np.column_stack((free[:, :2], np.minimum(free[:, 2:], room[2:]))), least)
        found: dict[int, Place] = {}
        for box in sorted(boxes, key=lambda box: (-self.sizes[box][0] * self.sizes[box][1], box)):
            place = self._best(free, box)
            if place is not None:
                found[box] = place
                free = _without(free, self._rect(box, place), least)
        return found

    def _best(self, free: Rects, box: int) -> Place | None:
        """Return the hole with the shortest remaining side, and its top left."""
        best: tuple[int, int, int, Place] | None = None
        gap = self.limits.gap
        for turned in (False, True) if self.limits.turn and self.sizes[box][0] != self.sizes[box][1] else (False,):
            w, h = self.sizes[box][::-1] if turned else self.sizes[box]
            over = np.stack((free[:, 2] - free[:, 0] - w - gap, free[:, 3] - free[:, 1] - h - gap), axis=1)
            short, long = over.min(axis=1, initial=1 << 40), over.max(axis=1, initial=-1)
            fitting = np.flatnonzero(short >= 0)
            if len(fitting):
                one = int(min(fitting, key=lambda i: (short[i], long[i], free[i, 1], free[i, 0])))
                rank = int(short[one]), int(long[one]), int(turned), Place(int(free[one, 0]), int(free[one, 1]), turned)
                best = rank if best is None else min(best, rank)
        return best[3] if best else None

    def filling(self) -> Filling:
        """Return what lies on the sheet."""
        boxes = tuple(sorted(self.places))
        used = self._now() if self.size is None else self._needed()
        return Filling(boxes, ArrangedSheet(used, tuple(self.places[box] for box in boxes)), frozenset(self.members))

    def _needed(self) -> Size:
        """Return the previous size, or a larger one if boxes reach beyond it."""
        assert self.size is not None
        beyond = self.limits.margin - self.limits.gap
        right, bottom = (int(self.taken[:, side].max(initial=0)) + beyond for side in (2, 3))
        return self.limits.rules.sheet_size(Size(max(self.size.w, right), max(self.size.h, bottom)))


def _meeting(rects: Rects, rect: tuple[int, int, int, int]) -> NDArray[np.bool_]:
    """Return a mask of the rectangles that share a pixel with this one."""
    left, top, right, bottom = rect
    found: NDArray[np.bool_] = (
        (rects[:, 0] < right) & (left < rects[:, 2]) & (rects[:, 1] < bottom) & (top < rects[:, 3])
    )
    return found


def _area(rects: Rects) -> int:
    return int(((rects[:, 2] - rects[:, 0]) * (rects[:, 3] - rects[:, 1])).sum())


def _free(room: tuple[int, int, int, int], taken: Rects, least: Size) -> Rects:
    """Return the largest empty rectangles of a room that are at least as wide and high as the least."""
    free = _large(np.array([room], np.int64), least)
    for rect in taken:
        free = _without(free, tuple(map(int, rect)), least)
    return free


def _without(free: Rects, rect: tuple[int, ...], least: Size) -> Rects:
    """Return what remains of empty rectangles when one is taken out of them."""
    left, top, right, bottom = rect
    met = _meeting(free, (left, top, right, bottom))
    if not met.any():
        return free
    cut, rest = free[met], free[~met]
    parts = []
    for side, value in ((2, left), (3, top), (0, right), (1, bottom)):
        part = cut.copy()
        part[:, side] = np.minimum(part[:, side], value) if side >= 2 else np.maximum(part[:, side], value)
        parts.append(part)
    new = np.unique(_large(np.vstack(parts), least), axis=0)
    within = _inside(new, new)
    np.fill_diagonal(within, False)
    alone = new[~(within.any(axis=1) | _inside(new, rest).any(axis=1))]
    return np.vstack((rest, alone))


def _inside(rects: Rects, others: Rects) -> NDArray[np.bool_]:
    """Return a matrix: True where a rectangle (its row) lies in another (its column)."""
    found: NDArray[np.bool_] = (
        (others[:, 0] <= rects[:, :1])
        & (others[:, 1] <= rects[:, 1:2])
        & (others[:, 2] >= rects[:, 2:3])
        & (others[:, 3] >= rects[:, 3:])
    )
    return found


def _large(rects: Rects, least: Size) -> Rects:
    return rects[(rects[:, 2] - rects[:, 0] >= least.w) & (rects[:, 3] - rects[:, 1] >= least.h)]
