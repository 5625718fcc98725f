"""Test the names and positions of frames: from the file names to the metadata, and back."""

import json
from pathlib import Path

import pytest

from conftest import Run, art, metadata, save


@pytest.fixture
def post(tmp_path: Path) -> Path:
    """Walk SW is numbered from 4; guard holds two series; two stills."""
    for name, numbers in (("Walk SW/walk ({})", (4, 5, 6)), ("guard/idle_{}", (0, 1, 2)), ("guard/run_{}", (1, 2))):
        for number in numbers:
            save(tmp_path / "frames" / f"{name.format(number)}.png", art(6, 7, number))
    for seed, name in enumerate(("letter", "sack"), 7):
        save(tmp_path / "frames" / f"{name}.png", art(6, 7, seed))
    return tmp_path


def packed(run: Run, folder: Path, *options: str) -> tuple[dict[str, list[str]], str]:
    """The frames' names by animation, the stills under an empty name, and what was said."""
    done = run("pack", "frames", "--out", "o", *options)
    assert (done.returncode, done.stderr) == (0, "")
    assert run("verify", "o.json", "--against", "frames").returncode == 0
    document = metadata(folder / "o.json")
    names = [frame["name"] for frame in document["frames"]]
    found = {one["name"]: [names[index] for index in one["frames"]] for one in document["animations"]}
    shown = {name for some in found.values() for name in some}
    return found | {"": [name for name in names if name not in shown]}, done.stdout


def test_joined_renamed_picked_and_ordered(run: Run, post: Path) -> None:
    found, said = packed(
        run, post, "--rename", "guard/*=*", "--rename", "Walk SW=stroll", "--numbers", "stroll=5-last", "--frames",
        "idle=last-2", "--order", "sack,run", "--mirrored", "stroll back=stroll",
    )  # fmt: skip
    assert list(found) == ["run", "idle", "stroll", "stroll back", ""]
    assert found["idle"] == ["idle_2", "idle_1"]
    assert found["stroll"] == ["stroll_5", "stroll_6"]
    assert found[""] == ["sack", "letter"]
    told = "in their names the frames of 'idle' have the numbers 0-2, and --numbers picks by those"
    assert said.count(f"--frames counts positions; {told}\n") == 1
    joined, said = packed(run, post, "--rename", "guard/run=all", "--rename", "guard/idle=all", "--numbers", "all=1-2")
    assert joined["all"] == ["all_01", "all_02", "all_03", "all_04"]
    assert "counts positions" not in said


def test_one_animation_needs_no_name(run: Run, post: Path) -> None:
    only = ("--include", "Walk SW/*", "--fps", "10")
    assert packed(run, post, *only, "--rename", "stroll")[0]["stroll"] == ["stroll_4", "stroll_5", "stroll_6"]
    packed(run, post, *only, "--hold", "last=300ms", "--hold", "-2=2")
    assert metadata(post / "o.json")["animations"][0]["durations"] == [100, 200, 300]
    assert list(packed(run, post, *only, "--split", "go:1-2,rest:last")[0]) == ["go", "rest", ""]


def test_frames_that_a_setting_leaves_out_are_counted(run: Run, tmp_path: Path) -> None:
    for number in range(1, 8):
        save(tmp_path / "frames/swim" / f"swim_{number}.png", art(8, 8, (1, 1, 2, 3, 4, 5, 1)[number - 1]))
        save(tmp_path / "frames/dive" / f"dive_{number}.png", art(8, 8, 20 + number))
    for options, sentences in (
        ("--frames swim=1-3", ["--frames left out 4 of 7 frames of 'swim'"]),
        ("--numbers swim=2-3", ["--numbers left out 5 of 7 frames of 'swim'"]),
        ("--every 2", ["--every left out 6 frames: 3 of 7 frames of 'dive' and 3 of 7 frames of 'swim'"]),
        ("--drop-duplicates", ["--drop-duplicates left out 1 of 7 frames of 'swim'"]),
        ("--drop-closing", ["--drop-closing left out 1 of 7 frames of 'swim'"]),
        ("--drop-duplicates --drop-closing --every dive=7", [
            "--every left out 6 of 7 frames of 'dive'", "--drop-duplicates left out 1 of 7 frames of 'swim'",
            "--drop-closing left out 1 of 6 frames of 'swim'",
        ]),
        ("--frames swim=1-7 --drop-closing --frames dive=1-7,1", ["--drop-closing left out 2 frames: 1 of 8 frames of 'dive' and 1 of 7 frames of 'swim'"]),
        ("--fps 12", []),
    ):  # fmt: skip
        said = json.loads(run("pack", "frames", "--out", "o", "--force", "--json", *options.split()).stdout)
        assert [remark for remark in said["remarks"] if "left out" in remark] == sentences


def test_numbers_that_do_not_exist_are_named(run: Run, tmp_path: Path) -> None:
    for number in (1, 2, 3, 4, 6, 7, 11):
        save(tmp_path / "frames/swim" / f"swim_{number:02}.png", art(8, 8, number))
    for number in (2, 4, 6, 10):
        save(tmp_path / "frames/dive" / f"dive_{number:02}.png", art(8, 8, number))
    for options, sentences in (
        ("--numbers swim=3-11 --numbers dive=2-10", [
            "--numbers: 'dive' has no 8", "--numbers: 'swim' has no 5 and 8-10",
        ]),
        ("--numbers swim=7-6,4", []),
        ("--rename swim=paddle --numbers paddle=6-11", ["--numbers: 'paddle' has no 8-10"]),
    ):  # fmt: skip
        said = json.loads(run("pack", "frames", "--out", "o", "--force", "--json", *options.split()).stdout)
        assert [remark for remark in said["remarks"] if " has no " in remark] == sentences
