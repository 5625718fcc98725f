"""Rules for searched arrangements, and messages about frames that do not fit."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from ..errors import FitError
from ..message import message, setting
from ..model.geometry import Size
from ..model.picture import Picture
from ..text import measured, quoted
from .arrangement import Considered
from .sheet_size import SheetLimits
from .sheets import Filling
from .tight import bound


def refuse_larger_than_sheet(pictures: Sequence[Picture], limits: SheetLimits) -> None:
    """Raise FitError if a frame's stored pixels fit on no sheet."""
    usable = limits.rules.usable
    room = Size(usable.w - 2 * limits.margin, usable.h - 2 * limits.margin)
    larger = [
        picture
        for picture in pictures
        if (picture.stored_box.w > room.w or picture.stored_box.h > room.h)
        and not (limits.turn and picture.stored_box.w <= room.h and picture.stored_box.h <= room.w)
    ]
    if larger:
        others = f" (and {len(larger) - 1:,} more)" if len(larger) > 1 else ""
        margin = f" inside its margin of {limits.margin}" if limits.margin else ""
        turned = ", turned or not" if limits.turn else ""
        raise FitError(
            "frame {}{} is {}, larger than a sheet may be{}{}, {}; raise {max_size} or {size}, or make "
            "frames smaller with {scale}",
            quoted(larger[0].name),
            others,
            measured(larger[0].stored_box.size),
            margin,
            turned,
            measured(room),
        )


def too_much(sizes: Sequence[Size], limits: SheetLimits, fits: Callable[[list[Size]], bool]) -> str:
    """Return what `--one-sheet` says: how much is missing, and at which scale these would fit, as `fits` finds."""
    usable = limits.rules.usable
    over = bound(sizes, limits.gap) / (limits.inside.w * limits.inside.h) - 1
    low, high = 1, 100  # per cent: `low` is hoped to fit, `high` does not; a smoothed edge may take one pixel more
    while high - low > 1:
        percent = (low + high) // 2
        scaled = [Size(*(-(-side * percent // 100) + 1 for side in size)) for size in sizes]
        low, high = (percent, high) if fits(scaled) else (low, percent)
    missing = (
        f"{over:.0%} more area than it has" if over > 0 else "nearly all of its area, and no way to fill it was found"
    )
    return message(
        "the frames need more than the one sheet of {} that {one_sheet} allows: {}; {} would fit, or raise {max_size}",
        measured(usable),
        missing,
        setting("scale", f"{low}%"),
    )


def considered_for(index: int, filling: Filling, sizes: Sequence[Size], gap: int) -> Iterator[Considered]:
    """Yield what was tried for a sheet; `sizes` are those of all boxes."""
    covered = bound([sizes[box] for box in filling.boxes], gap)
    best = filling.arranged.size
    for tried in filling.arranged.tried:
        fitting = "taken" if tried.size == best else "larger"
        verdict = fitting if tried.fits else "not all fit"
        way = str(tried.policy) if tried.policy else "searched through"
        yield Considered(index, way, tried.size, covered / (tried.size.w * tried.size.h), verdict)
