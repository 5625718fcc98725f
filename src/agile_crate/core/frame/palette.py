"""Frames in the colors of a palette: the same color becomes the same entry in every frame."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..color import Color, perceived, perceived_back
from ..model.geometry import Offset
from ..pixels import Pixels, Words, words

REPORTED = 3
"""Colors to report that changed most."""

ROUGHNESS = 0.1
"""The penalty for dithering entries that are far apart, as a share of their distance: rough patterns are visible."""

_CHUNK = 1 << 12
_RGB = np.uint32(0x00FFFFFF)
_ALPHA = np.uint32(0xFF000000)
_KNOWN = np.uint32(0x01000000)
_HALF = np.uint32(0x80000000)


class MovedColor(NamedTuple):
    """A color that a palette replaced, the new color, and their distance in Oklab."""

    before: Color
    after: Color
    distance: float


def bayer(side_log2: int = 3) -> NDArray[np.float32]:
    """The ordered dither's thresholds (Bayer, 1973), 8 × 8, each between 0 and 1.

    >>> (bayer(1) * 8).tolist()
    [[1.0, 5.0], [7.0, 3.0]]
    """
    matrix = np.zeros((1, 1))
    for _ in range(side_log2):
        matrix = np.block([[4 * matrix, 4 * matrix + 2], [4 * matrix + 3, 4 * matrix + 1]])
    return ((matrix + 0.5) / matrix.size).astype(np.float32)


class PaletteMap:
    """Maps colors to the entries of a palette; remembers every color that it has met.

    Nearest is by the Euclidean distance in Oklab, ties to the entry that comes first. With `dither`, a color between
    two entries becomes a pattern of both: of all pairs with the nearest entry the one whose mix comes nearest (our own
    rule), laid by Bayer's thresholds, which are fixed to the canvas and so stand still between frames. An entry of the
    palette always stays itself.

    What it remembers changes no result, and two threads that learn a color at once learn the same. The memory is a
    table of all 2**24 colors, of which only the pages that are met are ever touched.
    """

    def __init__(self, palette: Sequence[Color], dither: bool = False) -> None:
        self._entries = np.array(palette, np.uint8).reshape(-1, 3)
        self._places = perceived(self._entries)
        self._words = _packed(self._entries)
        self._table = np.zeros(1 << 24, "<u4")
        self._second = np.zeros(1 << 24, np.uint32) if dither else None
        self._share = np.zeros(1 << 24, np.float32) if dither else None

    def mapped(self, pixels: Pixels, offset: Offset) -> Pixels:
        """A picture of shape (h, w, 4), which begins at `offset` of its canvas, in the palette's colors: a new array.

        Alpha is not touched, and colors under alpha 0 stay as they are. Cost: one look-up for each pixel, one search
        for each new color.
        """
        if not len(self._entries):  # nothing is visible of any frame
            return pixels
        before = words(pixels)
        rgb = before & _RGB
        found = self._table.take(rgb)
        if found.size and found.min() < _KNOWN:
            self._learn(np.unique(rgb[found < _KNOWN]))
            found = self._table.take(rgb)
        if self._second is not None and self._share is not None:
            found = np.where(_pattern(pixels, offset) < self._share.take(rgb), self._second.take(rgb), found)
        result = np.where(before > _RGB, (found & _RGB) | (before & _ALPHA), before)
        return result.view(np.uint8).reshape(pixels.shape)

    def furthest(self, colors: Words) -> tuple[MovedColor, ...]:
        """Return the colors that the palette moves furthest, at most REPORTED; colors that stay are not among them.

        `colors` are different colors, packed, in rising order.
        """
        if not len(colors):
            return ()
        distances = np.zeros(len(colors))
        for start in range(0, len(colors), _CHUNK):
            part = slice(start, start + _CHUNK)
            distances[part] = self._nearest(perceived(_unpacked(colors[part])))[1]
        red, green, blue = _unpacked(colors).T
        first = np.lexsort((blue, green, red, -distances))[:REPORTED]
        first = first[distances[first] > 0]
        before, after = colors[first], self._words[self._nearest(perceived(_unpacked(colors[first])))[0]]
        pairs = zip(_unpacked(before).tolist(), _unpacked(after).tolist(), distances[first].tolist(), strict=True)
        return tuple(MovedColor(Color(*was), Color(*now), distance) for was, now, distance in pairs)

    def _learn(self, rgb: Words) -> None:
        places = perceived(_unpacked(rgb))
        for start in range(0, len(rgb), _CHUNK):
            part = slice(start, start + _CHUNK)
            first, _ = self._nearest(places[part])
            if self._second is not None and self._share is not None:
                second, share = self._partner(places[part], first)
                self._second[rgb[part]], self._share[rgb[part]] = self._words[second], share
            self._table[rgb[part]] = self._words[first] | _KNOWN  # last: other threads go by this one

    def _nearest(self, places: NDArray[np.float64]) -> tuple[NDArray[np.intp], NDArray[np.float64]]:
        squared = np.zeros((len(places), len(self._places)))
        for axis in range(3):
            squared += (places[:, axis, None] - self._places[None, :, axis]) ** 2
        first = squared.argmin(axis=1)
        return first, np.sqrt(np.take_along_axis(squared, first[:, None], 1)[:, 0])

    def _partner(
        self, places: NDArray[np.float64], first: NDArray[np.intp]
    ) -> tuple[NDArray[np.intp], NDArray[np.float32]]:
        """Return for each color the entry to mix with its nearest one, and that entry's share, at most a half."""
        origin = self._places[first]
        away = (places - origin)[:, None, :]
        second = np.zeros(len(places), np.intp)
        share = np.zeros(len(places))
        least = (away[:, 0] ** 2).sum(axis=1)
        for entry in range(len(self._places)):
            line = self._places[entry] - origin
            length = (line**2).sum(axis=1)
            part = np.divide((away[:, 0] * line).sum(axis=1), length, out=np.zeros(len(places)), where=length > 0)
            part = np.clip(part, 0, 0.5)
            off = ((away[:, 0] - part[:, None] * line) ** 2).sum(axis=1) + (ROUGHNESS * part) ** 2 * length
            better = off < least
            least[better], second[better], share[better] = off[better], entry, part[better]
        return second, share.astype(np.float32)


