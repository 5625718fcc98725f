"""The step that exchanges colors. It comes after scaling and palette, so users can replace any color on the sheet."""

from __future__ import annotations

from collections.abc import Iterable
from functools import reduce

from ...core.frame.layers import Exchange, has_color, recolored
from ...core.message import Message
from ...core.model.picture import Picture
from ...core.text import counted, few
from ...settings.table import Settings
from .step import Decision, Lineup, Step, alike


def fact(picture: Picture, settings: Settings) -> frozenset[int]:
    """Return the indices of the exchanged colors that the picture has."""
    colors = enumerate(settings.recolor)
    return frozenset(place for place, (old, _) in colors if has_color(picture.pixels, old))


def decide(facts: Iterable[frozenset[int]], lineup: Lineup, settings: Settings) -> Decision[Exchange]:
    exchange = settings.recolor
    if not exchange:
        return Decision()
    found = reduce(frozenset.union, facts, frozenset[int]())
    idle = [old.hex for place, (old, _) in enumerate(exchange) if place not in found]
    verb = "is" if len(idle) == 1 else "are"
    warnings = (Message(f"no frame has exactly {few(idle)}, which {verb} to be exchanged"),) if idle else ()
    remarks = (Message(f"{counted(len(found), 'color')} exchanged"),) if found else ()
    return Decision(alike(exchange, lineup), remarks, warnings)


def apply(picture: Picture, exchange: Exchange) -> Picture:
    return picture._replace(pixels=recolored(picture.pixels, exchange)) if picture.pixels.size else picture


STEP = Step(fact, decide, apply)
