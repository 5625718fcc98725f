"""`survey`, as the installed program, on the Otter Post and on frames of our own."""

from __future__ import annotations

import json
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

import agile_crate
from conftest import art, save

Run = Callable[..., subprocess.CompletedProcess[str]]


def test_the_clean_demo_frames_raise_nothing_above_a_note(run: Run) -> None:
    run("demo", "d", "--quiet")
    done = run("survey", "d/frames", "--strict")
    assert (done.returncode, done.stderr) == (0, "")
    assert "  otter/idle             8    96×96    0.667    60×77    51%       8  soft\n" in done.stdout
    assert done.stdout.endswith("0 faults, 0 doubts, 6 notes\n")
    assert max(map(len, done.stdout.partition("\n\n  as separate")[0].splitlines())) <= 80


PLANTED = {
    "dive_digits": {"number-twice": ["dive_digits_03", "dive_digits_3"], "number-digits": []},
    "gull_backdrop": {"background-solid": [f"gull_backdrop_0{i}" for i in range(1, 9)]},
    "idle_closing": {"closing": ["idle_closing_09"]},
    "idle_empty": {"frame-empty": ["idle_empty_05"]},
    "idle_slip": {"jump": ["idle_slip_04"]},
    "lantern_tint": {"colour-departs": ["lantern_tint_04"]},
    "splash_haze": {"haze": [f"splash_haze_0{i}" for i in range(1, 5)]},
    "splash_speck": {"speck": ["splash_speck_02"]},
    "stills": {"seam": ["sea_seam"]},
    "swim_again": {"cycle": ["swim_again_09", "swim_again_10", "swim_again_11", "swim_again_12"]},
    "swim_gap": {"number-missing": []},
    "walk_cut": {"edge-touched": ["walk_cut_01", "walk_cut_02", "walk_cut_03"]},
    "walk_sizes": {"canvas-differs": ["walk_sizes_02"]},
}


def test_every_planted_fault_is_found_at_the_right_frames_and_no_other(run: Run) -> None:
    run("demo", "d", "--quiet")
    done = run("survey", "d/rough", "--strict", "--json")
    assert done.returncode == 1
    said = json.loads(done.stdout)
    found: dict[str, dict[str, list[str]]] = {}
    for finding in said["findings"]:
        if finding["severity"] != "note":
            names = [name.rpartition("/")[2] for name in finding["frames"]]
            found.setdefault(finding["sequence"], {})[finding["code"]] = names
    assert found == PLANTED
    assert said["faults"] == 13


def test_codes_can_be_allowed(run: Run, swim: Path) -> None:
    save(swim / "swim" / "swim_15.png", art(8, 8, 15))
    told = run("survey", "frames")
    lines = told.stdout.splitlines()
    start = lines.index("fault number-missing: swim")
    assert lines[start + 1 : start + 3] == [
        "  number 14 missing: the motion skips there",
        "  → export the missing frames, or renumber",
    ]
    allowed = run("survey", "frames", "--allow", "number-missing")
    assert "number-missing" not in allowed.stdout
    done = run("survey", "frames", "--allow", "number")
    assert done.returncode == 2
    assert "--allow: there is no finding 'number'; did you mean number-twice?" in done.stderr


def test_seconds_at_a_rate_and_names_alike(run: Run, swim: Path) -> None:
    save(swim / "swim" / "Swim_13.png", art(8, 8, 20))
    done = run("survey", "frames", "--fps", "26", "--json")
    said = json.loads(done.stdout)
    assert [s["seconds"] for s in said["sequences"]] == [0.5, pytest.approx(1 / 26)]
    assert ["swim/swim_13", "swim/Swim_13"] in [f["frames"] for f in said["findings"] if f["code"] == "name-case"]
    assert "doubt scale-uneven: swim, " in run("survey", "frames", "--scale", "30%").stdout
    assert "scale-uneven" not in run("survey", "frames", "--scale", "0.5").stdout
    done = run("survey", "frames", "--scale", "half")
    assert done.stderr.startswith("agile-crate: error: --scale: 'half' is not a scale: write a share or a percentage")
    done = run("survey", "frames", "--fps", "0")
    assert (done.returncode, "--fps: '0' is not a number of frames a second" in done.stderr) == (2, True)


def test_unreadable_pictures_end_the_look(run: Run, swim: Path) -> None:
    (swim / "a.png").write_bytes(b"")
    done = run("survey", "frames")
    assert (done.returncode, done.stdout) == (3, "")
    assert done.stderr == "agile-crate: error: frames/a.png is empty; export it again or take it out\n"


def test_stills_last_no_time_and_names_that_differ_in_case_are_told(tmp_path: Path) -> None:
    for name in ("buoy", "Buoy", "gull/gull_1", "gull/gull_2"):
        save(tmp_path / f"{name}.png", art(8, 8, len(name)))
    looked = agile_crate.survey(tmp_path)
    assert [(one.name, one.frames, round(one.seconds, 4)) for one in looked.sequences] == [
        ("gull", 2, 0.1667),
        (None, 2, 0),
    ]
    (alike,) = (finding for finding in looked.findings if finding.code == "name-case")
    assert (alike.sequence, set(alike.frames), str(alike.remedy)) == (alike.frames[0], {"buoy", "Buoy"}, "rename one")
