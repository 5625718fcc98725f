"""Which frames are taken, and in which order: steps from sequences to sequences.

Each step is a pure function; pixels are shared, never copied, but for mirrored ones. Positions in a sequence count
from 1, as people do. What cannot be done raises UsageError with a sentence that names the option.
"""

from __future__ import annotations

import fnmatch
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from fractions import Fraction

import numpy as np

from .errors import InputError, UsageError
from .model import FrameSequence, Offset, Picture
from .names import natural_key, split_number
from .spans import Spans
from .text import counted, few, quoted

Sequences = tuple[FrameSequence, ...]


def in_order(sequences: Iterable[FrameSequence], first: Sequence[str] = ()) -> Sequences:
    """Sequences in crate order: those named, then the others in natural order, the stills last."""
    sequences = tuple(sequences)
    check_names("--order", first, sequences)
    rank = {name: index for index, name in enumerate(first)}

    def key(sequence: FrameSequence) -> tuple[object, ...]:
        name = sequence.name
        return (2,) if name is None else (0, rank[name]) if name in rank else (1, natural_key(name))

    return tuple(sorted(sequences, key=key))


def kept(sequences: Sequences, include: Sequence[str], exclude: Sequence[str]) -> Sequences:
    """The frames whose name matches one of `include` (if any) and none of `exclude`; both are patterns with * and ?."""

    def is_kept(picture: Picture) -> bool:
        included = not include or any(fnmatch.fnmatchcase(picture.name, pattern) for pattern in include)
        return included and not any(fnmatch.fnmatchcase(picture.name, pattern) for pattern in exclude)

    remaining = [replace(s, pictures=tuple(filter(is_kept, s.pictures))) for s in sequences]
    if not any(sequence.pictures for sequence in remaining):
        raise InputError("--include and --exclude leave no frame; patterns are held against names such as swim/swim_01")
    return tuple(sequence for sequence in remaining if sequence.pictures)


def renamed(sequences: Sequences, names: Mapping[str, str]) -> Sequences:
    """Animations under other names; their frames are called after them."""
    check_names("--rename", names, sequences)
    remaining = {s.name for s in sequences} - set(names)
    for old, new in names.items():
        if new in remaining or list(names.values()).count(new) > 1:
            raise UsageError(f"--rename {old}={new}: there is an animation {quoted(new)} already; choose another name")
    return tuple(_under_name(s, names[s.name]) if s.name is not None and s.name in names else s for s in sequences)


def _under_name(sequence: FrameSequence, name: str) -> FrameSequence:
    if any(part in ("", ".", "..") for part in name.split("/")) or set(name) & set("\\\0"):
        raise UsageError(f"{quoted(name)} cannot name an animation: its frames would lie outside of their folder")
    pictures = tuple(replace(picture, name=_named_after(picture.name, name)) for picture in sequence.pictures)
    return replace(sequence, name=name, pictures=pictures)


def _named_after(picture: str, animation: str) -> str:
    """``generic/generic_0007`` after ``dash`` is ``dash_0007``; a name without a number keeps its last part."""
    last = picture.rpartition("/")[2]
    if split_number(last)[1] is None:
        return f"{animation}/{last}"
    digits = last.rstrip(")")
    return f"{animation}_{digits[len(digits.rstrip('0123456789')) :]}"


def ranged(sequences: Sequences, spans: Mapping[str, Spans | None]) -> Sequences:
    """Only the frames at these positions of each animation, in the order of the ranges."""

    def one(sequence: FrameSequence) -> FrameSequence:
        chosen = spans.get(sequence.name or "")
        return replace(sequence, pictures=_at(sequence, chosen, "--frames")) if chosen else sequence

    return tuple(map(one, sequences))


def _at(sequence: FrameSequence, spans: Spans, option: str) -> tuple[Picture, ...]:
    count = len(sequence.pictures)
    for span in spans:
        for end in (span.first, span.last):
            if end is not None and not 1 <= end <= count:
                raise UsageError(
                    f"{option}: {span} is outside {quoted(sequence.name or '')}, which has {counted(count, 'frame')}"
                )
    return tuple(sequence.pictures[position - 1] for span in spans for position in span.positions(count))


def split(sequences: Sequences, parts: Mapping[str, Mapping[str, Spans]]) -> Sequences:
    """A long sequence cut into several, by ranges that must cover each frame exactly once."""
    check_names("--split", parts, sequences)
    result: list[FrameSequence] = []
    for sequence in sequences:
        wanted = parts.get(sequence.name or "")
        if wanted is None:
            result.append(sequence)
            continue
        _check_cover(sequence, wanted)
        for name, spans in wanted.items():
            cut = replace(sequence, pictures=_at(sequence, spans, "--split"))
            result.append(_under_name(cut, name))
    _refuse_repeated(result, "--split")
    return in_order(result)


