"""A store in the user's cache folder: digests of files that have not changed since, frames as they were first seen,
and which sheet file certain pixels gave.

SQLite keeps it whole with several builds at once. Damage does no harm: each entry has a digest over its key and its
value, and a wrong one counts as missing; a store that cannot be read is replaced; where none can
be written the build goes on without. A forged entry, digest and all, is believed: the folder is the user's alone. It
never grows far beyond a limit: what was not used for longest goes first. Age is counted in runs, not by the clock.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import sqlite3
import stat
import struct
import threading
import zlib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

FOLDER = "AGILE_CRATE_CACHE"
"""The environment variable that names another folder, or is ``off``."""

VERSION = 1
"""Of the tables; each version has a file of its own."""

LARGEST_BYTES = 2 << 30
"""Bytes of all entries together; a run may add more before they are counted again."""

UNCHANGED_FOR_NS = 2_000_000_000
"""Nanoseconds. A file that was changed less than that before its digest was taken may change again without a new time
(FAT tells even seconds), so its digest is not kept."""

BATCH_BYTES = 1 << 22
"""Bytes of values that are written at a time."""

LOCK_TIMEOUT_S = 2.0
"""Seconds to wait for another build that writes to the store."""

_TABLES = """
CREATE TABLE IF NOT EXISTS entry (key BLOB PRIMARY KEY, value BLOB, digest BLOB);
CREATE TABLE IF NOT EXISTS age (key BLOB PRIMARY KEY, size INTEGER, used INTEGER) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS state (name TEXT PRIMARY KEY, value INTEGER) WITHOUT ROWID;
"""

Change = tuple[str, list[tuple[Any, ...]]]
"""A statement, and the values that it is carried out with, one after the other."""

_WRITTEN = b"written:"

_MARKS = struct.Struct(">5Q")
"""Of a file: device, number, size, and the times of the last change of its contents and of its state."""


class Held(NamedTuple):
    """The size of a store: entries, and bytes of its files."""

    entries: int
    bytes: int


def place() -> Path | None:
    """Return where the store is kept; None if it is switched off."""
    named = os.environ.get(FOLDER, "")
    if named.lower() == "off":
        return None
    if named:
        return Path(named)
    import platformdirs

    return Path(platformdirs.user_cache_dir("agile-crate", appauthor=False))


@contextlib.contextmanager
def opened(limit: int = LARGEST_BYTES, memory: int = 0) -> Iterator[Cache]:
    """The store for one run, or one that keeps nothing if none can be opened. A run that builds again and
    again may hold so many bytes of `memory` besides."""
    folder = place()
    cache = Cache(*(_connected(folder) if folder else (None, 0)), limit, memory)
    try:
        yield cache
    finally:
        cache.close()


def _connected(folder: Path) -> tuple[sqlite3.Connection | None, int]:
    """Open a connection, and return it with the time of its file system."""
    path = _file(folder)
    for _ in range(2):
        connection = None
        try:
            folder.mkdir(0o700, parents=True, exist_ok=True)  # whoever writes to it may forge frames
            connection = sqlite3.connect(path, timeout=LOCK_TIMEOUT_S, check_same_thread=False)
            connection.execute("PRAGMA synchronous = OFF")
            if not connection.execute("SELECT name FROM sqlite_master WHERE name = 'state'").fetchone():
                connection.execute("PRAGMA auto_vacuum = INCREMENTAL")
                connection.execute("PRAGMA journal_mode = WAL")
                connection.executescript(_TABLES)
            os.utime(path)
            return connection, os.stat(path).st_mtime_ns
        except sqlite3.OperationalError:  # busy, read-only, or no room
            _close(connection)
            return None, 0
        except sqlite3.Error:  # damaged
            _close(connection)
            clear(folder)
        except OSError:
            _close(connection)
            return None, 0
    return None, 0


def clear(folder: Path) -> None:
    """Delete the cache's files. A build that has them open continues with them."""
    for path in _files(folder):
        with contextlib.suppress(OSError):
            path.unlink()


def held(folder: Path) -> Held:
    """Return the size of a store."""
    size = sum(path.stat().st_size for path in _files(folder))
    entries = 0
    if _file(folder).is_file():
        cache = Cache(*_connected(folder))
        entries = cache.count()
        cache.close()
    return Held(entries, size)


