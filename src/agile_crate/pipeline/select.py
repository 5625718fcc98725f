"""Selection: the frames that a build packs, and their order. A build and its proof both use it."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Literal, NamedTuple, TypeVar

from ..core.errors import UsageError
from ..core.frame.mirror import flipped
from ..core.message import Message, message, setting
from ..core.model.geometry import Offset
from ..core.model.picture import Picture, Sequences
from ..core.motion import take
from ..core.motion.lookup import animation_name, named, the_only, whole_patterns
from ..core.motion.rename import renamed, renaming, sequenced, spelled_out, with_renamed_frames
from ..core.motion.take import Likeness
from ..core.motion.timing import Hold
from ..core.text import counted, few, number_list, quoted
from ..settings.table import GIVEN_ORDER, PerAnimation, Settings

T = TypeVar("T")


class Selection(NamedTuple):
    """The sequences that a build packs, in order, with warnings and notes."""

    sequences: Sequences
    warnings: tuple[Message, ...]
    remarks: tuple[Message, ...] = ()


def select_frames(sequences: Sequences, settings: Settings, likeness: Callable[[Sequences], Likeness]) -> Selection:
    """Select the sequences that a build packs, in order; `likeness` compares frames when duplicates are dropped. Raises
    UsageError and InputError.

    The order of the steps, whatever the order of the options: include and exclude, sequence, rename, numbers, frames,
    split, every, drop-duplicates, drop-closing, reverse, mirrored, reversed, order. Each uses the names that animations
    have by then.
    """
    include, warnings = whole_patterns("include", settings.include, sequences)
    exclude, idle = whole_patterns("exclude", settings.exclude, sequences)
    warnings += idle
    if settings.include or settings.exclude:
        sequences = take.kept(sequences, include, exclude)
    if settings.sequence:
        sequences = take.in_order(sequenced(sequences, _mapping("sequence", settings.sequence)))
    sequences, idle, remarks = _renamed_and_picked(sequences, settings)
    warnings += idle
    parts = ((_named("split", name, "gull=glide:1-20", sequences), part) for name, part in settings.split)
    sequences = take.split(sequences, _mapping("split", parts))
    before, sequences = sequences, take.thinned(sequences, each("every", settings.every, sequences))
    remarks += _dropped("every", before, sequences)
    if settings.drop_duplicates or settings.drop_closing:
        is_alike = likeness(sequences)
        if settings.drop_duplicates:
            before, sequences = sequences, take.without_copies(sequences, is_alike)
            remarks += _dropped("drop_duplicates", before, sequences)
        if settings.drop_closing:
            before, sequences = sequences, take.without_closing(sequences, is_alike)
            remarks += _dropped("drop_closing", before, sequences)
    if settings.reverse:
        sequences = take.backwards(sequences)
    makings: dict[Literal["mirrored", "reversed"], tuple[tuple[str, str], ...]] = {
        "mirrored": settings.mirrored,
        "reversed": settings.reversed,
    }
    for making, wanted in makings.items():
        pairs, idle = spelled_out(wanted, making, sequences)
        sequences = take.with_made(sequences, _mapping(making, pairs), making)
        warnings += idle
    is_given = settings.order == GIVEN_ORDER
    sequences = take.as_given(sequences) if is_given else take.put_first(sequences, settings.order)
    sequences, endless = take.bounded(sequences)
    warnings += endless
    take.refuse_clashing_names(sequences)
    return Selection(sequences, tuple(warnings), tuple(remarks))


def _dropped(name: str, before: Sequences, after: Sequences) -> Iterator[Message]:
    """Yield a remark with the number of frames that a setting dropped, by animation."""
    fewer = [(old, len(old.frames) - len(new.frames)) for old, new in zip(before, after, strict=True)]
    parts = [
        f"{count:,} of {counted(len(old.frames), 'frame')} of {quoted(old.name or 'the stills')}"
        for old, count in fewer
        if count > 0
    ]
    if len(parts) > 1:
        frames = counted(sum(count for _, count in fewer), "frame")
        yield message("{} left out {}: {}", setting(name), frames, few(parts, 4))
    elif parts:
        yield message("{} left out {}", setting(name), parts[0])


def _renamed_and_picked(sequences: Sequences, settings: Settings) -> tuple[Sequences, list[Message], list[Message]]:
    """Rename animations, and pick the wanted frames of each; also return warnings and remarks. Numbers are those of the
    files, so they are read before joining renames frames."""
    sequences, pairs = with_renamed_frames(sequences, settings.rename)
    names, warnings = renaming(pairs, sequences)
    new = take.in_order(renamed(sequences, names))
    by_number = each("numbers", settings.numbers, new)
    picked = sequences
    if any(by_number.values()):
        picked = take.numbered(sequences, {old: by_number[names.get(old, old)] for old in named(sequences)})
        new = take.in_order(renamed(picked, names))
    spans = each("frames", settings.frames, new)
    otherwise = take.counted_otherwise(picked) if any(spans.values()) else {}
    picks = [(names.get(old, old), otherwise[old]) for old in named(picked) if old in otherwise]
    remarks = [
        message(
            "{frames} counts positions; in their names the frames of {} have the numbers {}, and {numbers} "
            "picks by those",
            quoted(name),
            numbers,
        )
        for name, numbers in picks
        if spans[name]
    ]
    remarks += [
        message("{numbers}: {} has no {}", quoted(names.get(sequence.name, sequence.name)), number_list(missing))
        for sequence in sequences
        if sequence.name is not None
        and (chosen := by_number.get(names.get(sequence.name, sequence.name)))
        and (missing := take.missing_numbers(sequence, chosen))
    ]
    ranged = take.ranged(new, spans)
    return ranged, warnings, [*remarks, *_dropped("numbers", sequences, picked), *_dropped("frames", new, ranged)]


def _named(setting_name: str, given: str, example: str, sequences: Sequences) -> str:
    """Return the animation that is meant; without a name it is the only one."""
    if not given:
        return the_only(setting_name, example, sequences)
    return animation_name(setting_name, given, sequences)


def resolved(settings: Settings, sequences: Sequences) -> Settings:
    """Return the settings of the existing animations: values by whole names, holds by name and position from 1. A
    mirrored or reversed copy has its source's settings."""

    def whole(name: str, value: PerAnimation[T]) -> PerAnimation[T]:
        return PerAnimation(value.everyone, tuple(_whole(name, value, sequences).items()))

    settings = dataclasses.replace(
        settings,
        fps=whole("fps", settings.fps),
        duration=whole("duration", settings.duration),
        loop=whole("loop", settings.loop),
        shift=whole("shift", settings.shift),
        pivot=whole("pivot", settings.pivot),
    )
    if settings.hold:
        settings = dataclasses.replace(settings, hold=tuple(_holds(settings.hold, sequences)))
    return _with_copies(settings, sequences) if any(sequence.origin for sequence in sequences) else settings


