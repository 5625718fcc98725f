"""Test the names of output files."""

from fractions import Fraction

import pytest

from agile_crate.core.arrange.arrangement import SheetPlan
from agile_crate.core.crate.file_names import check_pattern, not_held, repeated, sheet_names
from agile_crate.core.errors import UsageError
from agile_crate.core.model.geometry import Cells, Size

GRID = SheetPlan(Size(64, 32), Cells(Size(16, 8), 4, 4))
TIGHT = SheetPlan(Size(60, 30), None)


@pytest.mark.parametrize(
    ("pattern", "skin", "names"),
    [
        ("", "", ["otter-1.png", "otter-2.png"]),
        ("", "storm", ["otter-storm-1.png", "otter-storm-2.png"]),
        ("{name}_{sheet:03}", "", ["otter_001.png", "otter_002.png"]),
        ("{name}_{sheet:03}", "storm", ["otter_001-storm.png", "otter_002-storm.png"]),
        ("{skin} {sheet}", "storm", ["storm 1.png", "storm 2.png"]),
        ("{name}_{sheet}of{sheets}.png", "", ["otter_1of2.png", "otter_2of2.png"]),
        ("{cell_width}x{cell_height}_{columns}x{rows}_{frames}f", "", ["16x8_4x4_16f.png", "16x8_4x4_3f.png"]),
        ("{{{width}-{height}@{scale}}}{sheet}", "", ["{64-32@50}1.png", "{64-32@50}2.png"]),
    ],
)
def test_sheets_are_named_by_a_pattern(pattern: str, skin: str, names: list[str]) -> None:
    check_pattern(pattern)
    assert sheet_names("otter", [GRID, GRID], [16, 3], Fraction(1, 2), pattern, skin) == names


def test_names_that_a_pattern_cannot_give() -> None:
    assert sheet_names("otter", [TIGHT], [3], Fraction(1)) == ["otter.png"]
    with pytest.raises(
        UsageError, match=r"^file_name '\{columns\}': \{columns\} is of cells of one size, and this sheet has none$"
    ):
        sheet_names("otter", [TIGHT], [3], Fraction(1), "{columns}")
    with pytest.raises(UsageError, match="gives 'con', which some platforms keep for devices"):
        sheet_names("con", [TIGHT], [3], Fraction(1), "{name}")


@pytest.mark.parametrize(
    ("name", "why"),
    [
        ("otter.png", ""),
        ("ünïcode ✉.png", ""),
        (".", "and no file can be called that on every platform"),
        ("end.", "and no file can be called that on every platform"),
        (" a", "and no file can be called that on every platform"),
        ("a/b", "and some platforms allow no '/' in file names"),
        ("a\x07b", r"and some platforms allow no '\x07' in file names"),
        ("LPT1.png", "which some platforms keep for devices"),
        ("x" * 256, "which is longer than the 255 bytes that a file name can have"),
        ("ü" * 128, "which is longer than the 255 bytes that a file name can have"),
    ],
)
def test_names_that_no_file_can_have_everywhere(name: str, why: str) -> None:
    assert not_held(name) == why


def test_a_name_that_is_taken_twice() -> None:
    assert repeated(["a.png", "b.png"]) is None
    assert repeated(["a.png", "b.png", "A.PNG"]) == "a.png"
