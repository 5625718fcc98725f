"""Backgrounds of frames without transparency: one color, or a painted checkerboard."""

from __future__ import annotations

from typing import NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from ..color import Color
from ..pixels import Pixels
from ..rounding import half_up

T = TypeVar("T", bound=np.generic)

NEAR = 12
"""Levels of 255 by which a background may vary, as compressed pictures do."""

MOST_OF_RIM = 0.9
"""The share of the canvas's edge that a background fills; the figure may leave the canvas somewhere."""

FRAME, MOST_OF_FRAME = 16, 0.55
"""Nor does a background end soon: a sixteenth of the way in, it still fills this share of a line all round. A door has
a frame."""

LEAST_GROUND, MOST_GROUND = 0.1, 0.98
"""The share of the picture that a background fills. With less it is no background, with more no figure is left."""

NEUTRAL, LEAST_APART, MOST_APART = 10, 6, 110
"""Levels of 255. The colors of a checkerboard that stands for transparency are grays, so far from each other."""

SMALLEST_SQUARE, LARGEST_SQUARE = 2, 64
"""Pixels."""


class GroundLine(NamedTuple):
    """A background: its color, or the side of its squares where it is a checkerboard, else 0."""

    color: Color
    square: int = 0


def ground_of(pixels: Pixels) -> GroundLine | None:
    """The background of a frame without transparency, shape (h, w, 4); None if it has none, as tiles, backdrops and
    whole pictures have none. Cost: one pass over its edge, and one over the picture where the edge is of one kind."""
    if min(pixels.shape[:2]) < 4:
        return None
    rim = rim_of(pixels[..., :3].astype(np.int16))
    return _checkered(pixels, rim) or _solid(pixels, rim)


def _solid(pixels: Pixels, rim: NDArray[np.int16]) -> GroundLine | None:
    color = np.median(rim, axis=0).astype(np.int16)
    if not (_near(rim, color).mean() >= MOST_OF_RIM and _near(_corners(pixels), color).all()):
        return None
    height, width = (max(2, side // FRAME) for side in pixels.shape[:2])
    inner = pixels[height:-height, width:-width, :3].astype(np.int16)
    if 0 in inner.shape or _near(rim_of(inner), color).mean() < MOST_OF_FRAME:
        return None
    share = float(_near(pixels[..., :3].astype(np.int16), color).mean())
    exact = _commonest(rim)
    return GroundLine(exact) if LEAST_GROUND <= share <= MOST_GROUND else None


def rim_of(values: NDArray[T]) -> NDArray[T]:
    """Return what lies along the edge of an array of shape (h, w, …), the corners twice."""
    return np.concatenate((values[0], values[-1], values[:, 0], values[:, -1]))


def _corners(pixels: Pixels) -> NDArray[np.int16]:
    return pixels[[0, 0, -1, -1], [0, -1, 0, -1], :3].astype(np.int16)


def _near(colors: NDArray[np.int16], color: NDArray[np.int16]) -> NDArray[np.bool_]:
    near: NDArray[np.bool_] = np.abs(colors - color).max(axis=-1) <= NEAR
    return near


def _commonest(rim: NDArray[np.int16]) -> Color:
    packed = (rim[:, 0].astype(np.int32) << 16) | (rim[:, 1].astype(np.int32) << 8) | rim[:, 2]
    values, counts = np.unique(packed, return_counts=True)
    most = int(values[counts.argmax()])
    return Color(most >> 16, most >> 8 & 255, most & 255)


def _checkered(pixels: Pixels, rim: NDArray[np.int16]) -> GroundLine | None:
    light = rim.mean(axis=1)
    if (np.ptp(rim, axis=1) > NEUTRAL).mean() > 1 - MOST_OF_RIM:
        return None
    low, high = (float(np.quantile(light, share)) for share in (0.2, 0.8))
    if not LEAST_APART <= high - low <= MOST_APART:
        return None
    gray = pixels[..., :3].mean(axis=2)
    across, along = _period(gray[0]) or _period(gray[-1]), _period(gray[:, 0]) or _period(gray[:, -1])
    if across and along and across[0] == along[0]:
        bright = _squares(gray.shape, across[0], across[1], along[1])
        for first in (bright, ~bright):
            expected = np.where(first, high, low)
            fits = np.abs(gray - expected) <= max(4.0, (high - low) / 4)
            if rim_of(fits).mean() >= MOST_OF_RIM and LEAST_GROUND <= fits.mean() <= MOST_GROUND:
                value = half_up(high)
                return GroundLine(Color(value, value, value), across[0])
    return None


def _period(line: NDArray[np.float64]) -> tuple[int, int] | None:
    """The side of the squares that a line of pixels crosses, and where one of them begins."""
    changes = np.flatnonzero(np.abs(np.diff(line)) >= LEAST_APART / 2) + 1
    if len(changes) < 2:
        return (int(changes[0]), 0) if len(changes) and 2 * changes[0] == len(line) else None
    side = int(np.median(np.diff(changes)))
    return (side, int(changes[0]) % side) if SMALLEST_SQUARE <= side <= LARGEST_SQUARE else None


def _squares(shape: tuple[int, ...], side: int, left: int, top: int) -> NDArray[np.bool_]:
    y, x = np.ogrid[: shape[0], : shape[1]]
    bright: NDArray[np.bool_] = ((x - left) // side + (y - top) // side) % 2 == 0
    return bright
