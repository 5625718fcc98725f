"""A bare sheet that somebody else made, cut into pictures: by cells, or by islands of visible pixels."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError, UsageError
from ..model.geometry import Box, Cells, Size
from ..pixels import Pixels
from ..sentence import Sentence, setting
from ..text import counted, measured

TOO_WIDE, ALIKE = 1.6, 0.25
"""An island so many times as wide as the others of its row, if most are alike to this share, may be two figures."""

CRUMB = 1 / 16
"""An island of less than this share of the largest one's area is a loose part rather than a figure."""


MOST_ISLANDS = 10_000
"""More are dots, and no figures."""


@dataclass(frozen=True, slots=True, eq=False)
class Cutting:
    """Pictures cut from a sheet in reading order, how many lie in each row, and what is doubtful about the cut."""

    pictures: tuple[Pixels, ...]
    rows: tuple[int, ...]
    doubts: tuple[Sentence, ...] = ()


def cells_of(
    size: Size, cell: Size | None, columns: int, rows: int, margin: int, gap: int
) -> tuple[Cells, list[Sentence]]:
    """The cells of a bare sheet, from their size or from their number, and what does not come out even.

    Raises UsageError when not one cell fits, or when the columns and rows asked for do not divide the sheet.
    """
    doubts: list[Sentence] = []
    if cell is None:
        sides = [
            (side - 2 * margin - (count - 1) * gap) / count for side, count in zip(size, (columns, rows), strict=True)
        ]
        if any(side < 1 or side != int(side) for side in sides):
            raise UsageError(
                f"{columns} × {rows} cells do not divide a sheet of {measured(size)} with margin {margin} "
                f"and gap {gap}: a cell would be {sides[0]:g} × {sides[1]:g} pixels"
            )
        return Cells(Size(int(sides[0]), int(sides[1])), columns, rows, margin, gap), doubts
    counts = [(side - 2 * margin + gap) // (length + gap) for side, length in zip(size, cell, strict=True)]
    if min(counts) < 1:
        raise UsageError(f"a cell of {measured(cell)} is larger than the sheet, {measured(size)}")
    cells = Cells(cell, counts[0], counts[1], margin, gap)
    left = Size(size.w - cells.extent.w, size.h - cells.extent.h)
    for number, word in ((left.w, "at the right"), (left.h, "at the bottom")):
        if number:
            doubts.append(
                Sentence(
                    f"{counted(number, 'pixel')} {word} are left over: {measured(cell)} cells may be the wrong size"
                )
            )
    return cells, doubts


def cut_cells(sheet: Pixels, cells: Cells, keep_empty: bool) -> Cutting:
    """The cells of a sheet, row by row, as views. Cells in which nothing is visible are left out unless asked for."""
    pictures: list[Pixels] = []
    rows: list[int] = []
    for row in range(cells.rows):
        before = len(pictures)
        for column in range(cells.columns):
            box = cells.box(row * cells.columns + column)
            picture = sheet[box.y : box.bottom, box.x : box.right]
            if keep_empty or picture[..., 3].any():
                pictures.append(picture)
        rows.append(len(pictures) - before)
    return Cutting(tuple(pictures), tuple(rows))


def cut_islands(sheet: Pixels, join: int) -> Cutting:
    """The islands of a sheet: visible pixels that touch, corners included, or lie less than `join` pixels apart.

    Each picture is an island's box, a new array with that island's pixels alone. Reading order: an island belongs to a
    row if it overlaps it vertically by half of its height; rows go down, islands within a row go right.
    Cost: connected components by SciPy, linear in the pixels.
    """
    from scipy import ndimage

    visible = sheet[..., 3] > 0
    grown = ndimage.maximum_filter(visible, size=join) if join > 1 else visible
    labels, count = ndimage.label(grown, structure=np.ones((3, 3)))
    if count > MOST_ISLANDS:
        raise InputError(
            f"the sheet has {count:,} islands, and {MOST_ISLANDS:,} are the most: it is dotted, not drawn on nothing; "
            f"cut it by {setting('cell')}, or join its dots with {setting('join')}"
        )
    labels[~visible] = 0
    found = [
        (label, Box(x.start, y.start, x.stop - x.start, y.stop - y.start))
        for label, (y, x) in enumerate((slices or (slice(0), slice(0)) for slices in ndimage.find_objects(labels)), 1)
        if x.stop
    ]
    rows = _in_rows(found)
    if not rows:
        return Cutting((), ())
    pictures = tuple(_island(sheet, labels, label, box) for row in rows for label, box in row)
    return Cutting(pictures, tuple(map(len, rows)), (*_crumbs(rows), *_touching(rows)))


def _island(sheet: Pixels, labels: NDArray[np.int32], label: int, box: Box) -> Pixels:
    part = np.s_[box.y : box.bottom, box.x : box.right]
    return np.where((labels[part] == label)[..., None], sheet[part], np.uint8(0))


def _in_rows(islands: Sequence[tuple[int, Box]]) -> list[list[tuple[int, Box]]]:
    rows: list[list[tuple[int, Box]]] = []
    bottom = 0
    for label, box in sorted(islands, key=lambda island: (island[1].y, island[1].x)):
        if rows and bottom - box.y >= box.h / 2:
            rows[-1].append((label, box))
            bottom = max(bottom, box.bottom)
        else:
            rows.append([(label, box)])
            bottom = box.bottom
    return [sorted(row, key=lambda island: (island[1].x, island[1].y)) for row in rows]


def _crumbs(rows: Sequence[Sequence[tuple[int, Box]]]) -> list[Sentence]:
    areas = [box.w * box.h for row in rows for _, box in row]
    crumbs = sum(area < CRUMB * max(areas) for area in areas)
    if not crumbs:
        return []
    told = f"{counted(crumbs, 'island')} of {len(areas):,} are crumbs beside the largest: "
    return [Sentence(f"{told}{setting('join', 'N')} joins loose parts")]


def _touching(rows: Sequence[Sequence[tuple[int, Box]]]) -> list[Sentence]:
    doubts: list[Sentence] = []
    number = 0
    for row in rows:
        usual = median(box.w for _, box in row)
        alike = sum(abs(box.w - usual) <= ALIKE * usual for _, box in row)
        for _, box in row:
            number += 1
            if len(row) > 2 and 3 * alike >= 2 * (len(row) - 1) and box.w >= TOO_WIDE * usual:
                doubts.append(
                    Sentence(
                        f"island {number} at {box.x},{box.y} is {box.w} pixels wide where its row has {usual:g}: "
                        "two figures may touch there; part them, or cut by cells"
                    )
                )
    return doubts
