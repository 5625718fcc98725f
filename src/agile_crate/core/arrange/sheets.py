"""Boxes onto as few sheets as can be found, each as full as can be, the frames of one animation on one sheet whenever
one can hold them.

Each sheet is filled with the animations whose areas together come closest to its own, the largest of them for certain:
the minimum bin slack of Gupta and Ho ("A new heuristic algorithm for the one-dimensional bin-packing problem",
Production Planning & Control 10, 1999), by a table of sums. Where the tight arrangement finds no room for them, a
little less is tried. An animation that no single sheet can hold, and the stills, which belong together no more than any
others, are cut where a sheet is full. The last two sheets share what they hold evenly, if that
costs nothing.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import accumulate

from .sheet_size import SheetLimits
from .tight import ArrangedSheet, Sizes, arrange, bound

FULL = (1.0, 0.995, 0.99, *(share / 100 for share in range(98, 78, -1)), 0.7, 0.5, 0.3, 0.1, 0.0)
"""The shares of a sheet that are hoped to be filled, one after the other; at the last, the largest animation alone, or
one box."""

CLOSE = 0.9985
"""No more than this share of a sheet is ever hoped to be filled, when it is asked whether trying is worth it."""

SCALE = 1000
"""Areas are counted in this many parts of a sheet, to choose animations that fill it."""


@dataclass(frozen=True, slots=True)
class BoxGroup:
    """Boxes, by index, that belong on one sheet; `loose` ones may be parted anywhere."""

    boxes: tuple[int, ...]
    loose: bool = False


@dataclass(frozen=True, slots=True)
class Filling:
    """One sheet: the boxes on it, by index, and where they lie; and which groups' boxes they are, as (group, box)."""

    boxes: tuple[int, ...]
    arranged: ArrangedSheet
    members: frozenset[tuple[int, int]]


Members = frozenset[tuple[int, int]]


def arrange_on_sheets(sizes: Sizes, groups: Sequence[BoxGroup], limits: SheetLimits) -> list[Filling]:
    """Arrange all groups on sheets. A box that several groups share is put on the sheet of each of them.

    Every box must fit on a sheet by itself. Cost: that of `tight.arrange` for each sheet, and a few quick tries before.
    """
    everything = frozenset((g, box) for g, group in enumerate(groups) for box in group.boxes)
    desk = _Desk(sizes, limits)
    if desk.may_fit(everything):
        whole = desk.filled(everything)
        if whole:
            return [whole]
    parts = sorted(desk.assigned(groups), key=min)
    fillings = [filling for part in parts if (filling := desk.filled(part) or desk.fits(part))]
    return desk.balanced(fillings)


