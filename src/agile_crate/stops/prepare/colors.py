"""Steps that change colours: what the colour key left, hard alpha, palette, colours under transparent pixels."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterable, Iterator
from typing import NamedTuple

import numpy as np

from ...core.color import Color
from ...core.frame.alpha import UNDER_REACH, filled_under, hard_alpha
from ...core.frame.palette import Histogram, Moved, derived, furthest, histogram, palette_map, solid_colors
from ...core.frame.trim import visible_on_canvas
from ...core.frame.visible import on_canvas
from ...core.model.geometry import Offset, Size
from ...core.model.picture import Picture
from ...core.pixels import Words
from ...core.sentence import Sentence, setting
from ...core.text import counted, joined
from ...settings.table import Settings
from .step import Decision, Lineup, Step, alike, warning_of_empty


class Keyed(NamedTuple):
    """How many pixels the colour key took away, and whether anything is left."""

    gone: int
    is_empty: bool


def _key_is_wanted(settings: Settings) -> bool:
    return settings.color_key is not None


def _keyed(picture: Picture, _: Settings) -> Keyed:
    return Keyed(picture.keyed, visible_on_canvas(picture) is None)


def _decide_on_key(facts: Iterable[Keyed], lineup: Lineup, _: Settings) -> Decision[None]:
    """The key was applied at first sight; here is told what it did."""
    all_keyed = list(facts)
    lost = [keyed.gone for keyed in all_keyed if keyed.gone]
    emptied = [name for name, keyed in zip(lineup.names, all_keyed, strict=True) if keyed.is_empty]
    told = f"the colour key made {counted(sum(lost), 'pixel')} of {counted(len(lost), 'frame')} empty"
    return Decision((), (Sentence(told),), warning_of_empty(emptied, lineup, "color_key"))


def _unchanged(picture: Picture, _: None) -> Picture:
    return picture


KEY = Step(_key_is_wanted, _keyed, _decide_on_key, _unchanged)


def _hard_alpha_is_wanted(settings: Settings) -> bool:
    return settings.hard_alpha > 0


def _half_covered(picture: Picture, _: Settings) -> int:
    alpha = picture.pixels[..., 3]
    return int(np.count_nonzero((alpha > 0) & (alpha < 255)))


def _decide_on_alpha(facts: Iterable[int], lineup: Lineup, settings: Settings) -> Decision[int]:
    told = Sentence(f"hard alpha settled {counted(sum(facts), 'half-covered pixel')}")
    return Decision(alike(settings.hard_alpha, lineup), (told,))


def _hardened(picture: Picture, threshold: int) -> Picture:
    return dataclasses.replace(picture, pixels=hard_alpha(picture.pixels, threshold))


HARD_ALPHA = Step(_hard_alpha_is_wanted, _half_covered, _decide_on_alpha, _hardened)


class Colours(NamedTuple):
    """The colours of a frame that are seen clearly, and, where a palette is to be found, all of them weighed."""

    solid: Words
    weighed: Histogram | None


class Recolouring(NamedTuple):
    """A palette, and whether colours between its entries become patterns."""

    colors: tuple[Color, ...]
    dither: bool


def _palette_is_wanted(settings: Settings) -> bool:
    return bool(settings.colors or settings.palette)


def _colours(picture: Picture, settings: Settings) -> Colours:
    return Colours(solid_colors(picture.pixels), histogram(picture.pixels) if settings.colors else None)


def _decide_on_palette(facts: Iterable[Colours], lineup: Lineup, settings: Settings) -> Decision[Recolouring]:
    solid = np.zeros(1 << 24, bool)

    def weighed() -> Iterator[Histogram]:
        for colours in facts:
            solid[colours.solid] = True
            if colours.weighed is not None:
                yield colours.weighed

    histograms = weighed()
    colors = derived(histograms, settings.colors) if settings.colors else settings.palette
    for _ in histograms:
        pass  # without a palette to be found nobody has asked for the facts yet
    assert isinstance(colors, tuple), "the palette's file is read before"
    colors = tuple(dict.fromkeys(colors))
    remarks = [Sentence(f"all frames in the {counted(len(colors), 'colour')} of one palette")]
    if moved := furthest(colors, np.flatnonzero(solid).astype(np.uint32)):
        remarks.append(Sentence(f"colours that moved furthest, in Oklab: {joined(map(_moved, moved))}"))
    silhouette = (Sentence("the palette has one colour: every frame becomes a silhouette"),) if len(colors) == 1 else ()
    return Decision(alike(Recolouring(colors, settings.dither), lineup), tuple(remarks), silhouette)


def _moved(moved: Moved) -> str:
    return f"{moved.before.hex} to {moved.after.hex} ({moved.distance:.3f})"


def _recoloured(picture: Picture, wanted: Recolouring) -> Picture:
    pixels = palette_map(wanted.colors, wanted.dither).mapped(picture.pixels, picture.offset)
    return dataclasses.replace(picture, pixels=pixels)


PALETTE = Step(_palette_is_wanted, _colours, _decide_on_palette, _recoloured)


def _fill_is_wanted(settings: Settings) -> bool:
    return settings.fill_under


def _nothing(_: Picture, __: Settings) -> None:
    return None


def _decide_on_fill(_: Iterable[None], lineup: Lineup, __: Settings) -> Decision[None]:
    told = Sentence(f"colours carried under the transparent pixels of all frames ({setting('fill_under')})")
    return Decision(alike(None, lineup), (told,))


def _filled(picture: Picture, _: None) -> Picture:
    if not picture.pixels.size:
        return picture
    stored, part = picture.stored_box, picture.part
    left, top = max(stored.x, part.x - UNDER_REACH), max(stored.y, part.y - UNDER_REACH)
    right, bottom = min(stored.right, part.right + UNDER_REACH), min(stored.bottom, part.bottom + UNDER_REACH)
    room = Size(right - left, bottom - top)
    pixels = filled_under(on_canvas(picture.pixels, Offset(part.x - left, part.y - top), room))
    return dataclasses.replace(picture, pixels=pixels, offset=Offset(left, top))


FILL_UNDER = Step(_fill_is_wanted, _nothing, _decide_on_fill, _filled)
