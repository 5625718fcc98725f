"""Frames without transparency."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from ...color import Color
from ...frame.color_key import keyed
from ...frame.options import ColorKey
from ...message import setting
from ...pixels import Pixels
from ..facts import FrameFacts
from ..finding import ERROR, NOTE, Finding, Surveyed, codes, finding, some_of
from ..ground import MOST_OF_RIM, NEAR, rim_of

BACKGROUND_SOLID, BACKGROUND_CHECKERED, ALPHA_NONE = codes("background-solid", "background-checkered", "alpha-none")

MOST_OPAQUE = 0.8
"""The share of an animation's frames without transparency from which their ground counts as a background."""

MOST_HOLES = 0.002
"""The share of the figure that a color key may take from its inside."""

LEAST_FIGURE = 0.005
"""The share of the canvas that must be left."""


def background(sequence: Surveyed) -> Iterator[Finding]:
    """No transparency at all, and what lies behind the figure."""
    opaque = [frame for frame in sequence.frames if frame.opaque]
    if len(opaque) < MOST_OPAQUE * len(sequence.frames) and sequence.name is not None:
        return  # these are masks, or fades
    solid = [frame for frame in opaque if frame.ground and not frame.ground.square]
    checkered = [frame for frame in opaque if frame.ground and frame.ground.square]
    if checkered:
        what = "no transparency, but a painted checkerboard: the game will draw it"
        yield finding(
            sequence, BACKGROUND_CHECKERED, ERROR, checkered, what, "export again, as PNG with its transparency"
        )
    if solid:
        color = Counter(frame.ground.color for frame in solid if frame.ground).most_common(1)[0][0]
        what = f"no transparency: the game will draw the solid background {color.hex}"
        yield finding(sequence, BACKGROUND_SOLID, ERROR, solid, what, _key(sequence, solid, color))
    if opaque and not solid and not checkered and len(opaque) == len(sequence.frames):
        what = "no transparency at all: right for a tile or a backdrop, not for a figure"
        yield finding(sequence, ALPHA_NONE, NOTE, opaque, what, "export with transparency if it is a figure")


def _key(sequence: Surveyed, solid: Sequence[FrameFacts], color: Color) -> str:
    """Return the color key that leaves the figures unchanged, or a fix by hand."""
    pictures = [sequence.again(frame) for frame in some_of(solid)]
    for tolerance in (0, NEAR):
        key = ColorKey(color, tolerance)
        if all(_is_clean(keyed(picture, key)) for picture in pictures):
            return setting("color_key", f"{color.hex}:{tolerance}" if tolerance else color.hex)
    return "export with transparency: the figure has that color, too, so a color key would take away parts of it"


def _is_clean(after: Pixels) -> bool:
    """Return True if a key took away the background, and of the figure nothing but its rim."""
    empty = after[..., 3] == 0
    figure = int(np.count_nonzero(~empty))
    if rim_of(empty).mean() < MOST_OF_RIM or figure < LEAST_FIGURE * empty.size:
        return False
    return int(np.count_nonzero(_inside(empty))) <= MOST_HOLES * figure


def _inside(empty: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return the empty pixels that no empty pixels connect to the canvas's edge."""
    from scipy import ndimage

    outer = np.pad(empty, 1, constant_values=True)
    places, _ = ndimage.label(outer)
    inside: NDArray[np.bool_] = empty & (places != places[0, 0])[1:-1, 1:-1]
    return inside
