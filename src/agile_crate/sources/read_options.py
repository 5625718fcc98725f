"""How files are to be read, where that is not for the file to say."""

from __future__ import annotations

from typing import NamedTuple

from ..core.model.geometry import Size


class Reading(NamedTuple):
    """`layers`: ``separate`` or ``flat``, or, if nothing was said, a frame for each layer of a layered document, and
    one for a drawing in vectors or a render. `to_srgb`: other colours are converted. `vector_size` is for drawings that
    say no size of their own, `font` the file of the font for text in them; `exposure` is for rendered light, in stops.
    """

    layers: str = ""
    to_srgb: bool = False
    vector_size: Size | None = None
    font: str = ""
    exposure: float = 0


PLAIN = Reading()
"""As files are read where nothing was said."""

GZIPPED = b"\x1f\x8b"

RENDERED = b"\x76\x2f\x31\x01"
"""How OpenEXR begins."""


def is_vector(data: bytes) -> bool:
    """Whether these bytes may be a drawing in vectors: XML, or gzipped."""
    return data.startswith(GZIPPED) or data[:64].removeprefix(b"\xef\xbb\xbf").lstrip()[:1] == b"<"
