"""Standard output and standard error, on any target: a full disk, a closed stream, any encoding."""

from __future__ import annotations

import codecs
import contextlib
import os
import sys
from typing import Any, TextIO

PLAIN = {"×": "x", "→": "->", "…": "...", "–": "-", "’": "'", "²": "^2", "½": "1/2"}
"""Plain text for signs that an encoding lacks; other characters are escaped."""


class _Forgiving:
    """A stream whose failures do not matter: messages on standard error must not end the work."""

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


def _plainly(error: UnicodeError) -> tuple[str | bytes, int]:
    if isinstance(error, UnicodeEncodeError) and (plain := PLAIN.get(error.object[error.start])):
        return plain, error.start + 1
    if isinstance(error, UnicodeEncodeError):
        error = UnicodeEncodeError(error.encoding, error.object, error.start, error.start + 1, error.reason)
    return codecs.backslashreplace_errors(error)


def print_json(document: object, stream: TextIO | None = None, indent: int | None = 2) -> None:
    """Print a document on a stream, by default stdout. Unprintable characters are escaped; so is all that is not ASCII
    if the stream's encoding is not Unicode."""
    import json

    stream = stream or sys.stdout
    takes_all = "utf" in (getattr(stream, "encoding", None) or "utf").lower()
    text = json.dumps(document, ensure_ascii=not takes_all, indent=indent)
    if not text.replace("\n", "").isprintable():
        text = "".join(sign if sign.isprintable() or sign == "\n" else json.dumps(sign)[1:-1] for sign in text)
    print(text, file=stream, flush=True)


def make_safe() -> None:
    """Make both streams exist and accept every character; errors on standard error are ignored."""
    codecs.register_error("plain signs", _plainly)
    for name in ("stdout", "stderr"):
        if getattr(sys, name) is None:  # it was closed before we began
            setattr(sys, name, os.fdopen(os.open(os.devnull, os.O_WRONLY), "w", encoding="utf-8"))
        stream = getattr(sys, name)
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="plain signs")
    if not isinstance(sys.stderr, _Forgiving):
        sys.stderr = _Forgiving(sys.stderr)
