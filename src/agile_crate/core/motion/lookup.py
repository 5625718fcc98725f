"""Find animations and frames by the names that people give: the whole name, or its last part if only one has that."""

from __future__ import annotations

import fnmatch
from collections.abc import Collection, Iterable
from itertools import accumulate

from ..errors import UsageError
from ..message import Message, message, setting
from ..model.picture import FrameSequence
from ..names import nearest
from ..text import few, quoted


def whole_name(setting_name: str, given: str, known: Collection[str], *, with_frames: bool = False) -> str:
    """Return the known name that is meant: that of an animation or, `with_frames`, of a frame. Raises UsageError for an
    unknown name, with the nearest known one, and for one that several have as their last part."""
    if given in known:
        return given
    found = [name for name in known if name.endswith("/" + given)]
    if len(found) == 1:
        return found[0]
    if found:
        sentence = "{}: {} may be {}; write the whole name"
        raise UsageError(sentence, setting(setting_name), quoted(given), few(map(quoted, found)))
    near = nearest(given, known)
    if with_frames:
        what, hint = "animation or frame", "names are such as swim, or swim/swim_01"
    else:
        what, hint = "animation", animations_listed(known)
    hint = f"did you mean {quoted(near)}?" if near else hint
    raise UsageError("{}: unknown {} {}; {}", setting(setting_name), what, quoted(given), hint)


def animation_name(setting_name: str, given: str, sequences: Iterable[FrameSequence]) -> str:
    """Return the name of the animation that is meant. Raises UsageError."""
    return whole_name(setting_name, given, named(sequences))


def animations_listed(names: Collection[str]) -> str:
    """Return the names of the existing animations, as the end of a sentence."""
    if not names:
        return "there are only stills"
    return f"the animations are {few(names)}" if len(names) > 1 else f"the only animation is {few(names)}"


def named(sequences: Iterable[FrameSequence]) -> list[str]:
    """The names of the animations, in order."""
    return [sequence.name for sequence in sequences if sequence.name is not None]


def stills(sequences: Iterable[FrameSequence]) -> list[str]:
    """The names of the frames of no animation, in order."""
    return [frame.name for sequence in sequences if sequence.name is None for frame in sequence.frames]


def the_only(setting_name: str, example: str, sequences: Iterable[FrameSequence]) -> str:
    """Return the name of the only animation, for a setting that names none. Raises UsageError for several or none."""
    names = [sequence.name for sequence in sequences if sequence.name is not None and not sequence.origin]
    if len(names) != 1:
        known = animations_listed(names)
        raise UsageError("{}: name the animation, as in {}; {}", setting(setting_name), example, known)
    return names[0]


def has_wildcards(pattern: str) -> bool:
    """Return True if a pattern has any of ``*?[``."""
    return not set(pattern).isdisjoint("*?[")


def matches(pattern: str, frame: str, animation: str | None) -> bool:
    """Return True if a pattern matches a frame. A pattern with wildcards is compared with the frame's name; a plain
    name may also be its animation's, or a folder's above it."""
    if has_wildcards(pattern):
        return fnmatch.fnmatchcase(frame, pattern)
    return pattern in (frame, animation) or frame.startswith(pattern.rstrip("/") + "/")


def whole_patterns(
    setting_name: str, patterns: Iterable[str], sequences: Collection[FrameSequence]
) -> tuple[list[str], list[Message]]:
    """Return patterns with whole names in place of last parts, and a warning of each pattern with wildcards that
    matches no frame. Raises UsageError for a plain name that is unknown: a frame that it should exclude would be
    packed, or the reverse."""
    frames = [(frame.name, sequence.name) for sequence in sequences for frame in sequence.frames]
    whole: list[str] = []
    warnings: list[Message] = []
    for pattern in patterns:
        if any(matches(pattern, *frame) for frame in frames):
            whole.append(pattern)
        elif has_wildcards(pattern):
            whole.append(pattern)
            warnings.append(message("{} matches no frame", setting(setting_name, pattern)))
        else:
            folders = {part for frame, _ in frames for part in accumulate(frame.split("/")[:-1], "{}/{}".format)}
            names = dict.fromkeys([*named(sequences), *sorted(folders), *(frame for frame, _ in frames)])
            whole.append(whole_name(setting_name, pattern, names, with_frames=True))
    return whole, warnings