def _check_cover(sequence: FrameSequence, parts: Mapping[str, Spans]) -> None:
    count = len(sequence.pictures)
    owner: dict[int, str] = {}
    for name, spans in parts.items():
        _at(sequence, spans, "--split")
        for span in spans:
            for position in span.positions(count):
                if position in owner:
                    raise UsageError(
                        f"--split {sequence.name}: frame {position} is in {quoted(owner[position])} "
                        f"and in {quoted(name)}; each frame goes to one part"
                    )
                owner[position] = name
    missing = [str(position) for position in range(1, count + 1) if position not in owner]
    if missing:
        verb = "is" if len(missing) == 1 else "are"
        raise UsageError(
            f"--split {sequence.name}: {counted(len(missing), 'frame')} of {count} {verb} in no part ({few(missing)}); "
            "add them to a part, or leave them out with --frames"
        )


def _refuse_repeated(sequences: Sequence[FrameSequence], option: str) -> None:
    names = [sequence.name for sequence in sequences]
    for name in names:
        if name is not None and names.count(name) > 1:
            raise UsageError(f"{option}: there are two animations {quoted(name)}; choose another name")


def thinned(sequences: Sequences, every: Mapping[str, int]) -> Sequences:
    """The first of every N frames, each shown as long as N, so that the pace stays."""

    def one(sequence: FrameSequence) -> FrameSequence:
        step = every.get(sequence.name or "", 1)
        if step == 1:
            return sequence
        short = -len(sequence.pictures) % step
        padded = [*sequence.pictures, *[sequence.pictures[-1]] * short]  # so that the last stands for N as well
        starts = range(0, len(padded), step)
        return replace(sequence, pictures=tuple(_merged(padded[at : at + step]) for at in starts))

    return tuple(one(s) if s.name is not None else s for s in sequences)


def _merged(pictures: Sequence[Picture]) -> Picture:
    """The first of some pictures, shown as long as all of them together."""
    own = [picture.milliseconds for picture in pictures if picture.milliseconds is not None]
    return replace(
        pictures[0],
        units=sum(picture.units for picture in pictures),
        milliseconds=sum(own, Fraction()) if len(own) == len(pictures) else None,
    )


def same_pixels(a: Picture, b: Picture) -> bool:
    """Whether two pictures were drawn the same, before any scaling."""
    return a.look == b.look


def without_copies(sequences: Sequences) -> Sequences:
    """Of frames that repeat the one before them exactly, only the first, shown as long as its copies together."""

    def one(sequence: FrameSequence) -> FrameSequence:
        runs: list[list[Picture]] = []
        for picture in sequence.pictures:
            if runs and same_pixels(runs[-1][0], picture):
                runs[-1].append(picture)
            else:
                runs.append([picture])
        return replace(sequence, pictures=tuple(map(_merged, runs)))

    return tuple(one(s) if s.name is not None else s for s in sequences)


def without_closing(sequences: Sequences) -> Sequences:
    """Without the last frame of an animation where it equals the first."""

    def closes(s: FrameSequence) -> bool:
        return s.name is not None and len(s.pictures) > 1 and same_pixels(s.pictures[0], s.pictures[-1])

    return tuple(replace(s, pictures=s.pictures[:-1]) if closes(s) else s for s in sequences)


def backwards(sequences: Sequences) -> Sequences:
    """Every animation from its last frame to its first."""
    return tuple(played_backwards(s) if s.name is not None else s for s in sequences)


def with_made(
    sequences: Sequences, made: Mapping[str, str], option: str, change: Callable[[FrameSequence], FrameSequence]
) -> Sequences:
    """Adds animations made from others: for each new name the animation that `change` makes it from."""
    check_names(option, made.values(), sequences)
    by_name = {sequence.name: sequence for sequence in sequences}
    added = [_under_name(change(by_name[old]), new) for new, old in made.items()]
    _refuse_repeated([*sequences, *added], option)
    return in_order([*sequences, *added])


def mirrored(sequence: FrameSequence) -> FrameSequence:
    """The sequence with left and right exchanged: new pixels."""

    def flipped(picture: Picture) -> Picture:
        offset = Offset(picture.canvas.w - picture.part.right, picture.offset.y)
        return replace(picture, pixels=np.ascontiguousarray(picture.pixels[:, ::-1]), offset=offset)

    return replace(sequence, pictures=tuple(map(flipped, sequence.pictures)))


def played_backwards(sequence: FrameSequence) -> FrameSequence:
    """The sequence from its last frame to its first."""
    return replace(sequence, pictures=sequence.pictures[::-1])


def check_names(option: str, names: Iterable[str], sequences: Iterable[FrameSequence]) -> None:
    """Raises UsageError for a name that no animation has, with the nearest that one has."""
    there = [sequence.name for sequence in sequences if sequence.name is not None]
    for name in names:
        if name not in there:
            import difflib

            near = difflib.get_close_matches(name, there, 1, 0.5)
            hint = f"did you mean {quoted(near[0])}?" if near else f"there are: {few(there) if there else 'none'}"
            raise UsageError(f"{option}: there is no animation {quoted(name)}; {hint}")


def refuse_repeated_frames(sequences: Iterable[FrameSequence]) -> None:
    """Raises InputError when two frames have one name."""
    seen: set[str] = set()
    for sequence in sequences:
        for picture in sequence.pictures:
            if picture.name in seen:
                raise InputError(f"two frames have the name {quoted(picture.name)}; rename the one or the other")
            seen.add(picture.name)
