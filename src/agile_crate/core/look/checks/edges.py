"""What happens at the edges of the canvas, and of the figure."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ...frame.alpha import hard_alpha
from ...sentence import setting
from ...text import counted, joined
from ..facts import FrameFacts, Touch, frame_facts
from ..finding import DOUBT, FAULT, NOTE, Finding, Surveyed, finding
from ..robust import Usual, usual

LEAST_RUN, LEAST_SHARE = 4, 0.15
"""A figure is cut off where it reaches the canvas's edge along so many pixels, and so much of its own length."""

COVERED = 0.7
"""There, soft art has at least this share of the alpha that it has on average: where it ends by itself it fades."""

FEW = 3
"""What happens in one frame of so many, or fewer, is out of the ordinary."""

STEADY, WHOLE = 0.35, 0.99
"""A figure whose area has no more than this spread, as a share of it, and that shows no more than so much of what it
usually does, is cut off where one frame alone reaches the edge: something of it is missing."""

SOFT = 0.005
"""The share of half-covered pixels from which art is soft-edged."""

HARD = 0.1
"""A frame is hard-edged with less than this share of the half-covered pixels that its animation usually has."""

MOST_LOST = 0.1
"""The share of a soft frame's area that hard alpha may change."""


def cut_off(sequence: Surveyed) -> Iterator[Finding]:
    """Art that the canvas cuts off."""
    frames = sequence.frames
    area = usual([frame.area for frame in frames])
    for side in ("left", "right", "top", "bottom"):
        cut = [frame for frame in frames if (touch := _touch(frame, side)) and _is_cut(touch, frame)]
        if not cut or _fills(frames, side):
            continue
        reaching = sum(_touch(frame, side) is not None for frame in frames)
        is_rare = len(frames) > FEW and reaching * FEW <= len(frames)
        if is_rare and (area.spread > STEADY * area.middle or max(frame.area for frame in cut) > WHOLE * area.middle):
            continue  # it bursts, or reaches out
        if side == "bottom" and not is_rare:
            continue  # it stands there
        what = f"the art reaches the {side} edge of the canvas, and seems to be cut off there"
        severity = FAULT if is_rare or _is_figure(cut, side, area) else NOTE
        yield finding(sequence, "cut-off", severity, cut, what, "export on a larger canvas")


def _is_figure(cut: Sequence[FrameFacts], side: str, area: Usual) -> bool:
    """Whether frames that all reach one side show a soft-edged figure that reaches no other, but stands maybe; what
    reaches several is a tile, a cloud, or a picture that was cut down to its canvas."""
    soft = [frame for frame in cut if frame.partial >= SOFT]
    sides = {touch.side for frame in cut for touch in frame.touches} - {side, "bottom"}
    return len(soft) * 2 > len(cut) and not sides and area.spread <= STEADY * area.middle


def _touch(frame: FrameFacts, side: str) -> Touch | None:
    return next((touch for touch in frame.touches if touch.side == side), None)


def _is_cut(touch: Touch, frame: FrameFacts) -> bool:
    long = touch.run >= LEAST_RUN and touch.share >= LEAST_SHARE
    return long and (frame.partial < SOFT or touch.covered >= COVERED)


def _fills(frames: Sequence[FrameFacts], side: str) -> bool:
    """Whether a canvas was cut down to the art, or is a tile, which then reaches the opposite edge as well."""
    opposite = {"left": "right", "right": "left", "top": "bottom", "bottom": "top"}[side]
    return any(_touch(frame, opposite) for frame in frames)


def kinds_of_edges(sequence: Surveyed) -> Iterator[Finding]:
    """A few soft-edged frames in hard-edged work, or one hard-edged frame in soft-edged work."""
    seen = [frame for frame in sequence.frames if frame.seen and not frame.opaque]
    soft = [frame for frame in seen if frame.partial > 0]
    if soft and len(soft) * 4 <= len(seen):
        what = "soft edges, where the other frames have hard ones: it looks blurred for a moment"
        yield finding(sequence, "edges-soft", DOUBT, soft, what, _hardened(sequence, soft))
        return
    share = usual([frame.partial for frame in seen]).middle
    hard = [frame for frame in seen if frame.partial <= HARD * share]
    if share >= SOFT and len(hard) == 1 and len(seen) > FEW:
        what = "hard edges, where the other frames have soft ones: its outline flickers"
        yield finding(sequence, "edges-hard", DOUBT, hard, what, "export it with smoothing, as the others")


def _hardened(sequence: Surveyed, soft: Sequence[FrameFacts]) -> str:
    for frame in soft:
        after = frame_facts(frame.name, hard_alpha(sequence.again(frame), 128))
        if after.seen is None or after.partial or abs(after.area - frame.area) > MOST_LOST * frame.area:
            return "export it without smoothing"
    return setting("hard_alpha", 128)


def fringes(sequence: Surveyed) -> Iterator[Finding]:
    """Edges that keep the colour of what the figure was drawn on."""
    fringed = [frame for frame in sequence.frames if frame.fringe]
    if len(fringed) * 2 <= len(sequence.frames):
        return
    colours = joined(sorted({frame.fringe.towards for frame in fringed if frame.fringe}))
    what = (
        f"half-covered edges turn {colours} in {counted(len(fringed), 'frame')}: cut out of a {colours} background, "
        "or stored with its colours multiplied by alpha; a rim shows on any other ground"
    )
    yield finding(sequence, "fringe", DOUBT, fringed, what, "export with straight alpha, without a matte colour")
