"""Putting files in place: all of them or none, whatever happens in between.

Every file is first written whole, and flushed, into a hidden folder of ours beside. Only then is a
journal of the moves written, and flushed; then they are made, and the journal goes. A failure or an interruption
before the journal leaves the old files, to the byte; one after it is finished, or undone, by whoever comes next
(`settle`). A lock keeps two runs for the same files apart.
"""

from __future__ import annotations

import contextlib
import errno
import hashlib
import json
import os
import re
import zlib
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import NamedTuple

from ..core.crate.file_names import HIDDEN_PREFIX
from ..core.errors import OutputError, reason
from ..core.message import Message, a_file, setting, some_files
from ..core.text import shown
from ..format.regular import refuse_null
from ..interrupts import committing, held, writing
from .lock import Lock

JOURNAL, UNDONE = "journal", "journal.undone"

LARGEST_JOURNAL_BYTES = 1 << 26
"""Bytes. More than the names of a million files need."""

_OURS = re.compile(r"[0-9]+\.(new|old)|journal(\.new|\.undone)?")


class Journal(NamedTuple):
    """The plan of a commit: new files by number, each with a flag if it replaces one; removed files, numbered on; and
    folders that it makes."""

    moves: list[tuple[str, bool]]
    removed: list[str]
    made: list[str]


class Staging:
    """The temporary files of one run, for one folder and those below it. Made by `staged`."""

    def __init__(self, folder: Path, work: Path, note: Message | None) -> None:
        self.folder = folder
        self.notes = [note] if note else []
        """Notes on an interrupted earlier run."""
        self.is_settled = True
        self._work = work
        self._names: list[str] = []

    def write(self, name: str, pieces: Iterable[bytes], ending: Callable[[str], bytes] | None = None) -> str:
        """Write a file to its temporary place (`name` is a name, or a path below the folder). Return its SHA-256, in
        hex.

        `ending` makes the file's last bytes from the SHA-256 of all before them, so that nothing is hashed twice.
        """
        digest = hashlib.sha256()
        path = self._work / f"{len(self._names)}.new"
        self._names.append(name)
        with _raising_output_error(self.folder / name), open(path, "xb") as stream:
            for piece in pieces:
                digest.update(piece)
                stream.write(piece)
            if ending:
                piece = ending(digest.hexdigest())
                digest.update(piece)
                stream.write(piece)
            stream.flush()
            os.fsync(stream.fileno())
        return digest.hexdigest()

    @property
    def names(self) -> frozenset[str]:
        """Return what was written so far."""
        return frozenset(self._names)

    def commit(self, remove: Iterable[str] = ()) -> None:
        """Move all files into place, in the order in which they were written, and remove the named files.

        Raises OutputError if that fails; then everything is as it was before.
        """
        made: list[str] = []
        for name in self._names:
            with _raising_output_error(self.folder / name):
                _place(self.folder, name)
                made += [name for name in _missing_folders(self.folder, name) if name not in made]
        moves = [(name, os.path.lexists(self.folder / name)) for name in self._names]
        journal = Journal(moves, [name for name in remove if os.path.lexists(self.folder / name)], made)
        # From the moment the journal is on the disk, whoever finds it can finish or undo the commit. So it is written
        # before the first move, and signals wait until the moves are made or taken back.
        with committing():
            try:
                _write_journal(self._work, journal)
                _finish(self.folder, self._work, journal)
            except BaseException as error:
                self.is_settled = False
                self._take_back(journal)
                self.is_settled = True
                if not isinstance(error, OSError):
                    raise
                paths = [path for path in (error.filename2, error.filename) if path and HIDDEN_PREFIX not in str(path)]
                with _raising_output_error(Path(str([*paths, self.folder][0]))):
                    raise

    def _take_back(self, journal: Journal) -> None:
        try:
            _undo(self.folder, self._work, journal)
        except OSError as error:
            raise OutputError(
                f"the files in {shown(str(self.folder))} can be neither put in place nor taken back: {reason(error)}; "
                "correct this and run it again; the run then finishes or undoes the interrupted one first"
            ) from None


