"""The draw stop: the sheets of a plan, one after the other, so that no more than one is in memory."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

from ..core.crate.draw import Placed, draw_sheet
from ..core.model.crate import Sheet
from ..core.model.geometry import Offset
from ..core.pixels import Pixels
from .describe import Plan


def placed_of(plan: Plan) -> list[Placed | None]:
    """What is drawn of each frame, in order; None for those that share the box of another."""
    placed: list[Placed | None] = []
    for picture, frame, wanted in zip(plan.pictures, plan.crate.frames, plan.drawn, strict=True):
        stored, part = picture.stored_box, picture.part
        inside = Offset(part.x - stored.x, part.y - stored.y)
        placed.append(Placed(picture.pixels, inside, frame.box, frame.turned) if wanted else None)
    return placed


def drawn_sheets(
    plan: Plan, passing: Callable[[Iterable[Placed]], Iterable[Placed]] = iter
) -> Iterator[tuple[Sheet, Pixels]]:
    """Each sheet with its pixels, straight alpha, drawn when its turn comes. `passing` sees every frame."""
    by_sheet: list[list[Placed]] = [[] for _ in plan.crate.sheets]
    for frame, placed in zip(plan.crate.frames, placed_of(plan), strict=True):
        if placed:
            by_sheet[frame.on_sheet].append(placed)
    for sheet, frames in zip(plan.crate.sheets, by_sheet, strict=True):
        yield sheet, draw_sheet(sheet.size, passing(frames), sheet.edge_repeat)
