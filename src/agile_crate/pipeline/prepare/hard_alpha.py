"""The step that makes every pixel wholly opaque or wholly empty."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from ...core.frame.alpha import hard_alpha
from ...core.message import Message
from ...core.model.picture import Picture
from ...core.text import counted
from ...settings.table import Settings
from .step import Decision, Lineup, Step, alike


def fact(picture: Picture, _: Settings) -> int:
    alpha = picture.pixels[..., 3]
    return int(np.count_nonzero((alpha > 0) & (alpha < 255)))


def decide(facts: Iterable[int], lineup: Lineup, settings: Settings) -> Decision[int]:
    remark = Message(f"hard alpha changed {counted(sum(facts), 'half-covered pixel')}")
    return Decision(alike(settings.hard_alpha, lineup), (remark,))


def apply(picture: Picture, threshold: int) -> Picture:
    return picture._replace(pixels=hard_alpha(picture.pixels, threshold))


STEP = Step(fact, decide, apply)