@contextlib.contextmanager
def staged(
    folder: Path, key: str = "", waiting: Callable[[], None] = lambda: None, wait: bool = True
) -> Iterator[Staging]:
    """A place to write files to that come together; `key` tells runs for the same files. Leaving it without `commit`
    leaves no file and no new folder behind. An earlier run's leftovers are finished or undone first.

    `waiting` is called when another run has held the place for a second; with `wait` False that raises OutputError at
    once, as it does when the folder cannot be written to.
    """
    with _raising_output_error(folder):
        refuse_null(folder)
    work, made = folder / work_name(key), list[Path]()
    lock = Lock(work)
    with writing():
        try:
            with _raising_output_error(folder):
                with held():
                    made += _make_folder(folder)
                is_ours = lock.take(waiting, wait)
            if not is_ours:
                problem = f"another run is writing the same files to {shown(str(folder))}"
                if wait:
                    raise OutputError(f"{problem}, and has been for ten minutes; end it, or try again later")
                raise OutputError("{}; try again when it has ended, or leave out {no_wait}", problem)
            staging = Staging(folder, work, _recovered(folder, work))
            try:
                yield staging
            finally:
                with held(), contextlib.suppress(OSError):  # what stays is cleared away by the next run
                    if staging.is_settled:
                        _clear(work)
        finally:
            with held():
                lock.release()
                for empty in reversed(made):
                    with contextlib.suppress(OSError):
                        empty.rmdir()


def work_name(key: str) -> str:
    """Return the name of the hidden folder for runs of a key: short, and in plain letters."""
    return f"{HIDDEN_PREFIX}{zlib.crc32(key.encode('utf-8', 'surrogatepass')):08x}"


def settle(folder: Path, keys: Iterable[str]) -> list[Message]:
    """Finish or undo the interrupted run of one of these keys in a folder, and report it. Wait for another run only if
    it has begun to move files. Raises OutputError if neither works."""
    notes: list[Message] = []
    for work in (folder / work_name(key) for key in keys):
        if not work.is_dir() or work.is_symlink():
            continue
        lock = Lock(work)
        with writing(), _raising_output_error(folder):
            try:
                if lock.take(lambda: None, wait=(work / JOURNAL).exists()) and (note := _recovered(folder, work)):
                    notes.append(note)
            finally:
                with held():
                    lock.release()
    return notes


def _recovered(folder: Path, work: Path) -> Message | None:
    journal, where = _read_journal(work), shown(str(folder))
    if journal is None:
        left = _clear(work)
        return Message(f"the leftovers of an interrupted run in {where} were deleted") if left else None
    try:
        if (work / JOURNAL).exists():
            _finish(folder, work, journal)
            _clear(work)
            return Message(f"an interrupted run in {where} was finished: its files are in place")
    except OSError:
        pass
    try:
        _undo(folder, work, journal)
    except OSError as error:
        raise OutputError(
            f"an interrupted run in {where} could be neither finished nor undone: {reason(error)}; correct this first"
        ) from None
    _clear(work)
    return Message(f"an interrupted run in {where} was undone: the previous files are in place")


def _finish(folder: Path, work: Path, journal: Journal) -> None:
    """Make every move that has not been made; safe to repeat."""
    for name in journal.made:
        if not (folder / name).is_dir():
            _place(folder, name).mkdir()
    for number, (name, replaces) in enumerate(journal.moves):
        new, old, target = work / f"{number}.new", work / f"{number}.old", _place(folder, name)
        if new.exists():
            if replaces and not os.path.lexists(old):
                _set_aside(target, old)
            os.replace(new, target)
    for number, name in enumerate(journal.removed, len(journal.moves)):
        target = _place(folder, name)
        if os.path.lexists(target):
            os.replace(target, work / f"{number}.old")
    for name in {os.path.dirname(name) for name, _ in journal.moves} | {""}:
        _flush(folder / name)
    (work / JOURNAL).unlink()
    _flush(work)


def _undo(folder: Path, work: Path, journal: Journal) -> None:
    """Restore the old files as far as they were moved; can be repeated."""
    if (work / JOURNAL).exists():
        os.replace(work / JOURNAL, work / UNDONE)  # from now on it is never finished; takes no room on a full disk
    if not (work / UNDONE).exists():
        return
    for number, (name, replaces) in enumerate(journal.moves):
        old = work / f"{number}.old"
        if os.path.lexists(old):
            os.replace(old, _place(folder, name))
            old.unlink(missing_ok=True)  # renaming a file to another name of the same file does nothing
        elif not replaces and not (work / f"{number}.new").exists():
            _place(folder, name).unlink(missing_ok=True)
    for number, name in enumerate(journal.removed, len(journal.moves)):
        old = work / f"{number}.old"
        if os.path.lexists(old):
            os.replace(old, _place(folder, name))
    for name in reversed(journal.made):
        with contextlib.suppress(OSError):
            _place(folder, f"{name}/x").parent.rmdir()
    _flush(folder)
    (work / UNDONE).unlink()


