"""Frames that are measured first, and read when they are drawn, so that only frames being drawn need memory."""

from __future__ import annotations

from functools import partial

from ..core.frame.decode import DecodedFrame, Decoding, decoded, placeholder_picture
from ..core.frame.mirror import flipped
from ..core.limits import Limits
from ..core.model.geometry import Offset, Size
from ..core.model.picture import Picture
from ..core.pixels import placeholder
from ..format.regular import read_regular
from .decode import DecodedPart, Unreadable, or_error, read
from .find import Found
from .plain_png import plain_size
from .read_options import PLAIN, ReadOptions


def measured_or_read(file: Found, decoding: Decoding, options: ReadOptions) -> DecodedPart[DecodedFrame]:
    """Return a frame without its pixels if the header of its file tells its size; otherwise decode it."""
    data = read_regular(file.path, options.limits, "file_bytes")
    size = plain_size(data)
    fits = size and 0 < size.w * size.h <= options.limits.picture_pixels
    if size and fits and (picture := placeholder_picture(file.name, file.path, size, decoding)):
        frames = ((file.name, DecodedFrame((without_pixels(picture),)), None),)
        return DecodedPart(file.animation, frames, has_changed=len(data) != file.length)
    return read(file, partial(decoded, decoding=decoding), options)


def without_pixels(picture: Picture) -> Picture:
    """Return the picture with an empty placeholder: a full one would be sent to other processes as it is."""
    return picture._replace(pixels=placeholder(0, 0))


def read_deferred(picture: Picture, promised: Size, decoding: Decoding, limits: Limits) -> Picture | Unreadable:
    """Return a picture with its pixels, read from its file. `promised` is how large its drawing was when measured."""
    file = Found(picture.file, picture.name, None, 0)
    make = partial(decoded, decoding=decoding)
    part = or_error(file, partial(read, make=make, options=PLAIN._replace(limits=limits)))
    if part.error:
        return Unreadable(part.error)
    drawing = part.frames[0][1].pictures[0]
    if len(part.frames) > 1 or drawing.canvas != promised:
        return Unreadable("changed while it was packed")
    if picture.flipped:
        drawing = flipped(drawing)
    offset = Offset(picture.offset.x + drawing.offset.x, picture.offset.y + drawing.offset.y)
    return picture._replace(pixels=drawing.pixels, offset=offset, file="")
