"""The step that draws a line around every figure. The step `grow` has made room for it."""

from __future__ import annotations

from collections.abc import Iterable

from ...core.frame.canvas import moved_to
from ...core.frame.options import Outline
from ...core.message import Message
from ...core.model.geometry import ORIGIN, Offset
from ...core.model.picture import Picture
from ...core.text import counted
from ...settings.table import Settings
from .step import Decision, Lineup, Step, alike


def fact(_: Picture, __: Settings) -> None:
    return None


def decide(_: Iterable[None], lineup: Lineup, settings: Settings) -> Decision[Outline]:
    assert settings.outline is not None, "the step was wanted"
    outline = settings.outline._replace(hard=bool(settings.hard_alpha))
    where = "inside" if outline.inner else "round"
    remark = Message(f"a line of {counted(outline.width, 'pixel')} {where} every figure, {outline.color.hex}")
    return Decision(alike(outline, lineup), (remark,))


def apply(picture: Picture, outline: Outline) -> Picture:
    from ...core.frame.outline import outlined

    offset = Offset(picture.offset.x - outline.reach, picture.offset.y - outline.reach)
    wider = picture._replace(pixels=outlined(picture.pixels, outline), offset=offset)
    return moved_to(wider, picture.canvas, ORIGIN)


STEP = Step(fact, decide, apply)
