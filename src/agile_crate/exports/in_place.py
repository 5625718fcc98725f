"""Putting a build's files in place: all of them or none.

Every file is first written whole beside its final name, under a hidden name of its own. Only when all are there
are they moved into place, images first and metadata last; a failure or an interruption before or in the middle
of that leaves what was there before, to the byte.
"""

from __future__ import annotations

import contextlib
import errno
import hashlib
import os
from collections.abc import Iterable, Iterator
from pathlib import Path

from ..core.errors import OutputError, reason
from ..core.sentence import setting
from ..core.text import few, shown


class Staging:
    """The files of one build on their way into one folder and those below it. Made by `staged`."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._mark = os.urandom(4).hex()
        self._waiting: dict[str, Path] = {}
        self._numbers: dict[str, int] = {}
        self._made: list[Path] = _make_folder(folder)

    def write(self, name: str, pieces: Iterable[bytes]) -> str:
        """Writes a file beside its final place (a name, or a path below the folder); returns its SHA-256, in hex."""
        path = self._beside(name, "new")
        self._made += _make_folder(path.parent)
        digest = hashlib.sha256()
        self._waiting[name] = path
        with _told_as_output_error(self.folder / name), open(path, "xb") as stream:
            for piece in pieces:
                digest.update(piece)
                stream.write(piece)
        return digest.hexdigest()

    def commit(self, remove: Iterable[str] = ()) -> None:
        """Moves all files into place in the order in which they were written, then removes the files named."""
        moved: list[tuple[Path, Path, bool]] = []
        try:
            for name, path in self._waiting.items():
                target, old = self.folder / name, self._beside(name, "old")
                with _told_as_output_error(target):
                    if target.is_dir():
                        raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR))
                    moved.append((target, old, target.exists()))
                    if target.exists():
                        _set_aside(target, old)
                    os.replace(path, target)
        except BaseException:
            for target, old, was_there in moved:
                if not was_there:
                    target.unlink(missing_ok=True)
                elif old.exists():
                    os.replace(old, target)
                    old.unlink(missing_ok=True)  # renaming a file to another name of the same file does nothing
            raise
        for _, old, _ in moved:
            old.unlink(missing_ok=True)
        for name in remove:
            try:
                (self.folder / name).unlink(missing_ok=True)
            except OSError as error:
                left = shown(str(self.folder / name))
                raise OutputError(
                    f"the build is in place, but {left}, of the one before, stays: {reason(error)}"
                ) from None

    def discard(self) -> None:
        """Removes whatever has not been moved into place, and folders that were made for nothing."""
        for path in self._waiting.values():
            path.unlink(missing_ok=True)
        for empty in reversed(self._made):
            with contextlib.suppress(OSError):
                empty.rmdir()

    def _beside(self, name: str, what: str) -> Path:
        """A hidden name of ours in the file's folder: short and of plain letters, whatever the file is called."""
        number = self._numbers.setdefault(name, len(self._numbers))
        return (self.folder / name).parent / f".agile-crate-{self._mark}-{number}.{what}"


def _set_aside(target: Path, old: Path) -> None:
    """Gives the file that is about to be replaced a second name, by which it can be brought back."""
    try:
        os.link(target, old)
    except OSError:  # file systems without hard links
        os.replace(target, old)


def holds(path: Path, data: bytes) -> bool:
    """Whether a file that is there has these very bytes."""
    try:
        return path.is_file() and path.read_bytes() == data
    except OSError:
        return False


def refuse_existing(folder: Path, names: Iterable[str], asked: str = "out") -> None:
    """Raises OutputError when one of these files is there already. `asked` is the setting that says where they go."""
    there = [name for name in names if (folder / name).exists()]
    if there:
        verb = "is" if len(there) == 1 else "are"
        where = f"in {shown(str(folder))}" if folder.parts else "there"
        raise OutputError(
            f"{few(there)} {verb} already {where}; choose another {setting(asked)}, or give {setting('force')}"
        )


@contextlib.contextmanager
def staged(folder: Path) -> Iterator[Staging]:
    """A place to write a build's files to. Leaving it without `commit` leaves no file and no new folder behind."""
    staging = Staging(folder)
    try:
        yield staging
    finally:
        staging.discard()


def _make_folder(folder: Path) -> list[Path]:
    """Makes the folder and those above it; returns the ones that were not there, outermost first."""
    missing = [path for path in (folder, *folder.parents) if not path.exists()][::-1]
    with _told_as_output_error(folder):
        if not missing and not folder.is_dir():
            raise NotADirectoryError(errno.ENOTDIR, "is a file, not a folder")
        folder.mkdir(parents=True, exist_ok=True)
        if not os.access(folder, os.W_OK):
            raise PermissionError(errno.EACCES, os.strerror(errno.EACCES))
    return missing


@contextlib.contextmanager
def _told_as_output_error(target: Path) -> Iterator[None]:
    try:
        yield
    except OSError as error:
        raise OutputError(
            f"{shown(str(target))} cannot be written: {reason(error)}; the files of before are untouched"
        ) from None
