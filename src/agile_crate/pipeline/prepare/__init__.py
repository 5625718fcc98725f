"""Preparation: the steps between a frame's source and the arrangement, always in the same order.

color key → region → scale → clear alpha → hard alpha → palette → recolor → canvas, shift → room for the outline →
outline → trim → pivot → fill under → shapes → offsets. The color key, and region and scale if they are known by then,
are applied as files are decoded (`core.frame.decode`). A build and its proof both walk this.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor
from fractions import Fraction
from functools import partial, reduce
from importlib import import_module
from itertools import chain, repeat
from types import MappingProxyType
from typing import Any, NamedTuple, TypeVar

import numpy as np

from ...core.crate.edits import Edits
from ...core.frame.decode import Decoding
from ...core.frame.layers import composed
from ...core.frame.pixel_art import color_count
from ...core.message import Message, message
from ...core.model.geometry import Box
from ...core.model.picture import Picture, Sequences
from ...core.model.variant import Untrimmed, Variant, Variants
from ...core.text import counted, few, quoted, shown
from ...settings.table import PerAnimation, Settings
from ...workers.ordered import in_turn
from ..context import Context
from .factor import scaling_of
from .step import Decision, Lineup, Step, lineup_of

T = TypeVar("T")

Steps = tuple[tuple[str, Callable[[Settings], bool]], ...]
"""Steps in order: the module of each, and when settings ask for it."""

COLOR_STEPS: Steps = (
    ("color_key", lambda settings: settings.color_key is not None),
    ("region", lambda settings: bool(settings.region)),
    ("scale", lambda settings: bool(settings.fit) or settings.scale != 1),
    ("clear_alpha", lambda settings: settings.clear_alpha > 0),
    ("hard_alpha", lambda settings: settings.hard_alpha > 0),
    ("palette", lambda settings: bool(settings.colors or settings.palette)),
    ("recolor", lambda settings: bool(settings.recolor)),
)
"""The steps that say which pixels a frame has, and so whether two frames are duplicates."""

CANVAS_STEPS: Steps = (
    ("canvas", lambda _: True),
    ("grow", lambda settings: settings.outline is not None),
    ("outline", lambda settings: settings.outline is not None),
)

TRIM: Steps = (("trim", lambda settings: settings.trimming != "off"),)

LAST_STEPS: Steps = (
    ("pivots", lambda settings: settings.snap_pivot or settings.pivot != PerAnimation(None)),
    ("fill_under", lambda settings: settings.fill_under),
    ("shapes", lambda settings: bool(settings.shape)),
    ("offsets", lambda settings: settings.no_offsets),
)

SAMPLES, MANY_MORE = 8, 1.5
"""Frames whose colors are counted after smoothing, and how many times as many show that they were blended."""

BATCH_PIXELS = 1 << 18
"""A thread takes about so many at a time."""

SMALL_FRAME_PIXELS = 1 << 14
"""If pictures have fewer on average, the interpreter's lock makes two threads slower than one."""


class Prepared(NamedTuple):
    """Pictures of one size that are ready to be arranged.

    variants   with their pictures
    settings   that made them
    factor     by which they were scaled
    remarks, warnings   for the user
    lost       the frames of edits that no longer fit
    """

    variants: Variants
    settings: Settings
    factor: Fraction
    remarks: tuple[Message, ...]
    warnings: tuple[Message, ...]
    lost: tuple[str, ...] = ()

    @property
    def pictures(self) -> Sequence[Picture]:
        """The pictures of the base art."""
        return self.variants[0].pictures


def wanted(steps: Steps, settings: Settings) -> Iterator[Step[Any, Any]]:
    """Yield the steps that settings ask for; only their modules are loaded."""
    for name, is_wanted in steps:
        if is_wanted(settings):
            yield import_module(f".{name}", __package__).STEP


def needs_no_pixels(settings: Settings) -> bool:
    """Return True if only the frames' sizes decide how they are prepared."""
    steps = wanted((*COLOR_STEPS, *CANVAS_STEPS, *TRIM, *LAST_STEPS), settings)
    tells_duplicates = settings.drop_duplicates or settings.drop_closing
    is_plain = settings.has_one_cell and settings.canvas_multiple == 1
    return is_plain and not tells_duplicates and not any(step.looks(settings) for step in steps)


