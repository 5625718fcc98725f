"""The step that enlarges all canvases alike if an outline does not fit."""

from __future__ import annotations

from collections.abc import Iterable

from ...core.frame.canvas import Sides, grown, growth_for
from ...core.frame.trim import visible_on_canvas
from ...core.message import Message
from ...core.model.picture import Picture
from ...settings.table import Settings
from .canvas import sides_text
from .step import Decision, Lineup, Standing, Step, alike, seen_together


def fact(picture: Picture, _: Settings) -> Standing:
    return Standing(picture.canvas, visible_on_canvas(picture))


def decide(facts: Iterable[Standing], lineup: Lineup, settings: Settings) -> Decision[Sides]:
    assert settings.outline is not None, "the step was wanted"
    growth = growth_for(((standing.seen, standing.canvas) for standing in facts), settings.outline.reach)
    if not any(growth):
        return Decision()
    remark = Message(f"every canvas grew by {sides_text(growth)}, to hold the outline")
    return Decision(alike(growth, lineup), (remark,))


STEP = Step(fact, decide, grown, joined=seen_together, is_shared=True)
