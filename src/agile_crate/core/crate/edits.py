"""Edits on a finished sheet: finding their frames, and applying them to the frames of a new build."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from zlib_ng.zlib_ng import crc32

from ..color import Color, color_from_hex
from ..frame.visible import cut_out, on_canvas, overlap, within
from ..model.crate import Crate, Frame
from ..model.geometry import ORIGIN, Box, Offset
from ..model.picture import Picture
from ..pixels import Pixels, words
from .compare import differing
from .restore import as_seen, as_seen_by_readers


def crc_of(pixels: Pixels) -> str:
    """The CRC-32 (ISO/IEC 13239, as in PNG) of pixels of shape (h, w, 4), row by row, wholly transparent ones as four
    zeros, in 8 hex digits. Cost: one pass."""
    seen = words(pixels)
    return f"{crc32((seen * (seen > 0xFFFFFF)).astype('<u4', copy=False).data):08x}"


def part_of(frame: Frame) -> Box:
    """Return where the frame's pixels lie on its canvas as it is seen; what reaches beyond it is left out."""
    put = Box(*frame.offset, *frame.upright)
    left = frame.canvas.w - put.right if "x" in frame.mirror else put.x
    top = frame.canvas.h - put.bottom if "y" in frame.mirror else put.y
    return overlap(Box(left, top, put.w, put.h), Box(0, 0, *frame.canvas))


def source_crc(crate: Crate, frame: Frame, picture: Picture) -> str:
    """Return the CRC of a frame's source pixels, as readers of the crate see them."""
    part = part_of(frame)
    if picture.source is not None:
        pixels = cut_out(picture.source, part)
    elif (pixels := picture.pixels).shape[:2] != (part.h, part.w) or picture.offset != (part.x, part.y):
        pixels = within(pixels, part.moved(Offset(-picture.offset.x, -picture.offset.y)))
    is_changed = bool(crate.background) or crate.alpha == "premultiplied"
    return crc_of(as_seen_by_readers(pixels, crate) if is_changed else pixels)


class Edit(NamedTuple):
    """A frame that was edited on its sheet, and its whole canvas as it looks now."""

    crate: Crate
    frame: Frame
    seen: Pixels


Edits = Mapping[str, Edit]


def edits_on(crate: Crate, index: int, sheet: Pixels) -> Iterator[Edit]:
    """Return a sheet's frames, in crate order, whose pixels differ from the drawn ones."""
    for frame in crate.frames:
        if frame.on_sheet == index:
            seen = as_seen(crate, sheet, frame)
            if crc_of(cut_out(seen, part_of(frame))) != frame.crc:
                yield Edit(crate, frame, seen)


MOST_DISTANCES = 10**7
"""Distances of stray pixels from frames. With more, the paint was not meant for frames."""


class StrayPaint(NamedTuple):
    """Pixels of a sheet that were painted where no frame shows them: how many, and the cushion that would give them
    room in frames; 0 if none would."""

    pixels: int
    cushion: int


def stray_paint(crate: Crate, index: int, sheet: Pixels) -> StrayPaint:
    """Return what was painted outside of all boxes and their repeated edges, and where a box (its cushion) reaches
    beyond its frame's canvas. Cost: one pass, and each stray pixel is compared with each frame."""
    free = _unshown_paint(crate, index, sheet)
    count = int(np.count_nonzero(free))
    frames = [frame for frame in crate.frames if frame.on_sheet == index and frame.box.w and not frame.turned]
    if not count or not frames or count * len(frames) > MOST_DISTANCES:
        return StrayPaint(count, 0)
    y, x = np.nonzero(free)
    boxes = np.array([frame.box for frame in frames])[:, :, None]
    across = np.maximum(boxes[:, 0] - x, x - (boxes[:, 0] + boxes[:, 2] - 1))
    along = np.maximum(boxes[:, 1] - y, y - (boxes[:, 1] + boxes[:, 3] - 1))
    away = np.maximum(across, along)
    nearest = away.argmin(0)
    canvases = [Box(frame.box.x - frame.offset.x, frame.box.y - frame.offset.y, *frame.canvas) for frame in frames]
    places = zip(nearest.tolist(), x.tolist(), y.tolist(), strict=True)
    if not all(canvases[frame].contains(Box(left, top, 1, 1)) for frame, left, top in places):
        return StrayPaint(count, 0)
    return StrayPaint(count, int(away.min(0).max()) + _cushion(crate))


def _cushion(crate: Crate) -> int:
    """Return the cushion in the settings of a crate, which are untrusted; 0 for any other text."""
    given = str(crate.settings.get("cushion", 0))
    return int(given) if given.isascii() and given.isdigit() and len(given) < 6 else 0


def _unshown_paint(crate: Crate, index: int, sheet: Pixels) -> NDArray[np.bool_]:
    """Return a mask of what was painted on a sheet where no frame shows it."""
    ground, around = color_from_hex(crate.background), crate.sheets[index].edge_repeat
    free = _differs(sheet, ground) if ground else sheet[..., 3] > 0
    for frame in crate.frames:
        if frame.on_sheet == index and frame.box.w:
            (x, y), box = frame.box[:2], frame.box
            inside = np.s_[y : box.bottom, x : box.right]
            beyond = free[inside] & ~_shown(frame)
            free[max(0, y - around) : box.bottom + around, max(0, x - around) : box.right + around] = False
            free[inside] = beyond
    return free


def _differs(sheet: Pixels, ground: Color) -> NDArray[np.bool_]:
    """Return where a sheet has another color: a mask, made channel by channel, which takes a third of the memory."""
    mask: NDArray[np.bool_] = sheet[..., 0] != ground[0]
    for channel in (1, 2):
        mask |= sheet[..., channel] != ground[channel]
    return mask


def _shown(frame: Frame) -> NDArray[np.bool_]:
    """Return a mask of a frame's box as it is stored: True for the pixels that lie on its canvas."""
    put, canvas = Box(*frame.offset, *frame.upright), Box(0, 0, *frame.canvas)
    if canvas.contains(put):
        return np.ones((frame.box.h, frame.box.w), np.bool_)
    mask, seen = np.zeros((put.h, put.w), np.bool_), overlap(put, canvas)
    mask[seen.y - put.y : seen.bottom - put.y, seen.x - put.x : seen.right - put.x] = True
    return np.rot90(mask, -1) if frame.turned else mask


def laid_over(picture: Picture, edit: Edit, trim_alpha: int) -> Picture | None:
    """Lay an edit over a picture before trimming; None if the source has changed since the edit, or lies elsewhere on
    its canvas. Trimming may have cut off alpha up to `trim_alpha`."""
    part = part_of(edit.frame)
    if picture.canvas != edit.frame.canvas:
        return None
    source = on_canvas(picture.pixels, picture.offset, picture.canvas)
    drawn = as_seen_by_readers(cut_out(source, part), edit.crate)
    visible = source[..., 3] > trim_alpha
    visible[part.y : part.bottom, part.x : part.right] = False
    if crc_of(drawn) != edit.frame.crc or visible.any():
        return None
    seen = cut_out(edit.seen, part)
    painted = differing(drawn, seen)
    result = source.copy()
    cut_out(result, part)[painted] = seen[painted]
    return picture._replace(pixels=result, offset=ORIGIN, source=source)