def decoding_of(sizes: Sequence[Settings]) -> Decoding:
    """Return the work on each frame as it is decoded. `sizes` are the settings of every size of the build, which
    are alike but for lengths."""
    settings = sizes[0]
    scalings = tuple(scaling_of(size, 1 if size.scales_late else size.scale) for size in sizes)
    # A canvas that is a multiple of this before scaling is one of `canvas_multiple` afterwards.
    multiple = (settings.canvas_multiple * settings.portion / settings.scale).numerator
    return Decoding(
        settings.color_key,
        scalings,
        settings.scales_late,
        1 if settings.canvas_multiple == 1 else multiple,
        settings.region if isinstance(settings.region, Box) else None,
    )


def as_stored(variant: Variant, sequences: Sequences, settings: Settings, context: Context) -> Sequence[Picture]:
    """Return the pictures of a variant with the pixels that they will be stored with. Where on which canvas, and how
    much of it, is left open."""
    walk = _Walk([variant], lineup_of(sequences), settings, context)
    for step in wanted(COLOR_STEPS, _with_exchange(settings, variant)):
        if step.is_shared or (not variant.is_plain and step.on_skins):
            walk.take(step)
    return walk.pictures[0]


def prepare(
    variants: list[Variant],
    sequences: Sequences,
    settings: Settings,
    context: Context,
    for_proof: bool = False,
    edits: Edits = MappingProxyType({}),
) -> Prepared:
    """Take all steps over all frames of all variants; `for_proof` keeps the untrimmed ones. Edits are laid over the
    base's frames of their names before trimming, which may not cut them off. Raises UsageError and FitError.

    The list is emptied: otherwise it would hold the pixels of before until all steps are taken.
    """
    walk = _Walk(variants, lineup_of(sequences), settings, context)
    variants.clear()
    # Colors come first, because they decide which pixels are empty; then canvases, which place the frames; then edits,
    # which are as large as canvases; then trimming, which would otherwise cut edits off; last, steps on trimmed frames.
    factor = settings.scale
    asking = reduce(_with_exchange, walk.variants, settings)
    for step in wanted(COLOR_STEPS, asking):
        decision = walk.take(step)
        if step.scales and settings.fit:
            factor = decision.parameters[0].factor if decision.parameters else Fraction(1)
    walk.remarks += _smoothed(walk.pictures[0])
    for step in wanted(CANVAS_STEPS, settings):
        walk.take(step)
    lost = _lay_over(walk.pictures[0], edits, settings.trim_alpha) if edits else ()
    untrimmed: list[tuple[Untrimmed, ...]] = [() for _ in walk.pictures]
    for step in wanted(TRIM, settings):
        decision = walk.decide(step)
        if for_proof:
            untrimmed = [tuple(map(Untrimmed, pictures, decision.parameters)) for pictures in walk.pictures]
        walk.apply(step, decision)
    for step in wanted(LAST_STEPS, settings):
        walk.take(step)
    if for_proof and settings.trimming == "off":
        untrimmed = [
            tuple(Untrimmed(picture, picture.stored_box) for picture in pictures) for pictures in walk.pictures
        ]
    if untouched := [name for name in edits if name not in lost]:
        walk.remarks.append(Message(f"edits kept on {counted(len(untouched), 'frame')}: {few(map(shown, untouched))}"))
    prepared = (
        variant._replace(pictures=tuple(pictures), untrimmed=before)
        for variant, pictures, before in zip(walk.variants, walk.pictures, untrimmed, strict=True)
    )
    return Prepared(tuple(prepared), settings, factor, tuple(walk.remarks), tuple(walk.warnings), lost)


