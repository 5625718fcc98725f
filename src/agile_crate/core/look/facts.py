"""What a look before packing needs to know of one frame, taken from its pixels in one go so that they can be let go.

All measures are in the frame's own canvas pixels. "Seen" means alpha above SEEN; what lies below nobody notices on
screen, but a trim at alpha 0 would keep it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray
from zlib_ng import zlib_ng

from ..model.geometry import Box, Size
from ..pixels import Pixels

SEEN = 8
"""Alpha, of 255. At or below it (3 %) a pixel cannot be told from the background."""

HAZE_AREA = 1.5
"""The trimmed box may be so much larger by area than what is seen before we speak of haze: soft art has a soft rim."""

SAMPLE_SIDE = 32

SPECK_BLOCK = 4
SPECK_PIXELS = 12
"""A speck is at most so many seen pixels, and an eighth of the canvas (8 to 32 pixels) away from everything else."""

SMALL = 128 * 128
"""Pixels. Colours are only counted on canvases up to this, where pixel art lives."""

MOST_COLOURS = 1024


@dataclass(frozen=True, slots=True, eq=False)
class FrameFacts:
    """One frame in numbers.

    * `digest`: equal for equal pixels (canvas, CRC-32 and Adler-32 of the bytes);
    * `kept`, `seen`: the boxes of alpha above 0 and above SEEN, None where nothing is;
    * `haze`: the smallest alpha floor at which the trimmed box is at most HAZE_AREA times what is seen; 0 without haze;
    * `feet`: the middle of the lowest seen row; `mass`: the centre of alpha;
    * `corner`: the colour that all four corners share, if they do and are opaque;
    * `touches`: the sides that seen pixels reach;
    * `partial`: the share of seen pixels that are half transparent;
    * `colours`: how many colours are seen, up to MOST_COLOURS; 0 on canvases larger than SMALL;
    * `colour`: the mean of red, green, blue weighed by alpha;
    * `specks`: stray spots as x, y, pixels;
    * `sample`: at most 32×32 of its pixels, evenly spread, colours multiplied by alpha;
    * `seam_x`, `seam_y`: how much more the picture changes over its left–right (top–bottom) edge than anywhere inside;
      None where those edges are not both covered.
    """

    name: str
    canvas: Size
    digest: tuple[int, ...]
    kept: Box | None
    seen: Box | None
    haze: int
    opaque: bool
    feet: tuple[float, float] | None
    mass: tuple[float, float] | None
    corner: tuple[int, int, int] | None
    touches: tuple[str, ...]
    partial: float
    colours: int
    colour: tuple[float, float, float] | None
    specks: tuple[tuple[int, int, int], ...]
    sample: NDArray[np.int16]
    seam_x: float | None
    seam_y: float | None


def frame_facts(name: str, pixels: Pixels) -> FrameFacts:
    """The facts of one frame, shape (h, w, 4). Cost: a few passes over its alpha, one over its bytes."""
    height, width = pixels.shape[:2]
    alpha = np.ascontiguousarray(pixels[..., 3])
    columns, rows = alpha.sum(0, dtype=np.float32), alpha.sum(1, dtype=np.float32)
    shows = alpha > SEEN
    seen_columns, seen_rows = shows.any(0), shows.any(1)
    kept, seen = _box(columns, rows), _box(seen_columns, seen_rows)
    data = np.ascontiguousarray(pixels)
    count = int(np.count_nonzero(shows))
    return FrameFacts(
        name=name,
        canvas=Size(width, height),
        digest=(width, height, zlib_ng.crc32(data), zlib_ng.adler32(data)),
        kept=kept,
        seen=seen,
        haze=_haze(alpha, kept, seen),
        opaque=bool(alpha.min() == 255),
        feet=_feet(shows, seen),
        mass=_centre(columns, rows),
        corner=_corner(pixels),
        touches=_touches(shows),
        partial=float(np.count_nonzero(shows & (alpha < 255))) / count if count else 0.0,
        colours=_colours(pixels, alpha) if width * height <= SMALL else 0,
        colour=_mean_colour(pixels, alpha),
        specks=_specks(shows) if 0 < count < shows.size else (),
        sample=_sample(pixels),
        seam_x=_seam(pixels),
        seam_y=_seam(pixels.swapaxes(0, 1)),
    )


class Stand(NamedTuple):
    """Where a frame stands: as `FrameFacts.feet` and `mass`."""

    feet: tuple[float, float] | None
    mass: tuple[float, float] | None


def stand_of(pixels: Pixels) -> Stand:
    """Only that, of one frame, shape (h, w, 4). Cost: two passes over its alpha."""
    alpha = np.ascontiguousarray(pixels[..., 3])
    shows = alpha > SEEN
    feet = _feet(shows, _box(shows.any(0), shows.any(1)))
    return Stand(feet, _centre(alpha.sum(0, dtype=np.float32), alpha.sum(1, dtype=np.float32)))


def _box(columns: ArrayLike, rows: ArrayLike) -> Box | None:
    x, y = np.flatnonzero(columns), np.flatnonzero(rows)
    if len(x) == 0:
        return None
    return Box(int(x[0]), int(y[0]), int(x[-1] - x[0] + 1), int(y[-1] - y[0] + 1))


def _haze(alpha: NDArray[np.uint8], kept: Box | None, seen: Box | None) -> int:
    allowed = HAZE_AREA * max(1, _area(seen))
    if _area(kept) <= allowed:
        return 0
    for floor in range(1, SEEN):
        above = alpha > floor
        if _area(_box(above.any(0), above.any(1))) <= allowed:
            return floor
    return SEEN


def _area(box: Box | None) -> int:
    return box.w * box.h if box else 0


def _feet(shows: NDArray[np.bool_], seen: Box | None) -> tuple[float, float] | None:
    if seen is None:
        return None
    ground = np.flatnonzero(shows[seen.bottom - 1])
    return (float(ground[0] + ground[-1] + 1) / 2, float(seen.bottom))


def _centre(columns: NDArray[np.float32], rows: NDArray[np.float32]) -> tuple[float, float] | None:
    total = float(columns.sum())
    if total == 0:
        return None
    x, y = (float((line * (np.arange(len(line)) + 0.5)).sum()) / total for line in (columns, rows))
    return x, y


def _corner(pixels: Pixels) -> tuple[int, int, int] | None:
    corners = pixels[[0, 0, -1, -1], [0, -1, 0, -1]]
    if (corners[:, 3] < 255).any() or (corners != corners[0]).any():
        return None
    r, g, b = corners[0, :3].tolist()
    return r, g, b


def _touches(shows: NDArray[np.bool_]) -> tuple[str, ...]:
    sides = {"left": shows[:, 0], "right": shows[:, -1], "top": shows[0], "bottom": shows[-1]}
    return tuple(side for side, line in sides.items() if line.any())


def _colours(pixels: Pixels, alpha: NDArray[np.uint8]) -> int:
    packed = np.ascontiguousarray(pixels).view(np.uint32)[..., 0]
    return min(MOST_COLOURS, len(np.unique(packed[alpha > SEEN])))


def _mean_colour(pixels: Pixels, alpha: NDArray[np.uint8]) -> tuple[float, float, float] | None:
    step = max(1, min(alpha.shape) // 96)  # a sample is enough for a mean
    weight = alpha[::step, ::step].astype(np.float32)
    total = float(weight.sum())
    if total == 0:
        return None
    r, g, b = (np.einsum("ij,ijc->c", weight, pixels[::step, ::step, :3].astype(np.float32)) / total).tolist()
    return r, g, b


def _sample(pixels: Pixels) -> NDArray[np.int16]:
    height, width = pixels.shape[:2]
    sample = pixels[_spread(height)[:, None], _spread(width)].astype(np.int32)
    sample[..., :3] = sample[..., :3] * sample[..., 3:] // 255
    result: NDArray[np.int16] = sample.astype(np.int16)
    return result


@cache
def _spread(length: int) -> NDArray[np.intp]:
    """At most SAMPLE_SIDE places from the first to the last of so many."""
    return np.linspace(0, length - 1, min(length, SAMPLE_SIDE)).astype(int)


def _specks(shows: NDArray[np.bool_]) -> tuple[tuple[int, int, int], ...]:
    """Small spots far from the rest, told by counting seen pixels in blocks: a block whose near neighbours hold few
    pixels, and whose wide surroundings hold no more. Our own shortcut for distances between connected components; exact
    to a block. The counts come from summed areas (Crow, 1984), so the cost does not depend on the distance.
    """
    height, width = shows.shape
    block = SPECK_BLOCK
    padded = np.zeros((-(-height // block) * block, -(-width // block) * block), bool)
    padded[:height, :width] = shows
    fours = padded.view(np.uint32).reshape(padded.shape[0] // block, block, -1).sum(1, dtype=np.uint32)
    blocks = ((fours * np.uint32(0x01010101)) >> np.uint32(24)).astype(np.int64)  # the sum of each word's four bytes
    reach = min(8, max(2, min(height, width) // (8 * block)))
    near, around = _summed(blocks, 1), _summed(blocks, reach)
    alone = (blocks > 0) & (near <= SPECK_PIXELS) & (around == near) & (near < blocks.sum())
    spots = []
    for row, column in np.argwhere(alone):
        spot = padded[row * block : (row + 1) * block, column * block : (column + 1) * block]
        y, x = np.argwhere(spot)[0]
        spots.append((int(column * block + x), int(row * block + y), int(near[row, column])))
    return tuple(spots)


def _summed(blocks: NDArray[np.int64], reach: int) -> NDArray[np.int64]:
    """For each block the sum over all blocks at most `reach` away in each direction."""
    side = 2 * reach + 1
    total: NDArray[np.int64] = np.zeros((blocks.shape[0] + side, blocks.shape[1] + side), np.int64)
    total[reach + 1 : -reach, reach + 1 : -reach] = blocks
    total.cumsum(0, out=total).cumsum(1, out=total)
    sums: NDArray[np.int64] = total[side:, side:] - total[:-side, side:] - total[side:, :-side] + total[:-side, :-side]
    return sums


def _seam(pixels: Pixels) -> float | None:
    """How much the last column differs from the first, against how much neighbouring columns differ at most."""
    first, last = pixels[:, 0], pixels[:, -1]
    covered = (first[:, 3] > SEEN) & (last[:, 3] > SEEN)
    if pixels.shape[1] < 4 or covered.mean() < 0.5:
        return None
    inside = np.abs(np.diff(pixels.astype(np.int16), axis=1)).mean((0, 2))
    over = float(np.abs(first.astype(np.int16) - last.astype(np.int16)).mean())
    return over / max(1.0, float(inside.max()))
