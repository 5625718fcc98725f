"""The step that reports the color key's effect; it was applied when frames were decoded."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from ...core.frame.trim import visible_on_canvas
from ...core.message import Message
from ...core.model.picture import Picture
from ...core.text import counted
from ...settings.table import Settings
from .step import Decision, Lineup, Step, warning_of_empty


class Keyed(NamedTuple):
    """The number of pixels that the color key cleared, and a flag if any are left."""

    gone: int
    is_empty: bool


def fact(picture: Picture, _: Settings) -> Keyed:
    return Keyed(picture.keyed, visible_on_canvas(picture) is None)


def decide(facts: Iterable[Keyed], lineup: Lineup, _: Settings) -> Decision[None]:
    """Report the effect of the color key, which was applied when frames were decoded."""
    all_keyed = list(facts)
    lost = [keyed.gone for keyed in all_keyed if keyed.gone]
    emptied = [name for name, keyed in zip(lineup.names, all_keyed, strict=True) if keyed.is_empty]
    remark = f"the color key made {counted(sum(lost), 'pixel')} of {counted(len(lost), 'frame')} empty"
    return Decision((), (Message(remark),), warning_of_empty(emptied, lineup, "color_key"))


def apply(picture: Picture, _: None) -> Picture:
    return picture


STEP = Step(fact, decide, apply, on_skins=False)