class _Desk:
    """Boxes, limits, and the largest sheet that the limits allow."""

    def __init__(self, sizes: Sizes, limits: SheetLimits) -> None:
        self.sizes = sizes
        self.limits = limits
        self.largest = replace(
            limits, rules=limits.rules._replace(exact=limits.rules.usable), aspect=None, effort="quick"
        )
        self.inside = limits.inside

    def area(self, members: Members) -> int:
        """Return the pixels that members cover with their gaps, each box once."""
        return bound([self.sizes[box] for box in _boxes(members)], self.limits.gap)

    def may_fit(self, members: Members) -> bool:
        """Return False if members cover more than a sheet holds."""
        share = self.area(members) / (self.inside.w * self.inside.h)
        return share <= CLOSE or (share <= 1 and len(members) < 20)

    def filled(self, members: Members, limits: SheetLimits | None = None) -> Filling | None:
        """Arrange these boxes on the smallest sheet that is found."""
        boxes = _boxes(members)
        arranged = arrange([self.sizes[box] for box in boxes], limits or self.limits)
        return Filling(tuple(boxes), arranged, members) if arranged else None

    def fits(self, members: Members) -> Filling | None:
        """Arrange these boxes on the largest sheet; None if no quick pass succeeds."""
        return self.filled(members, self.largest) if self.may_fit(members) else None

    def assigned(self, groups: Sequence[BoxGroup]) -> list[Members]:
        """Return the sheet for each group's boxes."""
        whole: dict[int, Members] = {}
        sheets: list[Members] = []
        for g, group in enumerate(groups):
            members = frozenset((g, box) for box in group.boxes)
            if group.loose:
                continue
            if self.fits(members):
                whole[g] = members
            else:
                self._put_in_parts(sheets, [(g, box) for box in group.boxes], len(sheets))
        started = len(sheets)
        while whole:
            sheet = sheets[started - 1] if started else frozenset()
            chosen = self._best_choice(sheet, whole)
            if started:  # what the parted ones have left is filled first
                sheets[started - 1] |= _union(whole[g] for g in chosen)
                started -= 1
            else:
                sheets.append(_union(whole[g] for g in chosen))
            for g in chosen:
                del whole[g]
        self._put_in_parts(
            sheets, [(g, box) for g, group in enumerate(groups) if group.loose for box in group.boxes], 0
        )
        return sheets

    def _best_choice(self, sheet: Members, whole: dict[int, Members]) -> list[int]:
        """The groups that fill the rest of a sheet best; none if none of them fits."""
        tried: list[list[int]] = []
        for share in FULL:
            room = share * self.inside.w * self.inside.h - self.area(sheet)
            chosen = _nearest({g: self.area(members) for g, members in whole.items()}, room, not sheet)
            if chosen in tried:
                continue
            tried.append(chosen)
            if not chosen or self.fits(sheet | _union(whole[g] for g in chosen)):
                return chosen
        return []

    def _put_in_parts(self, sheets: list[Members], waiting: list[tuple[int, int]], first: int) -> None:
        """Put boxes on the sheets from `first` on, as many on each as find room, and the rest on new sheets."""
        index = first
        while waiting:
            if index == len(sheets):
                sheets.append(frozenset())
            placed = self._most(sheets[index], waiting)
            sheets[index] |= placed
            waiting = waiting[len(placed) :]
            index += 1

    def _most(self, sheet: Members, waiting: list[tuple[int, int]]) -> Members:
        """Return the longest run of boxes, from the first on, that a sheet still has room for."""
        areas = list(accumulate(self.area(frozenset({member})) for member in waiting))
        fewest = 0 if sheet else 1  # every box fits on a sheet by itself
        tried = 0
        for share in FULL:
            count = bisect_right(areas, share * self.inside.w * self.inside.h - self.area(sheet))
            some = frozenset(waiting[: max(count, fewest)])
            if not some or len(some) == tried:
                continue
            tried = len(some)
            if tried == fewest or self.fits(sheet | some):
                return some
        return frozenset()

    def balanced(self, fillings: list[Filling]) -> list[Filling]:
        """The same sheets, the last two sharing their groups evenly, unless that would take more pixels."""
        if len(fillings) < 2:
            return fillings
        *others, first, second = fillings
        groups: dict[tuple[int, bool], Members] = {}
        for sheet in (first, second):  # a group on both was parted, and stays so
            for member in sheet.members:
                key = member[0], sheet is second and any(g == member[0] for g, _ in first.members)
                groups[key] = groups.get(key, frozenset()) | {member}
        halves: list[Members] = [frozenset(), frozenset()]
        for members in sorted(groups.values(), key=lambda members: (-self.area(members), min(members))):
            lighter = 0 if self.area(halves[0]) <= self.area(halves[1]) else 1
            halves[lighter] |= members
        if {*halves} == {first.members, second.members} or not all(half and self.may_fit(half) for half in halves):
            return fillings
        even = [filling for half in sorted(halves, key=min) if (filling := self.filled(half))]
        if len(even) < 2 or sum(map(_pixels, even)) > _pixels(first) + _pixels(second):
            return fillings
        return [*others, *even]


def _nearest(areas: dict[int, int], room: float, must: bool) -> list[int]:
    """The groups whose areas together come nearest to `room` from below; with `must` the largest is one of them."""
    ordered = sorted(areas, key=lambda g: (-areas[g], g))
    chosen = ordered[:1] if must else []
    room -= sum(areas[g] for g in chosen)
    if room <= 0:
        return chosen
    parts = {g: -(-areas[g] * SCALE // int(room)) if int(room) else SCALE + 1 for g in ordered if g not in chosen}
    sums = [1]  # bit n: n is a sum of the parts so far
    for part in parts.values():
        sums.append((sums[-1] | sums[-1] << part) & ((2 << SCALE) - 1))
    total = sums[-1].bit_length() - 1
    for g, before in zip(reversed(parts), reversed(sums[:-1]), strict=True):
        if not before >> total & 1:
            chosen.append(g)
            total -= parts[g]
    return sorted(chosen)


def _union(members: object) -> Members:
    return frozenset().union(*members)  # type: ignore[misc]


def _boxes(members: Members) -> list[int]:
    return sorted({box for _, box in members})


def _pixels(filling: Filling) -> int:
    return filling.arranged.size.w * filling.arranged.size.h
