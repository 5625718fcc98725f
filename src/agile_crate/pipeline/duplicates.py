"""Duplicates: frames that show the same, as they will be stored."""

from __future__ import annotations

from collections.abc import Sequence

from ..core.frame.likeness import alike
from ..core.model.picture import Picture, SequenceFrame, Sequences
from ..core.model.variant import Variant
from ..core.motion.take import Likeness
from ..settings.table import Settings
from .context import Context
from .prepare import as_stored


def likeness(sequences: Sequences, variants: Sequence[Variant], settings: Settings, context: Context) -> Likeness:
    """Return what tells whether two frames of these sequences show the same in every variant: scaled, cleared, and in
    the colors of the palette. Pictures and settings are those of the build's own size, which decides for all."""
    numbers = [frame.drawing for sequence in sequences for frame in sequence.frames]
    stored: list[dict[int, Picture]] = [
        dict(zip(numbers, as_stored(variant, sequences, settings, context), strict=True)) for variant in variants
    ]

    def same(a: SequenceFrame, b: SequenceFrame) -> bool:
        return all(alike(pictures[a.drawing], pictures[b.drawing], settings.alike) for pictures in stored)

    return same