def _file(folder: Path) -> Path:
    return folder / f"store-{VERSION}.sqlite"


def _files(folder: Path) -> list[Path]:
    """Yield the store's files, of any version, and the files of charts. SQLite keeps two more next to a store in
    use."""
    return sorted(path for name in ("store-*.sqlite*", "charts/*") for path in folder.glob(name) if path.is_file())


class Cache:
    """An open store. Without a connection it is empty and keeps nothing."""

    def __init__(
        self, connection: sqlite3.Connection | None, now: int = 0, limit: int = LARGEST_BYTES, memory: int = 0
    ) -> None:
        self._connection = connection
        self._now = now
        self._limit = limit
        self._memory = memory
        self._remembered: dict[bytes, tuple[object, int]] = {}
        self._lock = threading.Lock()
        self._used: set[bytes] = set()
        self._noted: dict[bytes, bytes] = {}
        self._waiting: dict[bytes, bytes] = {}
        self._waiting_bytes = 0
        self._run = 1 + (self._one("SELECT value FROM state WHERE name = 'runs'") or 0)

    def sha256(self, path: str) -> str:
        """Return the recorded digest of an unchanged file, in hex; empty if it may have changed."""
        marks = _marks(path)
        value = self.get(_file_key(path)) if marks else None
        return value[_MARKS.size :].hex() if value and marks == value[: _MARKS.size] else ""

    def noted(self, path: str, read: Callable[[], bytes]) -> tuple[bytes, str]:
        """Return a file's bytes, read by `read`, and their digest in hex. The digest is kept if the file did not change
        meanwhile or just before."""
        before = _marks(path)
        data = read()
        digest = hashlib.sha256(data)
        if (
            self._connection
            and before
            and before == _marks(path)
            and max(_MARKS.unpack(before)[3:]) + UNCHANGED_FOR_NS < self._now
        ):
            self._noted[_file_key(path)] = before + digest.digest()
        return data, digest.hexdigest()

    def get(self, key: bytes) -> bytes | None:
        """The value of an entry, or None."""
        if (waiting := self._waiting.get(key)) is not None:
            return waiting
        found = self._row("SELECT value, digest FROM entry WHERE key = ?", key)
        if found is None or not isinstance(found[0], bytes) or found[1] != _digest(key, found[0]):
            return None
        self._used.add(key)
        return found[0]

    def has_written(self, sha256: str) -> bool:
        """Return True if a build wrote a file with this SHA-256, in hex, byte for byte."""
        return self.get(_WRITTEN + bytes.fromhex(sha256)) is not None

    def put_written(self, sha256: str) -> None:
        """Keep the SHA-256, in hex, of a file that this build writes from its sources alone."""
        self.put(_WRITTEN + bytes.fromhex(sha256), b"")

    def put(self, key: bytes, value: bytes) -> None:
        """Keep a value under a key; it is written together with others. A failure is not an error."""
        if not self._connection:
            return
        with self._lock:
            self._waiting[key] = value
            self._waiting_bytes += len(value)
            is_much = self._waiting_bytes >= BATCH_BYTES
        if is_much:
            self._write()

    def remember(self, key: bytes, thing: object, size: int) -> None:
        """Keep a value of this many bytes in memory if it has room; the most recently used stay."""
        if size > self._memory:
            return
        with self._lock:
            self._remembered[key] = self._remembered.pop(key, (thing, size))
            total = sum(size for _, size in self._remembered.values())
            while total > self._memory:
                total -= self._remembered.pop(next(iter(self._remembered)))[1]

    def remembered(self, key: bytes) -> object | None:
        """Return a value that this run keeps in memory."""
        with self._lock:
            found = self._remembered.pop(key, None)
            if found:
                self._remembered[key] = found
            return found[0] if found else None

    def refresh(self) -> None:
        """Let a long-lived run see its own notes, and read the clock again."""
        self._settle()
        if self._connection and (folder := place()):
            with contextlib.suppress(OSError):
                os.utime(_file(folder))
                self._now = os.stat(_file(folder)).st_mtime_ns

    def count(self) -> int:
        """Return the number of entries."""
        return int(self._one("SELECT count(*) FROM entry") or 0)

    def close(self) -> None:
        """End the run."""
        self._settle()
        _close(self._connection)
        self._connection = None

    def _settle(self) -> None:
        """Record used entries, and check the total size."""
        with self._lock:
            self._waiting |= self._noted
        self._noted.clear()
        used = [(self._run, key) for key in self._used]
        self._used.clear()
        self._write(
            ("UPDATE age SET used = ? WHERE key = ?", used),
            ("INSERT OR REPLACE INTO state VALUES ('runs', ?)", [(self._run,)]),
        )
        known = self._one("SELECT value FROM state WHERE name = 'bytes'")
        if known is None or known > self._limit:  # an estimate that counts rewritten entries twice
            self._let_go()

    def _let_go(self) -> None:
        """Delete the least recently used entries beyond the size limit."""
        size = self._one("SELECT sum(size) FROM age") or 0
        if size > self._limit:
            whole = "SELECT key, sum(size) OVER (ORDER BY used DESC, key) AS whole FROM age"
            over = f"SELECT key FROM ({whole}) WHERE whole > {self._limit * 3 // 4}"
            self._change(
                (f"DELETE FROM entry WHERE key IN ({over})", [()]),
                ("DELETE FROM age WHERE key NOT IN (SELECT key FROM entry)", [()]),
            )
            self._row("PRAGMA incremental_vacuum")
            size = self._one("SELECT sum(size) FROM age") or 0
        self._change(("INSERT OR REPLACE INTO state VALUES ('bytes', ?)", [(size,)]))

    def _write(self, *more: Change) -> None:
        """Write the waiting values and more at once, since every change waits for other builds."""
        with self._lock:
            pairs, self._waiting, self._waiting_bytes = list(self._waiting.items()), {}, 0
        rows = [(key, value, _digest(key, value)) for key, value in pairs]
        ages = [(key, len(value), self._run) for key, value in pairs]
        self._change(
            ("INSERT OR REPLACE INTO entry VALUES (?, ?, ?)", rows),
            ("INSERT OR REPLACE INTO age VALUES (?, ?, ?)", ages),
            ("UPDATE state SET value = value + ? WHERE name = 'bytes'", [(sum(size for _, size, _ in ages),)]),
            *more,
        )

    def _one(self, question: str) -> Any:
        found = self._row(question)
        return found[0] if found else None

    def _row(self, question: str, *values: object) -> tuple[Any, ...] | None:
        with self._lock:
            try:
                return self._connection.execute(question, values).fetchone() if self._connection else None
            except sqlite3.Error as error:
                self._failed(error)
        return None

    def _change(self, *changes: Change) -> None:
        with self._lock:
            try:
                if self._connection:
                    with self._connection:
                        for statement, rows in changes:
                            self._connection.executemany(statement, rows)
            except sqlite3.Error as error:
                self._failed(error)

    def _failed(self, error: sqlite3.Error) -> None:
        """Handle a failure: a busy store or full disk keeps the store; a damaged store is left out, and the next run
        replaces it."""
        if isinstance(error, sqlite3.OperationalError):
            return
        _close(self._connection)
        self._connection = None
        if folder := place():
            clear(folder)


def _close(connection: sqlite3.Connection | None) -> None:
    if connection:
        with contextlib.suppress(sqlite3.Error):
            connection.close()


def _file_key(path: str) -> bytes:
    return b"file:" + os.path.abspath(path).encode("utf-8", "surrogatepass")


def _marks(path: str) -> bytes | None:
    """Return what tells a file from itself after a change; None where it is not a regular file."""
    try:
        status = os.stat(path)
        times = status.st_mtime_ns, status.st_ctime_ns
        return (
            _MARKS.pack(status.st_dev, status.st_ino, status.st_size, *times) if stat.S_ISREG(status.st_mode) else None
        )
    except (OSError, struct.error):  # a time before 1970
        return None


def _digest(key: bytes, value: bytes) -> bytes:
    """Return a digest of a key and its value's checksum. It finds damage; no digest here could find forgery."""
    return hashlib.blake2b(key + zlib.crc32(value).to_bytes(4), digest_size=16).digest()
