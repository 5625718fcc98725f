"""The prepare stop: what is done to frames between their sources and the arrangement, always in the same order.

colour key → scale → hard alpha → palette → canvas, shift → outline → trim → pivot → fill under → shapes → offsets. The
colour key, and the scale where it is known by then, are applied at first sight (`core.frame.first_look`). A build
and its proof both walk this.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from itertools import chain
from typing import Any, TypeVar

from ...core.frame.first_look import FirstLook
from ...core.model.picture import Picture, Sequences
from ...core.sentence import Sentence
from ...settings.table import Settings
from . import colors, offsets, outline, pivots, places, scale, shapes, trim
from .step import Step, lineup_of

T = TypeVar("T")

STEPS: tuple[Step[Any, Any], ...] = (
    colors.KEY,
    scale.SCALE,
    colors.HARD_ALPHA,
    colors.PALETTE,
    places.PLACE,
    outline.OUTLINE,
    trim.TRIM,
    pivots.PIVOTS,
    colors.FILL_UNDER,
    shapes.SHAPES,
    offsets.FORGET_OFFSETS,
)

BATCH = 1 << 18
"""Pixels that a thread takes at a time."""


@dataclass(frozen=True, slots=True)
class Prepared:
    """Pictures that are ready to be arranged, in crate order; the settings that made them, the factor by which they
    were scaled, and what to say of it."""

    pictures: tuple[Picture, ...]
    settings: Settings
    factor: Fraction
    remarks: tuple[Sentence, ...]
    warnings: tuple[Sentence, ...]


def first_look(sizes: Sequence[Settings]) -> FirstLook:
    """What is done to each frame as soon as it is decoded. `sizes` are the settings of every size of the build, which
    are alike but for lengths."""
    settings = sizes[0]
    scalings = tuple(scale.scaling_of(one, 1 if one.fit else one.scale) for one in sizes)
    return FirstLook(settings.color_key, scalings, settings.drop_copies or settings.drop_closing)


def prepare(pictures: list[Picture], sequences: Sequences, settings: Settings, executor: Executor) -> Prepared:
    """All steps over all frames, in crate order. Raises UsageError and FitError.

    The list is emptied, so that the pixels of one step can go as soon as those of the next are there.
    """
    lineup = lineup_of(sequences)
    factor = scale.factor_of(settings, (picture.canvas for picture in pictures))
    remarks: list[Sentence] = []
    warnings: list[Sentence] = []
    for step in STEPS:
        if not step.is_wanted(settings):
            continue
        facts = _spread(executor, partial(_facts, step, settings), pictures)
        decision = step.decide(facts, lineup, settings)
        if decision.parameters:
            changed = _spread(executor, partial(_applied, step), pictures, decision.parameters)
            pictures[:] = list(changed)
        remarks += decision.remarks
        warnings += decision.warnings
    prepared = tuple(pictures)
    pictures.clear()
    return Prepared(prepared, settings, factor, tuple(remarks), tuple(warnings))


def _facts(step: Step[Any, Any], settings: Settings, pictures: Sequence[Picture]) -> list[Any]:
    return [step.fact(picture, settings) for picture in pictures]


def _applied(step: Step[Any, Any], pictures: Sequence[Picture], parameters: Sequence[Any]) -> list[Picture]:
    return list(map(step.apply, pictures, parameters))


def _spread(executor: Executor, work: Any, pictures: Sequence[Picture], *others: Sequence[Any]) -> Iterator[Any]:
    """What `work` makes of batches of pictures, and of what belongs to them, in order."""
    spans = list(_spans(pictures))
    columns = ([column[start:end] for start, end in spans] for column in (pictures, *others))
    return chain.from_iterable(executor.map(work, *columns))


def _spans(pictures: Sequence[Picture]) -> Iterator[tuple[int, int]]:
    start = pixels = 0
    for index, picture in enumerate(pictures, 1):
        pixels += picture.nbytes // 4
        if pixels >= BATCH:
            yield start, index
            start, pixels = index, 0
    if start < len(pictures):
        yield start, len(pictures)
