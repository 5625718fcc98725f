"""Checks of the edges of the canvas and of the figure."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ...frame.alpha import hard_alpha
from ...message import setting
from ...model.geometry import Box
from ...text import counted, joined
from ..facts import FrameFacts, Touch, frame_facts
from ..finding import ERROR, NOTE, WARNING, Finding, Surveyed, codes, finding
from ..robust import Usual, usual

CUT_OFF, EDGES_SOFT, EDGES_HARD, FRINGE = codes("cut-off", "edges-soft", "edges-hard", "fringe")

LEAST_RUN, LEAST_SHARE = 4, 0.15
"""A figure is cut off where it reaches the canvas's edge along so many pixels, and so much of its own length."""

COVERED = 0.6
"""Soft art that is cut off has at least this share of its average alpha at the edge: art that ends by itself fades."""

AWAY = 3
"""Pixels. Frames that keep so far from a side make one that reaches it odd."""

FEW = 3
"""A trait that one frame in this many has is out of the ordinary."""

STEADY, WHOLE = 0.35, 0.993
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
        reaching = [frame for frame in frames if _touch(frame, side)]
        if not reaching or _fills(frames, side):
            continue
        is_rare = len(frames) > FEW and len(reaching) * FEW <= len(frames)
        if is_rare:
            cut, severity = _diminished(frames, reaching, side, area), ERROR
        elif side != "bottom":  # there it stands
            cut = [frame for frame in reaching if _is_cut(frame, side, LEAST_SHARE)]
            severity = ERROR if _is_figure(cut, side, area) else NOTE
        else:
            continue
        if cut:
            what = f"the art reaches the {side} edge of the canvas and seems cut off"
            yield finding(sequence, CUT_OFF, severity, cut, what, "export on a larger canvas")


def _diminished(
    frames: Sequence[FrameFacts], reaching: Sequence[FrameFacts], side: str, area: Usual
) -> list[FrameFacts]:
    """Return those frames that reach a side and have lost something there. Where all others keep away from it, less
    evidence is needed."""
    if area.spread > STEADY * area.middle:
        return []
    others = [frame for frame in frames if frame.seen and frame not in reaching]
    least = 0 if all(_room(frame, side) >= AWAY for frame in others) else LEAST_SHARE
    return [frame for frame in reaching if _is_cut(frame, side, least) and frame.area <= WHOLE * area.middle]


def _room(frame: FrameFacts, side: str) -> int:
    """Return the number of pixels between the visible art and a side of the canvas."""
    box = frame.seen or Box(0, 0, *frame.canvas)
    rooms = {"left": box.x, "top": box.y, "right": frame.canvas.w - box.right, "bottom": frame.canvas.h - box.bottom}
    return rooms[side]


def _is_figure(cut: Sequence[FrameFacts], side: str, area: Usual) -> bool:
    """Return True if frames that all reach one side show a soft-edged figure that reaches no other, but stands maybe;
    what reaches several is a tile, a cloud, or a picture that was cut down to its canvas."""
    soft = [frame for frame in cut if frame.partial >= SOFT]
    sides = {touch.side for frame in cut for touch in frame.touches} - {side, "bottom"}
    return len(soft) * 2 > len(cut) and not sides and area.spread <= STEADY * area.middle


def _touch(frame: FrameFacts, side: str) -> Touch | None:
    return next((touch for touch in frame.touches if touch.side == side), None)


def _is_cut(frame: FrameFacts, side: str, least: float) -> bool:
    """Return True if a frame reaches a side along a line that is long enough, and covered as the figure is
    elsewhere."""
    touch = _touch(frame, side)
    if touch is None or touch.run < LEAST_RUN or touch.share < least:
        return False
    return frame.partial < SOFT or touch.covered >= COVERED


def _fills(frames: Sequence[FrameFacts], side: str) -> bool:
    """Return True if a canvas was cut down to the art, or is a tile, which then reaches the opposite edge as well."""
    opposite = {"left": "right", "right": "left", "top": "bottom", "bottom": "top"}[side]
    return any(_touch(frame, opposite) for frame in frames)


def kinds_of_edges(sequence: Surveyed) -> Iterator[Finding]:
    """Find a few soft-edged frames in hard-edged work, or one hard-edged frame in soft-edged work."""
    seen = [frame for frame in sequence.frames if frame.seen and not frame.opaque]
    soft = [frame for frame in seen if frame.partial > 0]
    if soft and len(soft) * 4 <= len(seen):
        what = "soft edges, where the other frames have hard ones: the frame looks blurred"
        yield finding(sequence, EDGES_SOFT, WARNING, soft, what, _hardened(sequence, soft))
        return
    share = usual([frame.partial for frame in seen]).middle
    hard = [frame for frame in seen if frame.partial <= HARD * share]
    if share >= SOFT and len(hard) == 1 and len(seen) > FEW:
        what = "hard edges, where the other frames have soft ones: its outline flickers"
        yield finding(sequence, EDGES_HARD, WARNING, hard, what, "export it with smoothing, like the others")


def _hardened(sequence: Surveyed, soft: Sequence[FrameFacts]) -> str:
    for frame in soft:
        after = frame_facts(frame.name, hard_alpha(sequence.again(frame), 128))
        if after.seen is None or after.partial or abs(after.area - frame.area) > MOST_LOST * frame.area:
            return "export it without smoothing"
    return setting("hard_alpha", 128)


def fringes(sequence: Surveyed) -> Iterator[Finding]:
    """Edges that keep the color of what the figure was drawn on."""
    fringed = [frame for frame in sequence.frames if frame.fringe]
    if len(fringed) * 2 <= len(sequence.frames):
        return
    colors = joined(sorted({frame.fringe for frame in fringed}))
    what = (
        f"half-covered edges turn {colors} in {counted(len(fringed), 'frame')}: cut out of a {colors} background, "
        "or stored with its colors multiplied by alpha; a rim shows on any other ground"
    )
    yield finding(sequence, FRINGE, WARNING, fringed, what, "export with straight alpha, without a matte color")
