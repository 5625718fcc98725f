"""Facts of a frame for the survey, measured in one pass so that its pixels can be released.

All measures are in the frame's own canvas pixels. "Seen" means alpha above SEEN; what lies below nobody notices on
screen, but a trim at alpha 0 would keep it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray
from zlib_ng import zlib_ng

from ..frame.pixel_art import hard_edged_colors, pixel_size
from ..model.geometry import Box, Size
from ..pixels import Pixels
from .fringe import fringe_of
from .ground import GroundLine, ground_of
from .miniature import SEEN, Miniature, miniature, sketch_of, with_neighbors

HAZE_AREA = 1.5
"""The ratio of the trimmed box's area to that of the visible art from which it is haze: soft art has a soft rim."""

FADES = 0.5
"""A glow fades: far from the figure its faint pixels have no more than this share of the alpha, above 0.9, that they
have near it. 0.9 is just below the faintest alpha."""

LEAST_DUST = 0.05
"""The share of faint pixels between the visible art and the trimmed box from which they are haze. Fewer
are the last wisps of something."""

SPECK_BLOCK = 4
SPECK_PIXELS = 12
"""A speck is at most so many seen pixels, and an eighth of the canvas (8 to 32 pixels) away from everything else."""

MOST_FEW = 200
"""Blocks with few pixels that are looked at."""

COLOR_COUNT_PIXELS = 128 * 128
"""Pixels. Colors are only counted on canvases up to this, where pixel art lives."""

MOST_COLORS = 1024

SEAM_ROWS = 256
"""Rows, evenly spread, on which it is seen how much neighboring columns differ."""


class Touch(NamedTuple):
    """Seen pixels along a side of the canvas: the longest run of them, as a share of the figure's length along that
    side and in pixels, and its mean alpha, as a share of the figure's."""

    side: str
    share: float
    run: int
    covered: float


