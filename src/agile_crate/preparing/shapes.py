"""The step that draws polygons round what is visible."""

from __future__ import annotations

import dataclasses

from ..core.model import Picture
from ..core.text import counted
from .load import Load


def draw_shapes(load: Load) -> None:
    settings = load.settings
    if not settings.shape:
        return
    from ..core.shape import moved_shape, shape_of, union_mask

    kind, most, floor = settings.shape, settings.shape_points, settings.alpha_floor

    def own_shape(picture: Picture) -> Picture:
        shape = shape_of(picture.pixels[..., 3] > floor, kind, most)
        return dataclasses.replace(picture, shape=shape and moved_shape(shape, *picture.offset))

    if settings.shape_of == "frame":
        load.pictures = load.on_threads(own_shape)
    else:
        for name, group in load.groups.items():
            pictures = load.pictures[group]
            if name is None:
                load.pictures[group] = [own_shape(picture) for picture in pictures]
                continue
            mask = union_mask(pictures[0].canvas, [(p.pixels[..., 3] > floor, p.part) for p in pictures])
            shape = shape_of(mask, kind, most)
            load.pictures[group] = [dataclasses.replace(picture, shape=shape) for picture in pictures]
    shapes = [picture.shape for picture in load.pictures if picture.shape]
    points = sum(len(polygon) for shape in shapes for polygon in shape.polygons)
    tolerance = max((shape.tolerance for shape in shapes), default=0)
    load.remarks.append(
        f"{counted(len(shapes), 'shape')} of {points / max(1, len(shapes)):.1f} points on average; "
        f"what is visible lies at most {tolerance:g} px outside of them"
    )
