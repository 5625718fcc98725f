"""Changes of files, reported by the system through watchdog."""

from __future__ import annotations

import contextlib
import os
import queue
from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from ..core.crate.file_names import HIDDEN_PREFIX
from ..core.errors import InputError, reason
from ..core.text import shown

if TYPE_CHECKING:
    from watchdog.events import FileSystemEvent, FileSystemEventHandler
    from watchdog.observers.api import BaseObserver, ObservedWatch

QUIET_S = 0.08
"""Seconds without a change after which a burst is over."""

GONE_S = 0.4
"""The same, where a file has vanished: programs that save by taking the old file away need a moment."""

TICK_S = 0.5
"""Seconds after which a wait looks up, so that it can be interrupted on every system."""


class Watch:
    """Folders that are watched, and the paths that changed in them since they were last asked for."""

    def __init__(self, observer: BaseObserver) -> None:
        self._observer = observer
        self._changes: queue.SimpleQueue[str] = queue.SimpleQueue()
        self._watched: dict[tuple[str, bool], ObservedWatch] = {}
        self._wanted: set[str] = set()
        self._listed: set[str] = set()

    def cover(self, paths: Iterable[str], listed: Iterable[str] = ()) -> None:
        """Watch these files and folders, with the files in the folders, and nothing else; of the `listed` folders, only
        their own entries. If one does not exist yet, the nearest folder above it is watched until it comes; the folder
        above tells when one goes. Raises InputError where the system watches no more."""
        self._wanted = {os.path.realpath(path or os.curdir) for path in paths}
        self._listed = {os.path.realpath(path or os.curdir) for path in listed}
        places = {place for path in self._wanted for place in (_place_of(path), _place_above(path))}
        places |= {(_place_of(path)[0], False) for path in self._listed}
        deep = {folder for folder, is_deep in places if is_deep}
        needed = {
            (folder, is_deep)
            for folder, is_deep in places
            if not any(_is_below(folder, top) and (folder, is_deep) != (top, True) for top in deep)
        }
        for place in set(self._watched) - needed:
            with contextlib.suppress(OSError, KeyError):
                self._observer.unschedule(self._watched.pop(place))
        for folder, is_deep in sorted(needed - set(self._watched)):
            try:
                self._watched[folder, is_deep] = self._observer.schedule(_handler(self), folder, recursive=is_deep)
            except OSError as error:
                if os.path.isdir(folder):
                    what = f"{shown(folder)} cannot be watched: {reason(error)}"
                    raise InputError(
                        f"{what}; raise the system's limit of watched files, or name fewer folders"
                    ) from None

    def record(self, event: FileSystemEvent) -> None:
        """Record a change of a watched path, or of one in it or above it. Our own files on the way to their places do
        not count."""
        if event.event_type in ("opened", "closed_no_write") or (event.is_directory and event.event_type == "modified"):
            return
        for path in filter(None, map(os.fsdecode, (event.src_path, event.dest_path))):
            hidden = os.path.basename(path).startswith(HIDDEN_PREFIX)
            if hidden:
                continue
            is_listed = os.path.dirname(path) in self._listed or any(_is_below(top, path) for top in self._listed)
            if is_listed or any(_is_below(path, wanted) or _is_below(wanted, path) for wanted in self._wanted):
                self._changes.put(path)

    def any_within(self, seconds: float) -> bool:
        """Wait for a change, without taking it."""
        try:
            self._changes.put(self._changes.get(timeout=seconds))
        except queue.Empty:
            return False
        return True

    def next_burst(self) -> set[str]:
        """Wait for changes, and for quiet after them. Return the changed paths."""
        changed: set[str] = set()
        while not changed:
            with contextlib.suppress(queue.Empty):
                changed.add(self._changes.get(timeout=TICK_S))
        while True:
            try:
                changed.add(self._changes.get(timeout=GONE_S if any(map(_is_missing, changed)) else QUIET_S))
            except queue.Empty:
                return changed


@contextlib.contextmanager
def watching() -> Iterator[Watch]:
    """A watch, until it is left."""
    import logging

    from watchdog.observers import Observer

    logging.getLogger("watchdog").setLevel(logging.CRITICAL)  # its remarks on its own threads are for its makers
    observer = Observer()
    observer.start()
    try:
        yield Watch(observer)
    finally:
        observer.stop()
        observer.join(5)


def _is_missing(path: str) -> bool:
    return not os.path.lexists(path)


def _is_below(path: str, folder: str) -> bool:
    with contextlib.suppress(ValueError):  # on other drives
        return os.path.commonpath([path, folder]) == folder
    return False


def _place_above(path: str) -> tuple[str, bool]:
    return _place_of(os.path.dirname(path))[0], False


def _place_of(path: str) -> tuple[str, bool]:
    """Return the folder to watch for a path, and True if everything below it counts."""
    if os.path.isdir(path):
        return path, True
    folder = os.path.dirname(path)
    while not os.path.isdir(folder):
        folder = os.path.dirname(folder)
    return folder, False


def _handler(watch: Watch) -> FileSystemEventHandler:
    from watchdog.events import FileSystemEventHandler

    class Handler(FileSystemEventHandler):
        def on_any_event(self, event: FileSystemEvent) -> None:
            watch.record(event)

    return Handler()
