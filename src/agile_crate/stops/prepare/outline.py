"""The step that draws a line round every figure. Canvases grow first where the line would not fit."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from ...core.frame.canvas import Sides, grown, growth_for, moved_to
from ...core.frame.trim import visible_on_canvas
from ...core.frame.wishes import Outline
from ...core.model.geometry import ORIGIN, Box, Offset, Size
from ...core.model.picture import Picture
from ...core.sentence import Sentence
from ...core.text import counted
from ...settings.table import Settings
from .places import sides_told
from .step import Decision, Lineup, Step, alike


class Line(NamedTuple):
    """The line, and by how much every canvas grows for it."""

    outline: Outline
    growth: Sides


def fact(picture: Picture, _: Settings) -> tuple[Box | None, Size]:
    return visible_on_canvas(picture), picture.canvas


def decide(facts: Iterable[tuple[Box | None, Size]], lineup: Lineup, settings: Settings) -> Decision[Line]:
    assert settings.outline is not None, "the step was wanted"
    outline = settings.outline._replace(hard=bool(settings.hard_alpha))
    growth = growth_for(facts, outline.reach)
    where = "inside" if outline.inner else "round"
    drawn = Sentence(f"a line of {counted(outline.width, 'pixel')} {where} every figure, {outline.color.hex}")
    return Decision(alike(Line(outline, growth), lineup), (*_growth_told(growth), drawn))


def _growth_told(growth: Sides) -> tuple[Sentence, ...]:
    """A remark on canvases that grew, if they did."""
    return (Sentence(f"every canvas grew by {sides_told(growth)}, to hold the outline"),) if any(growth) else ()


def apply(picture: Picture, line: Line) -> Picture:
    from ...core.frame.outline import outlined

    picture, reach = grown(picture, line.growth), line.outline.reach
    offset = Offset(picture.offset.x - reach, picture.offset.y - reach)
    wider = picture._replace(pixels=outlined(picture.pixels, line.outline), offset=offset)
    return moved_to(wider, picture.canvas, ORIGIN)


STEP = Step(fact, decide, apply)
