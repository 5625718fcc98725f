"""Checks of tint and color counts."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ...message import message
from ...rounding import half_up
from ..facts import FrameFacts
from ..finding import ERROR, NOTE, Finding, Surveyed, codes, finding
from ..miniature import Miniature
from ..robust import median
from .motion import LEAST_FOR_PATH, unusual

TINT_DIFFERS, COLORS_MANY = codes("tint-differs", "colors-many")

LEAST_SUSPECT = 2.0
"""Levels of 255 that a frame's mean color lies off its neighbors' for a closer look."""

LEAST_TINT, MOST_TINT = 4.0, 60.0
"""Levels of 255 by which a tint moves colors. Less is not seen; more is a flash, and meant."""

QUIET_COLOR = 0.5
"""Levels of 255. A spread counts as at least so many."""

COVERED = 160
"""Alpha, of 255, of the pixels whose colors are compared."""

LEAST_PIXELS = 16
LEAST_SHARE = 0.25
"""Pixels of a miniature, and the share of the visible ones, that must be covered in a frame and both its neighbors."""

STILL = 0.4
"""The share of those pixels, the stillest, on which a tint is looked for: what moves tells nothing of colors."""

QUIET = 8.0
"""Levels of 255. Pixels that change by no more are still in any case."""

LEFT = 0.5
"""The share of a difference that a change of color may leave unexplained."""

CLEAR = 2.5
"""A tint is at least so many times what the neighbors are off each other."""

LEAST_GAIN = 0.4
"""With less contrast than this share of the neighbors' it is no tint, but a flash or a fade."""

FIT_ROUNDS = 4

PIXEL_ART_COLORS = 64
"""More colors than this in small, hard-edged art are remarked on."""


Tint = tuple[float, float, float]
"""Factors from a change of color to red, green and blue."""


def tinted(sequence: Surveyed) -> Iterator[Finding]:
    """Find a frame that is the same drawing as its neighbors in another tint."""
    frames = sequence.frames
    if len(frames) < LEAST_FOR_PATH or not sequence.has_one_canvas:
        return
    means = [_mean(frame.sketch) for frame in frames]
    if any(mean is None for mean in means):
        return
    colors = np.array(means)
    off = colors[1:-1] - (colors[:-2] + colors[2:]) / 2
    off = np.pad(off, ((1, 1), (0, 0)))
    found: list[tuple[FrameFacts, Tint]] = []
    for place in unusual(off, LEAST_SUSPECT, QUIET_COLOR):
        tint = tint_between(*(frame.small for frame in frames[place - 1 : place + 2]))
        if tint:
            found.append((frames[place], tint))
    if len(found) == 1:
        ((frame, tint),) = found
        names = zip(("red", "green", "blue"), tint, strict=True)
        shift = ", ".join(f"{name} {half_up(value):+d}" for name, value in names)
        what = f"has another tint than its neighbors ({shift}): the figure flickers"
        yield finding(sequence, TINT_DIFFERS, ERROR, [frame], what, "export it again with the others' colors")


def _mean(sketch: NDArray[np.float32]) -> NDArray[np.float64] | None:
    """The mean color of a frame, weighed by alpha."""
    total = sketch.sum(axis=(0, 1), dtype=np.float64)
    return total[:3] / total[3] * 255 if total[3] else None


def tint_between(before: Miniature, frame: Miniature, after: Miniature) -> Tint | None:
    """The one change of color, a factor and an offset for each channel, that turns the still pixels of a frame's
    neighbors into those of the frame (fitted by least squares, again and again without the worst half of what
    it leaves: least trimmed squares, Rousseeuw, 1984); None if it explains too little."""
    covered = np.logical_and.reduce([miniature.pixels[..., 3] > COVERED for miniature in (before, frame, after)])
    seen = np.count_nonzero((frame.pixels[..., 3] > 0) | (before.pixels[..., 3] > 0))
    if np.count_nonzero(covered) < max(LEAST_PIXELS, LEAST_SHARE * seen):
        return None
    colors = [
        miniature.pixels[covered][:, :3].astype(np.float32) * 255 / miniature.pixels[covered][:, 3:]
        for miniature in (before, frame, after)
    ]
    change = np.abs(colors[0] - colors[2]).max(axis=1)
    still = change <= max(QUIET, float(np.quantile(change, STILL)))
    if np.count_nonzero(still) < LEAST_PIXELS:
        return None
    first, own, last = (color[still] for color in colors)
    by = np.median(own - (first + last) / 2, axis=0)
    drift = float(np.abs(np.median(first - last, axis=0)).max())
    most = float(np.abs(by).max())
    if not max(LEAST_TINT, CLEAR * drift) <= most <= MOST_TINT:
        return None
    for neighbor in (first, last):
        off = median(np.abs(own - neighbor).mean(axis=1))
        gains, left = _fit(neighbor, own)
        if min(gains) < LEAST_GAIN or left > LEFT * off:
            return None
    red, green, blue = by.tolist()
    return red, green, blue


def _fit(before: NDArray[np.float32], after: NDArray[np.float32]) -> tuple[list[float], float]:
    """The factors of each channel that make one set of colors, shape (n, 3), into another, with an offset; and the
    median of what they leave."""
    inliers = np.ones(len(before), bool)
    gains, left = [1.0] * 3, np.zeros(len(before))
    for _ in range(FIT_ROUNDS):
        x, y = before[inliers], after[inliers]
        middle_x, middle_y = x.mean(axis=0), y.mean(axis=0)
        power = np.square(x - middle_x).mean(axis=0)
        covariance = ((x - middle_x) * (y - middle_y)).mean(axis=0)
        gain = np.where(power > 25, covariance / np.maximum(power, 1e-9), 1.0)
        gains = gain.tolist()
        left = np.abs(after - (before - middle_x) * gain - middle_y).mean(axis=1)
        inliers = left <= max(1.0, 1.5 * median(left[inliers]))
    return gains, median(left)


def pixel_art(sequence: Surveyed) -> Iterator[Finding]:
    """Find more colors than pixel art has, in small hard-edged work."""
    hard = all(frame.partial == 0 for frame in sequence.frames)
    rich = [frame for frame in sequence.frames if frame.colors > PIXEL_ART_COLORS]
    if hard and rich:
        most = max(frame.colors for frame in rich)
        what = (
            f"up to {most:,} colors in small hard-edged art: too many for pixel art; perhaps smoothed or saved lossily"
        )
        fix = message("{palette:FILE}, or export again from it")
        yield finding(sequence, COLORS_MANY, NOTE, rich, what, fix)
