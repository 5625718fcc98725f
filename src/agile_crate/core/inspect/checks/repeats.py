"""Checks for frames that repeat others, exactly or except for noise."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise

import numpy as np

from ...frame.likeness import furthest_apart
from ...message import Message, message, setting
from ...names import number_of
from ...text import counted
from ..facts import FrameFacts
from ..finding import ERROR, NOTE, Finding, Surveyed, codes, finding
from ..miniature import SAME, coarse, difference
from ..robust import median

CYCLE, CLOSING, DUPLICATES, NEAR_DUPLICATES = codes("cycle", "closing", "duplicates", "near-duplicates")

PEAK_SHARE = 0.4
"""Frames are alike that differ, where they differ most, by no more than this share of how neighbors usually do in
their animation."""

MOST, MOST_PEAK = 4.0, 16.0
"""Levels of 255, on the whole and at most. Frames that differ by more are never alike: noise and compression stay
below."""

LEAST_MOTION = 3
"""Different frames that make a motion. With two it is a blink, a flash or a held pose."""

ROUNDS = 1.5
"""The number of rounds that make a motion a cycle."""

QUIET = 8
"""Levels of 255 by which a pixel may differ in copies that options drop: nobody sees it in motion."""


class FrameComparison:
    """Comparison of one animation's frames, by the usual difference of neighbors."""

    def __init__(self, frames: Sequence[FrameFacts]) -> None:
        self.frames = frames
        steps = self.steps = [difference(a.small, b.small) for a, b in pairwise(frames)]
        moving = [step for step in steps if step is not None and step != SAME]
        self.usual = median([step.peak for step in moving]) if moving else 0.0

    def alike(self, a: int, b: int) -> bool:
        """Return True if two frames, by their places, are alike."""
        one, other = self.frames[a], self.frames[b]
        if one.digest == other.digest:
            return True
        off = self.steps[a] if b == a + 1 else difference(one.small, other.small)
        if off is None:
            return False
        return off.mean <= MOST and off.peak <= min(MOST_PEAK, PEAK_SHARE * self.usual)

    def different(self, places: Sequence[int], most: int) -> int:
        """Return how many frames of these are different from each other, counted up to `most`."""
        kinds: list[int] = []
        for place in places:
            if not any(self.alike(place, kind) for kind in kinds):
                kinds.append(place)
                if len(kinds) == most:
                    break
        return len(kinds)


def repeats(sequence: Surveyed) -> Iterator[Finding]:
    """Find a motion that starts over and, in a loop, a last frame that equals the first; and other copies."""
    frames = sequence.frames
    compared = FrameComparison(frames)
    count = len(frames)
    if sequence.loops and (length := _cycle(frames, compared)):
        what = f"frames from {length + 1} on repeat the first ones: the cycle has {length} frames"
        fix = "export one cycle"
        if not _cycle(frames[:length], compared) and not _closes(frames[:length], compared):
            fix = _first_frames(sequence, length)
        yield finding(sequence, CYCLE, ERROR, frames[length:], what, fix)
        return
    if sequence.loops and _closes(frames, compared):
        what = "the last frame equals the first: a loop shows it twice and hitches"
        yield finding(sequence, CLOSING, ERROR, frames[-1:], what, _opened(sequence, compared))
        count -= 1
    yield from _copies(sequence, compared, count)


def _cycle(frames: Sequence[FrameFacts], compared: FrameComparison) -> int:
    """Return the number of frames after which a motion starts over; 0 if it does not. Cost: n d for every length that
    the first frame allows, n² d if it allows all."""
    count = len(frames)
    longest = int(count / ROUNDS)
    if longest < LEAST_MOTION or len({frame.canvas for frame in frames}) > 1:
        return 0
    rows = coarse(frame.small for frame in frames)
    usual = median(np.linalg.norm(np.diff(rows, axis=0), axis=1))
    for length in range(LEAST_MOTION, longest + 1):
        if np.linalg.norm(rows[length] - rows[0]) > usual:
            continue
        if not all(compared.alike(place, place + length) for place in range(count - length)):
            continue
        again = range(length, count)
        if compared.different(range(length), LEAST_MOTION) == LEAST_MOTION and compared.different(again, 2) == 2:
            return length
    return 0


def _closes(frames: Sequence[FrameFacts], compared: FrameComparison) -> bool:
    """Return True if the last frame repeats the first in a motion, not in a held pose."""
    last = len(frames) - 1
    if last < LEAST_MOTION or not compared.alike(0, last):
        return False
    if frames[0].digest == frames[1].digest or frames[last - 1].digest == frames[last].digest:
        return False
    return compared.different(range(last), LEAST_MOTION) == LEAST_MOTION


def _first_frames(sequence: Surveyed, count: int) -> Message:
    """Return the setting that keeps the first frames: by their numbers, if those are not their positions."""
    numbers = [number_of(frame.name) for frame in sequence.frames]
    known = [number for number in numbers if number is not None]
    if known == list(range(1, len(numbers) + 1)) or len(known) < len(numbers) or sorted(set(known)) != known:
        return setting("frames", f"{sequence.label}=1-{count}")
    return setting("numbers", f"{sequence.label}={known[0]}-{known[count - 1]}")


def _opened(sequence: Surveyed, compared: FrameComparison) -> str:
    """Return what takes the closing frame away, and nothing else."""
    frames = sequence.frames
    without = frames[:-1]
    tolerance = 0
    if frames[0].digest != frames[-1].digest:
        tolerance = furthest_apart(sequence.again(frames[0]), sequence.again(frames[-1]))
    if _closes(without, compared) or tolerance > QUIET:
        return _first_frames(sequence, len(without))
    return message("{drop_closing} {}", setting("tolerance", tolerance)) if tolerance else setting("drop_closing")


def _copies(sequence: Surveyed, compared: FrameComparison, count: int) -> Iterator[Finding]:
    frames = sequence.frames[:count]
    near = [
        frames[index]
        for index in range(1, count)
        if frames[index].digest != frames[index - 1].digest and compared.alike(index - 1, index)
    ]
    if near:
        what = "hardly differs from the frame before: invisible in motion, but stored as a frame of its own"
        yield finding(sequence, NEAR_DUPLICATES, NOTE, near, what, _dropped(sequence, near))
    first: dict[tuple[int, ...], str] = {}
    copies = [frame for frame in frames if first.setdefault(frame.digest, frame.name) != frame.name]
    if copies:
        what = f"{counted(len(copies), 'exact copy', 'exact copies')} of other frames: they cost memory in a grid"
        follow = any(a.digest == b.digest for a, b in pairwise(frames))
        fix = message("{drop_duplicates} for consecutive ones; ") if follow else ""
        yield finding(sequence, DUPLICATES, NOTE, copies, what, message("{}the layout tight stores them once", fix))


def _dropped(sequence: Surveyed, near: Sequence[FrameFacts]) -> str:
    """Return what drops the first of these frames as a copy, if that can be seen by nobody."""
    place = sequence.frames.index(near[0])
    tolerance = furthest_apart(sequence.again(sequence.frames[place - 1]), sequence.again(near[0]))
    if 0 < tolerance <= QUIET:
        return message("{drop_duplicates} {}", setting("tolerance", tolerance))
    return "take it out, and hold the one before"
