"""The take stop: the settings of that section, applied to what was gathered. A build and its proof both walk it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TypeVar

from .core import take
from .core.errors import UsageError
from .core.take import Sequences, check_names
from .settings import PerAnimation, Settings, option_name

T = TypeVar("T")


def taken(sequences: Sequences, settings: Settings) -> Sequences:
    """The sequences that a build packs, in order. Raises UsageError and InputError.

    The order of the steps, whatever the order of the options: include and exclude, rename, frames, split, every,
    drop-copies, drop-closing, reverse, mirrored, reversed, order. Each refers to animations by the names that they
    have by then.
    """
    if settings.include or settings.exclude:
        sequences = take.kept(sequences, settings.include, settings.exclude)
    sequences = take.in_order(take.renamed(sequences, _mapping("rename", settings.rename)))
    sequences = take.ranged(sequences, each("frames", settings.frames, sequences))
    sequences = take.split(sequences, _mapping("split", settings.split))
    sequences = take.thinned(sequences, each("every", settings.every, sequences))
    if settings.drop_copies:
        sequences = take.without_copies(sequences)
    if settings.drop_closing:
        sequences = take.without_closing(sequences)
    if settings.reverse:
        sequences = take.backwards(sequences)
    for option, made, change in (
        ("mirrored", settings.mirrored, take.mirrored),
        ("reversed", settings.reversed, take.played_backwards),
    ):
        sequences = take.with_made(sequences, _mapping(option, made), option_name(option), change)
    sequences = take.in_order(sequences, settings.order)
    take.refuse_repeated_frames(sequences)
    return sequences


def each(setting: str, value: PerAnimation[T], sequences: Sequences) -> dict[str, T]:
    """The value of a setting for each animation. Raises UsageError for a name that no animation has."""
    check_names(option_name(setting), (name for name, _ in value.named), sequences)
    return value.each(sequence.name for sequence in sequences if sequence.name is not None)


def _mapping(setting: str, pairs: Iterable[tuple[str, T]]) -> Mapping[str, T]:
    """Pairs as a mapping; the same name twice is an error, since one of the two would be lost."""
    result: dict[str, T] = {}
    for name, value in pairs:
        if name in result:
            raise UsageError(f"{option_name(setting)}: '{name}' is given twice; leave one of them out")
        result[name] = value
    return result
