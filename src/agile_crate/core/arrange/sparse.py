"""A remark on cells that are mostly empty: the memory that other layouts would take."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ..frame.trim import visible_on_canvas
from ..frame.visible import union
from ..message import Message, message
from ..model.geometry import Box, Size
from ..model.picture import Picture, Sequences
from ..text import bytes_shown

MOSTLY, LEAST_SAVED = 0.25, 1 << 20
"""Cells are mostly empty if their visible art takes less than this share, and other layouts so many bytes less."""

SAMPLES = 32
"""Frames that are looked at before all are."""


def mostly_empty(sequences: Sequences, pictures: Sequence[Picture], sheets: Sequence[Size]) -> Iterator[Message]:
    """Yield the remark on the pictures of sequences in cells. Cost: a pass over some frames; over all if it is due.

    The figures are those of full sheets, whose duplicates are stored as often as they come.
    """
    taken = sum(sheet.w * sheet.h for sheet in sheets)
    sample = pictures[:: -(-len(pictures) // SAMPLES)]
    if 4 * taken < LEAST_SAVED or any(picture.file for picture in pictures):  # their pixels were not read yet
        return
    share = sum(_area(visible_on_canvas(picture)) for picture in sample) / len(sample)
    if share * len(pictures) > MOSTLY * taken:
        return
    boxes = [visible_on_canvas(picture) for picture in pictures]
    tight, blocks, at = sum(map(_area, boxes)), 0, 0
    for sequence in sequences:
        own = boxes[at : at + len(sequence.frames)]
        at += len(own)
        seen = [box for box in own if box]
        blocks += sum(map(_area, own)) if sequence.name is None else len(own) * _area(union(seen))
    if tight > MOSTLY * taken or 4 * (taken - tight) < LEAST_SAVED:
        return
    yield message(
        "the cells are mostly empty: {} of GPU memory; {layout:tight} takes about {}, {layout:blocks} about {}",
        bytes_shown(4 * taken),
        bytes_shown(4 * tight),
        bytes_shown(4 * blocks),
    )


def _area(box: Box | None) -> int:
    return box.w * box.h if box else 0
