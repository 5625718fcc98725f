"""Checks of canvas sizes."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from ...message import message
from ...text import few, measured
from ..finding import ERROR, NOTE, WARNING, Finding, Surveyed, codes, finding

CANVAS_DIFFERS, SCALE_UNEVEN = codes("canvas-differs", "scale-uneven")

MOST = 0.6
"""The share of frames that have the usual canvas. If no canvas is so usual, each frame was cut to its art."""

FEW = 3
"""A trait that one frame in this many has is taken for a mistake."""

SLIP = 0.15
"""A canvas that is off the usual one by no more than this share of its sides was not meant to be."""


def canvases(sequence: Surveyed) -> Iterator[Finding]:
    """Find canvases of different sizes in one animation."""
    sizes = Counter(frame.canvas for frame in sequence.frames)
    if len(sizes) == 1:
        return
    usual, count = sizes.most_common(1)[0]
    odd = [frame for frame in sequence.frames if frame.canvas != usual]
    fix = message("{canvas:animation} ({align} places them)")
    if count < MOST * len(sequence.frames):
        what = f"{len(sizes)} canvas sizes in one animation: each frame's position in the motion is lost"
        yield finding(sequence, CANVAS_DIFFERS, NOTE, (), what, message("export them on one canvas, or {}", fix))
        return
    slips = [frame for frame in odd if all(abs(a - b) <= SLIP * b for a, b in zip(frame.canvas, usual, strict=True))]
    others = few(measured(size) for size in sizes if size != usual)
    what = f"the canvas is {others} here and {measured(usual)} elsewhere: the figure may shift between frames"
    yield finding(
        sequence,
        CANVAS_DIFFERS,
        ERROR if len(slips) == len(odd) and len(odd) * FEW <= len(sequence.frames) else NOTE,
        odd,
        what,
        fix,
    )


def scaling(sequence: Surveyed) -> Iterator[Finding]:
    """Find canvases that are not whole pixels at the wanted scale."""
    uneven = [f for f in sequence.frames if any((side * sequence.scale).denominator > 1 for side in f.canvas)]
    if uneven:
        w, h = (float(side * sequence.scale) for side in uneven[0].canvas)
        what = f"the canvas {measured(uneven[0].canvas)} scales to {w:g} × {h:g}: edges fall between pixels and blur"
        yield finding(sequence, SCALE_UNEVEN, WARNING, uneven, what, "export on a canvas that the scale divides")