def _smoothed(pictures: Sequence[Picture]) -> Iterator[Message]:
    """Yield a remark if smoothing gave hard-edged art of few colors many more. The richest of some frames is named."""
    hard = [picture for picture in pictures if picture.smoothed_colors]
    if len(hard) * 2 <= len(pictures):  # of soft art, a frame may be hard by chance
        return
    sample = hard[:: -(-len(hard) // SAMPLES)]
    counts = [(color_count(picture.pixels), picture.smoothed_colors) for picture in sample]
    after, before = max(counts)
    if after > MANY_MORE * before:
        yield message(
            "hard-edged art was smoothed: {} became {:,}; {resample:pixel} keeps them", counted(before, "color"), after
        )


class _Walk:
    """The pictures of all variants on their way through the steps, and what the steps report."""

    def __init__(self, variants: Sequence[Variant], lineup: Lineup, settings: Settings, context: Context) -> None:
        self.pictures = [list(variant.pictures) for variant in variants]
        self.variants = [variant._replace(pictures=()) for variant in variants]
        self.remarks: list[Message] = []
        self.warnings: list[Message] = []
        self._lineup, self._context = lineup, context
        self._settings = [_with_exchange(settings, variant) for variant in variants]

    def take(self, step: Step[Any, Any]) -> Decision[Any]:
        """Decide on a step and apply it; return the decision."""
        decision = self.decide(step)
        self.apply(step, decision)
        return decision

    def decide(self, step: Step[Any, Any]) -> Decision[Any]:
        """Decide by the base's frames, or jointly by those of all variants."""
        facts = self._facts(step, 0)
        if step.joined:
            for number, variant in enumerate(self.variants[1:], 1):
                facts = map(step.joined, facts, self._facts(step, number), repeat(variant.is_plain))
        return step.decide(facts, self._lineup, self._settings[0])

    def apply(self, step: Step[Any, Any], decision: Decision[Any]) -> None:
        """Apply the decision to the base, and to skins if it is shared; otherwise decide for each skin by itself."""
        self._apply(step, 0, decision)
        for number, variant in enumerate(self.variants[1:], 1):
            if step.is_shared:
                self._apply(step, number, decision)
            elif step.on_skins and not variant.is_plain:
                own = step.decide(self._facts(step, number), self._lineup, self._settings[number])
                self._apply(step, number, own)
                self.warnings += (message("the skin {}: {}", quoted(variant.name), found) for found in own.warnings)
        self.remarks += decision.remarks
        self.warnings += decision.warnings

    def _facts(self, step: Step[Any, Any], number: int) -> Iterator[Any]:
        return _spread(self._context.pool, partial(_facts, step, self._settings[number]), self.pictures[number])

    def _apply(self, step: Step[Any, Any], number: int, decision: Decision[Any]) -> None:
        """Apply a decision to one variant, in place: so the pixels of the step before go one by one. New pixels that
        memory has no room for go to the pixel store's file."""
        if not decision.parameters:
            return
        store, pictures = self._context.pixels, self.pictures[number]
        store.next_step()
        applied = _spread(self._context.pool, partial(_applied, step), pictures, decision.parameters)
        for index, made in enumerate(applied):
            pixels, before = made.pixels, pictures[index].pixels
            if pixels is not before and not np.may_share_memory(pixels, before) and not store.has_room(pixels.nbytes):
                made = made._replace(pixels=store.moved(pixels))
            pictures[index] = made


def _with_exchange(settings: Settings, variant: Variant) -> Settings:
    """Return the settings with the variant's own exchange of colors."""
    if not variant.exchange:
        return settings
    return dataclasses.replace(settings, recolor=composed(settings.recolor, variant.exchange))


def _lay_over(pictures: list[Picture], edits: Edits, trim_alpha: int) -> tuple[str, ...]:
    """Lay edits over the pictures of their names, in place; return the names of those that do not fit."""
    from ...core.crate.edits import laid_over

    left = dict(edits)
    for index, picture in enumerate(pictures):
        if picture.name in left and (made := laid_over(picture, left[picture.name], trim_alpha)):
            pictures[index] = made
            del left[picture.name]
    return tuple(left)


def _facts(step: Step[Any, Any], settings: Settings, pictures: Sequence[Picture]) -> list[Any]:
    return [step.fact(picture, settings) for picture in pictures]


def _applied(step: Step[Any, Any], pictures: Sequence[Picture], parameters: Sequence[Any]) -> list[Picture]:
    return list(map(step.apply, pictures, parameters))


def _spread(
    executor: Executor, work: Callable[..., list[T]], pictures: Sequence[Picture], *others: Sequence[Any]
) -> Iterator[T]:
    """Yield what `work` makes of batches of pictures, and of what belongs to them, in order. Small pictures are done at
    once, on this thread."""
    if are_small(pictures):
        return iter(work(pictures, *others))
    batches = ([column[start:end] for column in (pictures, *others)] for start, end in list(_spans(pictures)))
    return chain.from_iterable(in_turn(executor, work, batches))


def are_small(pictures: Sequence[Picture]) -> bool:
    """Return True if one thread is quicker with the pictures than two."""
    return sum(picture.nbytes for picture in pictures) < 4 * SMALL_FRAME_PIXELS * len(pictures)


def _spans(pictures: Sequence[Picture]) -> Iterator[tuple[int, int]]:
    start = pixels = 0
    for index, picture in enumerate(pictures, 1):
        pixels += picture.nbytes // 4
        if pixels >= BATCH_PIXELS:
            yield start, index
            start, pixels = index, 0
    if start < len(pictures):
        yield start, len(pictures)
