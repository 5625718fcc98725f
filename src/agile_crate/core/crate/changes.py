"""Changes from one crate to another, by frame and animation."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..model.crate import Animation, Crate, Frame
from ..pixels import Pixels
from ..text import counted, joined, measured, quoted

Kind = Literal["added", "removed", "canvas", "pixels", "pivot", "moved", "timing", "sheet"]

ORDER: tuple[Kind, ...] = ("sheet", "added", "removed", "canvas", "pixels", "pivot", "timing", "moved")
"""Kinds of changes, the most important for users first."""


@dataclass(frozen=True, slots=True)
class Change:
    """A change: its kind, the name of its frame, animation or sheet, and a few words.

    `pixels` counts those that differ, where the picture of a frame changed.
    """

    kind: Kind
    name: str
    what: str
    pixels: int = 0


NOUNS = {
    "sheet": ("sheet changed", "sheets changed"),
    "added": ("added", "added"),
    "removed": ("removed", "removed"),
    "canvas": ("canvas changed", "canvases changed"),
    "pixels": ("picture changed", "pictures changed"),
    "pivot": ("pivot moved", "pivots moved"),
    "timing": ("timing changed", "timings changed"),
    "moved": ("lies elsewhere on its sheet", "lie elsewhere on their sheets"),
}


def summary_of(changes: Iterable[Change]) -> str:
    """Return the number of changes of each kind, in a line."""
    counts = Counter(change.kind for change in changes)
    return joined(counted(count, *NOUNS[kind]) for kind, count in counts.items()) or "nothing changed"


Draw = Callable[[int], Pixels]
"""A frame's pixels on its whole canvas, straight alpha, by its index."""


def changes(old: Crate, new: Crate, old_frame: Draw, new_frame: Draw) -> list[Change]:
    """Yield all changes, the most important kinds first, each kind in the order of the new crate.

    Frames and animations are known again by their names. The color of a wholly transparent pixel does not count.
    Cost: every frame that is in both is restored twice and compared once.
    """
    found = [*_of_sheets(old, new), *_of_frames(old, new, old_frame, new_frame), *_of_animations(old, new)]
    return sorted(found, key=lambda change: ORDER.index(change.kind))


def _of_sheets(old: Crate, new: Crate) -> Iterator[Change]:
    before, after = ([measured(sheet.size) for sheet in crate.sheets] for crate in (old, new))
    if len(before) != len(after):
        yield Change("sheet", new.name, f"{counted(len(after), 'sheet')} instead of {len(before)}")
    for sheet, was, now in zip(new.sheets, before, after, strict=False):
        if was != now:
            yield Change("sheet", sheet.image, f"{now} instead of {was}")
    for what, was, now in (
        ("scale", f"{old.scale:g}", f"{new.scale:g}"),
        ("alpha", old.alpha, new.alpha),
        ("background", old.background or "none", new.background or "none"),
    ):
        if was != now:
            yield Change("sheet", new.name, f"{what} {now} instead of {was}")


def _of_frames(old: Crate, new: Crate, old_frame: Draw, new_frame: Draw) -> Iterator[Change]:
    before = {frame.name: index for index, frame in enumerate(old.frames)}
    names = {frame.name for frame in new.frames}
    for frame in old.frames:
        if frame.name not in names:
            yield Change("removed", frame.name, "is no longer there")
    for index, frame in enumerate(new.frames):
        if frame.name not in before:
            yield Change("added", frame.name, f"is new, {measured(frame.canvas)}")
            continue
        was = old.frames[before[frame.name]]
        if frame.canvas != was.canvas:
            yield Change("canvas", frame.name, f"{measured(frame.canvas)} instead of {measured(was.canvas)}")
        else:
            differs = different(old_frame(before[frame.name]), new_frame(index))
            if count := int(np.count_nonzero(differs)):
                y, x = (int(place) for place in np.argwhere(differs)[0])
                yield Change("pixels", frame.name, f"{counted(count, 'pixel')}, first at {x},{y}", count)
        if frame.pivot != was.pivot:
            yield Change("pivot", frame.name, f"{_point(frame)} instead of {_point(was)}")
        if _place(frame, new) != _place(was, old):
            yield Change("moved", frame.name, f"lies at {_where(frame, new)}, not {_where(was, old)}")


def different(old: Pixels, new: Pixels) -> NDArray[np.bool_]:
    """Return a mask of the pixels that look different in two pictures of one shape: shape (h, w)."""
    seen: NDArray[np.bool_] = (old != new).any(axis=2) & ((old[..., 3] > 0) | (new[..., 3] > 0))
    return seen


def _point(frame: Frame) -> str:
    return f"{frame.pivot.x:g},{frame.pivot.y:g}"


def _place(frame: Frame, crate: Crate) -> tuple[object, ...]:
    several = len(crate.sheets) > 1
    return frame.box, frame.turned, frame.mirror, frame.on_sheet if several else 0


def _where(frame: Frame, crate: Crate) -> str:
    box = f"{frame.box.x},{frame.box.y}" + (" turned" if frame.turned else "")
    return f"{box} of {crate.sheets[frame.on_sheet].image}" if len(crate.sheets) > 1 else box


def _of_animations(old: Crate, new: Crate) -> Iterator[Change]:
    before = {animation.name: animation for animation in old.animations}
    after = {animation.name for animation in new.animations}
    for animation in old.animations:
        if animation.name not in after:
            yield Change("removed", animation.name, "animation is no longer there")
    for animation in new.animations:
        was = before.get(animation.name)
        if was is None:
            yield Change("added", animation.name, f"new animation of {counted(len(animation.frames), 'frame')}")
            continue
        for what in _timing(old, was, new, animation):
            yield Change("timing", animation.name, what)


def _timing(old: Crate, was: Animation, new: Crate, now: Animation) -> Iterator[str]:
    order = [
        [crate.frames[index].name for index in animation_form.frames]
        for crate, animation_form in ((old, was), (new, now))
    ]
    if order[0] != order[1]:
        if len(order[0]) != len(order[1]):
            yield f"{counted(len(order[1]), 'step')} instead of {len(order[0])}"
        else:
            at = next(index for index, pair in enumerate(zip(*order, strict=True)) if pair[0] != pair[1])
            yield f"step {at + 1} shows {quoted(order[1][at])}, not {quoted(order[0][at])}"
    elif was.durations != now.durations:
        at = next(i for i, pair in enumerate(zip(was.durations, now.durations, strict=True)) if pair[0] != pair[1])
        step = f"step {at + 1} {now.durations[at]} ms, not {was.durations[at]}"
        yield f"{sum(now.durations)} ms instead of {sum(was.durations)}; {step}"
    elif was.fps and now.fps and (was.fps, was.beats) != (now.fps, now.beats):
        yield " instead of ".join(
            f"{counted(sum(animation_form.beats), 'beat')} at {animation_form.fps} fps" for animation_form in (now, was)
        )
    if (was.loop, was.times) != (now.loop, now.times):
        yield f"{_loop(now)} instead of {_loop(was)}"


def _loop(animation: Animation) -> str:
    return f"{animation.times} times" if animation.times > 1 else animation.loop
