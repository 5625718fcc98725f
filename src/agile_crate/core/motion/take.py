"""The selection and order of frames: steps from sequences to sequences.

Each step is a pure function on plain values; no pixel is looked at. Positions in a sequence count from 1, as people do.
What cannot be done raises UsageError with a sentence that names the setting.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from fractions import Fraction
from functools import partial
from itertools import pairwise
from typing import Literal

from ..errors import InputError, UsageError
from ..message import Message, message, setting
from ..model.crate import LARGEST_NUMBER
from ..model.picture import FrameSequence, SequenceFrame, Sequences
from ..names import clashes, natural_key, number_of, without_repetition
from ..text import counted, few, number_list, quoted
from .lookup import matches, named, stills, whole_name
from .rename import copied, under_name
from .spans import LAST, Span, Spans


def in_order(sequences: Iterable[FrameSequence]) -> Sequences:
    """Put sequences in crate order: animations in natural order, and stills last."""
    return tuple(sorted(sequences, key=_natural))


def _natural(sequence: FrameSequence) -> tuple[object, ...]:
    return (1,) if sequence.name is None else (0, natural_key(sequence.name))


def put_first(sequences: Iterable[FrameSequence], first: Sequence[str]) -> Sequences:
    """Put sequences in crate order, the named animations and stills before the others. Raises UsageError."""
    sequences = in_order(sequences)
    known = dict.fromkeys([*named(sequences), *stills(sequences)])
    rank = {whole_name("order", name, known, with_frames=True): place for place, name in enumerate(first)}
    return _sorted(sequences, lambda unit: rank.get(unit.name or unit.frames[0].name, len(first)))


def as_given(sequences: Iterable[FrameSequence]) -> Sequences:
    """Put animations and stills in the order of their first drawings, which is that of the inputs."""
    return _sorted(in_order(sequences), lambda unit: min(frame.drawing for frame in unit.frames))


def _sorted(sequences: Sequences, rank: Callable[[FrameSequence], int]) -> Sequences:
    """Sort animations and single stills by their rank. Stills without an animation between them are one sequence."""
    units = [
        sequence._replace(frames=frames)
        for sequence in sequences
        for frames in ([sequence.frames] if sequence.name is not None else [(frame,) for frame in sequence.frames])
    ]
    result: list[FrameSequence] = []
    for unit in sorted(units, key=rank):
        if unit.name is None and result and result[-1].name is None:
            unit = unit._replace(frames=(*result.pop().frames, *unit.frames))
        result.append(unit)
    return tuple(result)


def kept(sequences: Sequences, include: Sequence[str], exclude: Sequence[str]) -> Sequences:
    """The frames that match one of `include` (if any) and none of `exclude`."""
    is_kept = partial(_is_kept, include=include, exclude=exclude)
    remaining = [
        sequence._replace(frames=tuple(frame for frame in sequence.frames if is_kept(frame.name, sequence.name)))
        for sequence in sequences
    ]
    if not any(sequence.frames for sequence in remaining):
        raise InputError(message("{include} and {exclude} leave no frame; patterns match names such as swim/swim_01"))
    return tuple(sequence for sequence in remaining if sequence.frames)


def is_of_use(name: str, animation: str | None, include: Sequence[str], exclude: Sequence[str]) -> bool:
    """Return True if `kept` may keep anything of a file of this name, be it a frame or a whole animation. One whose
    own name is left out is of none, whatever it would have held."""
    if any(matches(pattern, name, animation) for pattern in exclude):
        return False
    if any(f"/{known}".endswith(f"/{pattern}") for pattern in include for known in (name, animation or "")):
        return True  # by its last part
    return _is_kept(name, animation, include, ()) or _is_kept(f"{name}/01", without_repetition(name), include, exclude)


def _is_kept(frame: str, animation: str | None, include: Sequence[str], exclude: Sequence[str]) -> bool:
    included = not include or any(matches(pattern, frame, animation) for pattern in include)
    return included and not any(matches(pattern, frame, animation) for pattern in exclude)


def ranged(sequences: Sequences, spans: Mapping[str, Spans | None]) -> Sequences:
    """Keep only the frames at these positions of each animation, in the order of the ranges."""

    def picked(sequence: FrameSequence) -> FrameSequence:
        chosen = spans.get(sequence.name or "")
        return sequence._replace(frames=_at(sequence, chosen, "frames")) if chosen else sequence

    return tuple(map(picked, sequences))


def _at(sequence: FrameSequence, spans: Spans, setting_name: str) -> tuple[SequenceFrame, ...]:
    count = len(sequence.frames)
    for span in spans:
        if any(not 1 <= end <= count for end in span.ends(count)):
            raise UsageError(
                "{}: {} is outside {}, which has {}",
                setting(setting_name),
                span,
                quoted(sequence.name or ""),
                counted(count, "frame"),
            )
    return tuple(sequence.frames[position - 1] for span in spans for position in span.positions(count))


def numbered(sequences: Sequences, spans: Mapping[str, Spans | None]) -> Sequences:
    """Keep only the frames with these numbers in their names, in the order of the ranges."""

    def picked(sequence: FrameSequence) -> FrameSequence:
        chosen = spans.get(sequence.name or "")
        return sequence._replace(frames=_with_numbers(sequence, chosen)) if chosen else sequence

    return tuple(map(picked, sequences))


def _with_numbers(sequence: FrameSequence, spans: Spans) -> tuple[SequenceFrame, ...]:
    by_number: dict[int, list[SequenceFrame]] = defaultdict(list)
    for frame in sequence.frames:
        number = number_of(frame.name)
        if number is not None:
            by_number[number].append(frame)
    if not by_number:
        raise UsageError(
            "{numbers}: the frames of {} have no numbers; pick them by position with {frames}",
            quoted(sequence.name or ""),
        )
    least, most = min(by_number), max(by_number)
    result: list[SequenceFrame] = []
    for span in spans:
        first, last = span.ends(most)
        if not least <= min(first, last) or not max(first, last) <= most or (first == last and first not in by_number):
            raise UsageError(
                "{numbers}: {} is missing in {}, whose frames have the numbers {}",
                span,
                quoted(sequence.name or ""),
                number_list(by_number),
            )
        inside = sorted((n for n in by_number if min(first, last) <= n <= max(first, last)), reverse=last < first)
        result += [frame for number in inside for frame in by_number[number]]
    return tuple(result)


ALL_NUMBERS: Spans = (Span(0, LAST),)


def missing_numbers(sequence: FrameSequence, spans: Spans = ALL_NUMBERS) -> list[int]:
    """Return the missing numbers within the ranges, by the usual step of the series."""
    known = sorted({number for frame in sequence.frames if (number := number_of(frame.name)) is not None})
    steps = Counter(after - before for before, after in pairwise(known))
    if not steps:
        return []
    usual = steps.most_common(1)[0][0]
    wanted = range(known[0], known[-1] + 1, usual)
    ranges = [sorted(span.ends(known[-1])) for span in spans]
    inside = (number for number in wanted if any(first <= number <= last for first, last in ranges))
    return sorted(set(inside).difference(known))


def counted_otherwise(sequences: Sequences) -> dict[str, str]:
    """Return texts on the numbers in frames' names, for animations whose numbers are not the positions."""
    by_name: dict[str, str] = {}
    for sequence in sequences:
        numbers = [number_of(frame.name) for frame in sequence.frames]
        known = [number for number in numbers if number is not None]
        if sequence.name is not None and known and numbers != list(range(1, len(numbers) + 1)):
            by_name[sequence.name] = number_list(known)
    return by_name


