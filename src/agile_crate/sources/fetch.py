"""Inputs at addresses: fsspec's file systems first fetch the files into a folder of our own.

Servers are not trusted: names stay in the folder, and no file may be larger than one on disk may be.
"""

from __future__ import annotations

import contextlib
import glob
import os
import tempfile
from collections.abc import Iterable, Iterator, Mapping, Sequence
from concurrent.futures import Executor
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple

from ..core.errors import CrateError, InputError, UsageError
from ..core.limits import Limits, raise_hint
from ..core.message import a_file
from ..core.names import is_address, leads_out
from ..core.text import bytes_shown, counted, shown
from .find import is_picture_name


class Address(NamedTuple):
    """A fetched address: the folder that its names are relative to, the text after it, and
    the files."""

    given: str
    system: Any
    base: str
    tail: str
    files: Sequence[str]


@contextlib.contextmanager
def fetched(lists: Sequence[Sequence[str]], executor: Executor, limits: Limits) -> Iterator[list[list[str]]]:
    """Return the lists of inputs with a local path in place of each address. Errors name the addresses."""
    with tempfile.TemporaryDirectory(prefix="agile-crate-") as folder:
        found: dict[str, str] = {}
        roots: dict[str, str] = {}
        for given in dict.fromkeys(given for inputs in lists for given in inputs if is_address(given)):
            local = os.path.join(folder, str(len(found)))
            found[given], root, base = _fetched(given, local, executor, limits)
            roots[root] = base
        try:
            yield [[found.get(given, given) for given in inputs] for inputs in lists]
        except CrateError as error:
            raise type(error)(error.message.with_paths(partial(_as_given, roots=roots))) from None


def _as_given(path: str, roots: Mapping[str, str]) -> str:
    """Return the address in place of the path of what was fetched."""
    return next((base + path.removeprefix(root) for root, base in roots.items() if path.startswith(root)), path)


def _fetched(given: str, local: str, executor: Executor, limits: Limits) -> tuple[str, str, str]:
    """The path of what was fetched; the folder that names begin below, and its address."""
    try:
        address = _looked_up(given, limits)
        root = Path(local, address.base.rstrip("/").rpartition("/")[2] or "frames")
        fetch = _Fetch(address, root, limits)
        for _ in executor.map(fetch, address.files):
            pass
    except (CrateError, MemoryError):
        raise
    except Exception as error:  # of whichever system, network or package
        why = " ".join(str(error).split())[:160] or type(error).__name__
        raise InputError(
            "{} cannot be read: {}; check the address, and that its server answers", a_file(given), why
        ) from None
    base = given.rstrip("/").removesuffix(address.tail).rstrip("/")
    return os.path.join(str(root), address.tail).rstrip(os.sep), str(root), base


def _looked_up(given: str, limits: Limits) -> Address:
    if "::" in given:
        raise UsageError(f"{shown(given)} is an address within another; name the files themselves")
    try:
        from fsspec.core import url_to_fs
    except ImportError:
        raise UsageError(
            f"{shown(given)} is an address, which needs fsspec: pip install 'agile-crate[cluster]'"
        ) from None
    system, path = url_to_fs(given)
    path = path.rstrip("/")
    if glob.has_magic(path) and not system.exists(path):
        base = path
        while glob.has_magic(base):
            base = base.rpartition("/")[0]
        found = [name for match in system.glob(path) for name in _below(system, match)]
    elif system.isdir(path):
        base, found = path, list(_below(system, path))
    elif system.exists(path):
        base, found = path.rpartition("/")[0], [path]
    else:
        raise InputError("{} does not exist; check the address", a_file(given))
    files = [name for name in dict.fromkeys(found) if is_picture_name(name)]
    if not files:
        raise InputError("{} has no pictures; check the address", a_file(given))
    if len(files) > (most := limits.frames):
        raise InputError(
            "{} has more than {}; name a part of it, or {}", a_file(given), counted(most, "file"), raise_hint("frames")
        )
    return Address(given, system, base, path.removeprefix(base).lstrip("/"), files)


def _below(system: Any, path: str) -> Iterator[str]:
    if system.isdir(path):
        yield from system.find(path)
    else:
        yield path


class _Fetch:
    """The download of one file from an address into a folder."""

    def __init__(self, address: Address, root: Path, limits: Limits) -> None:
        self._address, self._root, self._limits = address, root, limits

    def __call__(self, name: str) -> None:
        given, system, base, _, _ = self._address
        inside = name.removeprefix(base).lstrip("/")
        if not name.startswith(base) or leads_out(inside):
            raise InputError(
                "{} has a file with a path that leads out of it: {}; it was not fetched", a_file(given), shown(name)
            )
        with system.open(name, "rb") as stream:
            data = stream.read((most := self._limits.file_bytes) + 1)
        if len(data) > most:
            raise InputError("{} is larger than {}; {}", shown(name), bytes_shown(most), raise_hint("file_bytes"))
        path = self._root / inside
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)


def write_uploads(files: Iterable[tuple[str, bytes]], root: str) -> None:
    """Write uploaded files below a folder, by their absolute paths. Raises InputError for a path that leads out of
    it."""
    for path, data in files:
        target = Path(below(root, path))
        if ".." in target.parts:
            raise InputError("{} leads out of its folder; it was skipped", a_file(path))
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data)


def below(root: str, path: str) -> str:
    """Turn an absolute path into one below a folder; a drive's letter becomes a folder."""
    return os.path.join(root, path.replace(":", "").lstrip("/\\"))
