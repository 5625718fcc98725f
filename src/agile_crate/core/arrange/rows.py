"""The rows layout: one animation a row, in cells of one size, the row's empty cells at its end."""

from __future__ import annotations

from collections.abc import Sequence

from .grid import GridOptions, GridSheet, most_cells


def arrange_rows(counts: Sequence[int], wish: GridOptions) -> tuple[GridSheet, ...]:
    """Sheets for animations of so many frames each (1 or more), in order.

    `wish.columns` limits a row; without it the longest animation sets it, as far as the sheet is wide enough. What is
    longer goes on in rows below. An animation's rows stay on one sheet if one can hold them. Raises FitError when a
    cell or the columns asked for are larger than a sheet may be. Cost: linear in the rows.
    """
    most = most_cells(wish)
    columns = wish.columns or min(max(counts), most.w)
    sheets: list[list[int]] = [[]]
    for count in counts:
        rows = [columns] * (count // columns) + ([count % columns] if count % columns else [])
        if sheets[-1] and len(sheets[-1]) + len(rows) > most.h and len(rows) <= most.h:
            sheets.append([])
        for row in rows:
            if len(sheets[-1]) == most.h:
                sheets.append([])
            sheets[-1].append(row)
    return tuple(_sheet(rows, columns, wish) for rows in sheets)


def _sheet(rows: Sequence[int], columns: int, wish: GridOptions) -> GridSheet:
    cells = wish.cells(columns, len(rows), tuple(rows))
    return GridSheet(wish.rules.sheet_size(cells.extent), cells, sum(rows))
