"""Checks of numbers and names."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise

from ...message import Message, message, setting
from ...names import SAYS_NOTHING, split_number
from ...text import few
from ..facts import FrameFacts
from ..finding import ERROR, NOTE, WARNING, Finding, Surveyed, codes, finding, left_out

NUMBER_MISSING, NUMBER_GAP, NUMBER_DUPLICATE, NUMBER_DIGITS, NUMBER_UNPADDED, NAME_GENERIC = codes(
    "number-missing", "number-gap", "number-duplicate", "number-digits", "number-unpadded", "name-generic"
)

MOST_GAPS = 0.34
"""The share of steps between numbers that may skip some. With more, the numbers mean something else than an order."""

LEAST_NUMBERS = 3
"""Fewer frames do not show a usual step between numbers."""

LONGEST_GAP = 20
"""Frames in a row that may be missing by mistake. What skips more was cut out of something longer."""


def numbering(sequence: Surveyed) -> Iterator[Finding]:
    """Find numbers that are missing, appear twice, or have different lengths."""
    parts = [(frame, frame.name.rpartition("/")[2]) for frame in sequence.frames]
    numbered = [(frame, number, last) for frame, last in parts if (number := split_number(last)[1]) is not None]
    numbers = Counter(number for _, number, _ in numbered)
    if missing := _missing(sorted(numbers)):
        which = few(map(str, missing))
        gone = f"number {which} is missing" if len(missing) == 1 else f"numbers {which} are missing"
        fix = "export the missing frames, or renumber"
        yield finding(sequence, NUMBER_MISSING, ERROR, (), f"{gone}: the motion skips there", fix)
    yield from _gap(sequence, [number for _, number, _ in numbered])
    yield from _twice(sequence, [(frame, number) for frame, number, _ in numbered if numbers[number] > 1])
    digits = [re.findall("[0-9]+", last)[-1] for *_, last in numbered]
    if len({len(number) for number in digits}) > 1:
        if any(len(number) > 1 and number[0] == "0" for number in digits):
            what = "the numbers have different lengths: other programs may sort these frames differently"
            yield finding(
                sequence, NUMBER_DIGITS, WARNING, (), what, "no change needed here: frames are sorted by value"
            )
        else:
            what = "the numbers have no leading zeros: other programs may sort 10 before 2"
            yield finding(
                sequence, NUMBER_UNPADDED, NOTE, (), what, "no change needed here: frames are sorted by value"
            )


def _gap(sequence: Surveyed, numbers: Sequence[int]) -> Iterator[Finding]:
    """Find few large gaps, where another clip may begin."""
    steps = [b - a for a, b in pairwise(numbers) if b > a]
    usual = Counter(steps).most_common(1)[0][0] if len(steps) > 1 else 1
    parts: list[list[int]] = [[1, 1]]
    for place, (a, b) in enumerate(pairwise(numbers), 2):
        if b - a > LONGEST_GAP * usual:
            parts.append([place, place])
        parts[-1][1] = place
    if not 1 < len(parts) <= 1 + max(1, MOST_GAPS * len(steps)):
        return
    jumps = [f"from {numbers[begin - 2]} to {numbers[begin - 1]}" for begin, _ in parts[1:]]
    what = f"the numbers jump {few(jumps, 3)}: these may be {len(parts)} animations"
    last = sequence.label.rpartition("/")[2]
    ranges = ",".join(f"{last}_{part}:{begin}-{end}" for part, (begin, end) in enumerate(parts, 1))
    yield finding(sequence, NUMBER_GAP, WARNING, (), what, setting("split", f"{sequence.label}={ranges}"))


def _missing(numbers: Sequence[int]) -> list[int]:
    """The numbers that are missing, where all others follow each other by one step, or by steps of any one length."""
    steps = Counter(b - a for a, b in pairwise(numbers))
    if len(numbers) < LEAST_NUMBERS:
        return []
    step = min(steps, key=lambda step: (-steps[step], step))
    gaps = [(a, b) for a, b in pairwise(numbers) if b - a != step]
    if any((b - a) % step or (b - a) // step > LONGEST_GAP for a, b in gaps):
        return []
    is_single = len(gaps) == 1 and gaps[0][1] - gaps[0][0] == 2 * step
    if len(gaps) > MOST_GAPS * (len(numbers) - 1) and not is_single:
        return []
    return [number for a, b in gaps for number in range(a + step, b, step)]


def _twice(sequence: Surveyed, twice: Sequence[tuple[FrameFacts, int]]) -> Iterator[Finding]:
    if not twice:
        return
    first: dict[int, FrameFacts] = {}
    repeats = [frame for frame, number in twice if first.setdefault(number, frame) is not frame]
    same = all(first[number].digest == frame.digest for frame, number in twice)
    which = few(map(str, sorted(first)))
    doubled = f"number {which} appears twice" if len(first) == 1 else f"numbers {which} appear twice"
    what = f"{doubled}: both frames play, one after the other"
    if same:
        fix = message("{} (the pictures are equal)", left_out([frame.name for frame in repeats]))
    else:
        fix = Message("the pictures differ: exclude the wrong one")
    yield finding(sequence, NUMBER_DUPLICATE, ERROR, [frame for frame, _ in twice], what, fix)


def plain_name(sequence: Surveyed) -> Iterator[Finding]:
    """Find a generic name."""
    last = sequence.label.rpartition("/")[2].lower()
    if last in SAYS_NOTHING:
        what = f"the name '{last}' is generic: an engine cannot tell two such sheets apart"
        yield finding(sequence, NAME_GENERIC, NOTE, (), what, setting("rename", f"{sequence.label}=NAME"))
