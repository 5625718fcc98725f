"""Standard output and standard error, whatever they are connected to: a full disk, nothing at all, any encoding."""

from __future__ import annotations

import contextlib
import os
import sys
from typing import Any


class _Forgiving:
    """A stream whose failures do not matter: what is said on standard error must not end what is being done."""

    def __init__(self, stream: Any) -> None:
        self._stream = stream

    def write(self, text: str) -> int:
        try:
            return int(self._stream.write(text))
        except (OSError, ValueError):
            return len(text)

    def flush(self) -> None:
        with contextlib.suppress(OSError, ValueError):
            self._stream.flush()

    def __getattr__(self, name: str) -> Any:
        return getattr(self._stream, name)


def make_safe() -> None:
    """Has both streams be there, take every character, and standard error take no offence."""
    for name in ("stdout", "stderr"):
        if getattr(sys, name) is None:  # it was closed before we began
            setattr(sys, name, os.fdopen(os.open(os.devnull, os.O_WRONLY), "w", encoding="utf-8"))
        stream = getattr(sys, name)
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")
    if not isinstance(sys.stderr, _Forgiving):
        sys.stderr = _Forgiving(sys.stderr)
