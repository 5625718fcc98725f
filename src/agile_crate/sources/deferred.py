"""Frames of which only the size is looked at first, and the pixels when they are drawn: any number of them needs no
more memory than those that are drawn at a time."""

from __future__ import annotations

from functools import partial

from ..core.frame.decode import FirstLook, Seen, hollow_picture, seen
from ..core.frame.mirror import flipped
from ..core.limits import in_force
from ..core.model.geometry import Offset, Size
from ..core.model.picture import Picture
from ..core.pixels import hollow
from ..format.regular import read_regular
from .decode import Part, or_reason, read
from .find import Found
from .plain_png import plain_size
from .read_options import PLAIN, Reading


def measured_or_read(file: Found, look: FirstLook, reading: Reading) -> Part[Seen]:
    """A frame without its pixels, where the header of its file tells its size; else as it is."""
    data = read_regular(file.path, "file_bytes")
    size = plain_size(data)
    fits = size and 0 < size.w * size.h <= in_force().picture_pixels
    if size and fits and (picture := hollow_picture(file.name, file.path, size, look)):
        frames = ((file.name, Seen((without_pixels(picture),)), None),)
        return Part(file.animation, frames, has_changed=len(data) != file.length)
    return read(file, partial(seen, look=look), reading)


def without_pixels(picture: Picture) -> Picture:
    """A picture that travels light: hollow pixels are there in full once they are sent."""
    return picture._replace(pixels=hollow(0, 0))


def read_late(picture: Picture, promised: Size, look: FirstLook) -> Picture | str:
    """A picture with its pixels, read from its file; or why it cannot be read, as the end of a sentence. `promised` is
    how large its drawing is."""
    file = Found(picture.file, picture.name, None, 0)
    part = or_reason(file, partial(read, see=partial(seen, look=look), reading=PLAIN))
    if isinstance(part, str):
        return part
    drawing = part.frames[0][1].pictures[0]
    if len(part.frames) > 1 or drawing.canvas != promised:
        return "changed while it was packed"
    if picture.flipped:
        drawing = flipped(drawing)
    offset = Offset(picture.offset.x + drawing.offset.x, picture.offset.y + drawing.offset.y)
    return picture._replace(pixels=drawing.pixels, offset=offset, file="")
