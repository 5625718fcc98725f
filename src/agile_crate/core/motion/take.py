"""Which frames are taken, and in which order: steps from sequences to sequences.

Each step is a pure function on plain values; no pixel is looked at. Positions in a sequence count from 1, as people do.
What cannot be done raises UsageError with a sentence that names the setting.
"""

from __future__ import annotations

import fnmatch
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from fractions import Fraction
from itertools import accumulate, chain, zip_longest
from typing import Literal

from ..errors import InputError, UsageError
from ..model.picture import Exposure, FrameSequence, Sequences
from ..names import alike_but_for_case, natural_key, nearest, split_number
from ..sentence import Sentence, setting
from ..text import counted, few, quoted
from .spans import Spans


def in_order(sequences: Iterable[FrameSequence], first: Sequence[str] = ()) -> Sequences:
    """Sequences in crate order: those named, then the others in natural order, the stills last."""
    sequences = tuple(sequences)
    check_names("order", first, sequences)
    rank = {name: index for index, name in enumerate(first)}

    def key(sequence: FrameSequence) -> tuple[object, ...]:
        name = sequence.name
        return (2,) if name is None else (0, rank[name]) if name in rank else (1, natural_key(name))

    return tuple(sorted(sequences, key=key))


def kept(sequences: Sequences, include: Sequence[str], exclude: Sequence[str]) -> Sequences:
    """The frames that match one of `include` (if any) and none of `exclude`; see `matching`."""

    def is_kept(frame: Exposure, animation: str | None) -> bool:
        included = not include or any(_matches(pattern, frame, animation) for pattern in include)
        return included and not any(_matches(pattern, frame, animation) for pattern in exclude)

    remaining = [s._replace(frames=tuple(frame for frame in s.frames if is_kept(frame, s.name))) for s in sequences]
    if not any(sequence.frames for sequence in remaining):
        raise InputError(
            f"{setting('include')} and {setting('exclude')} leave no frame; "
            "patterns are held against names such as swim/swim_01"
        )
    return tuple(sequence for sequence in remaining if sequence.frames)


def _matches(pattern: str, frame: Exposure, animation: str | None) -> bool:
    """A pattern with wildcards is held against the frame's name; a plain name may also be its animation's, or that of a
    folder above it."""
    if has_wildcards(pattern):
        return fnmatch.fnmatchcase(frame.name, pattern)
    return pattern in (frame.name, animation) or frame.name.startswith(pattern.rstrip("/") + "/")


def has_wildcards(pattern: str) -> bool:
    return not set(pattern).isdisjoint("*?[")


def idle_patterns(asked: str, patterns: Iterable[str], sequences: Sequences) -> list[Sentence]:
    """A warning of each pattern with wildcards that matches no frame. Raises UsageError for a plain name that nothing
    has: what it should have left out would be packed, or the other way round."""
    frames = [(frame, sequence.name) for sequence in sequences for frame in sequence.frames]
    idle = [pattern for pattern in patterns if not any(_matches(pattern, *frame) for frame in frames)]
    for name in (pattern for pattern in idle if not has_wildcards(pattern)):
        folders = {part for frame, _ in frames for part in accumulate(frame.name.split("/")[:-1], "{}/{}".format)}
        near = nearest(name, [*(s.name for s in sequences if s.name), *folders, *(frame.name for frame, _ in frames)])
        hint = f"did you mean {quoted(near)}?" if near else "names are such as swim, or swim/swim_01"
        raise UsageError(f"{setting(asked)}: nothing is called {quoted(name)}; {hint}")
    return [Sentence(f"{setting(asked, pattern)} matches no frame") for pattern in idle]


def renamed(sequences: Sequences, names: Mapping[str, str]) -> Sequences:
    """Animations under other names; their frames are called after them."""
    check_names("rename", names, sequences)
    remaining = {s.name for s in sequences} - set(names)
    for old, new in names.items():
        if new in remaining or list(names.values()).count(new) > 1:
            raise UsageError(
                f"{setting('rename', f'{old}={new}')}: there is an animation {quoted(new)} already; choose another name"
            )
    return tuple(_under_name(s, names[s.name]) if s.name is not None and s.name in names else s for s in sequences)


def _under_name(sequence: FrameSequence, name: str) -> FrameSequence:
    if any(part in ("", ".", "..") for part in name.split("/")) or set(name) & set("\\\0"):
        raise UsageError(f"{quoted(name)} cannot name an animation: its frames would lie outside of their folder")
    frames = tuple(frame._replace(name=_named_after(frame.name, name)) for frame in sequence.frames)
    return sequence._replace(name=name, frames=frames)


