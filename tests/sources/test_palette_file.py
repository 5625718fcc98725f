"""Palettes as people have them: lists of hex colors, and the two common text forms with a head; what is wrong names its
line."""

import re
from pathlib import Path

import pytest

from agile_crate.core.errors import InputError
from agile_crate.core.limits import USUAL
from agile_crate.sources.palette_file import read_palette

WANTED = [(32, 24, 48), (240, 240, 240), (255, 0, 9)]

FIELDS = """\
Otter Palette
Name: Otter Post
Columns: 3
# night, foam, signal
 32  24  48\tnight
240 240 240\tfoam of the sea
255   0   9
"""

COUNTED = "OTTER-PAL\r\n0100\r\n3\r\n32 24 48\r\n240 240 240\r\n255 0 9\r\n"


@pytest.mark.parametrize(
    "text",
    [FIELDS, COUNTED, "201830\nf0f0f0\nff0009\n", "; mine\n#201830\n\n// foam\n#F0F0F0\n#ff0009", "32,24,48\n240,240,240\n255,0,9"],
)  # fmt: skip
def test_every_form_gives_the_same_colors(tmp_path: Path, text: str) -> None:
    (tmp_path / "a.pal").write_text(text, "utf-8", newline="")
    assert [tuple(color) for color in read_palette(str(tmp_path / "a.pal"), USUAL)] == WANTED


@pytest.mark.parametrize(
    ("text", "line", "word"),
    [
        (FIELDS.replace("240 240 240", "240 240 256"), 6, "240 240 256"),
        (COUNTED.replace("255 0 9", "255 0"), 6, "255 0"),
        ("201830\nNeon: 3\n", 2, "Neon: 3"),
        ("20183\n", 1, "20183"),
    ],
)
def test_a_line_that_is_no_color_is_named(tmp_path: Path, text: str, line: int, word: str) -> None:
    path = tmp_path / "a.gpl"
    path.write_text(text, "utf-8", newline="")
    sentence = f"palette {path}, line {line}: '{word}"
    with pytest.raises(InputError, match="^" + re.escape(sentence)):
        read_palette(str(path), USUAL)
