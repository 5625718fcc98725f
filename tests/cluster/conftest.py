"""A scheduler and workers on this machine, each a process of its own."""

import json
import os
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from agile_crate.core.names import natural_key
from conftest import art, save

FOUND_IN = 30
"""Seconds in which a process must be there."""


class Machines:
    """A scheduler, and workers that are started and ended as a test wants."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._file = folder / "scheduler.json"
        self._all: list[subprocess.Popen[bytes]] = []
        self._start("scheduler", "--port", "0", "--host", "127.0.0.1", "--scheduler-file", str(self._file))
        until(self._file.exists)
        self.address = json.loads(self._file.read_text())["address"]

    def _start(self, what: str, *arguments: str) -> subprocess.Popen[bytes]:
        environment = os.environ | {
            "DASK_DISTRIBUTED__SCHEDULER__ALLOWED_FAILURES": "1",
            "XDG_CACHE_HOME": str(self.folder / "cache"),
        }
        with open(self.folder / f"{what}-{len(self._all)}.log", "wb") as log:
            started = subprocess.Popen(
                [sys.executable, "-m", "dask", what, *arguments, "--no-dashboard"],
                stdout=log, stderr=log, env=environment, cwd=self.folder, start_new_session=True,
            )  # fmt: skip
        self._all.append(started)
        return started

    def worker(self) -> subprocess.Popen[bytes]:
        """Another worker, of one thread, that nobody starts again."""
        log = self.folder / f"worker-{len(self._all)}.log"
        own = ("--no-nanny", "--nthreads", "1", "--host", "127.0.0.1", "--local-directory", str(self.folder / "work"))
        started = self._start("worker", self.address, *own)
        until(lambda: b"Registered to" in log.read_bytes())
        return started

    def end(self) -> None:
        for process in self._all:
            process.kill()
            process.wait()


def until(is_so: Callable[[], bool], seconds: float = FOUND_IN) -> None:
    waiting = threading.Event()
    for _ in range(int(seconds / 0.05)):
        if is_so():
            return
        waiting.wait(0.05)
    raise AssertionError(f"not within {seconds} seconds")


@pytest.fixture(scope="module")
def machines(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Machines]:
    """A scheduler with two workers."""
    made = Machines(tmp_path_factory.mktemp("machines"))
    try:
        made.worker()
        made.worker()
        yield made
    finally:
        made.end()


@pytest.fixture
def project(tmp_path: Path) -> Path:
    return made_project(tmp_path)


def made_project(top: Path) -> Path:
    """A crate file of five crates that need all kinds of files, in a folder with a blank in its name."""
    folder = top / "my game"
    for number in range(6):
        save(folder / "frames" / "otter" / f"swim_{number}.png", art(30, 20, number))
        save(folder / "frames" / "cape" / f"swim_{number}.png", art(30, 20, number + 9))
        save(folder / "frames" / "gull" / f"{number}.png", art(9 + number, 12, number))
    (folder / "otter.hex").write_text("#000000\n#2878c8\n#fafafa\n")
    (folder / "table.txt.j2").write_text("{% for frame in frames %}{{ frame.name }}\n{% endfor %}")
    (folder / "all.crate.toml").write_text(
        """
[crate.otter]
from = ["frames/otter"]
out = "out/otter"
also-scale = ["50%"]
metadata = ["json", "xml"]
template = ["table.txt.j2"]
[crate.otter.skin.cape]
layers = [["frames/otter"], ["frames/cape"]]
[crate.gull]
from = ["frames/gu*"]
out = "out/gull"
layout = "tight"
turn = true
[crate.few]
from = ["frames/otter", "frames/gull"]
out = "out/few"
palette = "otter.hex"
[crate.still]
from = ["frames/otter/swim_0.png"]
out = "out/still"
keep-places = true
layout = "tight"
[crate.again]
from = ["frames/otter"]
out = "out/again"
trim = "frame"
"""
    )
    return folder


def files_of(folder: Path) -> dict[str, bytes]:
    """All files below a folder, hidden ones too."""
    found = {str(path.relative_to(folder)): path.read_bytes() for path in folder.rglob("*") if path.is_file()}
    return dict(sorted(found.items(), key=lambda item: natural_key(item[0])))
