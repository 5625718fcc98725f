"""Cells that share a sheet of a given size, and sheets that keep their rules at every size of a build."""

from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import agile_crate
from agile_crate.core.errors import UsageError
from agile_crate.core.model.geometry import Cells, Size
from agile_crate.settings.given import settings_from
from agile_crate.settings.portions import at_portion


@pytest.mark.parametrize(
    ("more", "cell", "sizes"),
    [
        ({"size": "40x48", "columns": 4, "rows": 4}, (10, 12), [(40, 48), (20, 24)]),
        ({"size": (64, 64), "columns": 4, "rows": 4, "pow2": True}, (16, 16), [(64, 64), (32, 32)]),
        ({"size": "64x64", "columns": 4, "rows": 4, "gap": 2, "margin": 1}, (14, 14), [(64, 64), (36, 36)]),
        ({"size": "64x64", "columns": 4, "rows": 4, "edge_repeat": 1, "pow2": True}, (14, 14), [(64, 64), (64, 64)]),
        ({"size": "60x60", "columns": 5, "rows": 3, "down": True}, (12, 20), [(60, 60), (30, 30)]),
    ],
)
def test_size_columns_and_rows_together_say_how_large_cells_are(
    swim: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, more: dict[str, Any], cell: tuple, sizes: list[tuple]
) -> None:
    monkeypatch.chdir(tmp_path)
    packed = agile_crate.pack("frames", "o", also_scale="50%", **more)
    sheets = [packed.crate.sheets[0], packed.also[0].crate.sheets[0]]
    assert sheets[0].cells.size == cell
    assert [sheet.size for sheet in sheets] == sizes
    for name in ("o.json", "o@50.json"):
        verified = agile_crate.verify(name, against="frames")
        assert (verified.ok, verified.same) == (True, 13), verified.problems + verified.differences


@given(
    st.integers(1, 300), st.integers(1, 300), st.booleans(), st.booleans(), st.integers(1, 9),
    st.fractions(min_value="1/10", max_value=3, max_denominator=20),
)  # fmt: skip
def test_a_sheet_keeps_its_rules_at_every_size(
    w: int, h: int, pow2: bool, square: bool, multiple: int, portion: Any
) -> None:
    wanted: dict[str, Any] = {"size": (w, h), "pow2": pow2, "square": square, "multiple": multiple}
    try:
        settings = settings_from(wanted)
    except UsageError:
        return
    size = at_portion(settings, portion).size
    assert all(side >= 1 and side % multiple == 0 for side in size)
    assert not pow2 or all(side & (side - 1) == 0 for side in size)
    assert not square or size.w == size.h
    assert size.w >= int(w * portion)


@given(
    st.integers(1, 9), st.integers(1, 9), st.integers(1, 40), st.integers(1, 40), st.integers(0, 5), st.integers(0, 5)
)
def test_shares_fill_the_sheet_exactly(columns: int, rows: int, w: int, h: int, gap: int, margin: int) -> None:
    size = Cells(Size(w, h), columns, rows, margin, gap).extent
    settings = settings_from({"size": size, "columns": columns, "rows": rows, "gap": gap, "margin": margin})
    assert settings.cell == (w, h)
