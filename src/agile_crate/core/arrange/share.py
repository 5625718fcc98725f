"""Frames with equal or mirrored pixels, which are stored only once."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import get_args

import numpy as np

from ..model.geometry import Box, Mirror
from ..model.picture import Picture
from ..pixels import words

_FLIPS: tuple[tuple[Mirror, tuple[slice, slice]], ...] = (
    ("", np.s_[:, :]),
    ("x", np.s_[:, ::-1]),
    ("y", np.s_[::-1, :]),
    ("xy", np.s_[::-1, ::-1]),
)


def shared(
    pictures: Sequence[Picture], mirrored: bool = False, skins: Sequence[Sequence[Picture]] = ()
) -> list[tuple[int, Mirror]]:
    """Return for each picture the index of the first with the same stored pixels in every skin, and how to mirror it.

    Only the stored pixels matter, not their place on the canvas. Pictures are grouped by size and by the sum of their
    pixels as numbers, which no flip changes. Within a group they are compared byte by byte. Cost: one pass over all
    pixels, and one more over those that are compared.
    """
    firsts: dict[tuple[object, ...], list[int]] = defaultdict(list)
    result: list[tuple[int, Mirror]] = []
    for index, picture in enumerate(pictures):
        rivals = firsts[_key(picture, mirrored)]
        pairs = ((rival, [(layers[rival], layers[index]) for layers in (pictures, *skins)]) for rival in rivals)
        matches = ((rival, _match(sides, mirrored)) for rival, sides in pairs)
        found = next(((rival, mirror) for rival, mirror in matches if mirror is not None), None)
        if found is None:
            rivals.append(index)
        result.append(found or (index, ""))
    return result


def between(first: Mirror, second: Mirror) -> Mirror:
    """Return how one mirror image must be mirrored to be the other: flips undo themselves, in any order.

    >>> between("x", "x"), between("x", "xy"), between("", "y")
    ('', 'y', 'y')
    """
    return _MIRRORS[frozenset(first) ^ frozenset(second)]


_MIRRORS: dict[frozenset[str], Mirror] = {frozenset(mirror): mirror for mirror in get_args(Mirror)}


def _key(picture: Picture, mirrored: bool) -> tuple[object, ...]:
    inside = _inside(picture)
    place = inside.size if mirrored else inside
    return picture.stored_box.size, place, int(words(picture.pixels).sum(dtype=np.uint64))


def _inside(picture: Picture) -> Box:
    """Return the place of the pixels within the stored box."""
    stored, part = picture.stored_box, picture.part
    return Box(part.x - stored.x, part.y - stored.y, part.w, part.h)


def _match(pairs: Sequence[tuple[Picture, Picture]], mirrored: bool) -> Mirror | None:
    """Return how the first of each pair must be mirrored to be the other, one way for all; None if none does."""
    for mirror, flip in _FLIPS if mirrored else _FLIPS[:1]:
        if all(_is_image(first, other, mirror, flip) for first, other in pairs):
            return mirror
    return None


def _is_image(first: Picture, other: Picture, mirror: Mirror, flip: tuple[slice, slice]) -> bool:
    size, inner, wanted = first.stored_box.size, _inside(first), _inside(other)
    x = size.w - inner.right if "x" in mirror else inner.x
    y = size.h - inner.bottom if "y" in mirror else inner.y
    return (x, y) == wanted[:2] and np.array_equal(first.pixels[flip], other.pixels)
