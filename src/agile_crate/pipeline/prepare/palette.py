"""The step that brings all frames to the colors of one palette."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import NamedTuple

import numpy as np

from ...core.color import Color
from ...core.frame.palette import Histogram, MovedColor, derived, furthest, histogram, palette_map, solid_colors
from ...core.message import Message
from ...core.model.picture import Picture
from ...core.pixels import Words
from ...core.text import counted, joined
from ...settings.table import Settings
from .step import Decision, Lineup, Step, alike


class FrameColors(NamedTuple):
    """The clearly visible colors of a frame and, if a palette is to be derived, all its colors weighed."""

    solid: Words
    weighed: Histogram | None


class Recoloring(NamedTuple):
    """A palette, and a flag if colors between its entries are dithered."""

    colors: tuple[Color, ...]
    dither: bool


def fact(picture: Picture, settings: Settings) -> FrameColors:
    return FrameColors(solid_colors(picture.pixels), histogram(picture.pixels) if settings.colors else None)


def decide(facts: Iterable[FrameColors], lineup: Lineup, settings: Settings) -> Decision[Recoloring]:
    solid = np.zeros(1 << 24, bool)

    def weighed() -> Iterator[Histogram]:
        for colors in facts:
            solid[colors.solid] = True
            if colors.weighed is not None:
                yield colors.weighed

    histograms = weighed()
    colors = derived(histograms, settings.colors) if settings.colors else settings.palette
    for _ in histograms:
        pass  # without a palette to be found nobody has asked for the facts yet
    assert isinstance(colors, tuple), "the palette's file is read before"
    colors = tuple(dict.fromkeys(colors))
    remarks = [Message(f"all frames in the {counted(len(colors), 'color')} of one palette")]
    if moved := furthest(colors, np.flatnonzero(solid).astype(np.uint32)):
        remarks.append(Message(f"colors that moved furthest, in Oklab: {joined(map(_moved, moved))}"))
    silhouette = (Message("the palette has one color: every frame becomes a silhouette"),) if len(colors) == 1 else ()
    return Decision(alike(Recoloring(colors, settings.dither), lineup), tuple(remarks), silhouette)


def _moved(moved: MovedColor) -> str:
    return f"{moved.before.hex} to {moved.after.hex} ({moved.distance:.3f})"


def apply(picture: Picture, wanted: Recoloring) -> Picture:
    pixels = palette_map(wanted.colors, wanted.dither).mapped(picture.pixels, picture.offset)
    return picture._replace(pixels=pixels)


STEP = Step(fact, decide, apply)
