"""The program as a whole: help, version, demo, and the same road for scripts."""

import json
import os
import re
import subprocess
from pathlib import Path

import numpy as np
import pytest

import agile_crate
from agile_crate.cli.status import Status, status_of
from agile_crate.cli.wording import option_name
from agile_crate.core.arrange.tight import COMPILED
from agile_crate.core.errors import CrateError
from agile_crate.settings.table import options
from conftest import PROGRAM, Run, art, decode, metadata, save, tree, unicode_names


def test_help_lists_what_works_and_every_setting(run: Run) -> None:
    top = run("--help")
    assert top.returncode == 0
    for command in ("pack", "survey", "verify", "unpack", "demo"):
        assert f"\n  {command}" in top.stdout
        assert run(command, "--help").returncode == 0
    told = run("pack", "--help").stdout
    assert all(option_name(name) in told for name in options())
    assert run("--version").stdout == f"agile-crate {agile_crate.__version__}\n"
    how = "compiled" if COMPILED else "in plain Python"
    assert run("--version", "--verbose").stdout == f"agile-crate {agile_crate.__version__}, arranging {how}\n"


@pytest.mark.parametrize("command", ["pack", "show", "unpack"])
def test_short_help_is_one_screen_of_options_that_are_there(run: Run, command: str) -> None:
    short = run(command, "-h")
    assert (short.returncode, short.stderr) == (0, "")
    lines = short.stdout.splitlines()
    assert len(lines) <= 24
    assert max(map(len, lines)) <= 80
    whole = run(command, "--help").stdout
    assert short.stdout.splitlines()[0] == whole.splitlines()[0]
    named = set(re.findall(r"--[a-z0-9-]+", short.stdout))
    there = set(re.findall(r"(?<![\w-])--[a-z0-9-]+", whole))
    assert len(named) >= 9
    assert named <= there


def test_errors_as_json_are_one_line_of_stderr(run: Run, swim: Path, tmp_path: Path) -> None:
    (swim / "swim_03.png").write_bytes(b"no picture")
    (swim / "swim_04.png").write_bytes(b"no picture")
    done = run("pack", "frames", "--out", "o", "--json")
    said = json.loads(done.stderr)
    assert (done.returncode, done.stdout, done.stderr.count("\n")) == (3, "", 1)
    assert said["exit"] == 3
    assert said["files"] == ["frames/swim_03.png", "frames/swim_04.png"]
    assert said["error"].startswith("2 pictures cannot be read; export them again or remove them:")
    usage = json.loads(run("pack", "frames", "--json", "--gap", "x").stderr)
    assert usage == {"error": "name the output with --out, such as --out build/otter", "exit": 2, "files": []}
    (tmp_path / "o.crate.toml").write_text('[crate.o]\nfrom = "frames"\nout = "o"\n', "utf-8")
    project = run("pack", "o.crate.toml", "--json")
    assert json.loads(project.stderr)["files"] == said["files"]
    assert json.loads(project.stderr)["crate"] == "o"
    assert json.loads(project.stdout)["errors"][0]["exit"] == 3
    (tmp_path / "o.png").write_bytes(b"a stranger's")
    (swim / "swim_03.png").unlink()
    (swim / "swim_04.png").unlink()
    assert json.loads(run("pack", "frames", "--out", "o", "--json").stderr)["files"] == ["o.png"]


def test_every_error_has_an_exit_code() -> None:
    assert [status_of(kind("x")) for kind in CrateError.__subclasses__()] == [2, 3, 4, 5]
    assert [int(status) for status in Status] == [0, 1, 2, 3, 4, 5, 70, 130]


@pytest.mark.usefixtures("demo")
def test_the_demo_packs_and_proves_the_otter_post(run: Run, demo_said: str, tmp_path: Path) -> None:
    assert "warning" not in demo_said
    assert demo_said.count(", pixel for pixel\n") == 7  # five crates, two of them at two sizes
    assert demo_said.count(": up to date\n") == 8  # a frame comes and goes, and only the otter is built again
    assert "  otter: 43 frames on 1 sheet; added walk_up/walk_up_04\n" in demo_said
    assert "  otter: 42 frames on 1 sheet; removed walk_up/walk_up_04\n" in demo_said
    assert len(demo_said.splitlines()) < 50
    frames = tmp_path / "otter-post" / "frames"
    sizes = {path.parent.name: decode(path).shape[:2] for path in frames.rglob("*_01.png")}
    assert sizes == {
        "idle": (96, 96), "swim": (96, 96), "dive": (96, 96),
        "walk_down": (96, 96), "walk_left": (96, 96), "walk_right": (96, 96),
        "walk_up": (96, 96), "gull": (64, 64), "lantern": (48, 32), "splash": (384, 384),
    }  # fmt: skip
    counts = {
        a["name"]: len(a["frames"])
        for name in ("otter", "harbor", "splash")
        for a in metadata(tmp_path / f"otter-post/crate/{name}.json")["animations"]
    }
    assert counts == {
        "dive": 10, "idle": 8, "swim": 12, "walk_down": 3, "walk_left": 3, "walk_right": 3, "walk_up": 3,
        "gull": 8, "lantern": 6, "splash": 16,
    }  # fmt: skip
    sea = decode(frames / "sea" / "sea.png").astype(int)
    assert sea.shape == (64, 256, 4)
    within = np.abs(np.diff(sea, axis=1)).max()
    assert np.abs(sea[:, 0] - sea[:, -1]).max() <= within
    faults = (tmp_path / "otter-post/rough/faults.txt").read_text()
    folders = {path.name for path in (tmp_path / "otter-post/rough").iterdir() if path.is_dir()}
    assert folders == {line.partition(":")[0] for line in faults.splitlines()[2:]}
    before = tree(tmp_path / "otter-post")
    assert sum(len(data) for name, data in before.items() if not name.startswith("crate")) < 3_000_000
    assert json.loads(run("demo", "--json").stdout)["commands"][0][:2] == ["agile-crate", "pack"]
    assert tree(tmp_path / "otter-post") == before
    assert not (frames / "otter" / "walk_up" / "walk_up_04.png").exists()


