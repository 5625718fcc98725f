"""Sheets as WebP without loss (RFC 9649), by libwebp in Pillow. Colors under transparent pixels stay as well."""

from __future__ import annotations

import io

from PIL import Image

from ..core.pixels import Pixels


def encode_webp(pixels: Pixels, optimize: bool) -> bytes:
    """The file's bytes. `pixels` has shape (h, w, 3 or 4), uint8; with `optimize` it searches for longest."""
    stream = io.BytesIO()
    effort = {"quality": 100, "method": 6} if optimize else {"quality": 50, "method": 4}
    Image.fromarray(pixels).save(stream, "WEBP", lossless=True, exact=True, **effort)
    return stream.getvalue()
