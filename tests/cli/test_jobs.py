"""Several crates at a time: the same files, every error told, and nothing left when it is interrupted."""

import json
import multiprocessing
import os
import re
import signal
import subprocess
import threading
from pathlib import Path
from typing import Any

import pytest

import agile_crate
from agile_crate.commands import build
from agile_crate.workers import tasks
from conftest import PROGRAM, art, save


@pytest.fixture
def project(tmp_path: Path) -> Path:
    """Four crates; the third has a frame that is none."""
    text = ""
    for name in ("otter", "gull", "buoy", "parcel"):
        for number in range(5):
            save(tmp_path / "frames" / name / f"{number}.png", art(60, 40 + number, len(name) + number))
        text += f'[crate.{name}]\nfrom = ["frames/{name}"]\nout = "out/{name}"\nlayout = "tight"\n'
    (tmp_path / "all.crate.toml").write_text(text)
    return tmp_path


def written(project: Path) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in sorted((project / "out").iterdir())}


def test_the_same_files_whatever_the_number(run: Any, project: Path) -> None:
    said = {}
    found = []
    for jobs in (1, 2, 3):
        done = run("pack", "all.crate.toml", "--jobs", jobs, "--rebuild", "--json", "--force", "--memory", "90KB")
        assert (done.returncode, done.stderr) == (0, "")
        said[jobs] = json.loads(done.stdout)
        found.append(written(project))
    assert found[0] == found[1] == found[2]
    assert [crate["crate"] for crate in said[2]["crates"]] == ["otter", "gull", "buoy", "parcel"]
    for crate in (crate for one in said.values() for crate in one["crates"]):
        crate["kept"] = []  # the first time, none was there
    assert said[1] == said[2] == said[3]
    assert run("pack", "all.crate.toml", "--jobs", 2).stdout.count("up to date (5 frames, 2 files)") == 4


def test_errors_are_told_and_the_others_built(run: Any, project: Path) -> None:
    (project / "frames" / "gull" / "3.png").write_bytes(b"no picture")
    text = (project / "all.crate.toml").read_text()
    (project / "all.crate.toml").write_text(text.replace("frames/buoy", "frames/bell"))
    done = run("pack", "all.crate.toml", "--jobs", 2)
    assert done.returncode == 3
    first, second = done.stderr.splitlines()
    assert "all.crate.toml, crate 'gull': frames/gull/3.png is not a picture in a known format" in first
    assert "all.crate.toml, crate 'buoy': frames/bell does not exist; check the path" in second
    assert sorted(written(project)) == ["otter.json", "otter.png", "parcel.json", "parcel.png"]
    assert "otter (all.crate.toml)" in done.stdout


def test_scripts_can_ask_for_it_too(project: Path) -> None:
    done = agile_crate.build(project / "all.crate.toml", ["gull", "buoy"], jobs=2)
    assert {name: len(packed.crate.frames) for name, packed in done.items() if packed} == {"gull": 5, "buoy": 5}
    assert agile_crate.build(project / "all.crate.toml", "gull", jobs=2) == {"gull": None}