def _set_aside(target: Path, old: Path) -> None:
    """Give a file that is about to be replaced a second name, from which it can be restored."""
    try:
        if target.is_symlink():
            raise OSError
        os.link(target, old)
    except FileNotFoundError:
        pass  # somebody took it away since
    except OSError:  # a link, or a file system without hard links
        os.replace(target, old)


def _write_journal(work: Path, journal: Journal) -> None:
    with open(work / "journal.new", "w", encoding="ascii") as stream:
        json.dump(journal._asdict(), stream)
        stream.flush()
        os.fsync(stream.fileno())
    _flush(work)
    os.replace(work / "journal.new", work / JOURNAL)
    _flush(work)


def _read_journal(work: Path) -> Journal | None:
    """The journal of an unfinished run; None if it is missing or not ours."""
    path = next((path for path in (work / JOURNAL, work / UNDONE) if os.path.lexists(path)), work)
    try:
        if path.is_symlink() or not path.is_file() or path.stat().st_size > LARGEST_JOURNAL_BYTES:
            return None
        found = json.loads(path.read_bytes())
        moves = [(str(name), bool(replaces)) for name, replaces in found["moves"]]
        return Journal(moves, *(list(map(str, found[key])) for key in ("removed", "made")))
    except (OSError, ValueError, TypeError, LookupError, RecursionError):
        return None


def _place(folder: Path, name: str) -> Path:
    """Return where a file goes. Raises OSError for a name that leads out of the folder, by itself or by a link on its
    way, or that a folder has."""
    parts = Path(name).parts
    if not parts or Path(name).is_absolute() or ".." in parts or "\0" in name:
        raise PermissionError(errno.EPERM, "its name leads out of the folder", name)
    for above in Path(name).parents:
        if (folder / above).is_symlink() and above.parts:
            raise PermissionError(errno.EPERM, f"{shown(str(folder / above))} is a link", str(folder / name))
    target = folder / name
    if target.is_dir() and not target.is_symlink():
        raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR), name)
    return target


def _missing_folders(folder: Path, name: str) -> list[str]:
    """The missing folders of a file's path, outermost first."""
    above = [path for path in Path(name).parents if path.parts]
    return [path.as_posix() for path in reversed(above) if not (folder / path).exists()]


def _clear(work: Path) -> int:
    """Delete our files in the hidden folder, and return their number."""
    ours = [path for path in work.iterdir() if _OURS.fullmatch(path.name)]
    for path in ours:
        path.unlink(missing_ok=True)
    return len(ours)


def _flush(folder: Path) -> None:
    """Flush a folder's entries to the disk, where the system can."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def holds(path: Path, data: bytes) -> bool:
    """Return True if a file exists and has exactly these bytes."""
    try:
        return path.is_file() and path.read_bytes() == data
    except OSError:
        return False


def write_alone(path: str, text: str) -> Path:
    """Write one file by itself, in UTF-8, over an existing one, and return its path. Raises OutputError."""
    target = Path(os.path.abspath(path))
    with staged(target.parent, target.name) as staging:
        staging.write(target.name, [text.encode("utf-8", "surrogatepass")])
        staging.commit()
    return target


def refuse_existing(folder: Path, names: Iterable[str], option: str = "out") -> None:
    """Raise OutputError if one of these files exists. `asked` is the setting that names their place."""
    existing = [name for name in names if os.path.lexists(folder / name)]
    if existing:
        verb = "exists" if len(existing) == 1 else "exist"
        where = "" if folder.absolute() == Path.cwd() else f" in {shown(str(folder))}"
        raise OutputError(
            "{} already {}{}; choose another {}, or give {force}", some_files(existing), verb, where, setting(option)
        )


def _make_folder(folder: Path) -> list[Path]:
    """Make the folder and those above it; return the new ones, outermost first."""
    missing = [path for path in (folder, *folder.parents) if not path.exists()][::-1]
    with _raising_output_error(folder):
        if not missing and not folder.is_dir():
            raise NotADirectoryError(errno.ENOTDIR, "is a file, not a folder")
        folder.mkdir(parents=True, exist_ok=True)
        if not os.access(folder, os.W_OK):
            raise PermissionError(errno.EACCES, os.strerror(errno.EACCES))
    return missing


@contextlib.contextmanager
def _raising_output_error(target: Path) -> Iterator[None]:
    try:
        yield
    except OSError as error:
        raise OutputError(
            "{} cannot be written: {}; the previous files are unchanged", a_file(str(target)), reason(error)
        ) from None
