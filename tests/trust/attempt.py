"""One attempt of a stranger: files, and the program's words on them. What may come of it: a result, or one sentence."""

import contextlib
import faulthandler
import io
import os
import re
import shutil
import signal
import sys
import tempfile
import warnings
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

from agile_crate.cli.main import main
from agile_crate.interrupts import begin_anew
from conftest import tree

SECONDS = 30
"""That an attempt may take."""

MEMORY = 2 << 30
"""Bytes of address space that it may take beside what is loaded already."""

_CONTROL = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u200e\u200f\u202a-\u202e\u2066-\u2069\ud800-\udfff]")


class Attempt(NamedTuple):
    """Files by their paths in a folder of their own, and the words of the command. It may write below `out` alone."""

    files: dict[str, bytes]
    words: tuple[str, ...]


class Outcome(NamedTuple):
    """The exit code, what was told, and the files below `out`."""

    status: int
    told: str
    files: dict[str, bytes]


class TookLong(BaseException):
    """Nothing of the program's may catch it."""


def attempted(attempt: Attempt, folder: Path) -> Outcome:
    """Run the program in this process, in a folder that is empty before and after."""
    before = {}
    for name, data in attempt.files.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
        before[name] = data
    out, err = (io.TextIOWrapper(io.BytesIO(), "utf-8", newline="\n") for _ in range(2))
    here = Path.cwd()
    try:
        os.chdir(folder)
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err), watched(folder) as written, bounded():
            begin_anew()
            try:
                status = int(main(attempt.words))
            except SystemExit as left:
                status = int(left.code or 0)
            except TookLong:
                raise AssertionError(f"took longer than {SECONDS} seconds") from None
        told, errors = (stream.buffer.getvalue().decode("utf-8") for stream in (out, err) if not stream.flush())
        judge(status, told, errors)
        assert not written, written
        now = tree(folder)
        made = {name: now.pop(name) for name in list(now) if name.startswith("out/")}
        assert now == {name: data for name, data in before.items() if not name.startswith("out/")}
        return Outcome(status, told + errors, made)
    finally:
        os.chdir(here)
        for path in folder.iterdir():
            shutil.rmtree(path) if path.is_dir() else path.unlink()


def judge(status: int, told: str, errors: str) -> None:
    """The output must be a result, or one sentence with its exit code."""
    assert status in (0, 1, 2, 3, 4, 5), (status, errors)
    assert "Traceback" not in told + errors
    assert "a fault in agile-crate" not in errors
    assert "machine's memory" not in errors, errors
    assert not (strange := _CONTROL.search(told + errors)), (strange, told + errors)
    if status >= 2:
        sentences = re.findall(r'^(?:agile-crate: error: \S|usage: |{"error": ")', errors, re.MULTILINE)
        assert len(sentences) == 1, errors


@contextlib.contextmanager
def bounded() -> Iterator[None]:
    """So much time and so much memory for what is done within; most limits of this process are as before at its end."""
    import resource

    def late(*_: object) -> None:
        raise TookLong

    limits = resource.getrlimit(resource.RLIMIT_AS)
    in_use = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
    handlers = {number: signal.getsignal(number) for number in (signal.SIGALRM, signal.SIGINT, signal.SIGTERM)}
    signal.signal(signal.SIGALRM, late)
    faulthandler.dump_traceback_later(4 * SECONDS, exit=True, file=sys.__stderr__)  # what never comes back to Python
    resource.setrlimit(resource.RLIMIT_AS, (in_use + MEMORY, limits[1]))
    signal.setitimer(signal.ITIMER_REAL, SECONDS)
    try:
        with warnings.catch_warnings():
            yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        resource.setrlimit(resource.RLIMIT_AS, limits)
        faulthandler.cancel_dump_traceback_later()
        for number, handler in handlers.items():
            signal.signal(number, handler)


WRITES = {"os.mkdir": 1, "os.rename": 2, "os.remove": 1, "os.rmdir": 1, "os.link": 2, "os.symlink": 2, "os.truncate": 1}
"""Events of Python's audit by which files change, and how many of their values are paths."""

_seen: list[str] | None = None
_roots: tuple[str, ...] = ()


@contextlib.contextmanager
def watched(folder: Path) -> Iterator[list[str]]:
    """List what this process does outside `out`, the cache and the folder for temporary files: files changed,
    connections, programs started other than this Python."""
    global _seen, _roots
    cache = os.environ.get("AGILE_CRATE_CACHE", "")
    _seen, _roots = [], tuple(map(os.path.realpath, (folder / "out", cache, os.devnull, _scratch())))
    try:
        yield _seen
    finally:
        _seen = None


def _scratch() -> str:
    return str(Path(tempfile.gettempdir()) / "agile-crate-scratch")


def _audit(event: str, values: tuple[Any, ...]) -> None:
    if _seen is None:
        return
    paths: list[Any] = []
    if event == "open":
        path, _, flags = values
        if isinstance(path, (str, bytes, Path)) and flags & (os.O_WRONLY | os.O_RDWR | os.O_CREAT | os.O_TRUNC):
            paths = [path]
    elif event in WRITES:
        paths = [value for value in values[: WRITES[event]] if not isinstance(value, int)]
    elif event in ("socket.connect", "os.system", "os.exec") or (
        event == "subprocess.Popen" and os.fsdecode(values[0]) != sys.executable
    ):
        _seen.append(f"{event} {values[:2]}")
    for path in paths:
        whole = os.path.join(
            os.path.realpath(os.path.dirname(os.path.abspath(os.fsdecode(path)))), os.path.basename(os.fsdecode(path))
        )
        if not any(whole == root or whole.startswith(root + os.sep) for root in _roots):
            _seen.append(f"{event} {whole}")


sys.dont_write_bytecode = True  # what is imported on the way is not what the program writes
sys.addaudithook(_audit)
