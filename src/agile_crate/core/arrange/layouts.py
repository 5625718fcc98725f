"""The layouts, one record each."""

from __future__ import annotations

from collections.abc import Mapping

from .layout import Arranged, Excluded, Layout, LayoutRequest

KNOWN_TO_SOME: Mapping[str, str] = {
    **dict.fromkeys(("turn", "store_duplicates", "share_mirrored"), "the tight layout"),
    **dict.fromkeys(("break_animations", "keep_places"), "the tight layout"),
    **dict.fromkeys(("aspect", "effort"), "the layouts blocks and tight"),
    **dict.fromkeys(("columns", "rows"), "layouts with cells"),
    **dict.fromkeys(("cell", "down", "square_cells"), "layouts with cells of one size"),
}
"""Settings that only some layouts know, and what to call those layouts."""

_CELLS = frozenset({"columns", "rows", "cell", "down", "square_cells"})
_SEARCH = frozenset({"aspect", "effort"})


def _grid(request: LayoutRequest) -> Arranged:
    from .grid_layout import arranged_in_grid

    return arranged_in_grid(request)


def _strip(request: LayoutRequest) -> Arranged:
    from .grid_layout import arranged_in_strip

    return arranged_in_strip(request)


def _rows(request: LayoutRequest) -> Arranged:
    from .grid_layout import arranged_in_rows

    return arranged_in_rows(request)


def _blocks(request: LayoutRequest) -> Arranged:
    from .blocks_layout import arranged_in_blocks

    return arranged_in_blocks(request)


def _tight(request: LayoutRequest) -> Arranged:
    from .tight_layout import arranged_tightly

    return arranged_tightly(request)


LAYOUTS: Mapping[str, Layout] = {
    "grid": Layout("grid: equal cells", _grid, _CELLS),
    "strip": Layout(
        "strip: one row of cells",
        _strip,
        _CELLS,
        excluded=(
            Excluded(("columns", "rows"), "{layout:strip} is one row by itself; leave {} out, or choose {layout:grid}"),
        ),
    ),
    "rows": Layout(
        "rows: one animation per row",
        _rows,
        _CELLS,
        numbers_rows=True,
        excluded=(
            Excluded(
                ("rows", "down"), "{layout:rows} has a row for each animation; leave {} out, or choose {layout:grid}"
            ),
        ),
    ),
    "blocks": Layout(
        "blocks: one grid per animation",
        _blocks,
        _SEARCH | {"columns", "rows"},
        trim="animation",
        excluded=(
            Excluded(
                ("columns", "rows"),
                "{layout:blocks} makes as many rows as {columns} need, or columns as {rows} need; "
                "leave one of the two out",
                together=True,
            ),
        ),
    ),
    "tight": Layout(
        "tight: the smallest sheets",
        _tight,
        _SEARCH | {"turn", "store_duplicates", "share_mirrored", "break_animations", "keep_places"},
        trim="frame",
        excluded=(
            Excluded(
                ("store_duplicates", "share_mirrored"),
                "{store_duplicates} and {share_mirrored} contradict each other; leave one of them out",
                together=True,
            ),
            Excluded(
                ("one_sheet", "break_animations"),
                "{one_sheet} and {break_animations} contradict each other; leave one of them out",
                together=True,
            ),
        ),
    ),
}
"""Every layout by its name, in the order of the help."""

for _name, _layout in LAYOUTS.items():
    if unknown := _layout.settings - set(KNOWN_TO_SOME):
        raise ValueError(f"layout {_name}: KNOWN_TO_SOME does not list {sorted(unknown)}")
