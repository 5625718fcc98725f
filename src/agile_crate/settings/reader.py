"""Readers of settings' values. A reader takes a text and returns a plain value, or raises UsageError with a sentence
that quotes the text and names the expected form. It also knows the value's types in TOML."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from typing import Generic, TypeVar

from ..core.arrange.sheet_size import LARGEST_SIDE
from ..core.errors import UsageError
from ..core.names import nearest
from ..core.text import quoted
from . import kinds
from .kinds import Kind

T = TypeVar("T")
T_co = TypeVar("T_co", covariant=True)
Word = TypeVar("Word", bound=str)


class Reader(Generic[T_co]):
    """A reader of texts, and the types that a crate file may give for it."""

    __slots__ = ("kind", "read")

    def __init__(self, read: Callable[[str], T_co], kind: Kind) -> None:
        self.read, self.kind = read, kind

    def __call__(self, text: str) -> T_co:
        return self.read(text)


def of(kind: Kind) -> Callable[[Callable[[str], T]], Reader[T]]:
    """Make a reader from a function."""
    return lambda read: Reader(read, kind)


def choice(choices: tuple[Word, ...]) -> Reader[Word]:
    """Return a reader of one word out of several."""

    @of(kinds.word(choices))
    def read(text: str) -> Word:
        for word in choices:
            if word == text:
                return word
        near = nearest(text, choices)
        hint = f"; did you mean {near}?" if near else ""
        raise UsageError(f"{quoted(text)} is not one of {', '.join(choices)}{hint}")

    return read


def whole(least: int, most: int = LARGEST_SIDE) -> Reader[int]:
    """Return a reader of whole numbers between two."""

    @of(kinds.whole(least, most))
    def read(text: str) -> int:
        number = int(text) if text.isascii() and text.isdigit() and len(text) < 10 else -1
        if not least <= number <= most:
            raise UsageError(f"{quoted(text)} is not a whole number from {least} to {most}")
        return number

    return read


def fraction(text: str) -> Fraction | None:
    """A number such as ``0.5`` or ``30000/1001``; None for any other text."""
    try:
        return Fraction(text) if len(text) < 30 and text.isascii() and "e" not in text.lower() else None
    except (ValueError, ZeroDivisionError):
        return None
