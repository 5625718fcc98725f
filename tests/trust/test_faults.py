"""A disk that fails: full, over its quota, gone read-only, broken, at every single step that changes a file; and files
that may only be so large. The old files or the new ones are there, whole; what is said is one sentence."""

import builtins
import errno
import io
import os
import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from agile_crate.cli.main import main
from agile_crate.interrupts import begin_anew, committing
from conftest import LONG, PROGRAM, art, save, tree
from prepared_program import run_prepared

if sys.platform != "linux":
    pytest.skip("forks, and asks the system for limits", allow_module_level=True)

CRATE = """\
[crate.otter]
from = "frames"
out = "out/otter"
metadata = ["json", "xml", "css"]
template = "list.txt.j2"
also-scale = ["50%"]
layout = "strip"
[crate.otter.skin.rain]
from = "rain"
"""

STEPS = ("replace", "rename", "link", "fsync", "unlink", "mkdir", "rmdir")
"""Calls to the system that change files, beside writing itself."""

FAULTS = {"full": errno.ENOSPC, "over its quota": errno.EDQUOT, "read-only": errno.EROFS, "broken": errno.EIO}


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A project with its crate, `old`, and what it is after a frame has changed, `new`."""
    top = tmp_path_factory.mktemp("made")
    for name in ("frames", "rain"):
        for number in range(4):
            save(top / "project" / name / f"swim_{number}.png", art(20, 16, number + len(name)))
    (top / "project" / "otter.crate.toml").write_text(CRATE, "utf-8")
    (top / "project" / "list.txt.j2").write_text("{% for frame in frames %}{{ frame.name }}\n{% endfor %}", "utf-8")
    for name in ("old", "new"):
        subprocess.run([PROGRAM, "pack", "otter.crate.toml", "--quiet"], cwd=top / "project", check=True)
        shutil.copytree(top / "project" / "out", top / name)
        save(top / "project" / "frames" / "swim_2.png", art(20, 16, 9))
    shutil.rmtree(top / "project" / "out")
    return top


class Faulty:
    """A disk whose calls are counted, and fail from the `begins`-th on, so many of them."""

    def __init__(self, begins: int, number: int, often: int) -> None:
        self.count, self._begins, self._number, self._often = 0, begins, number, often

    def counted(self, call: Callable[..., Any]) -> Callable[..., Any]:
        def made(*arguments: Any, **named: Any) -> Any:
            self.count += 1
            if self._begins <= self.count < self._begins + self._often:
                raise OSError(self._number, os.strerror(self._number))
            return call(*arguments, **named)

        return made

    def opened(self, plain: Callable[..., Any]) -> Callable[..., Any]:
        """As `open`; what is opened for writing fails with this disk."""
        guarded = self.counted(plain)

        def made(file: Any, mode: str = "r", *arguments: Any, **named: Any) -> Any:
            if not set(mode) & set("wax+") or isinstance(file, int):
                return plain(file, mode, *arguments, **named)
            stream = guarded(file, mode, *arguments, **named)
            stream_write = self.counted(stream.write)
            return _Writing(stream, stream_write)

        return made

    def put_in(self) -> None:
        for name in STEPS:
            setattr(os, name, self.counted(getattr(os, name)))
        builtins.open = self.opened(open)  # type: ignore[assignment]


class _Writing:
    def __init__(self, stream: Any, write: Callable[..., Any]) -> None:
        self._stream, self.write = stream, write

    def __getattr__(self, name: str) -> Any:
        return getattr(self._stream, name)

    def __enter__(self) -> "_Writing":
        return self

    def __exit__(self, *_: object) -> None:
        self._stream.close()


def run_on(faulty: Faulty, folder: Path) -> tuple[int, str, int]:
    """The build in a process of its own, on this disk: its exit code, what it said, and how many steps it took."""
    reading, writing = os.pipe()
    child = os.fork()
    if child == 0:
        err = io.StringIO()
        sys.stdout, sys.stderr = io.StringIO(), err
        os.chdir(folder)
        begin_anew()
        with committing():
            pass  # as if another crate of this run were in place already
        faulty.put_in()
        try:
            status = main(["pack", "otter.crate.toml"])
        except BaseException as error:
            status, _ = 99, err.write(repr(error))
        os.write(writing, f"{faulty.count}\n{err.getvalue()}".encode())
        os._exit(status)
    os.close(writing)
    with open(reading, "rb") as stream:
        count, _, told = stream.read().decode().partition("\n")
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]), told, int(count)


def before(made: Path, folder: Path) -> None:
    shutil.copytree(made / "project", folder)
    shutil.copytree(made / "old", folder / "out")


def settled(folder: Path, made: Path) -> str:
    """Which of the crates is there once somebody looked at it again: it must be one, whole, and nothing else."""
    done = run_prepared(["verify", "out/otter.json"], folder)
    assert done.returncode == 0, done.stdout + done.stderr
    now = tree(folder / "out")
    return next((name for name in ("old", "new") if now == tree(made / name)), f"neither: {sorted(now)}")


def failing(steps: int, fault: str) -> Iterator[int]:
    """At which steps the disk fails: at all in the long form, else at every 96th, others for each fault."""
    return iter(range(1 if LONG else 1 + 24 * list(FAULTS).index(fault), steps + 1, 1 if LONG else 96))


@pytest.mark.parametrize("fault", FAULTS)
def test_old_or_new_whichever_step_fails(
    fault: str, made: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    before(made, tmp_path / "whole")
    status, told, steps = run_on(Faulty(10**9, 0, 0), tmp_path / "whole")
    assert (status, told) == (0, "")
    assert steps > 60
    seen = set()
    for begins in failing(steps, fault):
        folder = tmp_path / str(begins)
        before(made, folder)
        often = 1 if fault == "broken" else 10**6
        status, told, _ = run_on(Faulty(begins, FAULTS[fault], often), folder)
        assert status in (0, 5), (begins, status, told)
        assert status == 0 or told.count("agile-crate: error: ") == 1, told
        assert "Traceback" not in told
        if status == 0:
            now = {name: data for name, data in tree(folder / "out").items() if not name.startswith(".agile-crate-")}
            assert now == tree(made / "new"), (begins, told)
        found = settled(folder, made)
        assert found == "new" if status == 0 else found in ("old", "new"), (begins, told)
        seen.add((status, found))
    assert (5, "old") in seen


@pytest.mark.parametrize("size", [0, 100, 700, 2000, 1 << 20])
def test_files_that_may_only_be_so_large(size: int, made: Path, tmp_path: Path) -> None:
    import resource
    import signal

    def limited() -> None:
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (size, size))

    before(made, tmp_path / "p")
    done = subprocess.run(
        [PROGRAM, "pack", "otter.crate.toml"], cwd=tmp_path / "p", capture_output=True, encoding="utf-8",
        preexec_fn=limited,
    )  # fmt: skip
    fits = size >= 1 << 20
    assert done.returncode == (0 if fits else 5), done.stderr
    if not fits:
        assert "file too large" in done.stderr
        assert done.stderr.count("agile-crate: error: ") == 1
        assert tree(tmp_path / "p" / "out") == tree(made / "old")
    assert settled(tmp_path / "p", made) == ("new" if fits else "old")


def test_a_disk_that_is_really_full(made: Path, tmp_path: Path) -> None:
    disk = tmp_path / "disk"
    disk.mkdir()
    options = ["-t", "tmpfs", "-o", "size=400k", "tmpfs", disk]
    if os.getuid() or subprocess.run(["mount", *options], capture_output=True, check=False).returncode:
        pytest.skip("only root can make a small disk, and not everywhere")
    try:
        before(made, disk / "p")
        with open(disk / "filler", "wb", buffering=0) as filler:
            while True:
                try:
                    filler.write(bytes(512))
                except OSError:
                    break
        done = subprocess.run(
            [PROGRAM, "pack", "otter.crate.toml"], cwd=disk / "p", capture_output=True, encoding="utf-8", check=False
        )
        assert done.returncode == 5
        assert "no space left on device" in done.stderr
        assert tree(disk / "p" / "out") == tree(made / "old")
        (disk / "filler").unlink()
        assert subprocess.run(
            [PROGRAM, "pack", "otter.crate.toml"], cwd=disk / "p", check=False, capture_output=True
        ).returncode in (0, 5)
        assert settled(disk / "p", made) in ("old", "new")
    finally:
        subprocess.run(["umount", disk], check=True)
