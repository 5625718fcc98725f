"""What the prepare stop carries from step to step."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor
from itertools import chain
from typing import TypeVar

from ..core.errors import UsageError
from ..core.model import Picture
from ..core.pixels import Pixels
from ..core.take import Sequences
from ..core.text import counted, few
from ..settings import Settings
from ..taking import each

T = TypeVar("T")

BATCH = 1 << 18
"""Pixels that a thread takes at a time."""


class Load:
    """The pictures on their way, in crate order, and what is to be told of them."""

    def __init__(self, sequences: Sequences, settings: Settings, executor: Executor) -> None:
        self.settings = settings
        self.factor = settings.scale
        self.pictures = [picture for sequence in sequences for picture in sequence.pictures]
        self.groups: dict[str | None, slice] = {}
        first = 0
        for sequence in sequences:
            self.groups[sequence.name] = slice(first, first + len(sequence.pictures))
            first += len(sequence.pictures)
        self.shifts = each("shift", settings.shift, sequences) | {None: settings.shift.everyone}
        self.pivots = each("pivot", settings.pivot, sequences) | {None: settings.pivot.everyone}
        self.remarks: list[str] = []
        self.warnings: list[str] = []
        self._shells = [dataclasses.replace(sequence, pictures=()) for sequence in sequences]
        self._executor = executor

    def sequences(self) -> Sequences:
        groups = self.groups.values()
        return tuple(
            dataclasses.replace(shell, pictures=tuple(self.pictures[group]))
            for shell, group in zip(self._shells, groups, strict=True)
        )

    def named_groups(self) -> list[slice]:
        """Where the animations lie among the pictures; the stills are none."""
        return [group for name, group in self.groups.items() if name is not None]

    def on_threads(self, work: Callable[[Picture], T]) -> list[T]:
        """What `work` makes of every picture, in order."""
        return self.on_threads_together(lambda batch: [work(picture) for picture in batch])

    def on_threads_together(self, work: Callable[[list[Picture]], list[T]]) -> list[T]:
        """The same, for work that is done best on several pictures at a time."""
        return list(chain.from_iterable(self._executor.map(work, _batches(self.pictures))))

    def replace_pixels(self, work: Callable[[Picture], Pixels]) -> None:
        self.pictures = self.on_threads(lambda picture: dataclasses.replace(picture, pixels=work(picture)))

    def warn_of_empty(self, names: Sequence[str], after: str) -> None:
        """Warns of frames that a step emptied; a step that leaves nothing at all is refused."""
        if len(names) == len(self.pictures):
            raise UsageError(f"{after} leaves nothing of any frame; give another value")
        if names:
            verb = "is" if len(names) == 1 else "are"
            self.warnings.append(f"{counted(len(names), 'frame')} {verb} wholly empty after {after}: {few(names)}")


def _batches(pictures: Sequence[Picture]) -> Iterator[list[Picture]]:
    batch: list[Picture] = []
    pixels = 0
    for picture in pictures:
        batch.append(picture)
        pixels += picture.nbytes // 4
        if pixels >= BATCH:
            yield batch
            batch, pixels = [], 0
    if batch:
        yield batch
