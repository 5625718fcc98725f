"""The installed program killed, interrupted, and run twice at once: the old crate or the new one, whole, every time.

A few of each here; `make trust` sets AGILE_CRATE_TRUST and runs hundreds.
"""

import random
import shutil
import signal
import subprocess
import time
from pathlib import Path

import pytest

from conftest import LONG, PROGRAM, art, save, tree
from prepared_program import run_prepared

CRATE = """\
[crate.otter]
from = "frames"
out = "out/o"
metadata = ["json", "xml", "css"]
also-scale = ["50%"]
max-size = [40, 40]
gap = 1
[crate.otter.skin.rain]
from = "frames"
"""
"""Several sheets, sizes and skins; and what is seen of frames is kept."""


def command(folder: Path, *more: str) -> list[str]:
    return [str(PROGRAM), "pack", str(folder / "o.crate.toml"), *more]


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Frames with two crates of them, `old` and `new`, and how long a build takes."""
    top = tmp_path_factory.mktemp("made")
    for number in range(1, 25):
        save(top / f"frames/swim/swim_{number:02d}.png", art(12, 12, number))
    (top / "o.crate.toml").write_text(CRATE, "utf-8")
    for name, more in (("old", []), ("new", ["--fps", "30", "--margin", "1"])):
        subprocess.run(command(top, *more), check=True, capture_output=True)
        (top / "out").rename(top / name)
    return top


def state(folder: Path, made: Path) -> str:
    now = tree(folder / "out")
    return next((name for name in ("old", "new") if now == tree(made / name)), f"neither: {sorted(now)}")


def laid_out(folder: Path, made: Path) -> None:
    shutil.copytree(made / "frames", folder / "frames")
    shutil.copy(made / "o.crate.toml", folder)


def started(folder: Path, made: Path) -> subprocess.Popen[str]:
    """A build of the new crate over the old one."""
    laid_out(folder, made)
    shutil.copytree(made / "old", folder / "out")
    return subprocess.Popen(
        command(folder, "--fps", "30", "--margin", "1"), stdout=subprocess.PIPE, stderr=subprocess.PIPE, encoding="utf-8",
    )  # fmt: skip


def duration(made: Path, folder: Path) -> float:
    begin = time.monotonic()
    started(folder, made).communicate()
    return time.monotonic() - begin


def settled(folder: Path) -> None:
    done = run_prepared(["verify", "out/o.json"], folder)
    assert done.returncode == 0, done.stdout + done.stderr
    assert (done.stderr.count("\n") <= 1) or "interrupted" in done.stderr
    assert not [name for name in tree(folder / "out") if ".agile-crate" in name]
    assert not list((folder / "out").glob(".agile-crate*"))


@pytest.mark.parametrize("end", [signal.SIGKILL, signal.SIGTERM, signal.SIGINT, signal.SIGHUP], ids=lambda s: s.name)
def test_a_build_that_is_ended_leaves_one_crate_whole(made: Path, tmp_path: Path, end: signal.Signals) -> None:
    dice = random.Random(end.value)
    seen = set()
    for trial in range(50 if LONG else 2):
        folder = tmp_path / str(trial)
        if trial % 10 == 0:
            whole = duration(made, tmp_path / f"before {trial}")  # by what else the machine has to do just now
        build = started(folder, made)
        time.sleep(whole * dice.uniform(0.0, 1.1))
        build.send_signal(end)
        _, told = build.communicate()
        if end is not signal.SIGKILL:
            # before our first line Python answers by itself
            assert build.returncode in (0, 130) or "in run" not in told, told
            assert "Traceback" not in told or build.returncode not in (0, 130)
            assert not list((folder / "out").glob(".agile-crate*")), told
            assert state(folder, made) == ("old" if build.returncode else "new")
        settled(folder)
        assert state(folder, made) in ("old", "new"), (trial, told)
        seen.add(state(folder, made))
    assert seen == {"old", "new"} or not LONG


def test_two_interruptions_at_once(made: Path, tmp_path: Path) -> None:
    whole = duration(made, tmp_path / "first")
    dice = random.Random(2)
    for trial in range(100 if LONG else 2):
        folder = tmp_path / str(trial)
        build = started(folder, made)
        time.sleep(whole * dice.uniform(0.5, 1.0))
        for _ in range(2):
            build.send_signal(signal.SIGINT)
            time.sleep(0.002)
        _, told = build.communicate()
        assert build.returncode in (0, 130)
        assert "Traceback" not in told
        assert state(folder, made) == ("old" if build.returncode else "new") or list(
            (folder / "out").glob(".agile-crate*")
        )
        settled(folder)
        assert state(folder, made) == ("old" if build.returncode else "new")


def test_two_builds_of_one_crate_at_once(made: Path, tmp_path: Path) -> None:
    for trial in range(100) if LONG else (0, 2):
        folder = tmp_path / str(trial)
        laid_out(folder, made)
        lines = (command(folder), command(folder, "--fps", "30", "--margin", "1"))
        builds = [
            subprocess.Popen(line, stdout=subprocess.PIPE, stderr=subprocess.PIPE, encoding="utf-8") for line in lines
        ]
        if trial % 3 == 2:  # one pauses in the middle
            time.sleep(random.Random(trial).uniform(0.1, 0.5))
            builds[0].send_signal(signal.SIGSTOP)
            time.sleep(0.2)
            builds[0].send_signal(signal.SIGCONT)
        told = [build.communicate()[1] for build in builds]
        assert [build.returncode for build in builds] == [0, 0], told
        assert state(folder, made) in ("old", "new")
        settled(folder)


def test_what_waits_says_so_or_stops(made: Path, tmp_path: Path) -> None:
    build = started(tmp_path, made)
    work = tmp_path / "out"
    while build.poll() is None and not list(work.glob(".agile-crate*/*.new")):
        time.sleep(0.002)
    build.send_signal(signal.SIGSTOP)
    done = subprocess.run(
        command(tmp_path, "--rebuild", "--no-wait"), capture_output=True, encoding="utf-8", check=False
    )
    assert (done.returncode, "another run is writing the same files to" in done.stderr) == (5, True)
    other = subprocess.Popen(
        command(tmp_path, "--rebuild"), stdout=subprocess.PIPE, stderr=subprocess.PIPE, encoding="utf-8"
    )
    assert other.stderr is not None
    assert other.stderr.readline() == "agile-crate: waiting for another build of the same crate\n"
    assert subprocess.run([PROGRAM, "verify", work / "o.json"], check=False, capture_output=True).returncode == 0
    build.send_signal(signal.SIGCONT)
    assert (build.communicate()[1], other.communicate()[1]) == ("", "")
    assert state(tmp_path, made) == "old"


@pytest.mark.parametrize("end", [signal.SIGKILL, signal.SIGINT], ids=lambda s: s.name)
def test_unpacking_is_whole_or_not_at_all(made: Path, tmp_path: Path, end: signal.Signals) -> None:
    shutil.copytree(made / "old", tmp_path / "out")
    line = [str(PROGRAM), "unpack", str(tmp_path / "out/o.json"), "--out"]
    begin = time.monotonic()
    subprocess.run([*line, tmp_path / "whole"], check=True, capture_output=True)
    whole, frames = time.monotonic() - begin, tree(tmp_path / "whole")
    for trial in range(30 if LONG else 2):
        back = tmp_path / f"back{trial}"
        unpacking = subprocess.Popen(
            [*line, str(back)], stdout=subprocess.PIPE, stderr=subprocess.PIPE, encoding="utf-8"
        )
        time.sleep(whole * random.Random(trial).uniform(0.4, 1.05))
        unpacking.send_signal(end)
        assert "Traceback" not in unpacking.communicate()[1]
        seen = subprocess.run([PROGRAM, "survey", back, "--quiet"], capture_output=True, encoding="utf-8", check=False)
        assert not back.exists() or tree(back) in ({}, frames), seen.stderr
        assert not list(back.glob(".agile-crate*"))


def test_watching_that_is_killed_leaves_one_crate_whole(made: Path, tmp_path: Path) -> None:
    """Killed while it builds after a change, in the middle of it or not; another one begins where that left off."""
    dice = random.Random(21)
    laid_out(tmp_path, made)
    shutil.copytree(made / "old", tmp_path / "out")
    for trial in range(60 if LONG else 2):
        with subprocess.Popen(
            [PROGRAM, "watch", tmp_path / "o.crate.toml", "--json"], stdout=subprocess.PIPE, stderr=subprocess.PIPE, encoding="utf-8"
        ) as watching:  # fmt: skip
            assert watching.stdout is not None
            watching.stdout.readline()  # it has built, and looks
            save(tmp_path / f"frames/swim/swim_{1 + trial % 24:02d}.png", art(12, 12, 100 + trial))
            time.sleep(dice.uniform(0.0, 0.9))
            watching.send_signal(signal.SIGKILL if trial % 3 else signal.SIGTERM)
            assert "Traceback" not in watching.communicate()[1]
        settled(tmp_path)
    assert subprocess.run(command(tmp_path), check=False, capture_output=True).returncode == 0
    now = tree(tmp_path / "out")
    shutil.rmtree(tmp_path / "out")
    assert subprocess.run(command(tmp_path), check=False, capture_output=True).returncode == 0
    assert now == tree(tmp_path / "out")
