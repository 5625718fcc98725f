"""Cut a sheet without metadata into pictures: by cells, or by islands of visible pixels."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError, UsageError
from ..frame.visible import box_of, cut_out
from ..limits import Limits, raise_hint
from ..message import Message, message
from ..model.geometry import Box, Cells, Offset, Size
from ..pixels import Pixels
from ..text import counted, measured

TOO_WIDE, ALIKE = 1.6, 0.25
"""An island so many times as wide as the others of its row, if most are alike to this share, may be two figures."""

CRUMB = 1 / 16
"""An island of less than this share of the largest one's area is a loose part rather than a figure."""


MOST_OVERLAPS = 5
"""The most overlapping boxes that are reported."""


@dataclass(frozen=True, slots=True, eq=False)
class Cutting:
    """Pictures cut from a sheet in reading order, where each lay, how many lie in each row, what was parted, and what
    is doubtful about the cut."""

    pictures: tuple[Pixels, ...]
    boxes: tuple[Box, ...]
    rows: tuple[int, ...]
    parted: tuple[Parted, ...] = ()
    warnings: tuple[Message, ...] = ()


class Parted(NamedTuple):
    """Two figures that were parted: their common box, the ends of the seam, and the number of pairs of visible pixels
    that it parts. `across`: the seam runs across, between figures one above the other."""

    box: Box
    begin: Offset
    end: Offset
    crossed: int
    across: bool


def opaque(sheet: Pixels) -> bool:
    """Return True if nothing of a sheet is transparent, so that nothing tells figures from their background."""
    return bool((sheet[..., 3] == 255).all())


