"""Readers of settings that name animations and frames: selections, new names, holds, splits. See `reader`."""

from __future__ import annotations

from fractions import Fraction

from ..core.errors import UsageError
from ..core.motion.spans import LAST, Span, Spans
from ..core.motion.timing import Hold
from ..core.text import quoted
from . import kinds
from .reader import fraction, of, whole
from .readers import time


@of(kinds.TEXT)
def spans(text: str) -> Spans:
    """Ranges of positions from 1, or of numbers: ``5-30``, ``1,3,6-9``, ``5-last``, an open end ``5-``, backwards
    ``8-5``."""
    return tuple(_span(part.strip(), text) for part in text.split(","))


def _span(part: str, text: str) -> Span:
    first, dash, last = part.partition("-")
    ends = [first, last] if dash and last else [first]
    if any(end != "last" and not (end.isascii() and end.isdigit() and len(end) < 9) for end in ends):
        is_end_alone = not first and last.isdigit()
        meant = f"1{part} for the first {last}, or last for the last one" if is_end_alone else "1,3,6-9"
        raise UsageError(f"{quoted(text)} is not a range of frames: write it such as 5-30, 5-last or {meant}")
    numbers = [LAST if end == "last" else int(end) for end in ends]
    return Span(numbers[0], None if dash and not last else numbers[-1])


@of(kinds.PAIRS)
def pair(text: str) -> tuple[str, str]:
    """Two names: ``old=new``."""
    left, _, right = text.partition("=")
    if not left or not right:
        raise UsageError(
            f"{quoted(text)} is not a pair of names: write them with = between, such as walk_left=walk_right"
        )
    return left, right


@of(kinds.PAIRS)
def new_name(text: str) -> tuple[str, str]:
    """``old=new``, or ``new`` for the only animation."""
    return pair(text) if "=" in text or not text else ("", text)


@of(kinds.HOLDS)
def hold(text: str) -> tuple[str, int, Hold]:
    """``swim:3=2`` holds frame 3 of swim twice as long, ``swim:last=200ms`` its last one for 200 ms; ``-2`` is the last
    but one. Without a name it is the only animation."""
    where, _, amount = text.rpartition("=")
    name, colon, position = where.rpartition(":")
    try:
        held = Hold(milliseconds=time(amount)) if amount.endswith("s") else Hold(_factor(amount))
        if bool(name) == bool(colon):
            return name, _position(position), held
    except UsageError:
        pass
    raise UsageError(
        f"{quoted(text)} is not a hold: write animation:frame=factor or animation:frame=time, "
        "such as swim:3=2, swim:3=200ms or swim:last=200ms"
    )


def _position(text: str) -> int:
    """A position from 1, or from the end, where the last one is -1."""
    if text == "last":
        return LAST
    number = whole(1, 10**8)(text.removeprefix("-"))
    return -number if text.startswith("-") else number


def _factor(text: str) -> Fraction:
    number = fraction(text)
    if number is None or not Fraction(1, 1000) <= number <= 1000:
        raise UsageError(text)
    return number


@of(kinds.PARTS)
def parts(text: str) -> tuple[str, dict[str, Spans]]:
    """``gull=glide:1-20,land:21-44``: which ranges of a sequence become which animations; of the only one,
    if no name comes before."""
    name, equals, rest = text.rpartition("=")
    cut: dict[str, Spans] = {}
    part = ""
    for piece in rest.split(","):
        label, colon, numbers = piece.rpartition(":")
        part = label if colon else part
        if bool(name) != bool(equals) or not part:
            raise UsageError(
                f"{quoted(text)} is not a split: write animation=part:range,part:range, "
                "such as gull=glide:1-20,land:21-44"
            )
        cut[part] = cut.get(part, ()) + spans(numbers)
    return name, cut


@of(kinds.LISTS)
def sequence(text: str) -> tuple[str, tuple[str, ...]]:
    """``mouth=open,half,shut``: an animation of frames in this order."""
    name, _, listed = text.partition("=")
    frames = tuple(listed.split(","))
    if not name or not all(frames):
        raise UsageError(
            f"{quoted(text)} is not a sequence: write an animation and its frames, such as mouth=open,half,shut"
        )
    return name, frames


@of(kinds.TEXTS)
def names(text: str) -> tuple[str, ...]:
    """Names with commas between."""
    listed = tuple(text.split(","))
    if not all(listed) or len(set(listed)) < len(listed):
        raise UsageError(f"{quoted(text)} is not a list of names: write each once, with commas between")
    return listed


@of(kinds.TEXTS)
def pattern(text: str) -> str:
    """A pattern for names."""
    return text
