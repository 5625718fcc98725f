"""Durations of frames."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from fractions import Fraction
from itertools import accumulate, pairwise
from typing import TYPE_CHECKING, NamedTuple

from ..errors import UsageError
from ..message import setting
from ..model.crate import LARGEST_NUMBER
from ..rounding import half_up
from ..text import quoted

if TYPE_CHECKING:
    from ..model.crate import Animation
    from ..model.picture import FrameSequence

DEFAULT_FPS = Fraction(12)

LEAST = Fraction(1)
"""Milliseconds that a frame is shown at least: what rounding to whole ones can never make 0."""


LONGEST = LARGEST_NUMBER - 1
"""Milliseconds that a frame is shown for less than; rounding may add one."""


class Hold(NamedTuple):
    """A hold: a factor, or a time in milliseconds."""

    factor: Fraction = Fraction(1)
    milliseconds: Fraction | None = None


def frame_times(
    sequence: FrameSequence, fps: Fraction | None, total: Fraction | None, holds: Mapping[int, Hold]
) -> tuple[Fraction, ...]:
    """The exact milliseconds of each frame. Raises UsageError for a time that metadata cannot hold.

    With `fps`, each frame that stands for one of the source is 1/fps long; without, it keeps the time of its source, or
    DEFAULT_FPS where that says none. Holds are by position from 1. With `total` the whole lasts so many milliseconds:
    frames held for a time of their own keep it, the others share the rest in proportion.
    Raises UsageError for a total that holds leave no room in, and where a frame would
    be shown for less than LEAST. What a source shows for less is shown for LEAST.
    """
    unit = 1000 / (fps or DEFAULT_FPS)
    times: list[Fraction] = []
    for frame in sequence.frames:
        own = frame.milliseconds if fps is None else None
        times.append(max(own, LEAST) if own else unit * frame.units)
    for position, hold in holds.items():
        times[position - 1] = hold.milliseconds or times[position - 1] * hold.factor
        if times[position - 1] < LEAST and total is None:
            raise UsageError(
                "{} would show that frame for {:g} ms; the least is {} ms",
                setting("hold", f"{sequence.name}:{position}"),
                float(times[position - 1]),
                LEAST,
            )
    if total is not None:
        fixed = {position - 1 for position, hold in holds.items() if hold.milliseconds}
        times = list(_stretched(sequence.name or "", times, fixed, total))
    if max(times, default=0) >= LONGEST:
        raise UsageError(
            "a frame of {} would be shown for {:,.1f} days, and {} is the most; give a higher "
            "{fps}, or a shorter {hold} or {duration}",
            quoted(sequence.name or ""),
            float(max(times)) / 86400000,
            LONGEST // 86400000,
        )
    return tuple(times)


def _stretched(name: str, times: Sequence[Fraction], fixed: AbstractSet[int], total: Fraction) -> tuple[Fraction, ...]:
    held = sum((times[index] for index in fixed), Fraction())
    free = sum(times, Fraction()) - held
    if held >= total or free == 0:
        raise UsageError(
            "{duration}: {} has {:g} ms, and held frames take {:g} of them; shorten the holds, or write factors",
            quoted(name),
            float(total),
            float(held),
        )
    share = (total - held) / free
    shortest = min(time for index, time in enumerate(times) if index not in fixed)
    if shortest * share < LEAST:
        raise UsageError(
            "{duration}: {:g} ms would show a frame of {} for less than {} ms; give it at least {} ms",
            float(total),
            quoted(name),
            LEAST,
            math.ceil(held + LEAST * free / shortest),
        )
    return tuple(time if index in fixed else time * share for index, time in enumerate(times))


def durations(times: Sequence[Fraction]) -> tuple[int, ...]:
    """Round exact times to whole milliseconds.

    The moments at which frames change are rounded, not the durations, so the error never adds up: the sum is the
    exact total, rounded once. A frame of at least 1 ms never comes out as 0.

    >>> durations([Fraction(1000, 12)] * 3)
    (83, 84, 83)
    """
    moments = map(half_up, accumulate(times, initial=Fraction()))
    return tuple(after - before for before, after in pairwise(moments))


def rate_of(times: Sequence[Fraction], wanted: Fraction | None) -> Fraction | None:
    """The frames a second of which every frame lasts a whole number: those asked for, or else those of the shortest
    frame. None if there is no such rate, or metadata cannot hold it.

    >>> rate_of([Fraction(1000, 60), Fraction(2000, 60)], None), rate_of([Fraction(70), Fraction(80)], None)
    (Fraction(60, 1), None)
    """
    different = set(times)
    for rate in filter(None, (wanted, 1000 / min(different))):
        beats = [time * rate / 1000 for time in different]
        whole = all(beat.denominator == 1 for beat in beats)
        if whole and max(rate.numerator, rate.denominator, int(max(beats))) < LARGEST_NUMBER:
            return rate
    return None


def beats_of(times: Sequence[Fraction], rate: Fraction) -> tuple[int, ...]:
    """Return exact times as steps of the rate that divides them."""
    beats = {time: int(time * rate / 1000) for time in set(times)}
    return tuple(beats[time] for time in times)


def exact_times(animation: Animation) -> tuple[Fraction, ...]:
    """The milliseconds of each frame of an animation: of its beats where it has them, else its durations."""
    if animation.fps:
        return tuple(1000 * beat / animation.fps for beat in animation.beats)
    return tuple(map(Fraction, animation.durations))


class Pace(NamedTuple):
    """Frames per second, and whether some frames are held for longer than that."""

    fps: Fraction
    holds: bool


def pace(animation: Animation, rates: Iterable[Fraction] = ()) -> Pace:
    """Return the pace of an animation: its own rate, else that of the `rates`, or DEFAULT_FPS, at which most of its
    frames are shown, else the mean of all frames."""
    if animation.fps:
        return Pace(animation.fps, len(set(animation.beats)) > 1)
    for rate in (*rates, DEFAULT_FPS):
        at_rate = sum(abs(milliseconds - 1000 / rate) < 1 for milliseconds in animation.durations)
        if 2 * at_rate > len(animation.durations):
            return Pace(rate, at_rate < len(animation.durations))
    return Pace(Fraction(1000 * len(animation.durations), sum(animation.durations)), False)
