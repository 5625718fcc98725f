"""A running `agile-crate watch`, and its lines."""

import queue
import re
import signal
import subprocess
import threading
from pathlib import Path

import pytest

from conftest import PROGRAM

PATIENCE = 30


class Watching:
    """A running watch: its lines, as they come."""

    def __init__(self, folder: Path, *options: str) -> None:
        self.program = subprocess.Popen(
            [PROGRAM, "watch", *options], cwd=folder, encoding="utf-8",
            stdout=subprocess.PIPE, stderr=subprocess.STDOUT,
        )  # fmt: skip
        self.lines: queue.Queue[str] = queue.Queue()
        self.reader = threading.Thread(target=self._read)
        self.reader.start()

    def _read(self) -> None:
        assert self.program.stdout
        for line in self.program.stdout:
            self.lines.put(line.rstrip("\n"))

    def line(self, part: str = "") -> str:
        """The next line with this part."""
        passed = []
        while True:
            try:
                passed.append(self.lines.get(timeout=PATIENCE))
            except queue.Empty:
                pytest.fail(f"no line with {part!r} came, but {passed}")
            if part in passed[-1]:
                return passed[-1]

    def rest(self) -> list[str]:
        """The lines that nobody has asked for yet."""
        found = []
        while not self.lines.empty():
            found.append(self.lines.get())
        return found

    def end(self) -> int:
        self.program.send_signal(signal.SIGINT)
        return self.program.wait(PATIENCE)


def timeless(line: str) -> str:
    """A line without its time, which every line has."""
    assert re.match(r"[0-2]\d:[0-5]\d:[0-5]\d  ", line), line
    return line[10:]
