"""The script interface does what the commands do: the same options, the same results, and without files."""

import json
import re
import subprocess
import sys
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

import agile_crate
from agile_crate.settings.given import settings_from
from conftest import art, decode, save

TOP = Path(__file__).parents[2]


@pytest.fixture
def frames(tmp_path: Path) -> Path:
    for number in range(1, 4):
        save(tmp_path / "frames" / "swim" / f"swim_{number:02}.png", art(20 + number, 14, number))
    save(tmp_path / "frames" / "buoy.png", art(9, 7))
    return tmp_path / "frames"


@pytest.mark.parametrize(
    ("given", "typed"),
    [
        ({"fps": {"swim": 16}}, {"fps": ["swim=16"]}),
        ({"fps": [12, {"swim": Fraction(30000, 1001)}]}, {"fps": ["12", "swim=30000/1001"]}),
        ({"shift": {"swim": (1, -2)}}, {"shift": ["swim=1,-2"]}),
        ({"shift": (1, -2)}, {"shift": ["1,-2"]}),
        ({"hold": {"swim": {3: 2, "last": "200ms"}}}, {"hold": ["swim:3=2", "swim:last=200ms"]}),
        ({"mirrored": {"swim_left": "swim"}}, {"mirrored": ["swim_left=swim"]}),
        ({"split": {"gull": {"glide": "1-20", "land": "21-44"}}}, {"split": ["gull=glide:1-20,land:21-44"]}),
        ({"limit": {"frames": 5}}, {"limit": ["frames=5"]}),
    ],
    ids=str,
)
def test_tables_stand_for_what_would_be_typed(given: dict[str, object], typed: dict[str, object]) -> None:
    assert settings_from(given) == settings_from(typed)


@pytest.mark.parametrize(
    ("given", "sentence"),
    [
        ({"hold": {"swim": 3}}, "hold: '{'swim': 3}' is not a list of texts such as \"swim:3=2\""),
        ({"columns": {"swim": 3}}, "columns: '{'swim': 3}' is not a whole number from 1 to 16384"),
        ({"fps": {"swim": "quick"}}, "fps: 'quick' is not a number of frames a second: write one above 0 and up to"),
        ({"mirrored": {"left": 3}}, "mirrored: '{'left': 3}' is not a table such as { swim_left = \"swim\" }"),
        ({"colums": 3}, "unknown setting 'colums'; did you mean columns?"),
    ],
    ids=str,
)
def test_a_wrong_type_is_one_sentence(given: dict[str, object], sentence: str) -> None:
    with pytest.raises(agile_crate.UsageError, match="^" + re.escape(sentence)):
        settings_from(given)


def test_arrays_are_arranged_as_files_are(frames: Path, tmp_path: Path) -> None:
    given = {"layout": "tight", "gap": 1, "mirrored": {"back": "swim"}, "fps": {"swim": 16}, "premultiply": True}
    agile_crate.pack(frames, tmp_path / "otter", **given)
    written = agile_crate.load(tmp_path / "otter.json")
    names = ["swim/swim_02", "buoy", "swim/swim_01", "swim/swim_03"]
    arranged = agile_crate.arrange({name: decode(frames / f"{name}.png") for name in names}, **given)
    assert arranged.crate.animations == written.crate.animations
    assert [frame._replace(crc="") for frame in written.crate.frames] == list(arranged.crate.frames)
    assert all(np.array_equal(one, other) for one, other in zip(arranged.sheets, written.sheets, strict=True))
    assert np.array_equal(arranged.frame("buoy"), written.frame("buoy"))


@pytest.mark.parametrize(
    ("arrays", "given", "sentence"),
    [
        ({"a": np.zeros((4, 4, 3), np.uint8)}, {}, "'a' is not an array of uint8 with the shape (height, width, 4)"),
        ({"a": np.zeros((4, 4, 4))}, {}, "'a' is not an array of uint8 with the shape (height, width, 4)"),
        ({"../a": art(4, 4)}, {}, "'../a' cannot be a frame: give it a name such as swim/swim_01, and pixels"),
        ({"a": art(4, 4)}, {"also_scale": "50%"}, "also_scale is for files; leave it out"),
        ({}, {}, "there are no frames: give at least one array"),
    ],
    ids=str,
)
def test_what_is_no_frame_is_told(arrays: dict[str, np.ndarray], given: dict[str, str], sentence: str) -> None:
    with pytest.raises(agile_crate.CrateError, match=f"^{re.escape(sentence)}$"):
        agile_crate.arrange(arrays, **given)


def test_every_command_is_a_function(frames: Path, tmp_path: Path) -> None:
    packed = agile_crate.pack(frames, tmp_path / "otter", columns=2)
    assert len({packed, packed}) == 1
    data = tmp_path / "otter.json"
    assert len({agile_crate.verify(data, frames), agile_crate.survey(frames)}) == 2
    (film,) = agile_crate.show(data, tmp_path / "film.gif", animation="swim", zoom=2, speed="50%").files
    assert film.read_bytes()[:3] == b"GIF"
    (strip,) = agile_crate.show(data, tmp_path / "strip.png", kind="strip", animation=["swim"]).files
    assert decode(strip).shape[0] > 14
    drafted = agile_crate.draft(frames, tmp_path / "otter.crate.toml")
    assert drafted.crates.keys() == {"frames"}
    assert agile_crate.build(drafted.path)["frames"].crate.frames
    (table,) = agile_crate.describe(data, metadata="css")
    assert "swim" in Path(table).read_text()
    cells = agile_crate.cut(tmp_path / "otter.png", tmp_path / "cells", cell=(23, 14)).files
    assert decode(cells[0]).shape == (14, 23, 4)
    unpacked = agile_crate.unpack(data, tmp_path / "back", dry_run=True)
    assert (len(unpacked.frames), (tmp_path / "back").exists()) == (4, False)
    assert json.loads(agile_crate.schema("crate"))["title"] == "Agile Crate: a crate file"
    assert agile_crate.schema("xml").startswith("<?xml")
    with pytest.raises(agile_crate.InputError, match=r"limit='frames=N' allows more"):
        agile_crate.load(data, limit={"frames": 3})
    with pytest.raises(agile_crate.UsageError, match=r"^limit: 'otters=3' names no limit; "):
        agile_crate.verify(data, limit={"otters": 3})
    with pytest.raises(agile_crate.UsageError, match=r"^zoom: '0' is not a whole number from 1 to 64"):
        agile_crate.show(data, tmp_path / "film.gif", force=True, zoom="0")
    with pytest.raises(agile_crate.UsageError, match=r"unknown option 'zom'; there are each, fps"):
        agile_crate.show(data, tmp_path / "film.gif", force=True, zom=2)


def test_everything_that_is_returned_is_exported() -> None:
    for name in agile_crate.__all__:
        assert getattr(agile_crate, name), name


def test_the_types_of_settings_are_current() -> None:
    made = subprocess.run([sys.executable, TOP / "tools/settings_keywords.py"], capture_output=True, check=True).stdout
    assert made == (TOP / "src/agile_crate/settings/keywords.pyi").read_bytes()
