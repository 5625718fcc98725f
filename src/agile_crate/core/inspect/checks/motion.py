"""Frames out of place: moved, in the wrong order, of another size."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...message import setting
from ...model.geometry import Box, Offset
from ...rounding import half_up
from ..facts import FrameFacts
from ..finding import ERROR, NOTE, WARNING, Finding, Surveyed, codes, finding
from ..miniature import coarse
from ..register import ROOM, Displacement, moved_between, plane, scaled_back, scaled_between
from ..robust import median, usual

JUMP, FRAMES_SWAPPED, SIZE_DIFFERS, WOBBLE = codes("jump", "frames-swapped", "size-differs", "wobble")

LEAST_FOR_PATH = 4
"""Frames. Fewer do not show a path, or a departure from it."""

LEAST_OFF = 0.25
"""Pixels that a center of mass lies off its neighbors' middle, for a second look: where a figure slips over the
canvas's edge, the lost part hides most of the slip."""

UNUSUAL, VERY_UNUSUAL = 2.0, 4.0
"""Spreads that a slip is off the animation's usual motion; and the same for sizes."""

QUIET_PIXELS, QUIET_SHARE = 0.12, 0.004
"""A spread counts as at least so many pixels, or, of sizes, such a share."""

SUSPECTS = 3
"""Frames of an animation that are looked at again, the most unusual first."""

LEFT = 0.5
"""Moving or scaling a frame back must take away all but this share of how it differs from either neighbor."""

NEIGHBORS = 0.5
"""Its neighbors differ from each other by no more than this share of how it differs from them."""

LEFT_BY_MOTION = 3.0
"""The largest remaining difference, as a multiple of the neighbors' own or of LEAST_LEFT; above it, the frame is
another drawing."""

LEAST_LEFT = 0.3

LEFT_IF_AGREED, AGREED = 0.9, 0.6
"""More may be left where a frame's neighbors differ much, as long as all tell the same shift: either neighbor, and,
within so many pixels, the center of mass."""

CLEARLY = 0.4
"""Neighbors that differ more may do so if the frame, put back, differs from them by no more than this share of it."""

LEAST_SCALED, MOST_SCALED = 0.012, 0.12
"""The share by which a frame is larger or smaller than its neighbors, both across and along. More was meant."""

OTHER_GROWTH, SAME_GROWTH = 0.5, 0.2
"""By so much, as a share, its area may grow more or less than its width and height do together, and these by themselves
differ; with no more than the second all three tell the same."""

MUCH_SMOOTHER, NOT_SMOOTHER = 0.5, 0.85
"""With so short a way it is enough that no other exchange would make one shorter than this."""

TURNING = 0.1
"""At a turning point, swapped frames lie next to their own copies: with steps below this share of the usual step."""

LEAST_FOR_ORDER = 5
"""Frames. Fewer do not show if a path is smooth."""

SMOOTHER, CLEARLY_SMOOTHER = 0.8, 0.7
"""The way by the exchanged frames is no longer than this share of the way as it is."""

SMOOTH, CLEARLY_SMOOTH = 1.15, 1.3
"""Elsewhere the way would be so much longer with two frames exchanged, in the middle: only then an order can be
seen."""


