"""Planted sheets: the demo's figures side by side or one above the other, some of which touch, and where each lies."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from PIL import Image
from scipy import ndimage

from agile_crate.core.cut.crumbs import join_crumbs
from agile_crate.core.cut.figures import part_figures
from agile_crate.core.frame.visible import box_of
from agile_crate.core.model.geometry import Box
from agile_crate.core.pixels import Pixels
from agile_crate.demo import FOLDER

FIGURES = ("otter/idle", "otter/swim", "otter/walk_down", "otter/dive", "harbor/gull", "harbor/lantern")
SPACE, SEEN = 8, 8


class Planted(NamedTuple):
    """A sheet, the number of the figure that each pixel belongs to, and the pairs of figures that touch."""

    kind: str
    sheet: Pixels
    owners: np.ndarray
    touching: list[tuple[int, int]]


def figures(name: str, soft: bool, count: int = 9) -> list[Pixels]:
    """The trimmed frames of an animation, resampled if they are to be soft."""
    found = []
    for path in sorted((FOLDER / "frames" / name).glob("*.png")):
        with Image.open(path) as image:
            pixels = np.asarray(image.convert("RGBA"))
        found.append(trimmed(resampled(pixels) if soft else pixels))
    return (found * count)[:count]


def resampled(pixels: Pixels) -> Pixels:
    """The picture at 77 %, with the faint rims that a filter with negative lobes leaves."""
    size = round(pixels.shape[1] * 0.77), round(pixels.shape[0] * 0.77)
    planes = pixels.astype(np.float32)
    planes[..., :3] *= planes[..., 3:] / 255
    bands = [Image.fromarray(planes[..., band]).resize(size, Image.Resampling.LANCZOS) for band in range(4)]
    planes = np.clip(np.stack([np.asarray(band) for band in bands], axis=-1), 0, 255)
    planes[..., :3] *= 255 / np.maximum(planes[..., 3:], 1)
    return np.clip(planes, 0, 255).round().astype(np.uint8)


def trimmed(pixels: Pixels) -> Pixels:
    box = box_of(pixels[..., 3] > 0)
    assert box
    return pixels[box.y : box.bottom, box.x : box.right]


def contact(one: Pixels, other: Pixels, aside: int) -> int:
    """Return the place at which the other touches the first from the right, so many rows lower."""
    ends = []
    for row in range(max(0, -aside), min(len(other), len(one) - aside)):
        left, right = np.flatnonzero(one[row + aside, :, 3]), np.flatnonzero(other[row, :, 3])
        ends += [int(left[-1]) + 1 - int(right[0])] if len(left) and len(right) else []
    return max(ends, default=one.shape[1])


def row(chain: list[Pixels], gaps: list[int | None], x: int, bottom: int) -> list[tuple[int, int]]:
    """Places from left to right on one ground; a gap of None is wide, others are of pixels that face each other."""
    places = [(x, bottom - len(chain[0]))]
    for one, other, gap in zip(chain, chain[1:], gaps, strict=False):
        left, top = places[-1]
        right = one.shape[1] + SPACE if gap is None else contact(one, other, bottom - len(other) - top) + gap
        places.append((left + right, bottom - len(other)))
    return places


def column(chain: list[Pixels], gap: int, x: int, y: int) -> list[tuple[int, int]]:
    """Places one above the other, centered."""
    middle = x + max(one.shape[1] for one in chain) // 2
    places = [(middle - chain[0].shape[1] // 2, y)]
    for one, other in pairwise(chain):
        left, top = places[-1]
        across = middle - other.shape[1] // 2
        below = contact(one.transpose(1, 0, 2), other.transpose(1, 0, 2), across - left) + gap
        places.append((across, top + below))
    return places


def planted(name: str, soft: bool, gap: int) -> Iterator[Planted]:
    """The five arrangements: a pair in a row, a row, a pair in a column, a tower, and three towers."""
    shapes = figures(name, soft)
    ground = 6 + max(map(len, shapes))
    wide = max(shape.shape[1] for shape in shapes) + SPACE
    six = shapes[:6]
    yield drawn("pair in a row", six, row(six, [None, None, gap, None, None], 6, ground), [(2, 3)])
    yield drawn("row", six, row(six, [gap] * 5, 6, ground), [(index, index + 1) for index in range(5)])
    apart = [(6 + wide * place, ground - len(shape)) for place, shape in enumerate(shapes[:4])]
    below = [(6 + wide * place, 2 * ground + SPACE - len(shape)) for place, shape in enumerate(shapes[4:8])]
    (_, (x, y)) = column([shapes[1], shapes[5]], gap, *apart[1])
    apart[1] = column([shapes[1], shapes[5]], gap, *apart[1])[0]
    below[1] = (x, y)
    yield drawn("pair in a column", shapes[:8], apart + below, [(1, 5)])
    yield drawn("tower", six, column(six, gap, 6, 6), [(index, index + 1) for index in range(5)])
    places = [
        place for start in (0, 3, 6) for place in column(shapes[start : start + 3], gap, 6 + wide * (start // 3), 6)
    ]
    pairs = [(start + index, start + index + 1) for start in (0, 3, 6) for index in range(2)]
    yield drawn("three towers", shapes, places, pairs)


def drawn(kind: str, shapes: list[Pixels], places: list[tuple[int, int]], touching: list[tuple[int, int]]) -> Planted:
    width = max(x + shape.shape[1] for shape, (x, _) in zip(shapes, places, strict=True)) + 6
    height = max(y + len(shape) for shape, (_, y) in zip(shapes, places, strict=True)) + 6
    sheet, owners = np.zeros((height, width, 4), np.uint8), np.zeros((height, width), int)
    for number, (shape, (x, y)) in enumerate(zip(shapes, places, strict=True), 1):
        part, shows = np.s_[y : y + len(shape), x : x + shape.shape[1]], shape[..., 3] > 0
        sheet[part][shows] = shape[shows]
        owners[part][shows] = number
    return Planted(kind, sheet, owners, touching)


def judged(plant: Planted) -> tuple[int, int]:
    """Count the cuts that are right, within a pixel on every side of both figures, and the figures that stand alone and
    are not whole."""
    labels, _ = ndimage.label(plant.sheet[..., 3] > 0, structure=np.ones((3, 3)))
    join_crumbs(labels, plant.sheet)
    part_figures(labels, plant.sheet, split=True)
    seen = plant.sheet[..., 3] > SEEN
    found = [box_of((labels == label) & seen) for label in np.unique(labels[seen])]
    figures = [box_of((plant.owners == number) & seen) for number in range(1, plant.owners.max() + 1)]
    right = {number for number, figure in enumerate(figures) if any(is_near(figure, box) for box in found)}
    alone = set(range(len(figures))).difference(*plant.touching)
    return sum(right.issuperset(pair) for pair in plant.touching), len(alone - right)


def is_near(one: Box | None, other: Box | None) -> bool:
    assert one
    assert other
    pairs = zip((one.x, one.y, one.right, one.bottom), (other.x, other.y, other.right, other.bottom), strict=True)
    return all(abs(a - b) <= 1 for a, b in pairs)