@lru_cache(maxsize=1)
def palette_map(colors: tuple[Color, ...], dither: bool) -> PaletteMap:
    """The map of a palette, which is kept until another one is asked for."""
    return PaletteMap(colors, dither)


def furthest(palette: tuple[Color, ...], colors: Words) -> tuple[MovedColor, ...]:
    """Return the packed colors, in rising order, that a palette moves furthest."""
    return PaletteMap(palette).furthest(colors)


def solid_colors(pixels: Pixels) -> Words:
    """Return the colors of a picture's pixels that are at least half opaque, packed, with repetitions. Fainter pixels
    of a soft edge may have any color. Cost: one pass."""
    row = words(pixels).ravel()
    row = row[row >= _HALF] & _RGB
    return row[np.concatenate(([True], row[1:] != row[:-1]))] if len(row) else row


def _pattern(pixels: Pixels, offset: Offset) -> NDArray[np.float32]:
    """The dither's thresholds for a picture that begins at this point of its canvas, shape (h, w)."""
    height, width = pixels.shape[:2]
    rows, columns = np.arange(offset.y, offset.y + height) % 8, np.arange(offset.x, offset.x + width) % 8
    pattern: NDArray[np.float32] = bayer()[rows[:, None], columns]
    return pattern


class Histogram(NamedTuple):
    """The different visible colors of a picture, packed, in rising order, and the sum of each one's alpha."""

    words: Words
    weights: NDArray[np.float64]


