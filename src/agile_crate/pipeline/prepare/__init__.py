"""The prepare stop: what is done to frames between their sources and the arrangement, always in the same order.

colour key → scale → clear below → hard alpha → palette → canvas, shift → room for the outline →
outline → trim → pivot → fill under → shapes → offsets. The colour key, and the scale where it is known by then, are
applied at first sight (`core.frame.decode`). A build and its proof both walk this.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from importlib import import_module
from itertools import chain, repeat
from types import MappingProxyType
from typing import Any, NamedTuple, TypeVar

import numpy as np

from ...core.crate.edits import Touches
from ...core.frame.decode import FirstLook
from ...core.message import Sentence
from ...core.model.geometry import Box
from ...core.model.picture import Picture, Sequences
from ...core.text import counted, few, shown
from ...settings.table import PerAnimation, Settings
from ...workers.ordered import in_turn
from ...workers.pool import Crew
from .factor import scaling_of
from .step import Decision, Step, lineup_of

T = TypeVar("T")

STEPS: tuple[tuple[str, Callable[[Settings], bool]], ...] = (
    ("key", lambda settings: settings.color_key is not None),
    ("scale", lambda settings: bool(settings.fit) or settings.scale != 1),
    ("clear_below", lambda settings: settings.clear_below > 0),
    ("hard_alpha", lambda settings: settings.hard_alpha > 0),
    ("palette", lambda settings: bool(settings.colors or settings.palette)),
    ("canvas", lambda _: True),
    ("grow", lambda settings: settings.outline is not None),
    ("outline", lambda settings: settings.outline is not None),
    ("trim", lambda settings: settings.trimming != "off"),
    ("pivots", lambda settings: settings.snap_pivot or settings.pivot != PerAnimation(None)),
    ("fill_under", lambda settings: settings.fill_under),
    ("shapes", lambda settings: bool(settings.shape)),
    ("offsets", lambda settings: settings.forget_offsets),
)
"""The steps in order: the module of each, and whether settings want it. Only those that are wanted are loaded."""

BATCH = 1 << 18
"""Pixels that a thread takes at a time."""

SHARED = frozenset({"scale", "canvas", "grow", "trim", "pivots", "shapes", "offsets"})
"""Steps that decide once, on the base's frames, for all skins; the others decide for each skin by itself, and leave out
those that are plain. Steps with `joined` look at what is seen in every skin."""

PIXELS = frozenset({"scale", "clear_below", "hard_alpha", "palette"})
"""Steps that say which pixels a frame has, and so whether two frames show the same."""

SMALL = 1 << 14
"""Pixels. Where pictures have fewer on average, the interpreter's lock makes two threads slower than one."""


class Untrimmed(NamedTuple):
    """A picture as it was before trimming, and the part of its canvas that trimming keeps."""

    picture: Picture
    kept: Box


@dataclass(slots=True)
class Worn:
    """The pictures of one skin on their way, in crate order, each of the size of the base's."""

    name: str
    plain: bool
    pictures: list[Picture]


class WornPictures(NamedTuple):
    """The pictures of one skin, ready to be drawn where the base's are; and what a proof compares them with."""

    name: str
    plain: bool
    pictures: tuple[Picture, ...]
    untrimmed: tuple[Untrimmed, ...] = ()


class Prepared(NamedTuple):
    """Pictures that are ready to be arranged, in crate order; the settings that made them, the factor by which they
    were scaled, and what to say of it. `untrimmed` is what a proof compares with, and empty unless it was wanted.
    `lost` are the frames of touches that no longer fit. `skins` are the pictures of each skin."""

    pictures: tuple[Picture, ...]
    untrimmed: tuple[Untrimmed, ...]
    settings: Settings
    factor: Fraction
    remarks: tuple[Sentence, ...]
    warnings: tuple[Sentence, ...]
    lost: tuple[str, ...] = ()
    skins: tuple[WornPictures, ...] = ()


def needs_no_pixels(settings: Settings) -> bool:
    """Whether nothing but the sizes of frames decides on what becomes of them before they are drawn."""
    steps = (step_of(name) for name, is_wanted in STEPS if is_wanted(settings))
    tells_copies = settings.drop_copies or settings.drop_closing
    return settings.has_one_cell and not tells_copies and not any(step.looks(settings) for step in steps)


def first_look(sizes: Sequence[Settings]) -> FirstLook:
    """What is done to each frame as soon as it is decoded. `sizes` are the settings of every size of the build, which
    are alike but for lengths."""
    settings = sizes[0]
    scalings = tuple(scaling_of(one, 1 if one.fit else one.scale) for one in sizes)
    return FirstLook(settings.color_key, scalings, keeps_vectors=settings.fit is not None)


def as_stored(
    pictures: Iterable[Picture], sequences: Sequences, settings: Settings, executor: Crew, plain: bool = False
) -> list[Picture]:
    """Pictures of frames, in crate order, with the pixels that they will be stored with; where on which canvas, or how
    much of it, is left open. Those of a plain skin are only scaled."""
    lineup, result = lineup_of(sequences), list(pictures)
    for name, is_wanted in STEPS:
        if name in PIXELS and is_wanted(settings) and (name in SHARED or not plain):
            step = step_of(name)
            decision = step.decide(_spread(executor, partial(_facts, step, settings), result), lineup, settings)
            _apply(step, result, decision, executor)
    return result


