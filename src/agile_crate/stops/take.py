"""The take stop: the settings of that section, applied to what was gathered. A build and its proof both walk it."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Literal, NamedTuple, TypeVar

from ..core.errors import UsageError
from ..core.frame.mirror import flipped
from ..core.model.geometry import Offset
from ..core.model.picture import Picture, Sequences
from ..core.motion import take
from ..core.motion.take import Likeness, check_names
from ..core.sentence import Sentence, setting
from ..settings.table import PerAnimation, Settings

T = TypeVar("T")


class Taken(NamedTuple):
    """The sequences that a build packs, in order, and what the user should read."""

    sequences: Sequences
    warnings: tuple[Sentence, ...]


def taken(sequences: Sequences, settings: Settings, likeness: Callable[[Sequences], Likeness]) -> Taken:
    """The sequences that a build packs, in order; `likeness` says, of those that are left when copies are dropped,
    which frames show the same. Raises UsageError and InputError.

    The order of the steps, whatever the order of the options: include and exclude, rename, frames, split, every,
    drop-copies, drop-closing, reverse, mirrored, reversed, order. Each refers to animations by the names that they
    have by then.
    """
    warnings = [
        warning
        for name, patterns in (("include", settings.include), ("exclude", settings.exclude))
        for warning in take.idle_patterns(name, patterns, sequences)
    ]
    if settings.include or settings.exclude:
        sequences = take.kept(sequences, settings.include, settings.exclude)
    sequences = take.in_order(take.renamed(sequences, _mapping("rename", settings.rename)))
    sequences = take.ranged(sequences, each("frames", settings.frames, sequences))
    sequences = take.split(sequences, _mapping("split", settings.split))
    sequences = take.thinned(sequences, each("every", settings.every, sequences))
    if settings.drop_copies or settings.drop_closing:
        alike = likeness(sequences)
        if settings.drop_copies:
            sequences = take.without_copies(sequences, alike)
        if settings.drop_closing:
            sequences = take.without_closing(sequences, alike)
    if settings.reverse:
        sequences = take.backwards(sequences)
    makings: tuple[Literal["mirrored", "reversed"], ...] = ("mirrored", "reversed")
    for making in makings:
        pairs, idle = take.spelled_out(getattr(settings, making), making, sequences)
        sequences = take.with_made(sequences, _mapping(making, pairs), making)
        warnings += idle
    sequences = take.in_order(sequences, settings.order)
    take.refuse_repeated_frames(sequences)
    return Taken(sequences, tuple(warnings))


def with_copies(settings: Settings, sequences: Sequences) -> Settings:
    """Settings in which an animation that was made from another has what is said of that one, unless something is said
    of itself: fps, duration, holds, loop, shift and pivot; mirrored, or reversed, along with it."""
    made = {sequence.name: sequence for sequence in sequences if sequence.name is not None}

    def copied(value: PerAnimation[T], mirrored: Callable[[T], T] | None = None) -> PerAnimation[T]:
        named = dict(value.named)

        def of(name: str) -> T:
            sequence = made[name]
            if name in named or sequence.origin not in made:
                return named.get(name, value.everyone)
            own = of(sequence.origin)
            return mirrored(own) if mirrored and sequence.making == "mirrored" else own

        more = ((name, of(name)) for name, sequence in made.items() if sequence.origin and name not in named)
        return PerAnimation(value.everyone, (*value.named, *(pair for pair in more if pair[1] != value.everyone)))

    held = {name for name, *_ in settings.hold}
    holds = list(settings.hold)
    for name, sequence in made.items():
        source, is_reversed = sequence, False
        while source.name not in held and source.origin in made:
            is_reversed ^= source.making == "reversed"
            source = made[source.origin]
        if source is not sequence:
            count = len(sequence.frames)
            holds += [
                (name, count + 1 - position if is_reversed else position, hold)
                for owner, position, hold in settings.hold
                if owner == source.name
            ]
    return dataclasses.replace(
        settings,
        fps=copied(settings.fps),
        duration=copied(settings.duration),
        loop=copied(settings.loop),
        shift=copied(settings.shift, lambda by: by and Offset(-by.x, by.y)),
        pivot=copied(settings.pivot, lambda wish: wish and wish.mirrored),
        hold=tuple(holds),
    )


def pictures_of(sequences: Sequences, drawings: Sequence[Picture]) -> list[Picture]:
    """The picture of every frame, in crate order, from the drawings that were read. Pixels are shared, but for mirrored
    ones."""
    return [_shown(drawings[frame.drawing], frame.name, frame.flipped) for s in sequences for frame in s.frames]


def _shown(drawing: Picture, name: str, is_flipped: bool) -> Picture:
    picture = flipped(drawing) if is_flipped else drawing
    return picture if picture.name == name else picture._replace(name=name)


def each(name: str, value: PerAnimation[T], sequences: Sequences) -> dict[str, T]:
    """The value of a setting for each animation. Raises UsageError for a name that no animation has."""
    check_names(name, (animation for animation, _ in value.named), sequences)
    return value.each(sequence.name for sequence in sequences if sequence.name is not None)


def _mapping(name: str, pairs: Iterable[tuple[str, T]]) -> Mapping[str, T]:
    """Pairs as a mapping; the same name twice is an error, since one of the two would be lost."""
    result: dict[str, T] = {}
    for animation, value in pairs:
        if animation in result:
            raise UsageError(f"{setting(name)}: '{animation}' is given twice; leave one of them out")
        result[animation] = value
    return result
