"""A crate as two tables for a spreadsheet (RFC 4180): its frames, and the steps of its animations.

A text that a spreadsheet might take for a formula has an apostrophe before it, and so has one that begins with an
apostrophe: whoever reads the table by program takes one away. Where a name is not plain ASCII the file begins with
the mark by which spreadsheets know UTF-8.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable

from ..core.model.crate import Crate

FRAMES = (
    "index", "name", "image", "x", "y", "width", "height", "turned", "mirror", "canvas_width", "canvas_height",
    "offset_x", "offset_y", "pivot_x", "pivot_y",
)  # fmt: skip

STEPS = ("animation", "step", "frame", "name", "milliseconds", "loop", "times", "fps", "beats")

_RISKY = ("=", "+", "-", "@", "\t", "\r", "\n", "'")


def frames_csv(crate: Crate) -> str:
    """A row for each frame; its size is that of the box, as stored."""
    images = [_text(sheet.image) for sheet in crate.sheets]
    return _table(
        FRAMES,
        (
            (
                index, _text(frame.name), images[frame.on_sheet], *frame.box,
                "true" if frame.turned else "false", frame.mirror, *frame.canvas, *frame.offset, *frame.pivot,
            )
            for index, frame in enumerate(crate.frames)
        ),
    )  # fmt: skip


def animations_csv(crate: Crate) -> str:
    """Return a table with one row a step, counted from 1; `frame` is the frame's index, `times` is 0 where it does not
    end; `fps` is a fraction such as 12 or 30000/1001, empty like `beats` where frames are no multiples of a rate."""
    return _table(
        STEPS,
        (
            (_text(animation.name), step, index, _text(crate.frames[index].name), ms, animation.loop,
             max(1, animation.times) if animation.loop == "once" else 0, animation.fps or "",
             animation.beats[step - 1] if animation.fps else "")
            for animation in crate.animations
            for step, (index, ms) in enumerate(zip(animation.frames, animation.durations, strict=True), 1)
        ),
    )  # fmt: skip


def _table(heading: Iterable[str], rows: Iterable[Iterable[object]]) -> str:
    stream = io.StringIO(newline="")
    writer = csv.writer(stream, lineterminator="\r\n")
    writer.writerow(heading)
    writer.writerows(rows)
    text = stream.getvalue()
    return text if text.isascii() else "\ufeff" + text


def _text(text: str) -> str:
    return f"'{text}" if text.startswith(_RISKY) else text
