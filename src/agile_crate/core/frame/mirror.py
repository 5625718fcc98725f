"""Left and right exchanged."""

from __future__ import annotations

import numpy as np

from ..model.geometry import Offset
from ..model.picture import Picture


def flipped(picture: Picture) -> Picture:
    """Return the picture mirrored: new pixels, on the same canvas. Deferred pixels stay deferred."""
    offset = Offset(picture.canvas.w - picture.part.right, picture.offset.y)
    pixels = picture.pixels if picture.file else np.ascontiguousarray(picture.pixels[:, ::-1])
    return picture._replace(pixels=pixels, offset=offset, flipped=not picture.flipped)
