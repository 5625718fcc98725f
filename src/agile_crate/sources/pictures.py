"""One picture file, read to 8-bit RGBA with straight alpha, whatever it was stored as.

The files come from strangers. Dimensions are looked at before anything is decoded; formats that would start
another program are not opened; whatever a decoder raises becomes one sentence.
"""

from __future__ import annotations

import contextlib
import io
from collections.abc import Iterator
from collections.abc import Set as AbstractSet
from typing import TYPE_CHECKING

from PIL import Image, PngImagePlugin, UnidentifiedImageError

from ..core.limits import Limits
from ..core.model.geometry import Size
from ..core.pixels import Pixels
from ..core.png_chunks import SIGNATURE, PictureError
from .animated import read_reel, refuse_cut_gif
from .decoded import DecodedFile, DecodedSequence, claims_too_much, refuse_large
from .deep_png import is_deep_png, read_deep_png
from .plain_png import read_if_plain
from .read_options import PLAIN, RENDERED, ReadOptions, is_vector
from .rgba import to_rgba

if TYPE_CHECKING:
    from .colours import ColorProfile

QUICK_FORMATS = ("PNG", "JPEG", "GIF", "BMP", "PPM")
"""Formats that Pillow has at hand without loading all of its plug-ins."""

REFUSED_FORMATS = frozenset({"EPS", "WMF", "MPEG", "BUFR", "GRIB", "HDF5", "FLI"})
"""Formats that Pillow opens by starting another program, only recognises, or that are films."""

ARCHIVE_START = b"PK\x03\x04"
"""How a zip archive begins, and so a layered document."""

MOVING_FORMATS = frozenset({"PNG", "GIF", "WEBP", "TIFF", "AVIF"})
"""Formats in which several pictures in one file are a sequence (elsewhere they are previews or layers)."""


def picture_endings() -> AbstractSet[str]:
    """The file endings of every still format that Pillow reads, in lower case with the dot."""
    formats = _all_formats()
    return {ending for ending, name in Image.EXTENSION.items() if name in formats}


def read_picture(data: bytes, largest: int = 0, options: ReadOptions = PLAIN) -> Pixels | DecodedSequence:
    """Decodes a still to a read-only array of shape (h, w, 4), uint8, straight alpha; a sequence to a DecodedSequence.

    Sequences are animated pictures, and layered documents unless they are to be read as flat. Drawings in vectors are
    drawn at their own size.

    Palettes, grey, 1-bit, CMYK, 16-bit (rounded) and float (0 to 1) pictures are converted; a picture without alpha
    is opaque; an orientation note (Exif) is applied. PNG data must be whole, checksums included.

    It may have the `largest` number of pixels, by default what a frame may have. Raises PictureError, whose text is the
    end of a sentence.
    """
    return read_source(data, largest, options).picture


def read_source(data: bytes, largest: int = 0, options: ReadOptions = PLAIN) -> DecodedFile:
    """As `read_picture`; other colours are brought to sRGB on request, else their numbers are taken as they are."""
    largest = largest or options.limits.picture_pixels
    pixels, orientation = read_if_plain(data, largest, options.limits)
    return DecodedFile(pixels, False) if pixels is not None else read_other(data, largest, options, orientation)


def read_other(data: bytes, largest: int, options: ReadOptions, orientation: bytes) -> DecodedFile:
    """The same for what is no plain PNG; the `orientation` note of a PNG is known already."""
    with _told_as_picture_error(largest, options.limits):
        if data.startswith(ARCHIVE_START):
            return DecodedFile(_read_layered(data, largest, options.layers == "flat", options.limits), False)
        if data.startswith(RENDERED):
            from .rendered import read_rendered

            picture, is_endless = read_rendered(data, largest, options)
            return DecodedFile(picture, False, is_endless)
        if is_vector(data):
            return DecodedFile(_drawn(data, largest, options), False)
        with _opened(data) as image:
            colours = _foreign_colours(image)
            wanted = colours if options.to_srgb else None
            if data.startswith(SIGNATURE) and is_deep_png(data):
                refuse_large(*image.size, largest, options.limits)
                deep = Image.fromarray(read_deep_png(data))
                deep.info["exif"] = orientation
                return DecodedFile(to_rgba(deep, wanted), colours is not None)
            return DecodedFile(_decoded(image, data, largest, wanted, options.limits), colours is not None)