@dataclass(frozen=True, slots=True, eq=False)
class FrameFacts:
    """One frame in numbers.

    * `digest`: equal for equal pixels (canvas, CRC-32 of the bytes, sum of alpha);
    * `kept`, `seen`: the boxes of alpha above 0 and above SEEN, None where nothing is;
    * `haze`: the smallest alpha floor at which the trimmed box is at most HAZE_AREA times the visible art; 0 without
      haze, and for a glow that fades;
    * `feet`: the middle of the lowest seen row; `mass`: the center of alpha; `spread`: the standard deviation of alpha
      from it, across and along; `area`: alpha in all, in wholly covered pixels;
    * `ground`: the background of a frame without transparency;
    * `touches`: the sides that seen pixels reach;
    * `partial`: the share of seen pixels that are half transparent;
    * `fringe`: the color that half-covered pixels are pulled towards, black, white or empty;
    * `colors`: how many colors are seen, up to MOST_COLORS; 0 on canvases larger than COLOR_COUNT_PIXELS, and in
      soft-edged frames;
    * `hard_edged_colors`: how many hard-edged art of few colors has, 0 for other art; `pixel_size`: the side of the
      squares that it consists of;
    * `specks`: stray spots as x, y, pixels;
    * `miniature`: the frame, small; None once its animation has been judged. `sketch`: smaller still, to find
      animations that mirror each other;
    * `seam_x`, `seam_y`: how much more the picture changes over its left–right (top–bottom) edge than anywhere inside,
      and how alike its two edges are (their correlation); None where those edges are not both covered.
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
    spread: tuple[float, float]
    area: float
    ground: GroundLine | None
    touches: tuple[Touch, ...]
    partial: float
    fringe: str
    colors: int
    hard_edged_colors: int
    pixel_size: int
    specks: tuple[tuple[int, int, int], ...]
    miniature: Miniature | None
    sketch: NDArray[np.float32]
    seam_x: TileSeam | None
    seam_y: TileSeam | None

    @property
    def small(self) -> Miniature:
        """The miniature, which is kept until the animation has been judged."""
        assert self.miniature is not None, "the animation has been judged"
        return self.miniature


class TileSeam(NamedTuple):
    """A tile's seam: how much more the picture changes at it than inside, and the correlation of its two
    edges."""

    step: float
    likeness: float


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
    opaque = bool(alpha.min() == 255)
    partial = float(np.count_nonzero(shows & (alpha < 255))) / count if count else 0.0
    mass, spread = _center(columns, rows)
    small = miniature(pixels, kept)
    return FrameFacts(
        name=name,
        canvas=Size(width, height),
        digest=(width, height, zlib_ng.crc32(data), int(columns.sum(dtype=np.float64))),
        kept=kept,
        seen=seen,
        haze=_haze(alpha, kept, seen),
        opaque=opaque,
        feet=_feet(shows, seen),
        mass=mass,
        spread=spread,
        area=float(columns.sum()) / 255,
        ground=ground_of(pixels) if opaque else None,
        touches=() if opaque or seen is None else _touches(alpha, shows, seen, float(columns.sum()) / count),
        partial=partial,
        fringe=fringe_of(pixels, alpha) if partial else "",
        colors=_colors(pixels, alpha) if not partial and width * height <= COLOR_COUNT_PIXELS else 0,
        hard_edged_colors=(few := 0 if partial else hard_edged_colors(data)),
        pixel_size=pixel_size(data) if few else 1,
        specks=_specks(shows) if 0 < count < shows.size else (),
        miniature=small,
        sketch=sketch_of(small),
        seam_x=_seam(pixels),
        seam_y=_seam(pixels.swapaxes(0, 1)),
    )


def judged(facts: FrameFacts) -> FrameFacts:
    """Return the facts without those that only the judgment of the animation needs."""
    return replace(facts, miniature=None)


def _box(columns: ArrayLike, rows: ArrayLike) -> Box | None:
    x, y = np.flatnonzero(columns), np.flatnonzero(rows)
    if len(x) == 0:
        return None
    return Box(int(x[0]), int(y[0]), int(x[-1] - x[0] + 1), int(y[-1] - y[0] + 1))


def _haze(alpha: NDArray[np.uint8], kept: Box | None, seen: Box | None) -> int:
    if seen is None:
        return 0
    allowed = HAZE_AREA * _area(seen)
    if _area(kept) <= allowed or not _is_dusty(alpha, kept, seen):
        return 0
    for floor in range(1, SEEN):
        above = alpha > floor
        if _area(_box(above.any(0), above.any(1))) <= allowed:
            return floor
    return SEEN


def _is_dusty(alpha: NDArray[np.uint8], kept: Box | None, seen: Box) -> bool:
    """Return True if there is much that is too faint to be seen, and does not grow fainter with its distance from what
    is seen: by the mean alpha of the nearest and the furthest third of the faint pixels."""
    rows, columns = np.nonzero(alpha)
    x = np.maximum(seen.x - columns, columns - (seen.right - 1))
    y = np.maximum(seen.y - rows, rows - (seen.bottom - 1))
    far = np.maximum(x, y)
    outside = far > 0
    if np.count_nonzero(outside) < LEAST_DUST * (_area(kept) - _area(seen)):
        return False
    far, faint = far[outside], alpha[rows[outside], columns[outside]].astype(np.float32)
    third = float(far.max()) / 3
    near, rest = faint[far <= third], faint[far > 2 * third]
    return not (len(near) and len(rest) and rest.mean() - 0.9 <= FADES * (near.mean() - 0.9))


def _area(box: Box | None) -> int:
    return box.w * box.h if box else 0


def _feet(shows: NDArray[np.bool_], seen: Box | None) -> tuple[float, float] | None:
    if seen is None:
        return None
    ground = np.flatnonzero(shows[seen.bottom - 1])
    return (float(ground[0] + ground[-1] + 1) / 2, float(seen.bottom))


def _center(
    columns: NDArray[np.float32], rows: NDArray[np.float32]
) -> tuple[tuple[float, float] | None, tuple[float, float]]:
    """The center of alpha, and its standard deviation from it."""
    total = float(columns.sum())
    if total == 0:
        return None, (0.0, 0.0)
    places = [np.arange(len(line)) + 0.5 for line in (columns, rows)]
    x, y = (float((line * at).sum()) / total for line, at in zip((columns, rows), places, strict=True))
    across, along = (
        float(np.sqrt((line * np.square(at - middle)).sum() / total))
        for line, at, middle in zip((columns, rows), places, (x, y), strict=True)
    )
    return (x, y), (across, along)


def _touches(alpha: NDArray[np.uint8], shows: NDArray[np.bool_], seen: Box, usual: float) -> tuple[Touch, ...]:
    """The sides of the canvas that are reached; `usual` is the mean alpha of the visible pixels."""
    sides = {
        "left": (alpha[:, 0], shows[:, 0], seen.h),
        "right": (alpha[:, -1], shows[:, -1], seen.h),
        "top": (alpha[0], shows[0], seen.w),
        "bottom": (alpha[-1], shows[-1], seen.w),
    }
    touches = []
    for side, (line, reached, length) in sides.items():
        if reached.any():
            run = _longest_run(reached)
            count = run.stop - run.start
            touches.append(Touch(side, count / length, count, float(line[run].mean()) / usual))
    return tuple(touches)


def _longest_run(line: NDArray[np.bool_]) -> slice:
    """The longest stretch of a line that is true throughout."""
    edges = np.flatnonzero(np.diff(np.concatenate(([False], line, [False])).astype(np.int8)))
    starts, stops = edges[::2], edges[1::2]
    longest = int((stops - starts).argmax())
    return slice(int(starts[longest]), int(stops[longest]))


def _colors(pixels: Pixels, alpha: NDArray[np.uint8]) -> int:
    packed = np.ascontiguousarray(pixels).view(np.uint32)[..., 0]
    return min(MOST_COLORS, len(np.unique(packed[alpha > SEEN])))


def _specks(shows: NDArray[np.bool_]) -> tuple[tuple[int, int, int], ...]:
    """Small spots far from the rest, found by counting seen pixels in blocks: a block whose near neighbors hold few
    pixels, and whose wide surroundings hold no more. Our own shortcut for distances between connected components; exact
    to a block. Of very many places where little is seen only the first are looked at: none of them is stray.
    """
    height, width = shows.shape
    block = SPECK_BLOCK
    padded = np.zeros((-(-height // block) * block, -(-width // block) * block), bool)
    padded[:height, :width] = shows
    fours = padded.view(np.uint32).reshape(padded.shape[0] // block, block, -1).sum(1, dtype=np.uint32)
    blocks = ((fours * np.uint32(0x01010101)) >> np.uint32(24)).astype(np.uint8)  # the sum of each word's four bytes
    near = with_neighbors(blocks)  # at most 9 × 16
    few = np.argwhere((blocks > 0) & (near <= SPECK_PIXELS)).tolist()
    reach = min(8, max(2, min(height, width) // (8 * block)))
    seen = int(blocks.sum(dtype=np.int64))
    spots: list[tuple[int, int, int]] = []
    for row, column in few[:MOST_FEW]:
        around = blocks[max(0, row - reach) : row + reach + 1, max(0, column - reach) : column + reach + 1]
        if not near[row, column] == around.sum(dtype=np.int64) < seen:
            continue
        spot = padded[row * block : (row + 1) * block, column * block : (column + 1) * block]
        y, x = np.argwhere(spot)[0].tolist()
        x, y = column * block + x, row * block + y
        if not any(abs(x - other) <= 2 * block and abs(y - above) <= 2 * block for other, above, _ in spots):
            spots.append((x, y, int(near[row, column])))
    return tuple(spots)


def _seam(pixels: Pixels) -> TileSeam | None:
    """Return how the last column goes on in the first, against how neighboring columns do."""
    first, last = pixels[:, 0], pixels[:, -1]
    covered = (first[:, 3] > SEEN) & (last[:, 3] > SEEN)
    if pixels.shape[1] < 4 or covered.mean() < 0.5:
        return None
    rows = pixels[:: -(-pixels.shape[0] // SEAM_ROWS)].astype(np.int16)
    inside = np.abs(np.diff(rows, axis=1)).mean((0, 2))
    over = float(np.abs(first.astype(np.int16) - last.astype(np.int16)).mean())
    return TileSeam(over / max(1.0, float(inside.max())), _likeness(first, last))


def _likeness(first: Pixels, last: Pixels) -> float:
    """The correlation of two lines of pixels (Pearson's); 1 where both are of one color throughout."""
    a, b = (line.astype(np.float64) - line.mean(axis=0) for line in (first, last))
    power = float(np.sqrt(np.square(a).sum() * np.square(b).sum()))
    return float((a * b).sum()) / power if power else 1.0
