"""Islands that are several figures: which they seem to be, and their parting."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from statistics import median
from typing import NamedTuple

import numpy as np

from ..model.geometry import Box, Offset, Size
from ..pixels import Pixels
from .crumbs import join_crumbs
from .islands import Labels, boxes_of, masses
from .touching import CutSeam, seams

TOO_LARGE = 1.6
"""An island so many times as wide or high as the usual figure may be several."""

ALIKE = 1.5
"""A usual figure is at most so many times as wide and high as the smaller half of figures."""

SOLID = 1 / 24
"""An island has at least this share of the largest one's alpha to be a figure."""

LEAST_KNOWN = 2
"""Figures elsewhere on the sheet that show how large figures are."""

SAME, LONG = 0.35, 1.5
"""If all figures touch, islands differ by no more than this share of their sides, and are so many times as long as
wide."""

MOST_ROUNDS = 4
"""Rounds of parting: figures may touch on all sides."""


class Parted(NamedTuple):
    """Two figures that were parted: their common box, the ends of the seam, and the number of pairs of visible pixels
    that it parts. `across`: the seam runs across, between figures one above the other."""

    box: Box
    begin: Offset
    end: Offset
    crossed: int
    across: bool


class Suspect(NamedTuple):
    """An island that may be several figures.

    figures  their number; 0 if no seam was found
    usual    the usual size of figures, if known
    """

    figures: int
    usual: Size | None


class _Way(NamedTuple):
    """A way to part an island.

    across  the seams run across, between figures one above the other
    known   the sides of other figures along the island; empty if unknown
    usual   the usual size of other figures, if known
    """

    across: bool
    known: tuple[int, ...]
    usual: Size | None


def part_figures(labels: Labels, sheet: Pixels, split: bool) -> tuple[list[Parted], dict[int, Suspect]]:
    """Part the islands that are several figures, in place, if they are to be `split`. Return what was parted, and the
    islands that still seem to be several."""
    parted: list[Parted] = []
    suspects: dict[int, Suspect] = {}
    whole: set[int] = set()
    for _ in range(MOST_ROUNDS):
        boxes, changed = boxes_of(labels), False
        for label, ways in _suspicious(boxes, masses(labels, sheet[..., 3])).items():
            if label in whole:
                continue
            found = _first_seams(labels, sheet, label, boxes[label], ways)
            if found and split:
                parted += _apply(labels, label, boxes[label], *found)
                changed = True
                continue
            whole.add(label)
            if found or _is_beyond(boxes[label], ways[0]):
                suspects[label] = Suspect(len(found[0]) + 1 if found else 0, ways[0].usual)
        if not changed:
            break
        join_crumbs(labels, sheet)
    return parted, suspects


def _suspicious(boxes: Mapping[int, Box], mass: np.ndarray) -> dict[int, list[_Way]]:
    """Return the islands that are too large beside others, or long where all are alike, with the ways to part them."""
    most = max((mass[label] for label in boxes), default=0.0)
    solid = {label: box for label, box in boxes.items() if mass[label] >= SOLID * most}
    if not solid:
        return {}
    half = len(solid) // 2 + 1
    width, height = (median(sorted(side)[:half]) for side in zip(*(box.size for box in solid.values()), strict=True))
    usual = {label: box for label, box in solid.items() if box.w <= ALIKE * width and box.h <= ALIKE * height}
    return {label: ways for label, box in solid.items() if (ways := list(_ways(label, box, usual)))}


def _ways(label: int, box: Box, usual: Mapping[int, Box]) -> Iterator[_Way]:
    others = [other for name, other in usual.items() if name != label]
    if len(others) >= LEAST_KNOWN:
        widths, heights = tuple(other.w for other in others), tuple(other.h for other in others)
        size = Size(int(median(widths)), int(median(heights)))
        sides = ((box.w / size.w, _Way(False, widths, size)), (box.h / size.h, _Way(True, heights, size)))
        large = [(ratio, way) for ratio, way in sides if ratio >= TOO_LARGE]
        if large:
            yield from (way for _, way in sorted(large, key=lambda entry: -entry[0]))
            return
        if not all(_is_alike(box, other) for other in others):
            return
    if max(box.size) >= LONG * min(box.size):
        yield _Way(box.h > box.w, (), None)


def _is_beyond(box: Box, way: _Way) -> bool:
    """Return True if an island is too large beside all other figures, which are alike. Where all islands are alike, a
    long figure without a seam is no reason to worry."""
    side, known = box.h if way.across else box.w, way.known
    return bool(known) and side >= TOO_LARGE * max(known) and max(known) < TOO_LARGE * min(known)


def _is_alike(box: Box, other: Box) -> bool:
    return abs(other.w - box.w) < SAME * box.w and abs(other.h - box.h) < SAME * box.h


def _first_seams(
    labels: Labels, sheet: Pixels, label: int, box: Box, ways: list[_Way]
) -> tuple[list[CutSeam], bool] | None:
    """Return the seams of the first way that finds any, and whether they run across."""
    part = np.s_[box.y : box.bottom, box.x : box.right]
    alpha = np.where(labels[part] == label, sheet[part][..., 3], np.uint8(0))
    for way in ways:
        if found := seams(np.ascontiguousarray(alpha.T) if way.across else alpha, way.known):
            return found, way.across
    return None


def _apply(labels: Labels, label: int, box: Box, found: list[CutSeam], across: bool) -> Iterator[Parted]:
    """Give what lies behind each seam a label of its own; yield what was parted."""
    inside = labels[box.y : box.bottom, box.x : box.right]
    inside = inside.T if across else inside
    own = inside == label
    name = int(labels.max())
    for number, seam in enumerate(found, 1):
        behind = np.arange(inside.shape[1]) >= seam.columns[:, None]
        inside[own & behind] = name + number
        ends = ((int(seam.columns[0]), 0), (int(seam.columns[-1]), len(inside) - 1))
        begin, end = (Offset(box.x + (y if across else x), box.y + (x if across else y)) for x, y in ends)
        yield Parted(box, begin, end, seam.crossed, across)
