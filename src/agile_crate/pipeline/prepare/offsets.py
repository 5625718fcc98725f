"""The step that drops the offsets of trimmed frames."""

from __future__ import annotations

from collections.abc import Iterable

from ...core.frame.trim import displacement, forgotten
from ...core.message import Message
from ...core.model.picture import Picture
from ...settings.table import Settings
from .step import Decision, Lineup, Step, alike


def fact(picture: Picture, settings: Settings) -> tuple[float, float] | None:
    return displacement(picture, settings.align) if picture.stored_box.w else None


def decide(facts: Iterable[tuple[float, float] | None], lineup: Lineup, settings: Settings) -> Decision[None]:
    moves = [move for move in facts if move]
    across, along = (max((abs(move[axis]) for move in moves), default=0) for axis in (0, 1))
    remark = Message(
        f"offsets are not kept: put at the {settings.align} of their canvas again, frames move by up to {across:g} "
        f"pixels across and {along:g} up or down; drawn by their pivots they stay"
    )
    return Decision(alike(None, lineup), (remark,))


def apply(picture: Picture, _: None) -> Picture:
    return forgotten(picture)


STEP = Step(fact, decide, apply, is_shared=True)
