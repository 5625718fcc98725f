"""An animation as one animated PNG (W3C PNG Specification, third edition, clause 4.9), by Pillow."""

from __future__ import annotations

import io
from collections.abc import Sequence

from PIL import Image

from ..core.pixels import Pixels


def encode_film(pictures: Sequence[Pixels], milliseconds: Sequence[int], showings: int) -> bytes:
    """The file's bytes, of pictures of one shape (h, w, 4), straight alpha, each shown so long.

    `showings` is how many times it is played, 0 for ever. Every pixel and every time is kept; equal neighbours are
    stored as one picture that is shown as long as both.
    """
    first, *rest = [Image.fromarray(picture) for picture in pictures]
    stream = io.BytesIO()
    first.save(
        stream,
        "PNG",
        save_all=True,
        append_images=rest,
        duration=list(milliseconds),
        loop=showings,
        disposal=0,
        blend=0,
    )
    return stream.getvalue()
