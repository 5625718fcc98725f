import copy
import json
import re
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.errors import InputError
from agile_crate.core.limits import USUAL
from agile_crate.core.model.crate import Animation, Crate, Frame
from agile_crate.core.model.geometry import Box, Cells, Offset, Point, Size
from agile_crate.core.model.sheet import Sheet
from agile_crate.format.files import outputs_of_build
from agile_crate.format.json_form import from_json, to_json

CRATE = Crate(
    name="otter",
    sheets=(Sheet("otter.png", Size(512, 256), Cells(Size(64, 64), 8, 4, 1, 2, down=True), "ab" * 32, 2, 1),),
    frames=(
        Frame("swim/swim_0001", 0, Box(2, 2, 61, 40), Size(96, 96), Offset(17, 30), Point(48, 96)),
        Frame('odd "names"\n✉', 0, Box(2, 2, 61, 40), Size(96, 96), Offset(17, 30), Point(31.5, 96), True, "xy"),
    ),
    animations=(Animation("swim", (0, 1), (83, 84), "back-and-forth"),),
    scale=0.5,
    alpha="premultiplied",
    generator="agile-crate 0.1.0",
)
DOCUMENT = json.loads(to_json(CRATE))


def test_the_document_word_for_word() -> None:
    assert to_json(CRATE) == (
        """\
{
  "format": "agile-crate",
  "version": 1,
  "generator": "agile-crate 0.1.0",
  "sha256": "b65c1d9a13bd8f42693df7b32d0520bd404aedcc6125e87cc2fb9cec5610b604",
  "name": "otter",
  "scale": 0.5,
  "alpha": "premultiplied",
  "sheets": [
    {"image": "otter.png", "size": [512, 256], "sha256": "%s", "cells": {"size": [64, 64], "columns": 8, "rows": 4, \
"margin": 1, "gap": 2, "order": "down"}}
  ],
  "frames": [
    {"name": "swim/swim_0001", "sheet": 0, "box": [2, 2, 61, 40], "turned": false, "canvas": [96, 96], \
"offset": [17, 30], "pivot": [48, 96]},
    {"name": "odd \\"names\\"\\n✉", "sheet": 0, "box": [2, 2, 61, 40], "turned": true, "canvas": [96, 96], \
"offset": [17, 30], "pivot": [31.5, 96], "mirror": "xy"}
  ],
  "animations": [
    {"name": "swim", "frames": [0, 1], "durations": [83, 84], "loop": "back-and-forth"}
  ]
}
"""
        % ("ab" * 32)
    )


@given(st.lists(st.text(st.characters(exclude_categories=["Cs"]), max_size=20), max_size=5))
def test_any_name_comes_back(names: list[str]) -> None:
    frames = tuple(Frame(name, 0, Box(0, 0, 1, 1), Size(1, 1), Offset(0, 0), Point(0.25, 1)) for name in names)
    crate = Crate("c", (), frames, ())
    assert from_json(to_json(crate), "c.json", USUAL) == crate


def test_keys_that_are_not_known_are_ignored() -> None:
    document = copy.deepcopy(DOCUMENT)
    document["color"] = document["frames"][0]["weight"] = document["sheets"][0]["cells"]["x"] = {"a": [1]}
    assert from_json(json.dumps(document), "otter.json", USUAL) == CRATE


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        ("", "otter.json, line 1: not valid JSON (expecting value)"),
        ('{"a": 1,\n "b": }', "otter.json, line 2: not valid JSON"),
        ("[" * 100_000, "otter.json: not valid metadata (maximum recursion depth"),
        ('{"format": 1, "format": 2}', "otter.json: not valid metadata (the key 'format' appears twice)"),
        ('{"format": NaN}', "NaN is not a number that JSON has"),
        ("[]", 'otter.json: format: expected "agile-crate", found []'),
    ],
)
def test_what_is_wrong_is_told_with_its_place(text: str, sentence: str) -> None:
    with pytest.raises(InputError, match=re.escape(sentence)):
        from_json(text, "otter.json", USUAL)


@pytest.mark.parametrize(
    ("text", "images"),
    [
        (to_json(CRATE), ("otter.png",)), ("{}", ()), ("[1]", ()), ("no", ()), ("[" * 100_000, ()), ('{"format": "agile-crate", "sheets": 3}', ()),
    ],
)  # fmt: skip
def test_the_images_of_a_build_of_ours(tmp_path: Path, text: str, images: tuple[str, ...]) -> None:
    (tmp_path / "otter.json").write_text(text, "utf-8")
    assert tuple(outputs_of_build(tmp_path / "otter.json", USUAL).images) == images
    assert outputs_of_build(tmp_path / "gone.json", USUAL).images == {}
