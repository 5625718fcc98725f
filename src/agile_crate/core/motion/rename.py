"""Names of animations and frames: rename, join, copy, and make animations of listed frames."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from itertools import chain, zip_longest

from ..errors import UsageError
from ..message import Message, message, setting
from ..model.crate import Loop
from ..model.picture import FrameSequence, SequenceFrame, Sequences
from ..names import animation_of, natural_key, number_of, split_number
from ..text import quoted
from .lookup import has_wildcards, matches, named, the_only, whole_name

Pairs = tuple[tuple[str, str], ...]


def spelled_out(pairs: Iterable[tuple[str, str]], making: str, sequences: Sequences) -> tuple[Pairs, list[Message]]:
    """Expand the wildcards in pairs NEW=OLD of names: one pair for every animation that OLD matches and whose NEW does
    not exist yet. The text that a * of OLD matches replaces that * of NEW. Also return a warning for each pair that
    matches nothing."""
    known = named(sequences)
    result: list[tuple[str, str]] = []
    warnings: list[Message] = []
    for new, old in pairs:
        if "*" not in new + old:
            result.append((new, whole_name(making, old, known)))
            continue
        pair = setting(making, f"{new}={old}")
        if new.count("*") != old.count("*"):
            raise UsageError("{}: {}", pair, _AS_MANY)
        found = _matching(old, known)
        made = [(_filled(new, parts), name) for name, parts in found]
        result += [renaming for renaming in made if renaming[0] not in known]
        if not found:
            warnings.append(message("{} matches no animation", pair))
    return tuple(result), warnings


_AS_MANY = "write as many * on one side as on the other"


def _matching(pattern: str, names: Iterable[str]) -> list[tuple[str, tuple[str, ...]]]:
    """The names that a pattern matches, each with what its wildcards stand for."""
    compiled = re.compile("(.*)".join(map(re.escape, pattern.split("*"))))
    return [(name, match.groups()) for name in names if (match := compiled.fullmatch(name))]


def _filled(pattern: str, parts: Iterable[str]) -> str:
    return "".join(chain(*zip_longest(pattern.split("*"), parts, fillvalue="")))


def renaming(pairs: Iterable[tuple[str, str]], sequences: Sequences) -> tuple[dict[str, str], list[Message]]:
    """Return each renamed animation's new name, from pairs OLD=NEW in the given order, and warnings of wildcards that
    match nothing.

    Without OLD the only animation is meant. OLD may have wildcards, NEW as many, or none, which joins what OLD matches;
    an animation that is named by itself is none of those. Raises UsageError.
    """
    known = named(sequences)
    pairs = [(_old_name(old, known) if old else the_only("rename", "swim=dash", sequences), new) for old, new in pairs]
    by_itself = {old for old, _ in pairs if "*" not in old}
    others = [name for name in known if name not in by_itself]
    names: dict[str, str] = {}
    warnings: list[Message] = []
    for old, new in pairs:
        if "*" in new and new.count("*") != old.count("*"):
            raise UsageError("{}: {}", setting("rename", f"{old}={new}"), _AS_MANY)
        found = _matching(old, others) if "*" in old else [(old, ())]
        if not found:
            warnings.append(message("{} matches no animation", setting("rename", f"{old}={new}")))
        for name, parts in found:
            if name in names:
                raise UsageError("{rename}: {} is given twice; leave one of them out", quoted(name))
            names[name] = _filled(new, parts) if "*" in new else new
    return names, warnings


def _old_name(old: str, known: list[str]) -> str:
    return old if "*" in old else whole_name("rename", old, known)


def with_renamed_frames(sequences: Sequences, pairs: Pairs) -> tuple[Sequences, Pairs]:
    """Rename frames, from those of the pairs OLD=NEW whose OLD is one, as if their files had the new names: one with a
    number joins the animation of that name. Also return the other pairs. Raises UsageError."""
    others: list[tuple[str, str]] = []
    for old, new in pairs:
        animations = named(sequences)
        known = dict.fromkeys([*animations, *(frame.name for s in sequences for frame in s.frames)])
        whole = whole_name("rename", old, known, with_frames=True) if old and "*" not in old else ""
        if not whole or whole in animations:
            others.append((whole or old, new))
        else:
            sequences = _with_renamed_frame(sequences, whole, checked_name(new))
    return sequences, tuple(others)


def _with_renamed_frame(sequences: Sequences, old: str, new: str) -> Sequences:
    frame = next(frame for sequence in sequences for frame in sequence.frames if frame.name == old)._replace(name=new)
    remaining = tuple(
        sequence._replace(frames=tuple(other for other in sequence.frames if other.name != old))
        for sequence in sequences
    )
    remaining = tuple(sequence for sequence in remaining if sequence.frames)
    target = _animation_named(new, remaining)
    if target not in {sequence.name for sequence in remaining}:
        return (*remaining, FrameSequence(target, (frame,)))
    return tuple(_with_frame(sequence, frame) if sequence.name == target else sequence for sequence in remaining)


def _with_frame(sequence: FrameSequence, frame: SequenceFrame) -> FrameSequence:
    """Return the sequence with one more frame, before the first with a greater number, or with a later name."""

    def key(other: SequenceFrame) -> tuple[object, ...]:
        return (number_of(other.name) or 0, natural_key(other.name))

    later = (place for place, other in enumerate(sequence.frames) if key(other) > key(frame))
    place = next(later, len(sequence.frames))
    return sequence._replace(frames=(*sequence.frames[:place], frame, *sequence.frames[place:]))


def _animation_named(name: str, sequences: Sequences) -> str | None:
    """Return the animation that a frame of this name belongs to: the one that has its series, or a new one."""
    above, _, last = name.rpartition("/")
    series = (above, split_number(last)[0])
    for sequence in sequences:
        for frame in sequence.frames if sequence.name is not None else ():
            folder, _, stem = frame.name.rpartition("/")
            if (folder, split_number(stem)[0]) == series:
                return sequence.name
    return animation_of(name, "", is_alone=series[1] == above.rpartition("/")[2])


def sequenced(sequences: Sequences, wanted: Mapping[str, Sequence[str]]) -> Sequences:
    """Add animations of the listed frames, in that order. Stills move into them; frames of animations stay in both.

    A name is a frame's or an animation's, which stands for all of its frames; a pattern with wildcards stands for all
    frames that it matches, in natural order. Raises UsageError.
    """
    by_name = {frame.name: frame for sequence in sequences for frame in sequence.frames}
    of_animations = {s.name: [frame.name for frame in s.frames] for s in sequences if s.name is not None}
    known = {**{name: [name] for name in by_name}, **of_animations}
    moved: set[str] = set()
    made: list[FrameSequence] = []
    for animation, names in wanted.items():
        if animation in of_animations:
            sentence = "{}: there is an animation {} already; choose another name"
            raise UsageError(sentence, setting("sequence", animation), quoted(animation))
        frames: list[str] = []
        for name in names:
            if not has_wildcards(name):
                frames += known[whole_name("sequence", name, known, with_frames=True)]
            elif found := [frame for frame in by_name if matches(name, frame, None)]:
                frames += sorted(found, key=natural_key)
            else:
                raise UsageError("{}: {} matches no frame", setting("sequence", animation), quoted(name))
        moved.update(frames)
        made.append(_numbered(animation, [by_name[name] for name in frames]))
    remaining = (
        s if s.name is not None else s._replace(frames=tuple(frame for frame in s.frames if frame.name not in moved))
        for s in sequences
    )
    return (*(sequence for sequence in remaining if sequence.frames), *made)


def _numbered(name: str, frames: Sequence[SequenceFrame], loop: Loop | None = None, times: int = 0) -> FrameSequence:
    """Return an animation whose frames are named after it, and numbered."""
    width = max(2, len(str(len(frames))))
    named = (frame._replace(name=f"{name}_{number:0{width}}") for number, frame in enumerate(frames, 1))
    return FrameSequence(checked_name(name), tuple(named), loop, times)


def renamed(sequences: Sequences, names: dict[str, str]) -> Sequences:
    """Rename animations and their frames. Animations that get the same name are joined, in the order of `names`. Raises
    UsageError where that name is another animation's."""
    by_name = {sequence.name: sequence for sequence in sequences}
    together: dict[str, list[FrameSequence]] = defaultdict(list)
    for old, new in names.items():
        if new in by_name and new not in names:
            join = message("{} and {}", setting("rename", f"{new}={new}"), setting("rename", f"{old}={new}"))
            raise UsageError(
                "{}: there is an animation {} already; choose another name, or join the two in the order that "
                "you want: {}",
                setting("rename", f"{old}={new}"),
                quoted(new),
                join,
            )
        together[new].append(by_name[old])
    remaining = tuple(sequence for sequence in sequences if sequence.name not in names)
    return (*remaining, *(_joined(name, parts) for name, parts in together.items()))