def _named_after(frame: str, animation: str) -> str:
    """``generic/generic_0007`` after ``dash`` is ``dash_0007``; a name without a number keeps its last part."""
    last = frame.rpartition("/")[2]
    if split_number(last)[1] is None:
        return f"{animation}/{last}"
    digits = last.rstrip(")")
    return f"{animation}_{digits[len(digits.rstrip('0123456789')) :]}"


def ranged(sequences: Sequences, spans: Mapping[str, Spans | None]) -> Sequences:
    """Only the frames at these positions of each animation, in the order of the ranges."""

    def one(sequence: FrameSequence) -> FrameSequence:
        chosen = spans.get(sequence.name or "")
        return sequence._replace(frames=_at(sequence, chosen, "frames")) if chosen else sequence

    return tuple(map(one, sequences))


def _at(sequence: FrameSequence, spans: Spans, asked: str) -> tuple[Exposure, ...]:
    count = len(sequence.frames)
    for span in spans:
        for end in (span.first, span.last):
            if end is not None and not 1 <= end <= count:
                raise UsageError(
                    f"{setting(asked)}: {span} is outside {quoted(sequence.name or '')}, "
                    f"which has {counted(count, 'frame')}"
                )
    return tuple(sequence.frames[position - 1] for span in spans for position in span.positions(count))


def split(sequences: Sequences, parts: Mapping[str, Mapping[str, Spans]]) -> Sequences:
    """A long sequence cut into several, by ranges that must cover each frame exactly once."""
    check_names("split", parts, sequences)
    result: list[FrameSequence] = []
    for sequence in sequences:
        wanted = parts.get(sequence.name or "")
        if wanted is None:
            result.append(sequence)
            continue
        _check_cover(sequence, wanted)
        for name, spans in wanted.items():
            cut = sequence._replace(frames=_at(sequence, spans, "split"))
            result.append(_under_name(cut, name))
    _refuse_repeated(result, "split")
    return in_order(result)


def _check_cover(sequence: FrameSequence, parts: Mapping[str, Spans]) -> None:
    count = len(sequence.frames)
    owner: dict[int, str] = {}
    for name, spans in parts.items():
        _at(sequence, spans, "split")
        for span in spans:
            for position in span.positions(count):
                if position in owner:
                    raise UsageError(
                        f"{setting('split', sequence.name)}: frame {position} is in {quoted(owner[position])} "
                        f"and in {quoted(name)}; each frame goes to one part"
                    )
                owner[position] = name
    missing = [str(position) for position in range(1, count + 1) if position not in owner]
    if missing:
        verb = "is" if len(missing) == 1 else "are"
        raise UsageError(
            f"{setting('split', sequence.name)}: {counted(len(missing), 'frame')} of {count} {verb} in no part "
            f"({few(missing)}); add them to a part, or leave them out with {setting('frames')}"
        )


def _refuse_repeated(sequences: Sequence[FrameSequence], asked: str) -> None:
    names = [sequence.name for sequence in sequences]
    for name in names:
        if name is not None and names.count(name) > 1:
            raise UsageError(f"{setting(asked)}: there are two animations {quoted(name)}; choose another name")


def thinned(sequences: Sequences, every: Mapping[str, int]) -> Sequences:
    """The first of every N frames, each shown as long as N, so that the pace stays."""

    def one(sequence: FrameSequence) -> FrameSequence:
        step = every.get(sequence.name or "", 1)
        if step == 1:
            return sequence
        short = -len(sequence.frames) % step
        padded = [*sequence.frames, *[sequence.frames[-1]] * short]  # so that the last stands for N as well
        starts = range(0, len(padded), step)
        return sequence._replace(frames=tuple(_merged(padded[at : at + step]) for at in starts))

    return tuple(one(s) if s.name is not None else s for s in sequences)


def _merged(frames: Sequence[Exposure]) -> Exposure:
    """The first of some frames, shown as long as all of them together."""
    own = [frame.milliseconds for frame in frames if frame.milliseconds is not None]
    return frames[0]._replace(
        units=sum(frame.units for frame in frames),
        milliseconds=sum(own, Fraction()) if len(own) == len(frames) else None,
    )


Likeness = Callable[[Exposure, Exposure], bool]
"""Whether two frames show the same."""


