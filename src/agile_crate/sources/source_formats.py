"""The formats of source files, one record each."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:  # whoever only looks for files decodes nothing
    from .decoded import DecodedFile
    from .read_options import ReadOptions


class SourceFormat(NamedTuple):
    """A format of files that frames come from.

    endings    the endings of its files, in lower case
    matches    whether bytes begin as such a file does
    decode     what a file holds, from its bytes, the largest number of pixels of a picture, and options; whatever it
               raises but PictureError means that the file is damaged
    is_whole   whether its pictures depend on nothing but the file, so that they may be cached
    """

    endings: frozenset[str]
    matches: Callable[[bytes], bool]
    decode: Callable[[bytes, int, ReadOptions], DecodedFile]
    is_whole: bool = True


def _is_archive(data: bytes) -> bool:
    return data.startswith(b"PK\x03\x04")


def _layered(data: bytes, largest: int, options: ReadOptions) -> DecodedFile:
    from .open_raster import read_document

    return read_document(data, largest, options)


def _is_rendered(data: bytes) -> bool:
    return data.startswith(b"\x76\x2f\x31\x01")


def _rendered(data: bytes, largest: int, options: ReadOptions) -> DecodedFile:
    from .rendered import read_rendered

    return read_rendered(data, largest, options)


def _is_vector(data: bytes) -> bool:
    """XML, or gzipped."""
    return data.startswith(b"\x1f\x8b") or data[:64].removeprefix(b"\xef\xbb\xbf").lstrip()[:1] == b"<"


def _vector(data: bytes, largest: int, options: ReadOptions) -> DecodedFile:
    from .decoded import DecodedFile
    from .vector import read_vector

    return DecodedFile(read_vector(data, largest, options))


SOURCE_FORMATS = (
    SourceFormat(frozenset({".ora"}), _is_archive, _layered),
    SourceFormat(frozenset({".exr"}), _is_rendered, _rendered),
    SourceFormat(frozenset({".svg", ".svgz"}), _is_vector, _vector, is_whole=False),  # it may have text in a font
)
"""Every format but those of pictures that Pillow reads, which is tried with whatever is none of these."""

PICTURE_ENDINGS = frozenset({".png", ".jpg", ".jpeg", ".gif", ".bmp", ".webp", ".tif", ".tiff", ".tga"})

COMMON_ENDINGS = PICTURE_ENDINGS.union(*(one.endings for one in SOURCE_FORMATS))
"""Endings that are known without Pillow, whose list of all formats takes long to load."""


def format_of(data: bytes) -> SourceFormat | None:
    """Return the format of a file by its first bytes; None for a picture."""
    return next((source for source in SOURCE_FORMATS if source.matches(data)), None)