def cells_of(
    size: Size, cell: Size | None, columns: int, rows: int, margin: int, gap: int
) -> tuple[Cells, list[Message]]:
    """Return the cells of a bare sheet, from their size or number, and a warning of pixels left over.

    Raises UsageError when not one cell fits, or when the columns and rows asked for do not divide the sheet.
    """
    warnings: list[Message] = []
    if cell is None:
        sides = [
            (side - 2 * margin - (count - 1) * gap) / count for side, count in zip(size, (columns, rows), strict=True)
        ]
        if any(side < 1 or side != int(side) for side in sides):
            raise UsageError(
                f"{columns} × {rows} cells do not divide a sheet of {measured(size)} with margin {margin} "
                f"and gap {gap}: a cell would be {sides[0]:g} × {sides[1]:g} pixels"
            )
        return Cells(Size(int(sides[0]), int(sides[1])), columns, rows, margin, gap), warnings
    counts = [(side - 2 * margin + gap) // (length + gap) for side, length in zip(size, cell, strict=True)]
    if min(counts) < 1:
        raise UsageError(f"a cell of {measured(cell)} is larger than the sheet, {measured(size)}")
    cells = Cells(cell, counts[0], counts[1], margin, gap)
    left = Size(size.w - cells.extent.w, size.h - cells.extent.h)
    for number, word in ((left.w, "at the right"), (left.h, "at the bottom")):
        if number:
            warnings.append(
                Message(
                    f"{counted(number, 'pixel')} {word} are left over: cells of {measured(cell)} may be the wrong size"
                )
            )
    return cells, warnings


def cut_cells(
    sheet: Pixels, cells: Cells, keep_empty: bool, limits: Limits, warnings: Sequence[Message] = ()
) -> Cutting:
    """Return the cells of a sheet, row by row, as views. Empty cells are left out unless `keep_empty` is set.

    Raises InputError for more cells than a crate may have frames.
    """
    if (count := cells.columns * cells.rows) > (most := limits.frames):
        raise InputError("the sheet has {:,} such cells, and {:,} are the most; {}", count, most, raise_hint("frames"))
    boxes: list[Box] = []
    rows: list[int] = []
    for row in range(cells.rows):
        here = [cells.box(row * cells.columns + column) for column in range(cells.columns)]
        kept = [box for box in here if keep_empty or cut_out(sheet, box)[..., 3].any()]
        boxes += kept
        rows.append(len(kept))
    return Cutting(tuple(cut_out(sheet, box) for box in boxes), tuple(boxes), tuple(rows), warnings=tuple(warnings))


def cut_boxes(sheet: Pixels, boxes: Sequence[Box]) -> Cutting:
    """Parts of a sheet, as views, in the order given, all of them in one row. Boxes must lie on the sheet."""
    warnings: list[Message] = []
    x, y, w, h = np.array(boxes).T
    for index, box in enumerate(boxes):
        across = np.minimum(x + w, box.right) > np.maximum(x, box.x)
        shared = np.flatnonzero(across & (np.minimum(y + h, box.bottom) > np.maximum(y, box.y)))
        warnings += [
            Message(f"boxes {other + 1} and {index + 1} overlap: what lies in both is in both frames")
            for other in shared[shared < index].tolist()
        ]
        if len(warnings) >= MOST_OVERLAPS:
            break
    return Cutting(tuple(cut_out(sheet, box) for box in boxes), tuple(boxes), (len(boxes),), warnings=tuple(warnings))


def cut_islands(sheet: Pixels, join: int, limits: Limits, split_touching: bool = False) -> Cutting:
    """The islands of a sheet: visible pixels that touch, corners included, or lie less than `join` pixels apart. With
    `split_touching`, those that seem to be several figures are parted where they are thinnest.

    Each picture is an island's box, a new array with that island's pixels alone. Reading order: an island belongs to a
    row if it overlaps it vertically by half of its height; rows go down, islands within a row go right.
    Cost: connected components by SciPy, linear in the pixels; see `core.cut.touching` for the seams.
    """
    from scipy import ndimage

    visible = sheet[..., 3] > 0
    grown = ndimage.maximum_filter(visible, size=join) if join > 1 else visible
    labels, count = ndimage.label(grown, structure=np.ones((3, 3)))
    if count > (most := limits.islands):
        raise InputError(
            "the sheet has {:,} islands, and {:,} are the most: it seems dotted; cut it "
            "by {cell}, or join its dots with {join}; {}",
            count,
            most,
            raise_hint("islands"),
        )
    labels[~visible] = 0
    found = [
        (label, Box(x.start, y.start, x.stop - x.start, y.stop - y.start))
        for label, (y, x) in enumerate((slices or (slice(0), slice(0)) for slices in ndimage.find_objects(labels)), 1)
        if x.stop
    ]
    parted: list[Parted] = []
    if split_touching:
        parting = _Parting(sheet[..., 3], labels, parted)
        found = parting.parted(found, across=True)
        found = [island for row in _in_rows(found) for island in parting.parted(row, across=False)]
    rows = _in_rows(found)
    if not rows:
        return Cutting((), (), ())
    pictures = tuple(_island(sheet, labels, label, box) for row in rows for label, box in row)
    boxes = tuple(box for row in rows for _, box in row)
    warnings = (*_small_parts(rows), *_touching(rows, split_touching))
    return Cutting(pictures, boxes, tuple(map(len, rows)), tuple(parted), warnings)


@dataclass(slots=True)
class _Parting:
    """Labels in which figures that touch are parted, one after the other, and what was parted."""

    alpha: NDArray[np.uint8]
    labels: NDArray[np.int32]
    done: list[Parted]

    def parted(self, islands: Sequence[tuple[int, Box]], across: bool) -> list[tuple[int, Box]]:
        """Split the islands that are too wide compared to the others; with `across`, those that are too high."""
        sides = [box.h if across else box.w for _, box in islands]
        usual = _usual(sides)
        result: list[tuple[int, Box]] = []
        for (label, box), side in zip(islands, sides, strict=True):
            if usual is not None and side >= TOO_WIDE * usual:
                result += self._parts(label, box, usual, across)
            else:  # where all touch, none is too wide beside the others
                result += [(label, box)] if across else self._parts(label, box, None, across)
        return result

    def _parts(self, label: int, box: Box, usual: float | None, across: bool) -> list[tuple[int, Box]]:
        from .touching import seams

        part = np.s_[box.y : box.bottom, box.x : box.right]
        labels, alpha = self.labels[part], self.alpha[part]
        if across:
            labels, alpha = labels.T, alpha.T
        inside = labels == label
        names = [label]
        for seam in seams(np.where(inside, alpha, np.uint8(0)), usual):
            names.append(int(self.labels.max()) + 1)
            labels[inside & (np.arange(labels.shape[1]) >= seam.columns[:, None])] = names[-1]
            ends = ((int(seam.columns[0]), 0), (int(seam.columns[-1]), len(labels) - 1))
            begin, end = (Offset(box.x + (y if across else x), box.y + (x if across else y)) for x, y in ends)
            self.done.append(Parted(box, begin, end, seam.crossed, across))
        found = [(name, box_of(self.labels[part] == name)) for name in names]
        parts = [(name, inner.moved(Offset(box.x, box.y))) for name, inner in found if inner]
        if len(parts) == 1:
            return parts
        again: list[tuple[int, Box]] = []
        for name, inner in parts:
            may_be_several = usual is None or (inner.h if across else inner.w) >= TOO_WIDE * usual
            again += self._parts(name, inner, usual, across) if may_be_several else [(name, inner)]
        return again


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


def _small_parts(rows: Sequence[Sequence[tuple[int, Box]]]) -> list[Message]:
    areas = [box.w * box.h for row in rows for _, box in row]
    small = sum(area < CRUMB * max(areas) for area in areas)
    if not small:
        return []
    what = f"{counted(small, 'island')} of {len(areas):,} are crumbs beside the largest: "
    return [message("{}{join:N} joins loose parts", what)]


def _usual(sides: Sequence[int]) -> float | None:
    """Return the usual length of figures' sides, if most are alike."""
    if len(sides) < 3:
        return None
    usual = median(sides)
    near = sum(abs(side - usual) <= ALIKE * usual for side in sides)
    return usual if 3 * near >= 2 * (len(sides) - 1) else None


def _touching(rows: Sequence[Sequence[tuple[int, Box]]], were_parted: bool) -> list[Message]:
    warnings: list[Message] = []
    number = 0
    for row in rows:
        usual = _usual([box.w for _, box in row])
        for _, box in row:
            number += 1
            if usual is not None and box.w >= TOO_WIDE * usual:
                what = f"island {number} at {box.x},{box.y} is {box.w} pixels wide where its row has {usual:g}"
                advice = message("two figures may touch there; {split_touching} splits them, or cut by cells")
                whole = "it has no thin place, so it was left whole"
                warnings.append(message("{}: {}", what, whole if were_parted else advice))
    return warnings