def without_copies(sequences: Sequences, alike: Likeness) -> Sequences:
    """Of frames that show the same as the one before them, only the first, shown as long as its copies together."""

    def one(sequence: FrameSequence) -> FrameSequence:
        runs: list[list[Exposure]] = []
        for frame in sequence.frames:
            if runs and alike(runs[-1][0], frame):
                runs[-1].append(frame)
            else:
                runs.append([frame])
        return sequence._replace(frames=tuple(map(_merged, runs)))

    return tuple(one(s) if s.name is not None else s for s in sequences)


def without_closing(sequences: Sequences, alike: Likeness) -> Sequences:
    """Without the last frame of an animation where it shows the same as the first."""

    def closes(s: FrameSequence) -> bool:
        return s.name is not None and len(s.frames) > 1 and alike(s.frames[0], s.frames[-1])

    return tuple(s._replace(frames=s.frames[:-1]) if closes(s) else s for s in sequences)


def backwards(sequences: Sequences) -> Sequences:
    """Every animation from its last frame to its first."""
    return tuple(played_backwards(s) if s.name is not None else s for s in sequences)


def with_made(sequences: Sequences, made: Mapping[str, str], making: Literal["mirrored", "reversed"]) -> Sequences:
    """Adds animations made from others: for each new name the animation that it is made from."""
    check_names(making, made.values(), sequences)
    by_name = {sequence.name: sequence for sequence in sequences}
    change = mirrored if making == "mirrored" else played_backwards
    added = [_under_name(change(by_name[old]), new)._replace(origin=old, making=making) for new, old in made.items()]
    _refuse_repeated([*sequences, *added], making)
    return in_order([*sequences, *added])


def spelled_out(pairs: Iterable[tuple[str, str]], making: str, sequences: Sequences) -> tuple[Pairs, list[Sentence]]:
    """Pairs NEW=OLD of names, those with wildcards once for every animation that OLD matches and whose NEW is not yet
    there; and a warning of each that matches nothing. What a * of OLD stands for takes the place of that * of NEW."""
    there = [sequence.name for sequence in sequences if sequence.name is not None]
    result: list[tuple[str, str]] = []
    warnings: list[Sentence] = []
    for new, old in pairs:
        if "*" not in new + old:
            result.append((new, old))
            continue
        pair = setting(making, f"{new}={old}")
        if new.count("*") != old.count("*"):
            raise UsageError(f"{pair}: write as many * on one side as on the other")
        pattern = re.compile("(.*)".join(map(re.escape, old.split("*"))))
        found = [(name, match.groups()) for name in there if (match := pattern.fullmatch(name))]
        made = [("".join(chain(*zip_longest(new.split("*"), parts, fillvalue=""))), name) for name, parts in found]
        result += [one for one in made if one[0] not in there]
        if not found:
            warnings.append(Sentence(f"{pair} matches no animation"))
    return tuple(result), warnings


Pairs = tuple[tuple[str, str], ...]


def mirrored(sequence: FrameSequence) -> FrameSequence:
    """The sequence with left and right exchanged."""
    return sequence._replace(frames=tuple(frame._replace(flipped=not frame.flipped) for frame in sequence.frames))


def played_backwards(sequence: FrameSequence) -> FrameSequence:
    """The sequence from its last frame to its first."""
    return sequence._replace(frames=sequence.frames[::-1])


def check_names(asked: str, names: Iterable[str], sequences: Iterable[FrameSequence]) -> None:
    """Raises UsageError for a name that no animation has, with the nearest that one has."""
    there = [sequence.name for sequence in sequences if sequence.name is not None]
    for name in names:
        if name not in there:
            near = nearest(name, there)
            hint = f"did you mean {quoted(near)}?" if near else f"there are: {few(there) if there else 'none'}"
            raise UsageError(f"{setting(asked)}: there is no animation {quoted(name)}; {hint}")


def refuse_repeated_frames(sequences: Iterable[FrameSequence]) -> None:
    """Raises InputError when two frames have one name, or names that differ only in case."""
    names = [frame.name for sequence in sequences for frame in sequence.frames]
    seen: set[str] = set()
    for name in names:
        if name in seen:
            raise InputError(f"two frames have the name {quoted(name)}; rename the one or the other")
        seen.add(name)
    for alike in alike_but_for_case(names):
        raise InputError(
            f"the names {few(map(quoted, alike))} differ only in case, and some file systems and engines cannot tell "
            "them apart; rename one"
        )
