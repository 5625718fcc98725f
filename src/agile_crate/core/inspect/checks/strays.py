"""Checks for empty frames and stray pixels."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ...frame.alpha import cleared
from ...frame.visible import union
from ...message import message, setting
from ...text import counted
from ..facts import FrameFacts, frame_facts
from ..finding import ERROR, NOTE, WARNING, Finding, Surveyed, codes, finding, left_out, some_of
from ..robust import usual

FRAME_EMPTY, HAZE, STRAY_PIXELS = codes("frame-empty", "haze", "stray-pixels")

FADED = 0.3
"""A figure that covers less than this share of what it usually does is about to vanish, or to come."""

RARE = 6
"""Specks are strays where no more than one frame in so many has one; where more have, they belong to the picture."""

LEAST_FOR_STRAYS = 4
"""Frames. In fewer, a speck may belong to the picture."""

MOST_SPECKS = 2
"""So many specks in one frame may be strays; more are sparks, or rain."""

DWARFED = 20
"""A figure has so many times the pixels of a stray speck beside it."""

STEADY = 0.6
"""A figure whose area has a spread of more than this share of it bursts or melts, and may scatter specks."""

REACH = 8
"""Pixels around the visible art of all other frames, in which a speck may belong to a motion."""


def emptiness(sequence: Surveyed) -> Iterator[Finding]:
    """Find frames without visible pixels."""
    frames = sequence.frames
    empty = [index for index, frame in enumerate(frames) if frame.seen is None]
    if not empty:
        return
    what = "nothing is visible: the figure disappears"
    names = [frames[index].name for index in empty]
    severity = ERROR if _is_dropout(frames, empty) else NOTE
    if sequence.name is None:
        severity = WARNING
    fix = message("draw it, or {}", left_out(names)) if len(names) == 1 else message("draw them, or {exclude} them")
    yield finding(sequence, FRAME_EMPTY, severity, names, what, fix)


def _is_dropout(frames: Sequence[FrameFacts], empty: Sequence[int]) -> bool:
    """Return True if a figure is missing between frames that show all of it: not where it blinks, fades, comes or
    goes."""
    if len(empty) == len(frames):
        return True
    first, last = empty[0], empty[-1]
    if last - first + 1 != len(empty) or first == 0 or last == len(frames) - 1 or len(empty) * 3 > len(frames):
        return False
    whole = FADED * usual([frame.area for frame in frames if frame.seen]).middle
    return frames[first - 1].area >= whole and frames[last + 1].area >= whole


def haze(sequence: Surveyed) -> Iterator[Finding]:
    """Alpha too low to be visible, far outside the visible art."""
    hazy = [frame for frame in sequence.frames if frame.haze]
    if not hazy:
        return
    floor = max(frame.haze for frame in hazy)
    what = f"alpha up to {floor} of 255 where nothing is visible: trimming keeps it, so sheets grow"
    tried = (frame_facts(frame.name, cleared(sequence.again(frame), floor)) for frame in some_of(hazy))
    fix = setting("clear_alpha", floor) if not any(facts.haze for facts in tried) else "export without it"
    yield finding(sequence, HAZE, ERROR, hazy, what, fix)


def specks(sequence: Surveyed) -> Iterator[Finding]:
    """Stray spots far from the body."""
    spotted = [frame for frame in sequence.frames if frame.specks]
    strays = [frame for frame in spotted if _is_stray(frame, sequence.frames)]
    area = usual([frame.area for frame in sequence.frames])
    if not strays or len(spotted) > max(1, len(sequence.frames) // RARE) or area.spread > STEADY * area.middle:
        return
    x, y, pixels = strays[0].specks[0]
    spot = f"a stray spot of {counted(pixels, 'pixel')} at {x},{y}"
    what = f"{spot}, far from the figure: trimming keeps the area between them"
    severity = ERROR if sequence.name is not None and len(sequence.frames) >= LEAST_FOR_STRAYS else WARNING
    yield finding(sequence, STRAY_PIXELS, severity, strays, what, "erase it")


def _is_stray(frame: FrameFacts, frames: Sequence[FrameFacts]) -> bool:
    """Return True if the specks of a frame are few, small beside the figure, and where no other frame shows
    anything."""
    if len(frame.specks) > MOST_SPECKS or frame.area < DWARFED * sum(pixels for *_, pixels in frame.specks):
        return False
    others = union(other.seen for other in frames if other is not frame and other.seen)
    if others is None:
        return True
    return not any(
        others.x - REACH <= x < others.right + REACH and others.y - REACH <= y < others.bottom + REACH
        for x, y, _ in frame.specks
    )
