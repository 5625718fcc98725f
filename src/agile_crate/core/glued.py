"""Numbers that are glued to the name before them: ``idle 10001`` is frame 1 of the clip ``idle 1``."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from itertools import pairwise
from typing import NamedTuple

from .message import Message, message, setting
from .names import DIGITS, MOST_DIGITS, SEPARATORS
from .text import counted, few, quoted

USUAL_DIGITS = (4, 3)
"""The lengths of numbers that drawing programs write, the likelier first."""

FEWEST_GLUED, LONGEST_CLIP = 5, 3
"""Digits at the end of a name that may hold two numbers, and of the first of the two at most."""


class GluedSeries(NamedTuple):
    """A series that was split: its name, the digits of its own numbers, and its clips with their counts of frames."""

    name: str
    digits: int
    clips: tuple[tuple[str, int], ...]


def without_glue(
    names: Sequence[str], folders: Sequence[str], digits: int = 0
) -> tuple[list[str], tuple[GluedSeries, ...]]:
    """Return the names with an underscore between two glued numbers, and the series that were split.

    `folders` are those that the files lie in. With `digits`, the number is that long in every longer run of digits.
    Otherwise a series is split only if all of its numbers have five to seven digits and fall into clips that each begin
    at 0 or 1 in their last four, or three, digits. Cost: n log n for n names with that many digits.

    >>> without_glue(["idle 10001", "idle 10002", "idle 20001"], ["", "", ""])[0]
    ['idle 1_0001', 'idle 1_0002', 'idle 2_0001']
    >>> without_glue(["idle 20261105"], [""])[0], without_glue(["idle 1001"], [""], 3)[0]
    (['idle 20261105'], ['idle 1_001'])
    """
    if not digits and not any(_may_be_glued(name) for name in names):
        return list(names), ()
    series: dict[tuple[str, str], dict[int, str]] = defaultdict(dict)
    for place, (name, folder) in enumerate(zip(names, folders, strict=True)):
        before = name.rstrip(DIGITS)
        if 0 < len(name) - len(before) <= MOST_DIGITS:
            series[folder, before].setdefault(place, name[len(before) :])
    changed = list(names)
    found: list[GluedSeries] = []
    for (_, before), numbers in series.items():
        last = before.rpartition("/")[2].rstrip(SEPARATORS)
        length = digits or (_glued_digits(numbers.values()) if last else 0)
        if length and (split := {place: number for place, number in numbers.items() if len(number) > length}):
            clips: dict[str, int] = defaultdict(int)
            for place, number in split.items():
                clip = before + number[:-length]
                changed[place] = f"{clip}_{number[-length:]}"
                clips[clip.rpartition("/")[2]] += 1
            found.append(GluedSeries(last, length, tuple(clips.items())))
    return changed, tuple(found)


def _may_be_glued(name: str) -> bool:
    return name[-FEWEST_GLUED:].isdecimal() and len(name) > FEWEST_GLUED


def _glued_digits(numbers: Iterable[str]) -> int:
    """Return how many of the digits are a frame's number; 0 if all are."""
    numbers = sorted(numbers, key=lambda number: (len(number), number))
    for length in USUAL_DIGITS:
        if not len(numbers[0]) >= FEWEST_GLUED or len(numbers[-1]) > length + LONGEST_CLIP:
            continue
        clips: dict[str, list[int]] = defaultdict(list)
        for number in numbers:
            clips[number[:-length]].append(int(number))
        if _are_clips(clips, 10**length):
            return length
    return 0


def _are_clips(clips: Mapping[str, Sequence[int]], size: int) -> bool:
    """Return True if numbers, by the digits before their last ones, are those of several clips, and not of one long
    series or of points in time. `size` is how many numbers a clip may have."""
    runs = list(clips.values())
    if any(run[0] % size > 1 for run in runs):
        return False
    if len(runs) == 1:
        return not next(iter(clips)).startswith("0")
    steps = [after - before for run in runs for before, after in pairwise(run)]
    return bool(steps) and all(after[0] - before[-1] > 2 * min(steps) for before, after in pairwise(runs))


def split_remark(found: Sequence[GluedSeries]) -> Message:
    """Return the remark that series were split."""
    lengths = sorted({series.digits for series in found})
    texts = [
        f"{quoted(series.name)} became "
        + few([f"{quoted(clip)} ({counted(count, 'frame')})" for clip, count in series.clips], 4)
        for series in found
    ]
    return message(
        "the last {} digits of file names are the number: {}; {} reads all digits as the number",
        " or ".join(map(str, lengths)),
        "; ".join(texts[:3]) + (f"; {len(texts) - 3:,} more" if len(texts) > 3 else ""),
        setting("digits", 9),
    )
