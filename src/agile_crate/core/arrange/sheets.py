"""Boxes onto as few sheets as can be found, the frames of one animation on one sheet whenever one can hold them.

First fit decreasing (Johnson, 1973) over animations: the largest first, each to the first sheet on which the tight
arrangement still finds room for it. An animation that no single sheet can hold, and the stills, which belong together
no more than any others, are cut where a sheet is full, found by bisection.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from .tight import Arranged, Limits, Sizes, arrange, bound

CLOSE = 0.999
"""No more than this share of a sheet is ever hoped to be filled, when it is asked whether trying is worth it."""


@dataclass(frozen=True, slots=True)
class Group:
    """Boxes, by index, that belong on one sheet; `loose` ones may be parted anywhere."""

    boxes: tuple[int, ...]
    loose: bool = False


@dataclass(frozen=True, slots=True)
class Filling:
    """One sheet: the boxes on it, by index, and where they lie; and which groups' boxes they are, as (group, box)."""

    boxes: tuple[int, ...]
    arranged: Arranged
    members: frozenset[tuple[int, int]]


def arrange_on_sheets(sizes: Sizes, groups: Sequence[Group], limits: Limits) -> list[Filling]:
    """Sheets that hold all groups. A box that several groups share is on each sheet that one of them is on.

    Every box must fit on a sheet by itself. Cost: that of `tight.arrange` for each sheet, and quick tries before.
    """
    everything = frozenset((g, box) for g, group in enumerate(groups) for box in group.boxes)
    if _worth_trying(sizes, _boxes(everything), limits):
        whole = _filled(sizes, everything, limits)
        if whole:
            return [whole]
    parts = _assigned(sizes, groups, limits)
    parts.sort(key=min)
    return [filling for part in parts if (filling := _filled(sizes, part, limits) or _quick(sizes, part, limits))]


Members = frozenset[tuple[int, int]]


def _boxes(members: Members) -> list[int]:
    return sorted({box for _, box in members})


def _worth_trying(sizes: Sizes, boxes: Sequence[int], limits: Limits) -> bool:
    inside = [side - 2 * limits.margin + limits.gap for side in limits.rules.usable]
    return bound([sizes[box] for box in boxes], limits.gap) <= CLOSE * inside[0] * inside[1] or len(boxes) < 20


def _filled(sizes: Sizes, members: Members, limits: Limits) -> Filling | None:
    boxes = _boxes(members)
    arranged = arrange([sizes[box] for box in boxes], limits)
    return Filling(tuple(boxes), arranged, members) if arranged else None


def _quick(sizes: Sizes, members: Members, limits: Limits) -> Filling | None:
    """Whether these fit on one sheet of any size and shape that the limits allow, with little effort."""
    if not _worth_trying(sizes, _boxes(members), limits):
        return None
    return _filled(sizes, members, replace(limits, effort="quick", aspect=None))


def _assigned(sizes: Sizes, groups: Sequence[Group], limits: Limits) -> list[Members]:
    """Which sheet each group's boxes go to."""

    def area(group: Group) -> int:
        return bound([sizes[box] for box in set(group.boxes)], limits.gap)

    order = sorted(range(len(groups)), key=lambda g: (groups[g].loose, -area(groups[g]), g))
    sheets: list[Members] = []
    for g in order:
        members = frozenset((g, box) for box in groups[g].boxes)
        if not groups[g].loose and _put_whole(sizes, sheets, members, limits):
            continue
        _put_in_parts(sizes, sheets, g, groups[g], limits)
    return sheets


def _put_whole(sizes: Sizes, sheets: list[Members], members: Members, limits: Limits) -> bool:
    for index, sheet in enumerate(sheets):
        if _quick(sizes, sheet | members, limits):
            sheets[index] = sheet | members
            return True
    if _quick(sizes, members, limits):
        sheets.append(members)
        return True
    return False


def _put_in_parts(sizes: Sizes, sheets: list[Members], g: int, group: Group, limits: Limits) -> None:
    waiting = list(group.boxes)
    index = 0 if group.loose else len(sheets)
    while waiting:
        if index == len(sheets):
            sheets.append(frozenset())
        sheet = sheets[index]
        fits, beyond = 0, len(waiting) + 1
        if not sheet:
            fits = 1  # every box fits on a sheet by itself
        while beyond - fits > 1:
            middle = (fits + beyond) // 2
            more = frozenset((g, box) for box in waiting[:middle])
            if _quick(sizes, sheet | more, limits):
                fits = middle
            else:
                beyond = middle
        sheets[index] = sheet | {(g, box) for box in waiting[:fits]}
        waiting = waiting[fits:]
        index += 1