def split(sequences: Sequences, parts: Mapping[str, Mapping[str, Spans]]) -> Sequences:
    """Split a long sequence into several, at ranges that must cover each frame exactly once."""
    result: list[FrameSequence] = []
    for sequence in sequences:
        wanted = parts.get(sequence.name or "")
        if wanted is None:
            result.append(sequence)
            continue
        _check_cover(sequence, wanted)
        for name, spans in wanted.items():
            cut = sequence._replace(frames=_at(sequence, spans, "split"))
            result.append(under_name(cut, name))
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
                        "{}: frame {} is in {} and in {}; each frame goes to one part",
                        setting("split", sequence.name),
                        position,
                        quoted(owner[position]),
                        quoted(name),
                    )
                owner[position] = name
    missing = [str(position) for position in range(1, count + 1) if position not in owner]
    if missing:
        verb = "is" if len(missing) == 1 else "are"
        raise UsageError(
            "{}: {} of {} {} in no part ({}); put every frame in a part, or leave frames out with {frames}",
            setting("split", sequence.name),
            counted(len(missing), "frame"),
            count,
            verb,
            few(missing),
        )


def _refuse_repeated(sequences: Sequence[FrameSequence], setting_name: str) -> None:
    names = [sequence.name for sequence in sequences]
    for name in names:
        if name is not None and names.count(name) > 1:
            raise UsageError(
                "{}: there are two animations {}; choose another name", setting(setting_name), quoted(name)
            )


