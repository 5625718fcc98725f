"""Animated pictures: GIF, PNG, WebP and TIFF files that hold a sequence.

Pillow puts each picture together from what the file stores (patches, blending, disposal). Whether the file is whole we
look at ourselves, since a cut-off animation would otherwise pass as a shorter one.
"""

from __future__ import annotations

import struct
from fractions import Fraction
from typing import TYPE_CHECKING, Any

from PIL import Image

from ..core.limits import Limits, raise_hint
from ..core.model.crate import Loop
from ..core.pixels import Pixels
from ..core.png_chunks import PictureError
from ..core.text import bytes_shown, counted
from .decoded import DecodedSequence, refuse_large
from .rgba import to_rgba

if TYPE_CHECKING:
    from .color_profile import ColorProfile


def read_sequence(
    image: Image.Image, data: bytes, largest: int, limits: Limits, colors: ColorProfile | None = None
) -> DecodedSequence[Pixels]:
    """Return all pictures of an opened animated file. Raises PictureError when it is cut short, with their number, and
    when one of them claims to have more than the `largest` number of pixels, or all together have too many."""
    count, total = int(getattr(image, "n_frames", 1)), 0
    _refuse_too_much(count, count * image.width * image.height, limits)
    _refuse_cut_short(data, count)
    pictures: list[Pixels] = []
    milliseconds: list[Fraction | None] = []
    loop, times = _repeats(image)
    for index in range(1 if getattr(image, "default_image", False) else 0, count):
        try:
            image.seek(index)
            refuse_large(*image.size, largest, limits)  # later pictures may be larger than the first
            total += image.width * image.height
            _refuse_too_much(count, total, limits)
            pictures.append(to_rgba(image, colors))
        except PictureError:
            raise
        except (EOFError, OSError, SyntaxError, ValueError, struct.error):
            raise PictureError(f"is cut short or damaged: {_readable(len(pictures))}") from None
        duration = image.info.get("duration")
        milliseconds.append(Fraction(duration).limit_denominator(1000) if duration else None)
    return DecodedSequence(tuple(pictures), tuple(milliseconds), loop, times)


def _refuse_too_much(count: int, pixels: int, limits: Limits) -> None:
    if pixels * 4 > limits.unpacked_bytes:
        raise PictureError(
            "holds {:,} pictures that take more than {} together; {}",
            count,
            bytes_shown(limits.unpacked_bytes),
            raise_hint("unpacked_bytes"),
        )
    if count > limits.frames:
        raise PictureError("holds {:,} pictures, and {:,} are the most; {}", count, limits.frames, raise_hint("frames"))


def _readable(count: int) -> str:
    return f"{counted(count, 'picture')} of it could be read"


def _repeats(image: Image.Image) -> tuple[Loop | None, int]:
    """Return how often the file is shown. GIF counts the repeats after the first showing, PNG and WebP all showings."""
    if image.format == "TIFF":
        return None, 0
    loop: Any = image.info.get("loop")
    if loop is None:
        return "once", 0
    if loop == 0:
        return "forever", 0
    times = int(loop) + (image.format == "GIF")
    return "once", times if times > 1 else 0


def _refuse_cut_short(data: bytes, count: int) -> None:
    if data.startswith(b"RIFF"):
        (length,) = struct.unpack_from("<I", data, 4)
        if length + 8 > len(data) + 1:
            raise PictureError(f"is cut short: it should hold {counted(count, 'picture')}")


def refuse_cut_gif(data: bytes) -> None:
    """Raise PictureError when GIF data ends before its trailer. Pillow would show and count the rest."""
    whole, pictures = gif_extent(data)
    if not whole:
        raise PictureError(f"is cut short: {_readable(pictures)}")


def gif_extent(data: bytes) -> tuple[bool, int]:
    """Return True if GIF data reaches its trailer, and how many whole pictures it holds before it ends.

    Walks the blocks (GIF89a specification, sections 18 to 27) without decoding them.
    """
    pictures, position = 0, 13 + _color_table(data[10:11])
    while position < len(data):
        kind = data[position]
        if kind == 0x3B:
            return True, pictures
        if kind == 0x2C:
            position += 10 + _color_table(data[position + 9 : position + 10]) + 1
        elif kind == 0x21:
            position += 2
        else:
            break
        while position < len(data) and data[position]:
            position += 1 + data[position]
        if position >= len(data):
            break
        position += 1
        pictures += kind == 0x2C
    return False, pictures


def _color_table(packed: bytes) -> int:
    """The length of the color table that a packed field announces."""
    return 3 << ((packed[0] & 7) + 1) if packed and packed[0] & 0x80 else 0