def _joined(name: str, parts: list[FrameSequence]) -> FrameSequence:
    if len(parts) == 1:
        return under_name(parts[0], name)
    loops = {(part.loop, part.times) for part in parts}
    loop, times = loops.pop() if len(loops) == 1 else (None, 0)
    return _numbered(name, [frame for part in parts for frame in part.frames], loop, times)


def under_name(sequence: FrameSequence, name: str) -> FrameSequence:
    """The sequence under another name, its frames called after it."""
    checked_name(name)
    frames = tuple(frame._replace(name=_named_after(frame.name, name)) for frame in sequence.frames)
    return sequence._replace(name=name, frames=frames)


def copied(sequence: FrameSequence, name: str) -> FrameSequence:
    """The sequence under another name, its frames called after it in the same way: ``swim/swim_01`` becomes
    ``glide/glide_01``."""
    old = sequence.name or ""
    last, new_last = old.rpartition("/")[2], name.rpartition("/")[2]
    frames: list[SequenceFrame] = []
    for frame, other in zip(sequence.frames, under_name(sequence, name).frames, strict=True):
        below = frame.name.removeprefix(f"{old}/")
        if below != frame.name:
            is_named_after = split_number(below)[0] == last
            other = frame._replace(name=f"{name}/{new_last + below.removeprefix(last) if is_named_after else below}")
        frames.append(other)
    return sequence._replace(name=name, frames=tuple(frames))


def checked_name(name: str) -> str:
    """The name, if it can be an animation's. Raises UsageError."""
    if any(part in ("", ".", "..") for part in name.split("/")) or set(name) & set("\\\0"):
        raise UsageError(f"{quoted(name)} cannot name an animation: its frames would lie outside of their folder")
    return name


def _named_after(frame: str, animation: str) -> str:
    """``generic/generic_0007`` after ``dash`` is ``dash_0007``; a name without a number keeps its last part."""
    last = frame.rpartition("/")[2]
    if number_of(last) is None:
        return f"{animation}/{last}"
    digits = last.rstrip(")")
    return f"{animation}_{digits[len(digits.rstrip('0123456789')) :]}"