def test_the_demo_overwrites_nothing_of_yours(run: Run, tmp_path: Path) -> None:
    mine = tmp_path / "d" / "frames" / "sea" / "sea.png"
    mine.parent.mkdir(parents=True)
    mine.write_bytes(b"mine")
    done = run("demo", "d", "--json")
    assert (done.returncode, done.stdout) == (5, "")
    assert "sea.png already exists with other content; choose another folder" in done.stderr
    assert mine.read_bytes() == b"mine"


def test_the_same_road_for_scripts(swim: Path, tmp_path: Path) -> None:
    assert agile_crate.survey([str(swim)], fps=26).sequences[0].seconds == 0.5
    packed = agile_crate.pack([str(swim)], str(tmp_path / "o"), columns=4, fps=["swim=24", 8], pow2=True)
    assert packed.crate.sheets[0].size == (32, 32)
    assert packed.files == (tmp_path / "o.png", tmp_path / "o.json")
    verified = agile_crate.verify(str(tmp_path / "o.json"), against=[str(swim)])
    assert (verified.ok, verified.same) == (True, 13)
    loaded = agile_crate.load(str(tmp_path / "o.json"))
    assert loaded.crate == packed.crate
    assert np.array_equal(loaded.frame("swim/swim_04"), art(8, 8, 4))
    with pytest.raises(KeyError, match="swim_99"):
        loaded.frame("swim_99")
    (tmp_path / "o.png").write_bytes(b"")
    with pytest.raises(agile_crate.InputError, match=r"sheet 'o\.png' is empty"):
        agile_crate.load(str(tmp_path / "o.json"))
    with pytest.raises(agile_crate.UsageError, match="unknown setting 'colums'"):
        agile_crate.pack([str(swim)], str(tmp_path / "o"), colums=4)


def completed(line: str, folder: Path) -> list[str]:
    """The completions of a line with the cursor at its end."""
    environment = os.environ | {
        "_ARGCOMPLETE": "1", "COMP_LINE": line, "COMP_POINT": str(len(line)), "_ARGCOMPLETE_IFS": "\n",
        "_ARGCOMPLETE_STDOUT_FILENAME": str(folder / "told.txt"), "_ARGCOMPLETE_SUPPRESS_SPACE": "1",
    }  # fmt: skip
    subprocess.run([PROGRAM], cwd=folder, env=environment, check=False, capture_output=True)
    return (folder / "told.txt").read_text().split("\n")


def test_the_shell_completes_commands_options_files_and_animations(run: Run, swim: Path, tmp_path: Path) -> None:
    run("pack", "frames", "--out", "otter", "--mirrored", "dive=swim")
    (tmp_path / "letter.txt").write_text("")
    assert completed("agile-crate sh", tmp_path) == ["show"]
    assert completed("agile-crate pack --lay", tmp_path) == ["--layout", "--layers"]
    assert "otter.json" in completed("agile-crate verify ", tmp_path)
    assert "letter.txt" not in completed("agile-crate verify ", tmp_path)
    assert completed("agile-crate show otter.json --animation ", tmp_path) == ["dive", "swim"]
    assert completed("agile-crate show gone.json --animation s", tmp_path) in ([], [""])
    assert completed("agile-crate show otter.json --ground ", tmp_path) == ["line", "rosette"]


def test_topics(run: Run) -> None:
    listed = run("help").stdout
    for topic in ("layout", "timing", "pivots", "pixel-art", "rendered", "completion"):
        assert f"agile-crate help {topic} " in listed
        text = run("help", topic).stdout
        assert max(map(len, text.splitlines())) <= 120
        assert text.count("\n  agile-crate ") >= 3
    assert run("help", "sea").returncode == 2
    assert json.loads(run("help", "timing", "--json").stdout)["topic"] == "timing"


@unicode_names
def test_where_a_stream_takes_no_signs(run: Run, tmp_path: Path) -> None:
    """JSON escapes what the stream's encoding lacks, text says it plainly; names are escaped."""
    save(tmp_path / "frames" / "old ötter_1.png", art(6, 5))
    ascii_only = os.environ | {"PYTHONIOENCODING": "ascii"}
    done = run("pack", "frames", "--out", "o", env=ascii_only)
    assert (done.returncode, done.stderr) == (0, "")
    assert " cells 6x5, margin 0, gap 0" in done.stdout
    assert "old \\xf6tter" in done.stdout
    assert json.loads(run("verify", "o.json", "--json", env=ascii_only).stdout)["ok"]
    turned = run("survey", save(tmp_path / "f" / "\u202eotter.png"), "--json").stdout
    assert ("\\u202eotter" in turned, "\u202e" in turned) == (True, False)
    said = run("pack", "frames/old ötter_2.png", "--out", "p", "--json", env=ascii_only).stderr
    assert "ötter_2.png does not exist" in json.loads(said)["error"]
