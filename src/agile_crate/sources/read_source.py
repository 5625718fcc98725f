"""Read a source file of any format.

The files are untrusted. Dimensions are looked at before anything is decoded; formats that would start another program
are not opened; a decoder's exceptions become one sentence.
"""

from __future__ import annotations

from ..core.model.picture import Vector
from ..core.pixels import Pixels
from .decoded import DecodedFile, DecodedSequence, refusing_damage
from .plain_png import read_if_plain
from .read_options import PLAIN, ReadOptions
from .source_formats import format_of


def read_source(data: bytes, largest: int = 0, options: ReadOptions = PLAIN) -> DecodedFile:
    """Decode a file. Vectors are not drawn yet; colors are brought to sRGB on request, else their numbers are taken as
    they are.

    A picture may have the `largest` number of pixels, by default what a frame may have. Raises PictureError, whose text
    is the end of a sentence.
    """
    largest = largest or options.limits.picture_pixels
    pixels, orientation = read_if_plain(data, largest, options.limits)
    if pixels is not None:
        return DecodedFile(pixels)
    if found := format_of(data):
        with refusing_damage():
            return found.decode(data, largest, options)
    from .pictures import decode_picture  # and with it Pillow, which plain PNGs do without

    return decode_picture(data, largest, options, orientation)


def read_picture(data: bytes, largest: int = 0, options: ReadOptions = PLAIN) -> Pixels | DecodedSequence[Pixels]:
    """Decode a still to a read-only array of shape (h, w, 4), uint8, straight alpha; a sequence to a DecodedSequence.

    Sequences are animated pictures, and layered documents unless they are to be read as flat. Vectors are drawn at
    their own size. Palettes, gray, 1-bit, CMYK, 16-bit (rounded) and float (0 to 1) pictures are converted; a picture
    without alpha is opaque; an orientation note (Exif) is applied. PNG data must be whole, checksums included. Raises
    as `read_source` does.
    """
    found = read_source(data, largest, options).picture
    if isinstance(found, DecodedSequence):
        drawn = tuple(map(_drawn, found.pictures))
        return DecodedSequence(drawn, found.milliseconds, found.loop, found.times, found.names)
    return _drawn(found)


def _drawn(picture: Pixels | Vector) -> Pixels:
    return picture.draw(picture.size) if isinstance(picture, Vector) else picture
