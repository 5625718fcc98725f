"""Cut a sheet without metadata into pictures: by cells, or by islands of visible pixels."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..errors import InputError, UsageError
from ..frame.visible import cut_out
from ..limits import Limits, raise_hint
from ..message import Message, message
from ..model.geometry import Box, Cells, Size
from ..pixels import Pixels
from ..text import counted, measured
from .crumbs import join_crumbs
from .figures import Parted, Suspect, part_figures
from .islands import Labels, boxes_of

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
    """The islands of a sheet: visible pixels that touch, corners included, or lie less than `join` pixels apart. Crumbs
    belong to the figure next to them. With `split_touching`, islands that seem to be several figures are parted.

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
    join_crumbs(labels, sheet)
    parted, suspects = part_figures(labels, sheet, split_touching)
    rows = _in_rows(boxes_of(labels))
    if not rows:
        return Cutting((), (), ())
    pictures = tuple(_island(sheet, labels, label, box) for row in rows for label, box in row)
    boxes = tuple(box for row in rows for _, box in row)
    warnings = (*_small_parts(rows), *_joined(rows, suspects, split_touching))
    return Cutting(pictures, boxes, tuple(map(len, rows)), tuple(parted), warnings)


def _island(sheet: Pixels, labels: Labels, label: int, box: Box) -> Pixels:
    part = np.s_[box.y : box.bottom, box.x : box.right]
    return np.where((labels[part] == label)[..., None], sheet[part], np.uint8(0))


def _in_rows(islands: Mapping[int, Box]) -> list[list[tuple[int, Box]]]:
    rows: list[list[tuple[int, Box]]] = []
    bottom = 0
    for label, box in sorted(islands.items(), key=lambda island: (island[1].y, island[1].x)):
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


def _joined(
    rows: Sequence[Sequence[tuple[int, Box]]], suspects: Mapping[int, Suspect], were_parted: bool
) -> Iterator[Message]:
    """Yield a warning of each island that seems to be several figures."""
    islands = [island for row in rows for island in row]
    for number, (label, box) in enumerate(islands, 1):
        if label not in suspects:
            continue
        suspect = suspects[label]
        what = f"island {number} at {box.x},{box.y} is {measured(box.size)}"
        what += f" where others are about {measured(suspect.usual)}" if suspect.usual else ""
        if suspect.figures:
            advice = message("{split_touching} splits them, or cut by cells")
            yield message("{}: {} seem to touch there; {}", what, counted(suspect.figures, "figure"), advice)
        elif were_parted:
            yield message("{}: it has no thin place, so it was left whole", what)
        else:
            yield message("{}: figures may touch there; cut by cells or boxes", what)