def thinned(sequences: Sequences, every: Mapping[str, int]) -> Sequences:
    """Keep the first of every N frames, each shown as long as N, so that the pace stays."""

    def spaced(sequence: FrameSequence) -> FrameSequence:
        step = every.get(sequence.name or "", 1)
        if step == 1:
            return sequence
        short = -len(sequence.frames) % step
        padded = [*sequence.frames, *[sequence.frames[-1]] * short]  # so that the last stands for N as well
        starts = range(0, len(padded), step)
        return sequence._replace(frames=tuple(_merged(padded[at : at + step]) for at in starts))

    return tuple(spaced(sequence) if sequence.name is not None else sequence for sequence in sequences)


def _merged(frames: Sequence[SequenceFrame]) -> SequenceFrame:
    """Return the first of some frames, shown as long as all of them together."""
    own = [frame.milliseconds for frame in frames if frame.milliseconds is not None]
    return frames[0]._replace(
        units=sum(frame.units for frame in frames),
        milliseconds=sum(own, Fraction()) if len(own) == len(frames) else None,
    )


Likeness = Callable[[SequenceFrame, SequenceFrame], bool]
"""A test that returns True if two frames show the same."""


def without_copies(sequences: Sequences, alike: Likeness) -> Sequences:
    """Merge each run of equal frames into its first, shown for the time of all of them."""

    def merged(sequence: FrameSequence) -> FrameSequence:
        runs: list[list[SequenceFrame]] = []
        for frame in sequence.frames:
            if runs and alike(runs[-1][0], frame):
                runs[-1].append(frame)
            else:
                runs.append([frame])
        return sequence._replace(frames=tuple(map(_merged, runs)))

    return tuple(merged(sequence) if sequence.name is not None else sequence for sequence in sequences)


def without_closing(sequences: Sequences, alike: Likeness) -> Sequences:
    """Drop an animation's last frame if it equals the first."""

    def closes(sequence: FrameSequence) -> bool:
        return sequence.name is not None and len(sequence.frames) > 1 and alike(sequence.frames[0], sequence.frames[-1])

    return tuple(
        sequence._replace(frames=sequence.frames[:-1]) if closes(sequence) else sequence for sequence in sequences
    )


def backwards(sequences: Sequences) -> Sequences:
    """Reverse the frames of every animation."""
    return tuple(played_backwards(sequence) if sequence.name is not None else sequence for sequence in sequences)


def with_made(sequences: Sequences, made: Mapping[str, str], making: Literal["mirrored", "reversed"]) -> Sequences:
    """Add animations that are made from others; `made` maps each new name to its source."""
    by_name = {sequence.name: sequence for sequence in sequences}
    change = mirrored if making == "mirrored" else played_backwards
    added = [copied(change(by_name[old]), new)._replace(origin=old, making=making) for new, old in made.items()]
    _refuse_repeated([*sequences, *added], making)
    return in_order([*sequences, *added])


def mirrored(sequence: FrameSequence) -> FrameSequence:
    """The sequence with left and right exchanged."""
    return sequence._replace(frames=tuple(frame._replace(flipped=not frame.flipped) for frame in sequence.frames))


def played_backwards(sequence: FrameSequence) -> FrameSequence:
    """The sequence from its last frame to its first."""
    return sequence._replace(frames=sequence.frames[::-1])


def bounded(sequences: Sequences) -> tuple[Sequences, list[Message]]:
    """Make animations that play more often than metadata can hold loop forever, with a warning of each."""
    result, warnings = list(sequences), []
    for index, sequence in enumerate(sequences):
        if sequence.times >= LARGEST_NUMBER:
            result[index] = sequence._replace(loop="forever", times=0)
            name = quoted(sequence.name or "")
            warnings.append(
                Message(f"{name} loops forever: its source shows it {sequence.times:,} times, more than metadata holds")
            )
    return tuple(result), warnings


def refuse_clashing_names(sequences: Sequences) -> None:
    """Raise InputError when two frames, or two animations, have one name, or names that clash on some platforms."""
    names = [frame.name for sequence in sequences for frame in sequence.frames]
    seen: set[str] = set()
    for name in names:
        if name in seen:
            raise InputError(f"two frames have the name {quoted(name)}; rename the one or the other")
        seen.add(name)
    animations = [sequence.name for sequence in sequences if sequence.name is not None]
    for what, clashing, why in (
        *(("names", *clash) for clash in clashes(names, ".png")),
        *(("animations", *clash) for clash in clashes(animations)),
    ):
        raise InputError(
            f"the {what} {few(map(quoted, clashing))} {why}, and some file systems and engines cannot tell them apart; "
            "rename one"
        )
