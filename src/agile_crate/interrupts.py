"""What an interruption does: it ends the program at once, but for the moments in which files come into place.

The command line's signal handlers ask `is_idle` and call `arrived`; whoever writes files does so within `writing`, and
puts them in place within `committing`.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterator


class AfterCommit(KeyboardInterrupt):
    """Interrupted when everything had come into place."""


class _State:
    writers = 0
    is_committing = False
    has_committed = False
    has_arrived = False


def is_idle() -> bool:
    """Whether nothing has been written that would have to be taken back, and nothing has come into place."""
    return not (_State.writers or _State.has_committed)


def arrived() -> None:
    """An interruption: raises KeyboardInterrupt, or AfterCommit; in a commit that has begun it waits for its end."""
    _State.has_arrived = True
    if not _State.is_committing:
        raise AfterCommit if _State.has_committed else KeyboardInterrupt


def has_arrived() -> bool:
    return _State.has_arrived


@contextlib.contextmanager
def writing() -> Iterator[None]:
    """Within it there are files to take back."""
    _State.writers += 1
    try:
        yield
    finally:
        _State.writers -= 1


@contextlib.contextmanager
def committing() -> Iterator[None]:
    """Within it, interruptions wait. What waited comes at its end: as AfterCommit if it succeeded."""
    _State.is_committing = True
    try:
        yield
        _State.has_committed = True
    finally:
        _State.is_committing = False
    if _State.has_arrived:
        raise AfterCommit