@pytest.mark.skipif(not hasattr(os, "killpg"), reason="signals to a group")
@pytest.mark.parametrize("whom", ["all", "the one who asked", "a builder"])
def test_ended_in_the_middle(project: Path, whom: str) -> None:
    """An interruption, or a kill, leaves no half of a crate and no process; and who ends one builder loses nothing."""
    large = save(project / "large.png", art(400, 300)).read_bytes()
    for number in range(5, 90):
        (project / "frames" / "otter" / f"{number}.png").write_bytes(large + bytes(number))  # what follows is no part
    command = [PROGRAM, "pack", "all.crate.toml", "--jobs", "2", "--rebuild"]
    running = subprocess.Popen(
        command, cwd=project, stdout=subprocess.PIPE, stderr=subprocess.PIPE, encoding="utf-8", start_new_session=True
    )
    children = Path(f"/proc/{running.pid}/task/{running.pid}/children")
    waiting = threading.Event()
    while not (builders := children.read_text().split()) or not (project / "out").exists():
        waiting.wait(0.01)
    if whom == "all":
        os.killpg(running.pid, signal.SIGINT)
    else:
        os.kill(running.pid if whom == "the one who asked" else int(builders[0]), signal.SIGKILL)
    _, err = running.communicate(timeout=60)
    while any(Path(f"/proc/{pid}/cmdline").exists() for pid in builders):
        waiting.wait(0.05)
    names = {path.name for path in (project / "out").iterdir()} if (project / "out").exists() else set()
    if whom == "a builder":
        assert (running.returncode, err) == (0, "")
        assert len(names) == 8
        return
    assert running.returncode == (130 if whom == "all" else -signal.SIGKILL)
    assert err == ("agile-crate: error: interrupted; no file is incomplete\n" if whom == "all" else "")
    assert {Path(name).stem for name in names if name.endswith(".png")} == {
        Path(name).stem for name in names if name.endswith(".json")
    }
    assert not [name for name in names if name.startswith(".")]


def test_there_is_never_more_than_a_process_for_each_crate(project: Path, monkeypatch: pytest.MonkeyPatch) -> None:

    counts: list[int] = []
    in_processes = tasks.in_processes
    monkeypatch.setattr(
        tasks,
        "in_processes",
        lambda work, tasks, count, *more: counts.append(count) or in_processes(work, tasks, count, *more),
    )
    agile_crate.build(project / "all.crate.toml", ["gull", "buoy"], jobs=60)
    monkeypatch.setattr(build, "processors", lambda: 1)
    monkeypatch.setattr(build, "BUILDERS_PER_PROCESSOR", 3)
    agile_crate.build(project / "all.crate.toml", rebuild=True, force=True, jobs=60)
    assert counts == [2, 3]


@pytest.mark.parametrize("jobs", [0, -1, "2", 1.5, True, None])
def test_jobs_are_a_whole_number(project: Path, jobs: Any) -> None:
    with pytest.raises(agile_crate.UsageError, match=r"^jobs: .* is not a whole number from 1$"):
        agile_crate.build(project / "all.crate.toml", jobs=jobs)


def built_in_a_worker(path: str) -> list[str]:
    return list(agile_crate.build(path, jobs=2))


def test_a_worker_of_a_pool_builds_by_itself(project: Path) -> None:
    """Such a process may not start others."""
    with multiprocessing.get_context("fork").Pool(1) as pool:
        assert pool.map(built_in_a_worker, [str(project / "all.crate.toml")]) == [["otter", "gull", "buoy", "parcel"]]


def test_what_scripts_give_is_taken_or_named(project: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(project)
    save(Path("few") / "swim_1.png", art(9, 9))
    for given, told in (
        ({"only": b"gull"}, "only: b'gull' is not a text"), ({"only": [b"gull"]}, "only: b'gull' is not a text"), ({"only": [3]}, "only: 3 is not a text"),
    ):  # fmt: skip
        with pytest.raises(agile_crate.UsageError, match=f"^{re.escape(told)}$"):
            agile_crate.build("all.crate.toml", **given)
    with pytest.raises(
        agile_crate.InputError, match="no inputs were given; name a folder, a file or a pattern of frames"
    ):
        agile_crate.pack([], "o")
    for inputs, out in ((b"few", b"o"), ([b"few"], "o"), (Path("few"), Path("o"))):
        assert len(agile_crate.pack(inputs, out, force=True).crate.frames) == 1
    assert agile_crate.verify(b"o.json", against=b"few").ok
    for shift in ((1, -2), [1, -2], "1,-2", ["1,-2"], [(1, -2)], ["swim=1,-2"]):
        crate = agile_crate.pack("few", "o", canvas="20x20", shift=shift, pivot=(3, 4.5), force=True).crate
        assert crate.settings["shift"] in (["1,-2"], ["swim=1,-2"])
        assert agile_crate.verify("o.json", against="few").ok
