"""Checks that compare animations with each other, or with files next to them."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence

import numpy as np

from ...message import Message, message, setting
from ...model.picture import FrameSequence, SequenceFrame
from ...motion.strays import stray_text, strays
from ...names import clashes
from ...text import counted, few, measured, quoted
from ..facts import FrameFacts
from ..finding import ERROR, NOTE, WARNING, Finding, Surveyed, codes, finding, left_out
from ..miniature import is_between
from ..robust import usual

NAME_CASE, FILE_UNRELATED, FRAME_STRAY = codes("name-case", "file-unrelated", "frame-stray")
GROUND_DIFFERS, MIRROR_IMAGE = codes("ground-differs", "mirror-image")

LEFTOVER = re.compile(
    r"[ _.-]*(?:copy|old|new|final|alt|bak|backup|test|[a-z])(?:[ _.-]*\(?[0-9]+\)?)?|[ _]*\([0-9]+\)", re.IGNORECASE
)
"""Suffixes of leftover copies, after a frame's name."""

WIDER = 1.5
"""One picture that makes the cells of a grid so many times as large, by area, is odd."""

LEAST_BESIDE = 8
"""Pictures beside it."""

SURE_FOOTED = 1.0
"""Pixels. The spread of an animation's lowest rows, up to which it stands on a line."""

STANDING, TOGETHER = 3, 0.6
"""So many animations of a character must stand, and this share of them on one line, for another line to be odd."""

LEAST_OFF, HIGHEST = 2, 10
"""Ground lines are odd that are so many pixels off; ones further apart than one of so many parts of the canvas were
meant to be."""

MOST_LEFT = 2
"""Files left beside one animation. More are a way of naming."""

NEARLY = 8
"""Levels of 255 by which sketches of mirror images may differ; the pictures themselves may not at all."""


def strayed(sequences: Sequence[Surveyed]) -> Iterator[Finding]:
    """Find frames that fell out of their series."""
    sketches = {frame.name: frame.sketch for sequence in sequences for frame in sequence.frames}
    owners = {frame.name: sequence for sequence in sequences for frame in sequence.frames}
    plain = [
        FrameSequence(sequence.name, tuple(SequenceFrame(frame.name, 0) for frame in sequence.frames))
        for sequence in sequences
    ]
    for stray in strays(plain, lambda *names: is_between(*(sketches[name] for name in names))):
        what, fix = stray_text(stray)
        yield finding(owners[stray.frame], FRAME_STRAY, ERROR, [stray.frame], what, fix)


def names_alike(sequences: Sequence[Surveyed]) -> Iterator[Finding]:
    """Find names of frames or animations that some file systems and engines cannot tell apart."""
    names = [frame.name for sequence in sequences for frame in sequence.frames]
    for group, why in clashes(list(dict.fromkeys(names)), ".png"):
        what = f"these names {why}: some file systems and engines cannot tell them apart"
        yield Finding(NAME_CASE, WARNING, group[0], group, what, Message("rename one"))
    for group, why in clashes([sequence.name for sequence in sequences if sequence.name is not None]):
        frames = tuple(sequence.frames[0].name for sequence in sequences if sequence.name in group)
        what = f"the animations {few(map(quoted, group))} {why}: some file systems and engines cannot tell them apart"
        fix = message("rename the files of one, or give {}", setting("rename", f"{group[1]}=NAME"))
        yield Finding(NAME_CASE, WARNING, group[0], frames, what, fix)


def odd_files(sequences: Sequence[Surveyed]) -> Iterator[Finding]:
    """Pictures that seem to have been left beside an animation, and one that makes all cells of a grid larger."""
    owners = {
        frame.name: sequence
        for sequence in sequences
        if sequence.name is not None and len(sequence.frames) > 1
        for frame in sequence.frames
    }
    alone = [
        (sequence, frame)
        for sequence in sequences
        if sequence.name is None or len(sequence.frames) == 1
        for frame in sequence.frames
    ]
    reported: set[str] = set()
    beside = [(sequence, frame, owner) for sequence, frame in alone if (owner := _beside(frame.name, owners))]
    counts = Counter(owner.label for *_, owner in beside)
    for sequence, frame, owner in beside:
        if counts[owner.label] <= MOST_LEFT:
            wider = _widening(frame, sequences)
            what = f"lies beside {quoted(owner.label)} and is not one of its frames; it seems left over{wider}"
            yield finding(sequence, FILE_UNRELATED, WARNING, [frame], what, left_out([frame.name]))
            reported.add(frame.name)
    frames = [frame for sequence in sequences for frame in sequence.frames]
    widest = max(frames, key=lambda frame: frame.canvas.w * frame.canvas.h, default=None)
    if widest and widest.name not in reported and (more := _widening(widest, sequences)):
        sequence = next(sequence for sequence in sequences if widest in sequence.frames)
        yield finding(sequence, FILE_UNRELATED, WARNING, [widest], more.lstrip("; "), left_out([widest.name]))