def prepare(
    pictures: list[Picture],
    sequences: Sequences,
    settings: Settings,
    executor: Crew,
    for_proof: bool = False,
    touches: Touches = MappingProxyType({}),
    skins: Sequence[Worn] = (),
) -> Prepared:
    """All steps over all frames, in crate order; `for_proof` keeps the untrimmed ones. Touches are laid over the frames
    of their names before trimming. Raises UsageError and FitError.

    The list is emptied, so that the pixels of one step can go as soon as those of the next are there.
    """
    lineup = lineup_of(sequences)
    factor = settings.scale
    remarks: list[Sentence] = []
    warnings: list[Sentence] = []
    untrimmed: tuple[Untrimmed, ...] = ()
    worn_untrimmed: list[tuple[Untrimmed, ...]] = [() for _ in skins]
    lost: tuple[str, ...] = ()
    for name, is_wanted in STEPS:
        if name == "trim" and touches:
            lost = _lay_over(pictures, touches, settings.alpha_floor)
        if not is_wanted(settings):
            continue
        step = step_of(name)
        look = partial(_facts, step, settings)
        facts = _spread(executor, look, pictures)
        if step.joined:
            for skin in skins:
                facts = map(step.joined, facts, _spread(executor, look, skin.pictures), repeat(skin.plain))
        decision = step.decide(facts, lineup, settings)
        if name == "scale" and settings.fit:
            factor = decision.parameters[0].factor if decision.parameters else Fraction(1)
        if name == "trim" and for_proof:
            untrimmed = tuple(map(Untrimmed, pictures, decision.parameters))
            worn_untrimmed = [tuple(map(Untrimmed, skin.pictures, decision.parameters)) for skin in skins]
        _apply(step, pictures, decision, executor)
        for skin in skins:
            if name in SHARED:
                _apply(step, skin.pictures, decision, executor)
            elif not skin.plain and name != "key":
                own = step.decide(_spread(executor, look, skin.pictures), lineup, settings)
                _apply(step, skin.pictures, own, executor)
                warnings += own.warnings
        remarks += decision.remarks
        warnings += decision.warnings
    prepared = tuple(pictures)
    pictures.clear()
    if for_proof and settings.trimming == "off":
        untrimmed = _whole(prepared)
        worn_untrimmed = [_whole(skin.pictures) for skin in skins]
    kept = [name for name in touches if name not in lost]
    if kept:
        remarks.append(Sentence(f"touches kept on {counted(len(kept), 'frame')}: {few(map(shown, kept))}"))
    worn = (
        WornPictures(skin.name, skin.plain, tuple(skin.pictures), before)
        for skin, before in zip(skins, worn_untrimmed, strict=True)
    )
    return Prepared(prepared, untrimmed, settings, factor, tuple(remarks), tuple(warnings), lost, tuple(worn))


def _whole(pictures: Sequence[Picture]) -> tuple[Untrimmed, ...]:
    return tuple(Untrimmed(picture, picture.stored_box) for picture in pictures)


def _apply(step: Step[Any, Any], pictures: list[Picture], decision: Decision[Any], crew: Crew) -> None:
    """What was decided, in place. New pixels go to a file where there are too many of them."""
    if not decision.parameters:
        return
    crew.room.next_step()
    for index, made in enumerate(_spread(crew, partial(_applied, step), pictures, decision.parameters)):
        pixels, before = made.pixels, pictures[index].pixels
        if pixels is not before and not np.may_share_memory(pixels, before) and not crew.room.has_room(pixels.nbytes):
            made = made._replace(pixels=crew.room.moved(pixels))
        pictures[index] = made


def _lay_over(pictures: list[Picture], touches: Touches, alpha_floor: int) -> tuple[str, ...]:
    """Lays touches over the pictures of their names, in place; returns the names where that cannot be."""
    from ...core.crate.edits import laid_over

    left = dict(touches)
    for index, picture in enumerate(pictures):
        if picture.name in left and (made := laid_over(picture, left[picture.name], alpha_floor)):
            pictures[index] = made
            del left[picture.name]
    return tuple(left)


def step_of(name: str) -> Step[Any, Any]:
    """The step that a module of this package is about."""
    step: Step[Any, Any] = import_module(f".{name}", __package__).STEP
    return step


def _facts(step: Step[Any, Any], settings: Settings, pictures: Sequence[Picture]) -> list[Any]:
    return [step.fact(picture, settings) for picture in pictures]


def _applied(step: Step[Any, Any], pictures: Sequence[Picture], parameters: Sequence[Any]) -> list[Picture]:
    return list(map(step.apply, pictures, parameters))


def _spread(
    executor: Executor, work: Callable[..., list[T]], pictures: Sequence[Picture], *others: Sequence[Any]
) -> Iterator[T]:
    """What `work` makes of batches of pictures, and of what belongs to them, in order; of small ones at once, here."""
    if are_small(pictures):
        return iter(work(pictures, *others))
    spans = list(_spans(pictures))
    batches = ([column[start:end] for column in (pictures, *others)] for start, end in spans)
    return chain.from_iterable(in_turn(executor, work, batches))


def are_small(pictures: Sequence[Picture]) -> bool:
    """Whether one thread is quicker with them than two."""
    return sum(picture.nbytes for picture in pictures) < 4 * SMALL * len(pictures)


def _spans(pictures: Sequence[Picture]) -> Iterator[tuple[int, int]]:
    start = pixels = 0
    for index, picture in enumerate(pictures, 1):
        pixels += picture.nbytes // 4
        if pixels >= BATCH:
            yield start, index
            start, pixels = index, 0
    if start < len(pictures):
        yield start, len(pictures)
