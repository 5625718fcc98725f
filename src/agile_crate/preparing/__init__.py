"""The prepare stop: what is done to frames between their sources and the arrangement, always in the same order.

colour key → scale → hard alpha, palette → canvas, shift → outline → trim → pivot → fill under → shapes. Each step is a
pure function of `core`; here they are given their settings and spread over the threads, and what they changed is
counted. A build and its proof both walk this.
"""

from __future__ import annotations

from concurrent.futures import Executor
from dataclasses import dataclass
from fractions import Fraction

from ..core.take import Sequences
from ..settings import Settings
from .colors import check_key, fill_under, first_look, recolour, scale_to_fit
from .load import Load
from .places import bring_to_canvas, draw_outline, forget_offsets, place_pivots, trim
from .shapes import draw_shapes

__all__ = ["Prepared", "first_look", "prepare"]

STEPS = (
    check_key,
    scale_to_fit,
    recolour,
    bring_to_canvas,
    draw_outline,
    trim,
    place_pivots,
    fill_under,
    draw_shapes,
    forget_offsets,
)


@dataclass(frozen=True, slots=True)
class Prepared:
    """Sequences whose pictures are ready to be arranged, the factor by which they were scaled, and what to tell."""

    sequences: Sequences
    factor: Fraction
    remarks: tuple[str, ...]
    warnings: tuple[str, ...]


def prepare(sequences: Sequences, settings: Settings, executor: Executor) -> Prepared:
    """All steps over all frames. Raises UsageError and FitError."""
    load = Load(sequences, settings, executor)
    del sequences  # so that pixels of before can go as soon as there are new ones
    for step in STEPS:
        step(load)
    return Prepared(load.sequences(), load.factor, tuple(load.remarks), tuple(load.warnings))