def histogram(pixels: Pixels) -> Histogram:
    """The colors of a picture of shape (h, w, 4), weighed by alpha. Cost: a sort of the pixels."""
    seen = pixels[pixels[..., 3] > 0]
    words, which = np.unique(_packed(seen[:, :3]), return_inverse=True)
    return Histogram(words, np.bincount(which, seen[:, 3]).astype(np.float64))


def derived(histograms: Iterable[Histogram], count: int) -> tuple[Color, ...]:
    """A palette of at most `count` colors for all pictures together, the darkest first.

    Where they have no more colors than that, exactly these. Else median cut over all pixels, weighed by alpha
    (Heckbert, 1982), in Oklab, the box with the largest sum of squared distances first (Wan, Wong and Prusinkiewicz,
    1988), then Lloyd's iteration (1982) until it rests, at most 20 times. Nothing is random.
    Cost: the number of colors times `count` for each iteration.
    """
    words, weights = _together(histograms)
    if len(words) <= count:
        chosen = words
    else:
        places = perceived(_unpacked(words))
        centers = _refined(places, weights, _median_cut(places, weights, count))
        chosen = np.unique(_packed(perceived_back(centers)))
    colors = _unpacked(chosen)
    order = np.lexsort((chosen, perceived(colors)[:, 0]))
    return tuple(Color(*colors[index].tolist()) for index in order)


def _together(histograms: Iterable[Histogram]) -> Histogram:
    weights = np.zeros(1 << 24)
    for histogram in histograms:
        weights[histogram.words] += histogram.weights
    words = np.flatnonzero(weights).astype(np.uint32)
    return Histogram(words, weights[words])


def _median_cut(places: NDArray[np.float64], weights: NDArray[np.float64], count: int) -> NDArray[np.float64]:
    boxes = [np.arange(len(places))]
    spreads = [_spread(places, weights)]
    while len(boxes) < count:
        widest = int(np.argmax([spread.max() for spread in spreads]))
        if spreads[widest].max() <= 0:
            break
        members, axis = boxes[widest], int(spreads[widest].argmax())
        members = members[np.argsort(places[members, axis], kind="stable")]
        heaped = np.cumsum(weights[members])
        cut = min(len(members) - 1, max(1, int(np.searchsorted(heaped, heaped[-1] / 2))))
        boxes[widest : widest + 1] = [members[:cut], members[cut:]]
        spreads[widest : widest + 1] = [_spread(places[part], weights[part]) for part in (members[:cut], members[cut:])]
    return np.array([np.average(places[members], axis=0, weights=weights[members]) for members in boxes])


def _spread(places: NDArray[np.float64], weights: NDArray[np.float64]) -> NDArray[np.float64]:
    if len(places) < 2:
        return np.zeros(3)
    middle = np.average(places, axis=0, weights=weights)
    result: NDArray[np.float64] = (weights[:, None] * (places - middle) ** 2).sum(axis=0)
    return result


def _refined(
    places: NDArray[np.float64], weights: NDArray[np.float64], centers: NDArray[np.float64]
) -> NDArray[np.float64]:
    for _ in range(20):
        nearest = np.empty(len(places), np.intp)
        for start in range(0, len(places), _CHUNK):
            part = places[start : start + _CHUNK]
            nearest[start : start + _CHUNK] = ((part[:, None] - centers[None]) ** 2).sum(axis=2).argmin(axis=1)
        mass = np.bincount(nearest, weights, len(centers))
        moved = centers.copy()
        for axis in range(3):
            heap = np.bincount(nearest, weights * places[:, axis], len(centers))
            np.divide(heap, mass, out=moved[:, axis], where=mass > 0)
        if np.abs(moved - centers).max() < 1e-4:
            return moved
        centers = moved
    return centers


def _packed(colors: NDArray[np.uint8]) -> Words:
    return (colors @ np.array([1, 1 << 8, 1 << 16], np.uint32)).astype(np.uint32)


def _unpacked(words: Words) -> NDArray[np.uint8]:
    return np.stack((words & 0xFF, words >> 8 & 0xFF, words >> 16 & 0xFF), axis=-1).astype(np.uint8)