def _off_path(path: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return how far each point of a closed path lies off the middle of its neighbors."""
    off: NDArray[np.float64] = path - (np.roll(path, 1, axis=0) + np.roll(path, -1, axis=0)) / 2
    return off


def unusual(off: NDArray[np.float64], least: float, quiet: float, score: float = UNUSUAL) -> list[int]:
    """Return the places where a path is off by at least `least`, and by more than is usual along it; the worst first. A
    place moves its two neighbors by half as much, so these are not judged."""
    size = np.linalg.norm(off, axis=1)
    count = len(size)
    found: list[int] = []
    for place in np.argsort(-size, kind="stable")[:SUSPECTS].tolist():
        beside = ((place - 1) % count, place, (place + 1) % count)
        normal = usual(np.delete(size, beside))
        if np.abs(off[place]).max() < least or normal.score(size[place], quiet) < score:
            break
        if not any(other in beside and size[place] <= 0.75 * size[other] for other in found):
            found.append(place)
    return found


def out_of_place(sequence: Surveyed) -> Iterator[Finding]:
    """Find one frame whose whole figure is displaced, or of another size, while its picture stays the same."""
    frames = sequence.frames
    if len(frames) < LEAST_FOR_PATH or not sequence.has_one_canvas:
        return
    centers = [frame.mass for frame in frames if frame.mass is not None]
    if len(centers) < len(frames):
        return
    scenes = _Scenes(sequence)
    found: list[_Slip | _Pulse] = [*_slips(scenes, np.array(centers)), *_pulses(scenes)]
    if len({candidate.place for candidate in found}) != 1:
        return
    best, code = min(found, key=lambda candidate: candidate.left), JUMP  # what leaves least explains it
    if isinstance(best, _Slip):
        x, y = best.by
        what = f"is {x:+d},{y:+d} pixels off its neighbors' path: the figure twitches for one frame"
        fix = f"move that frame by {-x:+d},{-y:+d}"
    else:
        code, more = SIZE_DIFFERS, best.factor - 1
        what = f"is {abs(more):.1%} {'larger' if more > 0 else 'smaller'} than its neighbors: the figure pulses"
        fix = f"export it again at the others' size, or scale it to {1 / best.factor:.1%}"
    yield finding(sequence, code, ERROR, [frames[best.place]], what, fix)


class _Slip(NamedTuple):
    """A frame that has moved: its index, the distance, and the difference that remains when it is moved back."""

    place: int
    by: Offset
    left: float


class _Pulse(NamedTuple):
    """A frame of another size: its index, the factor, and the difference that remains when it is scaled back."""

    place: int
    factor: float
    left: float


def _slips(scenes: _Scenes, centers: NDArray[np.float64]) -> Iterator[_Slip]:
    off = _off_path(centers)
    for place in unusual(off, LEAST_OFF, QUIET_PIXELS):
        before, frame, after = scenes.around(place)
        guess = Offset(*(-half_up(value) for value in off[place].tolist()))
        found = moved_between(before, frame, after, guess)
        if found and (_explains(found.left, found.neighbors) or _is_agreed(found, off[place])):
            yield _Slip(place, found.by, found.left)


def _is_agreed(moved: Displacement, off: NDArray[np.float64]) -> bool:
    """Return True if a shift is the same by either neighbor and by the center of mass, and makes the frame match
    both."""
    by_mass = np.abs(off - moved.by).max() <= AGREED
    return moved.agreed and moved.left <= LEFT_IF_AGREED and bool(by_mass)


def _explains(left: float, neighbors: float) -> bool:
    """Return True if nothing else is left to explain than how the neighbors differ from each other, too."""
    if left > LEFT or left > max(LEAST_LEFT, LEFT_BY_MOTION * neighbors):
        return False
    return neighbors <= NEIGHBORS or left <= CLEARLY * neighbors


class _Scenes:
    """Frames of an animation at their full size, each with its neighbors."""

    def __init__(self, sequence: Surveyed) -> None:
        self.frames = sequence.frames
        self.pixels = lru_cache(SUSPECTS)(sequence.again)

    def box(self, place: int) -> Box:
        """The part of the canvas that a frame and its neighbors are compared on."""
        frames = self.three(place)
        boxes = [frame.kept for frame in frames if frame.kept]
        width, height = frames[0].canvas
        left, top = max(0, min(box.x for box in boxes) - ROOM), max(0, min(box.y for box in boxes) - ROOM)
        right = min(width, max(box.right for box in boxes) + ROOM)
        bottom = min(height, max(box.bottom for box in boxes) + ROOM)
        return Box(left, top, right - left, bottom - top)

    def around(self, place: int) -> list[NDArray[np.float32]]:
        """The frame before, the frame itself, and the one after."""
        box = self.box(place)
        return [plane(self.pixels(frame), box) for frame in self.three(place)]

    def three(self, place: int, steps: tuple[int, ...] = (-1, 0, 1)) -> list[FrameFacts]:
        """The frame at a place, and its neighbors."""
        return [self.frames[(place + step) % len(self.frames)] for step in steps]


def _pulses(scenes: _Scenes) -> Iterator[_Pulse]:
    frames = scenes.frames
    spreads = np.array([frame.spread for frame in frames])
    if not (spreads > 0).all():
        return
    off = _off_path(np.log(spreads))
    growth = _off_path(np.log([[frame.area] for frame in frames]))[:, 0]
    for place in unusual(off, LEAST_SCALED, QUIET_SHARE, VERY_UNUSUAL):
        across, along = off[place].tolist()
        if not LEAST_SCALED <= min(abs(across), abs(along)) <= MOST_SCALED or across * along < 0:
            continue
        factor = float(np.exp((across + along) / 2))
        apart = max(abs(growth[place] - across - along), abs(across - along)) / abs(across + along)
        if apart > OTHER_GROWTH:
            continue
        box = scenes.box(place)
        before, frame, after = scenes.around(place)
        (x, y), *others = (np.subtract(one.mass or (0, 0), (box.x, box.y)) for one in scenes.three(place, (0, -1, 1)))
        to_x, to_y = np.mean(others, axis=0)
        left, neighbors = scaled_between(before, frame, after, scaled_back(frame, factor, (x, y), (to_x, to_y)))
        if _explains(left, neighbors) or (apart <= SAME_GROWTH and left <= LEFT_IF_AGREED):
            yield _Pulse(place, factor, left)


def order(sequence: Surveyed) -> Iterator[Finding]:
    """Find two neighboring frames that seem swapped: the path is smoother in the other order."""
    frames = sequence.frames
    if len(frames) < LEAST_FOR_ORDER or not sequence.has_one_canvas:
        return
    rows = coarse(frame.small for frame in frames)
    ways = _ways(rows)
    place = int(ways.argmin())
    if ways[place] > SMOOTHER:
        return
    put = _exchanged(len(frames), place)
    after = np.delete(_ways(rows[put]), place)
    after = after[np.isfinite(after)]
    if not len(after) or after.min() < ways[place]:
        return
    if median(after) < SMOOTH and not (ways[place] <= MUCH_SMOOTHER and after.min() >= NOT_SMOOTHER):
        return
    steps = np.linalg.norm(np.diff(rows[put], axis=0), axis=1)
    if steps[max(0, place - 1) : place + 2].min() < TURNING * median(steps):
        return
    first, second = place + 1, place + 2
    what = f"frames {first} and {second} seem swapped: the motion is smoother in the other order"
    spans = [f"1-{first - 1}"] * (first > 1) + [str(second), str(first)] + [f"{second + 1}-"] * (second < len(frames))
    fix = setting("frames", f"{sequence.label}={','.join(spans)}")
    is_clear = ways[place] <= CLEARLY_SMOOTHER and median(after) >= CLEARLY_SMOOTH and after.min() >= 1
    severity = ERROR if is_clear else WARNING
    yield finding(sequence, FRAMES_SWAPPED, severity, frames[place : place + 2], what, fix)


def _exchanged(count: int, place: int) -> list[int]:
    """The places of all frames, with the one at a place and the next exchanged."""
    places = list(range(count))
    places[place : place + 2] = [place + 1, place]
    return places


def _ways(rows: NDArray[np.float32]) -> NDArray[np.float64]:
    """Return how long the way from each frame's predecessor to its next but one is, if it and the next one are
    exchanged, as a share of the way as it is. Of a path that is no loop the ends stay."""
    steps, twos = (np.linalg.norm(rows[lag:] - rows[:-lag], axis=1) for lag in (1, 2))
    ways = np.full(len(rows) - 1, np.inf)
    now = steps[:-2] + steps[2:]
    then = twos[:-1] + twos[1:]
    ways[1:-1] = np.where(now > 0, then / np.maximum(now, 1e-9), np.inf)
    return ways


def wobble(sequence: Surveyed) -> Iterator[Finding]:
    """Yield how far feet and center of mass wander."""
    feet = np.array([frame.feet for frame in sequence.frames if frame.feet is not None])
    mass = np.array([frame.mass for frame in sequence.frames if frame.mass is not None])
    if len(feet) < 2 or np.ptp(feet[:, 1]) == 0:
        return
    across, along = np.ptp(mass, axis=0)
    what = (
        f"the feet line moves by {np.ptp(feet[:, 1]):g} pixels, the center of mass by {across:.1f} across "
        f"and {along:.1f} up and down: right for a jump or a dive, not for standing still"
    )
    yield finding(sequence, WOBBLE, NOTE, (), what, "view the animation")
