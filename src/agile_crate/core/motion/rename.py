"""Animations by name: look up, rename, join."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Collection, Iterable
from itertools import chain, zip_longest

from ..errors import UsageError
from ..message import Message, message, setting
from ..model.picture import FrameSequence, Sequences
from ..names import nearest, number_of
from ..text import few, quoted

Pairs = tuple[tuple[str, str], ...]


def check_names(setting_name: str, names: Iterable[str], sequences: Iterable[FrameSequence]) -> None:
    """Raise UsageError for a name that no animation has, with the nearest existing name."""
    known = named(sequences)
    for name in names:
        if name not in known:
            raise UsageError("{}: unknown animation {}; {}", setting(setting_name), quoted(name), _hint(name, known))


def _hint(name: str, known: list[str]) -> str:
    near = nearest(name, known)
    return f"did you mean {quoted(near)}?" if near else animations_listed(known)


def animations_listed(names: Collection[str]) -> str:
    """Return the names of the existing animations, as the end of a sentence."""
    if not names:
        return "there are only stills"
    return f"the animations are {few(names)}" if len(names) > 1 else f"the only animation is {few(names)}"


def named(sequences: Iterable[FrameSequence]) -> list[str]:
    """The names of the animations, in order."""
    return [sequence.name for sequence in sequences if sequence.name is not None]


def the_only(setting_name: str, example: str, sequences: Iterable[FrameSequence]) -> str:
    """Return the name of the only animation, for a setting that names none. Raises UsageError for several or none."""
    names = [sequence.name for sequence in sequences if sequence.name is not None and not sequence.origin]
    if len(names) != 1:
        known = animations_listed(names)
        raise UsageError("{}: name the animation, as in {}; {}", setting(setting_name), example, known)
    return names[0]


def spelled_out(pairs: Iterable[tuple[str, str]], making: str, sequences: Sequences) -> tuple[Pairs, list[Message]]:
    """Expand the wildcards in pairs NEW=OLD of names: one pair for every animation that OLD matches and whose NEW does
    not exist yet. The text that a * of OLD matches replaces that * of NEW. Also return a warning for each pair that
    matches nothing."""
    known = named(sequences)
    result: list[tuple[str, str]] = []
    warnings: list[Message] = []
    for new, old in pairs:
        if "*" not in new + old:
            result.append((new, old))
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
    pairs = [(old or the_only("rename", "swim=dash", sequences), new) for old, new in pairs]
    by_itself = {old for old, _ in pairs if "*" not in old}
    check_names("rename", (old for old, _ in pairs if "*" not in old), sequences)
    others = [name for name in named(sequences) if name not in by_itself]
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
    frames = [frame for part in parts for frame in part.frames]
    width = max(2, len(str(len(frames))))
    numbered = (frame._replace(name=f"{name}_{number:0{width}}") for number, frame in enumerate(frames, 1))
    loops = {(part.loop, part.times) for part in parts}
    loop, times = loops.pop() if len(loops) == 1 else (None, 0)
    return FrameSequence(checked_name(name), tuple(numbered), loop, times)


def under_name(sequence: FrameSequence, name: str) -> FrameSequence:
    """The sequence under another name, its frames called after it."""
    checked_name(name)
    frames = tuple(frame._replace(name=_named_after(frame.name, name)) for frame in sequence.frames)
    return sequence._replace(name=name, frames=frames)


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
