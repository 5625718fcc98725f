"""The places of keys in a TOML text. The standard library's reader tells no places, and a sentence on a key wants the
line. The text has been read before, so it is known to be valid (TOML 1.0.0); nothing is checked here. Cost: linear."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Generator, Iterator

Keys = tuple[str, ...]

_IDLE = re.compile(r"(?:[ \t\r\n]|#[^\n]*)*")
_PART = re.compile(r"""[A-Za-z0-9_-]+|"(?:\\.|[^"\\\n])*"|'[^'\n]*'""")
_DOT = re.compile(r"[ \t]*\.[ \t]*")
_TEXT = re.compile(r'"""(?:\\.|[^\\])*?"{3,5}|\'\'\'.*?\'{3,5}|"(?:\\.|[^"\\\n])*"|\'[^\'\n]*\'', re.DOTALL)
_BARE = re.compile(r"[^,\]}\n#]*")


def place_of(text: str, keys: Keys) -> tuple[int, int]:
    """The line and column, from 1, of a key, or else of the longest existing part of its path."""
    best, at = 0, 0
    for found, offset in _places(text):
        shared = next((n for n, pair in enumerate(zip(found, keys, strict=False)) if pair[0] != pair[1]), None)
        length = min(len(found), len(keys)) if shared is None else shared
        if length > best:
            best, at = length, offset
    return text.count("\n", 0, at) + 1, at - (text.rfind("\n", 0, at) + 1) + 1


def _places(text: str) -> Iterator[tuple[Keys, int]]:
    """Yield every written key, with its whole path and the place where it begins."""
    at = _skip(text, 0)
    table: Keys = ()
    while at < len(text):
        if text[at] == "[":
            begin = at
            at = _skip(text, at + (2 if text.startswith("[[", at) else 1))
            table, at = _key(text, at)
            yield table, begin
            at = text.index("]", at) + 1
            at += text.startswith("]", at)
        else:
            begin = at
            keys, at = _key(text, at)
            yield (*table, *keys), begin
            at = yield from _value(text, text.index("=", at) + 1, (*table, *keys))
        at = _skip(text, at)


def _value(text: str, at: int, keys: Keys) -> Generator[tuple[Keys, int], None, int]:
    """The keys within a value; returns where it ends."""
    at = _skip(text, at)
    if text[at] in "[{":
        closing = "]" if text[at] == "[" else "}"
        at = _skip(text, at + 1)
        while text[at] != closing:
            inside = keys
            if closing == "}":
                begin = at
                more, at = _key(text, at)
                inside = (*keys, *more)
                yield inside, begin
                at = text.index("=", at) + 1
            at = yield from _value(text, at, inside)
            at = _skip(text, at)
            if text[at] == ",":
                at = _skip(text, at + 1)
        return at + 1
    found = _TEXT.match(text, at) or _BARE.match(text, at)
    assert found, "the text is valid"
    return found.end()


def _key(text: str, at: int) -> tuple[Keys, int]:
    parts: list[str] = []
    while True:
        found = _PART.match(text, at)
        assert found, "the text is valid"
        word, at = found[0], found.end()
        parts.append(tomllib.loads(f"x={word}")["x"] if word[0] in "\"'" else word)
        dot = _DOT.match(text, at)
        if not dot:
            return tuple(parts), at
        at = dot.end()


def _skip(text: str, at: int) -> int:
    found = _IDLE.match(text, at)
    return found.end() if found else at
