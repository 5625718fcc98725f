"""Registration: finds if one picture is another one, moved or scaled."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..model.geometry import Box, Offset
from ..pixels import Pixels

Plane = NDArray[np.float32]
"""The compared planes of a frame, shape (2, h, w): lightness multiplied by alpha, and alpha, 0 to 255."""

FURTHEST = 8
"""A picture may have moved by one of so many parts of its canvas at most: what has moved further was meant to."""

LEAST_COMMON = 0.5
"""The cosine of the two neighbors as vectors, without which they are no one drawing and tell nothing of a third."""

ROOM = 16
"""Pixels kept around the visible art of the pictures, within their canvas."""

RIM = 8
"""Empty pixels laid round pictures before they are transformed, so that what leaves at one side does not enter at the
other."""


class Displacement(NamedTuple):
    """A frame's displacement from its neighbors: by how much moving it back makes it match them better (1
    is not at all, 0 wholly), and how much the neighbors differ from each other, as a share of how the frame differs
    from them. `agreed`: registered by itself with either neighbor, it has moved by this, but for how these move from
    each other."""

    by: Offset
    left: float
    neighbors: float
    agreed: bool


def plane(pixels: Pixels, box: Box) -> Plane:
    """Return the values that are compared of a part of a frame, shape (h, w, 4), straight alpha (lightness by Rec.
    601)."""
    part = pixels[box.y : box.bottom, box.x : box.right].astype(np.float32)
    light = part[..., :3] @ np.array((0.299, 0.587, 0.114), np.float32)
    return np.stack((light * part[..., 3] / 255, part[..., 3]))


def moved_between(before: Plane, frame: Plane, after: Plane, guess: Offset) -> Displacement | None:
    """Return how far a frame lies from where two neighbors say it should, if a shift by whole pixels makes it match
    both of them better. Shifts are looked for by phase correlation with either (Kuglin and Hines, "The phase
    correlation image alignment method", 1975), beside the guess. Cost: n log n in the pixels."""
    height, width = frame.shape[1:]
    found: Displacement | None = None
    if _correlation(before, after) < LEAST_COMMON:
        return None
    to_before, to_after = _shift(frame, before), _shift(frame, after)
    common = Offset(*(a if a == b else 0 for a, b in zip(to_before, to_after, strict=True)))
    agreed = common != (0, 0) and _is_near(
        _shift(before, after), Offset(to_after.x - to_before.x, to_after.y - to_before.y)
    )
    for shift in dict.fromkeys((to_before, to_after, common, guess)):
        if shift == (0, 0) or abs(shift.x) * FURTHEST > width or abs(shift.y) * FURTHEST > height:
            continue
        still = [_off(frame, beside, shift, moved=False) for beside in (before, after)]
        back = [_off(frame, beside, shift, moved=True) for beside in (before, after)]
        if min(still) <= 0:
            continue
        apart = _off(before, after, shift, moved=False)
        left = max(a / b for a, b in zip(back, still, strict=True))
        if found is None or left < found.left:
            found = Displacement(Offset(-shift.x, -shift.y), left, apart / (sum(still) / 2), agreed and shift == common)
    return found


def _correlation(first: Plane, second: Plane) -> float:
    """The cosine between two pictures, each as one vector; pixels empty in both count nothing."""
    power = float(np.vdot(first, first)) * float(np.vdot(second, second))
    return float(np.vdot(first, second)) / power**0.5 if power else 0.0


def _is_near(first: Offset, second: Offset) -> bool:
    return abs(first.x - second.x) <= 1 and abs(first.y - second.y) <= 1


def _shift(frame: Plane, other: Plane) -> Offset:
    """Return the shift, in whole pixels, that lays a frame best on another."""
    padded = (np.pad(plane.sum(axis=0), RIM) for plane in (frame, other))
    a, b = map(np.fft.rfft2, padded)
    spectrum = b * np.conj(a)
    strength = np.abs(spectrum)
    spectrum /= strength + 1e-3 * strength.max() + 1e-9
    shape = (frame.shape[1] + 2 * RIM, frame.shape[2] + 2 * RIM)
    peak = np.unravel_index(int(np.fft.irfft2(spectrum, shape).argmax()), shape)
    y, x = (int(at) if at <= side // 2 else int(at) - side for at, side in zip(peak, shape, strict=True))
    return Offset(x, y)


def _off(frame: Plane, other: Plane, shift: Offset, moved: bool) -> float:
    """Return the sum of squared differences of two frames, one of them moved or not, over the area that both cover
    after the move."""
    x, y = shift
    height, width = frame.shape[1:]
    where = np.s_[:, max(0, y) : height + min(0, y), max(0, x) : width + min(0, x)]
    source = np.s_[:, max(0, -y) : height + min(0, -y), max(0, -x) : width + min(0, -x)] if moved else where
    return float(np.square(frame[source] - other[where]).sum())


def scaled_back(frame: Plane, factor: float, center: tuple[float, float], to: tuple[float, float]) -> Plane:
    """A frame scaled by 1 / factor about its center, x and y, which comes to lie at another place; linear between
    pixels, and nothing beyond the edge."""
    for axis, (at, put) in enumerate(zip(reversed(center), reversed(to), strict=True), 1):
        length = frame.shape[axis]
        source = at + factor * (np.arange(length) + 0.5 - put) - 0.5
        first = np.floor(source)
        share = (source - first).astype(np.float32)
        inside = [((first + more >= 0) & (first + more < length)).astype(np.float32) for more in (0, 1)]
        weights = ((1 - share) * inside[0], share * inside[1])
        lines = [np.clip(first.astype(int) + more, 0, length - 1) for more in (0, 1)]
        shape = (1, -1, 1) if axis == 1 else (1, 1, -1)
        parts = (frame.take(line, axis) * weight.reshape(shape) for line, weight in zip(lines, weights, strict=True))
        frame = np.add(*parts)
    return frame


def scaled_between(before: Plane, frame: Plane, after: Plane, back: Plane) -> tuple[float, float]:
    """Return `Displacement.left` and `Displacement.neighbors` for a frame and its scaled form."""
    still = [float(np.square(frame - other).sum()) for other in (before, after)]
    left = [float(np.square(back - other).sum()) for other in (before, after)]
    apart = float(np.square(before - after).sum())
    return max(a / max(b, 1e-9) for a, b in zip(left, still, strict=True)), apart / max(sum(still) / 2, 1e-9)
