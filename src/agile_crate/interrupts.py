"""Interruptions: they end the program at once, except while files are committed.

The command line's signal handlers ask `is_idle` and call `arrived`; whoever writes files does so within `writing`,
takes back what it wrote within `held`, and puts files in place within `committing`.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterator


class AfterCommit(KeyboardInterrupt):
    """Interrupted when everything had come into place."""


class _State:
    writers = 0
    holders = 0
    has_committed = False
    has_arrived = False
    is_waiting = False


def is_idle() -> bool:
    """Return True if nothing has been written that would have to be taken back, and nothing has come into place."""
    return not (_State.writers or _State.has_committed)


def begin_anew() -> None:
    """Reset the state for the next job of a process that does several."""
    _State.writers = _State.holders = 0
    _State.has_committed = _State.has_arrived = _State.is_waiting = False


def arrived() -> None:
    """Handle an interruption: raise KeyboardInterrupt or AfterCommit, unless it has to wait."""
    _State.has_arrived = True
    if _State.holders:
        _State.is_waiting = True
    else:
        raise AfterCommit if _State.has_committed else KeyboardInterrupt


def has_arrived() -> bool:
    """Return True if an interruption has arrived."""
    return _State.has_arrived


def has_committed() -> bool:
    """Return True if files have come into place."""
    return _State.has_committed


@contextlib.contextmanager
def writing() -> Iterator[None]:
    """Mark the time in which the run has files to undo."""
    _State.writers += 1
    try:
        yield
    finally:
        _State.writers -= 1


@contextlib.contextmanager
def held() -> Iterator[None]:
    """Hold interruptions back, and deliver them at the end."""
    _State.holders += 1
    try:
        yield
    finally:
        _State.holders -= 1
        if _State.is_waiting and not _State.holders:
            _State.is_waiting = False
            arrived()


@contextlib.contextmanager
def committing() -> Iterator[None]:
    """Mark the time in which files are put in place, and record that they were."""
    with held():
        yield
        _State.has_committed = True
