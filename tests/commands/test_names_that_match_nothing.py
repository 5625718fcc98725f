"""A name that nothing has hides a mistake: it is refused with the nearest, and a pattern that matches nothing is told."""

import json
from pathlib import Path
from typing import Any

import pytest

import agile_crate
from conftest import art, save


@pytest.fixture(autouse=True)
def post(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    for name in ("swim/swim_1", "swim/swim_2", "debug/grid_1", "debug/boxes", "buoy"):
        save(tmp_path / "frames" / f"{name}.png", art(6, 6, len(name)))


def names(**settings: Any) -> list[str]:
    packed = agile_crate.pack("frames", "o", dry_run=True, **settings)
    return [frame.name for frame in packed.crate.frames]


def test_a_plain_name_is_a_frame_an_animation_or_a_folder() -> None:
    assert names(exclude="debug") == ["swim/swim_1", "swim/swim_2", "buoy"]
    assert names(exclude="debug/") == ["swim/swim_1", "swim/swim_2", "buoy"]
    assert names(include="debug/grid_1") == ["debug/grid_1"]
    assert names(include=["swim", "buoy"]) == ["swim/swim_1", "swim/swim_2", "buoy"]
    assert names(include="debug/boxes") == ["debug/boxes"]


def test_patterns_that_match_nothing_are_told() -> None:
    packed = agile_crate.pack("frames", "o", exclude=["*_bak", "swim/*"], dry_run=True)
    assert packed.warnings == ("exclude='*_bak' matches no frame",)
    assert [frame.name for frame in packed.crate.frames] == ["debug/grid_1", "buoy", "debug/boxes"]
    assert agile_crate.pack("frames", "o", exclude="debug*", dry_run=True).warnings == ()


@pytest.mark.parametrize(
    "given",
    [
        {"exclude": "swim/bad_3"},
        {"exclude": "*bad*"},
        {"exclude": ["*bad_3", "bad"]},
        {"include": ["swim/swim_?", "buoy"]},
    ],
    ids=str,
)
def test_a_damaged_picture_that_is_left_out_ends_nothing(tmp_path: Path, given: dict[str, Any]) -> None:
    for name, data in (("swim/bad_3.png", b"no picture"), ("bad.gif", b"GIF89a")):
        (tmp_path / "frames" / name).write_bytes(data)
    with pytest.raises(agile_crate.InputError, match="2 pictures cannot be read"):
        names(exclude="debug")
    if given == {"exclude": "swim/bad_3"}:
        with pytest.raises(agile_crate.InputError, match=r"frames/bad.gif is not a picture"):
            names(**given)
        (tmp_path / "frames" / "bad.gif").unlink()
    packed = agile_crate.pack("frames", "o", **given)
    assert packed.warnings == ()
    assert not [frame.name for frame in packed.crate.frames if "bad" in frame.name]
    assert agile_crate.verify("o.json", against="frames").ok
    lines = "".join(f"{key} = {json.dumps(value)}\n" for key, value in given.items())
    (tmp_path / "o.crate.toml").write_text(f'[crate.o]\nfrom = "frames"\nout = "p"\n{lines}', "utf-8")
    assert agile_crate.build("o.crate.toml")["o"] is not None
    assert agile_crate.build("o.crate.toml") == {"o": None}  # nothing to do
