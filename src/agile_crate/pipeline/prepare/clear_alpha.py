"""The step that empties pixels too faint to be seen, wherever they lie."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

import numpy as np

from ...core.frame.alpha import cleared
from ...core.message import Message
from ...core.model.picture import Picture
from ...core.text import counted
from ...settings.table import Settings
from .step import Decision, Lineup, Step, alike, warning_of_empty


class Faint(NamedTuple):
    """The number of visible pixels, and of those too faint."""

    visible: int
    faint: int


def fact(picture: Picture, settings: Settings) -> Faint:
    alpha = picture.pixels[..., 3]
    visible = int(np.count_nonzero(alpha))
    return Faint(visible, visible - int(np.count_nonzero(alpha > settings.clear_alpha)))


def decide(facts: Iterable[Faint], lineup: Lineup, settings: Settings) -> Decision[int]:
    found = list(facts)
    emptied = [
        name for name, count in zip(lineup.names, found, strict=True) if count.faint and count.faint == count.visible
    ]
    faint = [count.faint for count in found if count.faint]
    remark = Message(f"{counted(sum(faint), 'faint pixel')} of {counted(len(faint), 'frame')} cleared")
    warnings = warning_of_empty(emptied, lineup, "clear_alpha", settings.clear_alpha)
    return Decision(alike(settings.clear_alpha, lineup), (remark,), warnings)


def apply(picture: Picture, faintest: int) -> Picture:
    return picture._replace(pixels=cleared(picture.pixels, faintest))


STEP = Step(fact, decide, apply)
