"""Frames that fell out of their series: ``dive_15 fixed`` beside ``dive_14`` and ``dive_16``."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import NamedTuple

from ..message import Message, message, setting
from ..model.picture import FrameSequence
from ..names import SEPARATORS, split_number
from ..text import quoted
from .take import missing_numbers

IsBetween = Callable[[str, str, str], bool]
"""A test that returns True if the first of three frames may come between the other two, by its pixels."""

_NUMBER_INSIDE = re.compile(rf"(.*?)[{re.escape(SEPARATORS)}]*\(?([0-9]+)\)?[^0-9].*")


class Stray(NamedTuple):
    """A frame that seems to be missing in an animation: its name, the animation, the number, and the right name."""

    frame: str
    animation: str
    number: int
    right_name: str


def strays(sequences: Sequence[FrameSequence], is_between: IsBetween) -> list[Stray]:
    """Return the frames that seem to be those that series lack, by their names, or else by their pixels.

    Candidates are the stills, and animations of one frame, of the folder that the series lies in. Cost: linear in the
    names, and a comparison of pixels for each candidate beside a series that lacks numbers.
    """
    candidates: dict[str, list[str]] = defaultdict(list)
    for sequence in sequences:
        if sequence.name is None or len(sequence.frames) == 1:
            for frame in sequence.frames:
                candidates[frame.name.rpartition("/")[0]].append(frame.name)
    found: list[Stray] = []
    for sequence in sequences if candidates else ():
        if sequence.name is None or len(sequence.frames) < 2:
            continue
        missing = set(missing_numbers(sequence))
        for (folder, series), frames in _by_series(sequence).items():
            named = dict(_by_name(candidates[folder], series, frames)) if folder in candidates else {}
            others = [name for name in candidates.get(folder, ()) if name not in named.values()]
            numbers = {**dict(_by_likeness(others, missing, frames, is_between)), **named}
            template = next(iter(frames.values()))
            for number, name in sorted(numbers.items()):
                found.append(Stray(name, sequence.name, number, _with_number(template, number)))
                candidates[folder].remove(name)
    return found


def _by_series(sequence: FrameSequence) -> Mapping[tuple[str, str], dict[int, str]]:
    """Return the numbered frames of a sequence by folder and series."""
    found: dict[tuple[str, str], dict[int, str]] = defaultdict(dict)
    for frame in sequence.frames:
        folder, _, last = frame.name.rpartition("/")
        series, number = split_number(last)
        if number is not None:
            found[folder, series][number] = frame.name
    return found


def _by_name(beside: Sequence[str], series: str, frames: Mapping[int, str]) -> Iterator[tuple[int, str]]:
    """Yield the numbers that names begin with after the name of the series, if it lacks them."""
    lowest, highest = min(frames), max(frames)
    for name in beside:
        match = _NUMBER_INSIDE.fullmatch(name.rpartition("/")[2])
        if match and match[1].casefold() == series.casefold():
            number = int(match[2][:9])
            if number not in frames and lowest - 1 <= number <= highest + 1:
                yield number, name


def _by_likeness(
    beside: Sequence[str], missing: set[int], frames: Mapping[int, str], is_between: IsBetween
) -> Iterator[tuple[int, str]]:
    """Yield the missing numbers for which exactly one of some frames is like the frames around it, and that frame. One
    that fits several numbers is left alone."""
    found: dict[int, str] = {}
    for number in missing if beside else ():
        before = max((other for other in frames if other < number), default=None)
        after = min((other for other in frames if other > number), default=None)
        if before is not None and after is not None:
            alike = [name for name in beside if is_between(name, frames[before], frames[after])]
            if len(alike) == 1:
                found[number] = alike[0]
    fits = Counter(found.values())
    yield from ((number, name) for number, name in found.items() if fits[name] == 1)


def _with_number(name: str, number: int) -> str:
    """Return a name with another number, written in as many digits.

    >>> _with_number("dive/dive_014", 15), _with_number("dive (9)", 10)
    ('dive/dive_015', 'dive (10)')
    """
    begin, digits, end = re.fullmatch(r"(.*?)([0-9]+)(\)?)", name, re.DOTALL).groups()  # type: ignore[union-attr]
    return f"{begin}{number:0{len(digits)}}{end}"


def stray_text(stray: Stray) -> tuple[str, Message]:
    """Return what a stray frame seems to be, and the setting that gives it that number."""
    what = f"seems to be frame {stray.number} of {quoted(stray.animation)}, which lacks that number"
    return what, setting("rename", f"{stray.frame}={stray.right_name}")


def stray_warning(stray: Stray) -> Message:
    """Return a warning of a stray frame."""
    what, fix = stray_text(stray)
    return message("{} {}; {} puts it there", quoted(stray.frame), what, fix)
