"""The step that gives transparent pixels nearby colors, for texture filters."""

from __future__ import annotations

from collections.abc import Iterable

from ...core.frame.alpha import UNDER_REACH, filled_under
from ...core.frame.visible import on_canvas
from ...core.message import message
from ...core.model.geometry import Offset, Size
from ...core.model.picture import Picture
from ...settings.table import Settings
from .step import Decision, Lineup, Step, alike


def fact(_: Picture, __: Settings) -> None:
    return None


def decide(_: Iterable[None], lineup: Lineup, __: Settings) -> Decision[None]:
    remark = message("colors spread under the transparent pixels of all frames ({fill_under})")
    return Decision(alike(None, lineup), (remark,))


def apply(picture: Picture, _: None) -> Picture:
    if not picture.pixels.size:
        return picture
    stored, part = picture.stored_box, picture.part
    left, top = max(stored.x, part.x - UNDER_REACH), max(stored.y, part.y - UNDER_REACH)
    right, bottom = min(stored.right, part.right + UNDER_REACH), min(stored.bottom, part.bottom + UNDER_REACH)
    room = Size(right - left, bottom - top)
    pixels = filled_under(on_canvas(picture.pixels, Offset(part.x - left, part.y - top), room))
    return picture._replace(pixels=pixels, offset=Offset(left, top))


STEP = Step(fact, decide, apply)
