"""Style sheets and tables: what they say, and that hostile names stay names."""

import csv
import io
import re
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.errors import OutputError
from agile_crate.core.model.crate import Animation, Crate, Frame
from agile_crate.core.model.geometry import Box, Offset, Point, Size
from agile_crate.core.model.sheet import Sheet
from agile_crate.exports.css import class_of, escaped, to_css
from agile_crate.exports.csv_tables import FRAMES, STEPS, animations_csv, frames_csv
from crates import FULL, named


@pytest.mark.parametrize(
    ("name", "made"),
    [
        ("swim_01", "swim_01"), ("swim/swim_01", r"swim\/swim_01"), ("8-way", r"\38 -way"), ("-8", r"-\38 "),
        ("-", r"\-"), ("--x", "--x"), ("a.b:c#d", r"a\.b\:c\#d"), ("{}", r"\{\}"), ("\0\x01\x7f", "\ufffd\\1 \\7f "),
        ("otter🦦", "otter🦦"),
    ],
)  # fmt: skip
def test_identifiers_are_escaped_by_the_standard(name: str, made: str) -> None:
    assert escaped(name) == made


def test_blanks_of_any_kind_become_underscores() -> None:
    assert class_of("two  blanks\t\n") == "two__blanks__"
    assert class_of("") == "_"


def test_names_that_would_be_one_class_are_refused() -> None:
    with pytest.raises(
        OutputError, match=r"'a b' and 'a_b' would be one class, 'frame-a_b'; rename the one or the other"
    ):
        to_css(named(["a b", "a_b"]))


def test_turned_frames_are_refused() -> None:
    with pytest.raises(OutputError, match="is stored turned, which CSS cannot show; leave out turn, or css"):
        to_css(FULL)


def test_a_comment_cannot_be_ended_by_a_name() -> None:
    text = to_css(named(["*/ body { display: none } /*"]))
    assert text.count("*/") == 1
    assert text.index("*/") < text.index(".c {")


def small(image: str, factor: int = 1, shift: int = 0) -> Crate:
    frame = Frame(
        "a", 0, Box(2 * factor, 0, 4 * factor, 3 * factor), Size(8 * factor, 9 * factor), Offset(factor, 0), Point(0, 0)
    )
    other = frame._replace(name="b", mirror="x", offset=Offset(2 * factor + shift, 0))
    steps = Animation("play", (0, 1, 0), (50, 25, 25), "once", times=2)
    return Crate("otter", (Sheet(image, Size(10 * factor, 9 * factor)),), (frame, other), (steps,))


def test_the_whole_style_sheet() -> None:
    lines = to_css(small("otter 1.png")).splitlines()
    assert '  background-image: url("otter%201.png");' in lines
    assert (
        ".otter.frame-a { width: 8px; height: 9px; padding: 0px 3px 6px 1px; background-position: -2px 0px; }" in lines
    )
    assert (
        ".otter.frame-b { width: 8px; height: 9px; padding: 0px 2px 6px 2px; background-position: -2px 0px; "
        "scale: -1 1; }"
    ) in lines
    assert "  animation: otter-play 100ms step-end 2 forwards;" in lines
    assert lines[lines.index("@keyframes otter-play {") :] == [
        "@keyframes otter-play {",
        "  0% { padding: 0px 3px 6px 1px; background-position: -2px 0px; scale: 1 1; }",
        "  50% { padding: 0px 2px 6px 2px; background-position: -2px 0px; scale: -1 1; }",
        "  75% { padding: 0px 3px 6px 1px; background-position: -2px 0px; scale: 1 1; }",
        "  100% { padding: 0px 3px 6px 1px; background-position: -2px 0px; scale: 1 1; }",
        "}",
    ]


def test_larger_sheets_are_shown_on_screens_of_more_pixels_only_if_they_fit_exactly() -> None:
    larger = [(Fraction(4), small("otter@400.png", 4)), (Fraction(2), small("otter@200.png", 2))]
    text = to_css(small("otter.png"), larger)
    assert 'image-set(url("otter.png") 1x, url("otter%40200.png") 2x, url("otter%40400.png") 4x)' in text
    assert "image-set" not in to_css(small("otter.png"), [(Fraction(2), small("otter@200.png", 2, shift=1))])
    assert "image-set" not in to_css(small("otter.png"), [(Fraction(3), small("otter@200.png", 2))])


def test_back_and_forth_shows_both_ends_once_a_turn() -> None:
    crate = small("otter.png")
    steps = Animation("play", (0, 1, 0, 1), (10, 20, 30, 40), "back-and-forth")
    text = to_css(crate._replace(animations=(steps,)))
    assert "otter-play 150ms step-end infinite" in text
    assert re.findall(r"  ([\d.]+)% \{", text) == ["0", "6.666666", "20", "40", "66.666666", "86.666666"]


def rows(text: str) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(text.removeprefix("\ufeff"), newline="")))


def test_the_tables_say_what_the_crate_says() -> None:
    found = rows(frames_csv(FULL))
    assert len(found) == 3
    assert found[1] == dict(zip(FRAMES, ["1", FULL.frames[1].name, "otter-2.png", "2", "2", "6", "10", "true", "xy",
                                         "16", "16", "3", "5", "7.5", "16"], strict=True))  # fmt: skip
    steps = rows(animations_csv(FULL))
    assert [row["frame"] for row in steps] == ["0", "1", "0", "2", "0", "0", "2", "1"]
    assert steps[1] == dict(
        zip(STEPS, ["swim", "2", "1", FULL.frames[1].name, "84", "back-and-forth", "0", "", ""], strict=True)
    )
    assert steps[4] == dict(zip(STEPS, ["dive", "2", "0", "swim/swim_01", "1", "once", "3", "", ""], strict=True))
    assert list(steps[7].values())[4:] == ["66", "forever", "0", "30000/1001", "2"]


@given(st.lists(st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"), max_size=12), max_size=4))
def test_no_cell_is_a_formula_and_every_name_comes_back(names: list[str]) -> None:
    names = [*names, "=1+1", "+1", "-1", "@x", "\t=1", "'quoted", '"=1"', "a,b", "a\r\nb"]
    for column, table in ((1, frames_csv(named(names))), (0, animations_csv(named(names)))):
        cells = list(csv.reader(io.StringIO(table.removeprefix("\ufeff"), newline="")))[1:]
        found = [row[column] for row in cells]
        assert not any(name.startswith(("=", "+", "-", "@", "\t", "\r", "\n")) for name in found)
        assert [name.removeprefix("'") for name in found] == [
            name.removeprefix("'") if name[:2] == "''" else name for name in names
        ]


def test_the_mark_of_utf_8_is_there_only_where_it_is_needed() -> None:
    assert frames_csv(named(["otter"]))[:5] == "index"
    assert frames_csv(named(["Fähre"]))[0] == "\ufeff"
    assert frames_csv(named(["otter"])).endswith("\r\n")
