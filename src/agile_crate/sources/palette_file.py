"""Palettes from files: text with one color per line, as hex or as three numbers, or a small picture of swatches."""

from __future__ import annotations

import re

from ..core.color import Color, color_from_hex
from ..core.errors import InputError, reason
from ..core.limits import Limits
from ..core.message import a_file
from ..core.png_chunks import PictureError
from ..core.text import counted, quoted
from ..format.regular import read_regular
from .pictures import read_still

MOST_COLORS = 256
LARGEST_SWATCHES = 1024 * 1024
"""Pixels."""


def read_palette(path: str, limits: Limits) -> tuple[Color, ...]:
    """The colors of a palette file, each once, in order. Raises InputError.

    Text has one color a line: ``#rrggbb`` with or without ``#``, or red, green and blue from 0 to 255, and perhaps a
    name; empty lines and lines that begin with ``;`` or ``//`` are skipped. The heads of two common forms (.gpl, .pal)
    are skipped as well: a first line that ends in "Palette", with lines such as "Columns: 8" and ``#`` before remarks;
    and one that ends in "-PAL", a version and the number of colors. Anything that is a picture counts as swatches:
    every color that is visible, row by row.
    """
    try:
        data = read_regular(path, limits, "text_bytes")
    except OSError as error:
        raise InputError("palette {} cannot be read: {}", a_file(path), reason(error)) from None
    try:
        text = data.decode("utf-8-sig") if b"\0" not in data else None
    except UnicodeDecodeError:
        text = None
    colors = _swatches(path, data) if text is None else _lines(path, text)
    if not colors:
        raise InputError("palette {} has no colors; write one a line, such as #201830", a_file(path))
    if len(colors) > MOST_COLORS:
        raise InputError(
            "palette {} has {}, and a palette has at most {}; a picture of swatches must not be smoothed or "
            "saved lossily",
            a_file(path),
            counted(len(colors), "color"),
            MOST_COLORS,
        )
    return colors


_TRIPLE = re.compile(r"(\d{1,3})[ \t,]+(\d{1,3})[ \t,]+(\d{1,3})(?:[ \t,]+.*)?")
_FIELD = re.compile(r"[A-Za-z]+:.*|#.*")


def _lines(path: str, text: str) -> tuple[Color, ...]:
    colors: dict[Color, None] = {}
    lines = [line.strip() for line in text.splitlines()]
    head = lines[0].casefold() if lines else ""
    has_fields, skipped = head.endswith(" palette"), 0
    if head.endswith("-pal"):
        skipped = 3
    elif has_fields:
        skipped = 1
    for number, line in enumerate(lines[skipped:], skipped + 1):
        if not line or line.startswith((";", "//")) or (has_fields and _FIELD.fullmatch(line)):
            continue
        color = _color(line)
        if color is None:
            raise InputError(
                "palette {}, line {}: {} is not a color; write one a line, such as #201830, and ; before remarks",
                a_file(path),
                number,
                quoted(line[:40]),
            )
        colors[color] = None
    return tuple(colors)


def _color(line: str) -> Color | None:
    found = _TRIPLE.fullmatch(line)
    if not found:
        return color_from_hex(line)
    channels = [int(channel) for channel in found.groups()]
    return Color(*channels) if max(channels) <= 255 else None


def _swatches(path: str, data: bytes) -> tuple[Color, ...]:
    import numpy as np

    try:
        pixels = read_still(data, LARGEST_SWATCHES)
    except PictureError as error:
        raise InputError(
            "palette {} {}; give text with one hex color a line, or a picture of swatches", a_file(path), error.message
        ) from None
    flat = pixels.reshape(-1, 4)
    opaque = flat[flat[:, 3] > 0][:, :3]
    _, first = np.unique(opaque, axis=0, return_index=True)
    return tuple(Color(*opaque[index].tolist()) for index in sorted(first.tolist()))