def _beside(name: str, owners: dict[str, Surveyed]) -> Surveyed | None:
    """Return the animation that has a frame of which this picture seems to be a leftover copy."""
    for end in range(len(name) - 1, 0, -1):
        if name[end - 1].isdigit() and not name[end].isdigit():
            return owners.get(name[:end]) if LEFTOVER.fullmatch(name[end:]) else None
    return None


def _widening(frame: FrameFacts, sequences: Sequence[Surveyed]) -> str:
    others = [other.canvas for sequence in sequences for other in sequence.frames if other is not frame]
    if len(others) < LEAST_BESIDE:
        return ""
    width, height = max(size.w for size in others), max(size.h for size in others)
    wide, high = max(width, frame.canvas.w), max(height, frame.canvas.h)
    if wide * high < WIDER * width * height:
        return ""
    return f"; it widens the cells of a grid from {measured((width, height))} to {measured((wide, high))}"


def grounds(sequences: Sequence[Surveyed]) -> Iterator[Finding]:
    """Find animations of one folder, on canvases of one size, that stand on different lines."""
    together: dict[tuple[object, ...], list[tuple[Surveyed, int]]] = defaultdict(list)
    for sequence in sequences:
        if sequence.name is not None and (line := _ground(sequence)) is not None:
            together[sequence.name.rpartition("/")[0], sequence.frames[0].canvas].append((sequence, line))
    for standing in together.values():
        lines = Counter(line for _, line in standing)
        most = max(lines, key=lambda line: (lines[line], line))
        if len(standing) < STANDING or lines[most] < TOGETHER * len(standing):
            continue
        height = standing[0][0].frames[0].canvas.h
        for sequence, line in standing:
            if LEAST_OFF <= abs(line - most) <= height / HIGHEST:
                yield _off_the_ground(
                    sequence, line, most, [sequence.label for sequence, other in standing if other == most]
                )


def _ground(sequence: Surveyed) -> int | None:
    """Return the line on which a sequence stands; None if it stands on none, or its canvases differ."""
    lines = [frame.feet[1] for frame in sequence.frames if frame.feet]
    if len(lines) < len(sequence.frames) or len(lines) < 2 or not sequence.has_one_canvas:
        return None
    normal = usual(lines)
    if normal.spread > SURE_FOOTED or max(lines) - normal.middle > SURE_FOOTED:
        return None
    return int(max(lines))


def _off_the_ground(sequence: Surveyed, line: int, most: int, others: Sequence[str]) -> Finding:
    by = most - line
    what = (
        f"the ground is at line {line} here and at {most} in {few(map(quoted, others), 2)}: "
        f"the figure {'drops' if by < 0 else 'rises'} by {counted(abs(by), 'pixel')} when the animation begins"
    )
    fits = all(
        frame.kept is None or 0 <= frame.kept.y + by <= frame.kept.bottom + by <= frame.canvas.h
        for frame in sequence.frames
    )
    fix = (
        setting("shift", f"{sequence.label}=0,{by}")
        if fits
        else f"export it {counted(abs(by), 'pixel')} further {'down' if by > 0 else 'up'}"
    )
    return finding(sequence, GROUND_DIFFERS, WARNING, (), what, fix)


def mirrors(sequences: Sequence[Surveyed]) -> Iterator[Finding]:
    """Find animations that are mirror images of others."""
    together: dict[tuple[object, ...], list[Surveyed]] = defaultdict(list)
    for sequence in sequences:
        if sequence.name is not None and len(sequence.frames) > 1:
            together[tuple(frame.canvas for frame in sequence.frames)].append(sequence)
    for group in together.values():
        paired: set[int] = set()
        for index, sequence in enumerate(group):
            if index in paired or _may_mirror(sequence, sequence):
                continue
            rest = (other for other in range(index + 1, len(group)) if other not in paired)
            for other in rest:
                if _may_mirror(sequence, group[other]) and _is_mirrored(sequence, group[other]):
                    paired.add(other)
                    yield _mirrored(sequence, group[other])


def _may_mirror(sequence: Surveyed, other: Surveyed) -> bool:
    """Return True if the sketches of two sequences with the same canvases mirror each other."""
    pairs = zip(sequence.frames, other.frames, strict=True)
    return all(float(np.abs(a.sketch[:, ::-1] - b.sketch).max()) <= NEARLY for a, b in pairs)


def _is_mirrored(sequence: Surveyed, other: Surveyed) -> bool:
    pairs = zip(sequence.frames, other.frames, strict=True)
    return all(np.array_equal(sequence.again(a)[:, ::-1], other.again(b)) for a, b in pairs)


def _mirrored(sequence: Surveyed, other: Surveyed) -> Finding:
    what = f"is {quoted(sequence.label)} mirrored: it need not be drawn or stored"
    fix = message("{} {}", left_out([other.label]), setting("mirrored", f"{other.label}={sequence.label}"))
    return finding(other, MIRROR_IMAGE, NOTE, (), what, fix)
