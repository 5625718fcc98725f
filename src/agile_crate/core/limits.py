"""Limits on untrusted files, each with its name, its default and a description."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from .message import Message, key_of, message, setting


class Limits(NamedTuple):
    """Limits on inputs, each a whole number of at least 1; `ABOUT` describes them."""

    picture_pixels: int = 8192 * 8192
    sheet_pixels: int = 16_384 * 16_384
    side_pixels: int = 1 << 17
    layer_pixels: int = 1 << 29
    view_pixels: int = 1 << 28
    file_bytes: int = 1 << 30
    metadata_bytes: int = 1 << 28
    text_bytes: int = 1 << 24
    crate_file_bytes: int = 1 << 20
    unpacked_bytes: int = 1 << 31
    frames_bytes: int = 1 << 33
    process_bytes: int = 1 << 33
    seconds: int = 120
    frames: int = 1_000_000
    layers: int = 256
    entries: int = 10_000
    elements: int = 100_000
    contour_sides: int = 1 << 18
    islands: int = 10_000
    nesting: int = 100
    name_characters: int = 1000
    template_characters: int = 1 << 28


USUAL = Limits()
"""The default limits."""

ABOUT: Mapping[str, str] = {
    "picture_pixels": "of a frame, as its file says, before it is decoded",
    "sheet_pixels": "of a sheet that is read, and of the canvas of a frame in metadata",
    "side_pixels": "of one side of a picture",
    "layer_pixels": "of all layers of a document together; groups that are open at once may have half of them",
    "view_pixels": "of a view, or of all pictures of a film together",
    "file_bytes": "of the file of a picture, or of an output that is read again",
    "metadata_bytes": "of metadata",
    "text_bytes": "of a template, a palette, a list of boxes or of what is allowed, a drawing",
    "crate_file_bytes": "of a crate file; its lines may have 20,000 characters",
    "unpacked_bytes": "of an animated file, or of all that a layered document holds, once it is unpacked",
    "frames_bytes": "of all frames that are unpacked from a crate",
    "process_bytes": "of memory of the process that reads a render; one that draws may have half, a template a quarter",
    "seconds": "that such a process may take",
    "frames": "of a crate, of an animated file, below an address; cells of a bare sheet",
    "layers": "of a render, and of a drawing if they may take long to draw",
    "entries": "in the archive of a layered document, and layers and groups of it",
    "elements": "that a drawing draws, each as often as it is used",
    "contour_sides": "of pixels that the contours of a frame follow",
    "islands": "of a bare sheet, boxes of a table, and parts of a contour",
    "nesting": "of folders, of groups of layers, of elements of a drawing: how many within each other",
    "name_characters": "of the name of a frame or an animation, folders included",
    "template_characters": "that a template may write",
}
"""The meaning of each limit."""


def raise_hint(name: str) -> Message:
    """Return the end of a sentence about something that is beyond a limit.

    >>> from .message import Message, key_of, message, setting
    >>> str(message("it has too many frames; {}", raise_hint("frames")))
    "it has too many frames; limit='frames=N' allows more"
    """
    return message("{} allows more", setting("limit", f"{key_of(name)}=N"))