def _holds(holds: Iterable[tuple[str, int, Hold]], sequences: Sequences) -> Iterator[tuple[str, int, Hold]]:
    counts = {sequence.name: len(sequence.frames) for sequence in sequences if sequence.name is not None}
    for given, place, hold in holds:
        name = _named("hold", given, "swim:3=2", sequences)
        position = place if place > 0 else counts[name] + 1 + place
        if not 1 <= position <= counts[name]:
            raise UsageError(
                "{} is outside {}, which has {}",
                setting("hold", f"{name}:{place}"),
                quoted(name),
                counted(counts[name], "frame"),
            )
        yield name, position, hold


def _with_copies(settings: Settings, sequences: Sequences) -> Settings:
    """Return settings in which copies of an animation share its fps, duration, holds, loop, shift and pivot, mirrored
    or reversed as they are, unless they have their own."""
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
        pivot=copied(settings.pivot, lambda options: options and options.mirrored),
        hold=tuple(holds),
    )


def pictures_of(sequences: Sequences, drawings: Sequence[Picture]) -> list[Picture]:
    """The picture of every frame, in crate order, from the drawings that were read. Pixels are shared, but for mirrored
    ones."""
    return [
        _shown(drawings[frame.drawing], frame.name, frame.flipped)
        for sequence in sequences
        for frame in sequence.frames
    ]


def _shown(drawing: Picture, name: str, is_flipped: bool) -> Picture:
    picture = flipped(drawing) if is_flipped else drawing
    return picture if picture.name == name else picture._replace(name=name)


def each(name: str, value: PerAnimation[T], sequences: Sequences) -> dict[str, T]:
    """The value of a setting for each animation. Raises UsageError for a name that no animation has."""
    return dict.fromkeys(named(sequences), value.everyone) | _whole(name, value, sequences)


def _whole(name: str, value: PerAnimation[T], sequences: Sequences) -> dict[str, T]:
    """Return the values of a setting that are for one animation, by its whole name."""
    return _mapping(name, ((animation_name(name, given, sequences), own) for given, own in value.named))


def _mapping(name: str, pairs: Iterable[tuple[str, T]]) -> dict[str, T]:
    """Turn pairs into a mapping. The same name twice is an error, since one of the two would be lost."""
    result: dict[str, T] = {}
    for animation, value in pairs:
        if animation in result:
            raise UsageError("{}: '{}' is given twice; leave one of them out", setting(name), animation)
        result[animation] = value
    return result
