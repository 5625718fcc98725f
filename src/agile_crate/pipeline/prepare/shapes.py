"""The step that draws polygons around the visible art."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

import numpy as np

from ...core.frame.shape import mirrored_shape, moved_shape, shape_of, union_mask
from ...core.message import Message
from ...core.model.geometry import Box, Shape, Size
from ...core.model.picture import Picture
from ...core.text import counted
from ...settings.table import Settings
from .step import Decision, Lineup, Step


class Silhouette(NamedTuple):
    """A frame's own shape; and its mask in bits where one shape for an animation is wanted. A `flipped` frame's are
    those of its drawing, so that its shape is the mirror image to the point, whichever way the lines are followed."""

    own: Shape | None
    canvas: Size
    part: Box
    mask: bytes
    flipped: bool


def fact(picture: Picture, settings: Settings) -> Silhouette:
    mask = picture.pixels[..., 3] > settings.trim_alpha
    canvas, part = picture.canvas, picture.part
    if picture.flipped:
        mask, part = mask[:, ::-1], Box(canvas.w - part.right, part.y, part.w, part.h)
    if settings.shape_of == "animation":
        return Silhouette(None, canvas, part, np.packbits(mask).tobytes(), picture.flipped)
    shape = shape_of(mask, settings.shape, settings.limits, settings.shape_points)
    return Silhouette(shape and moved_shape(shape, part.x, part.y), canvas, part, b"", picture.flipped)


def decide(facts: Iterable[Silhouette], lineup: Lineup, settings: Settings) -> Decision[Shape | None]:
    silhouettes = list(facts)
    shapes = [silhouette.own for silhouette in silhouettes]
    if settings.shape_of == "animation":
        for _, span in lineup.together:
            mask = union_mask(silhouettes[span.start].canvas, [_mask(silhouettes[index]) for index in span])
            shapes[span.start : span.stop] = [
                shape_of(mask, settings.shape, settings.limits, settings.shape_points)
            ] * len(span)
    pairs = zip(shapes, silhouettes, strict=True)
    shapes = [
        mirrored_shape(shape, silhouette.canvas.w) if shape and silhouette.flipped else shape
        for shape, silhouette in pairs
    ]
    drawn = [shape for shape in shapes if shape]
    points = sum(len(polygon) for shape in drawn for polygon in shape.polygons)
    tolerance = max((shape.tolerance for shape in drawn), default=0)
    remark = Message(
        f"{counted(len(drawn), 'shape')} of {points / max(1, len(drawn)):.1f} points on average; "
        f"what is visible lies at most {tolerance:g} px outside of them"
    )
    return Decision(tuple(shapes), (remark,))


def _mask(silhouette: Silhouette) -> tuple[np.ndarray, Box]:
    w, h = silhouette.part.size
    bits = np.unpackbits(np.frombuffer(silhouette.mask, np.uint8), count=w * h)
    return bits.reshape(h, w).astype(bool), silhouette.part


def apply(picture: Picture, shape: Shape | None) -> Picture:
    return picture._replace(shape=shape)


STEP = Step(fact, decide, apply, is_shared=True)