def _foreign_colours(image: Image.Image) -> ColorProfile | None:
    if image.info.keys().isdisjoint(("icc_profile", "gamma", "chromaticity")):
        return None
    from .colours import foreign_colours

    return foreign_colours(image.info)


def read_still(data: bytes, largest: int = 0) -> Pixels:
    """As `read_picture`, for what must be a still."""
    picture = read_picture(data, largest)
    if isinstance(picture, DecodedSequence):
        raise PictureError("holds a sequence of pictures")
    return picture


def picture_size(data: bytes, largest: int, limits: Limits) -> Size:
    """The width and height that a picture's header tells. Raises as `read_picture` does, but decodes nothing."""
    with _told_as_picture_error(largest, limits), _opened(data) as image:
        refuse_large(*image.size, largest, limits)
        return Size(*image.size)


@contextlib.contextmanager
def _told_as_picture_error(largest: int, limits: Limits) -> Iterator[None]:
    try:
        yield
    except (PictureError, MemoryError):
        raise
    except UnidentifiedImageError:
        raise PictureError("is not a picture in any format that can be read") from None
    except Image.DecompressionBombError:
        raise PictureError(claims_too_much(largest, limits)) from None
    except Exception as error:  # decoders raise nearly anything on hostile data
        raise PictureError(f"is damaged: {_in_short(error)}") from error


def _read_layered(data: bytes, largest: int, flat: bool, limits: Limits) -> Pixels | DecodedSequence:
    from .open_raster import read_flat, read_layers

    if flat:
        return read_flat(data, largest, read_still, limits)
    layers = read_layers(data, largest, read_still, limits)
    return DecodedSequence(
        tuple(layer.pixels for layer in layers), (None,) * len(layers), names=tuple(layer.name for layer in layers)
    )


def _drawn(data: bytes, largest: int, options: ReadOptions) -> Pixels | DecodedSequence:
    from .vector import read_vector

    drawing = read_vector(data, largest, options)
    if isinstance(drawing, dict):
        pictures = tuple(one.draw(one.size) for one in drawing.values())
        return DecodedSequence(pictures, (None,) * len(pictures), names=tuple(drawing))
    return drawing.draw(drawing.size)


def _opened(data: bytes) -> Image.Image:
    """The picture with its header read. PNG goes past the general entry, which loads plug-ins for other formats."""
    if not data:
        raise PictureError("is empty")
    if data.startswith(SIGNATURE):
        return PngImagePlugin.PngImageFile(io.BytesIO(data))
    try:
        return Image.open(io.BytesIO(data), formats=QUICK_FORMATS)
    except UnidentifiedImageError:
        return Image.open(io.BytesIO(data), formats=_all_formats())


def _all_formats() -> list[str]:
    Image.init()
    return [name for name in Image.ID if name not in REFUSED_FORMATS]


def _decoded(
    image: Image.Image, data: bytes, largest: int, colours: ColorProfile | None, limits: Limits
) -> Pixels | DecodedSequence:
    refuse_large(*image.size, largest, limits)
    if image.format == "GIF":
        refuse_cut_gif(data)
    if image.format in MOVING_FORMATS and getattr(image, "n_frames", 1) > 1:
        return read_reel(image, data, largest, limits, colours)
    return to_rgba(image, colours)


def _in_short(error: Exception) -> str:
    return " ".join(str(error).split())[:120] or type(error).__name__
