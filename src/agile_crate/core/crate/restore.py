"""The inverse of drawing: a frame cut from its sheet and put back on its canvas, as docs/programmers/format.md says."""

import numpy as np

from ..color import Color, color_from_hex
from ..frame.alpha import flattened, premultiplied, straight
from ..frame.visible import cut_out, overlap
from ..model.crate import Crate, Frame
from ..model.geometry import Box
from ..pixels import Pixels


def stored_pixels(sheet: Pixels, frame: Frame) -> Pixels:
    """The frame's pixels as they lie on the sheet, turned upright: a view of the sheet, shape (h, w, 4)."""
    box = frame.box
    pixels = sheet[box.y : box.bottom, box.x : box.right]
    return np.rot90(pixels) if frame.turned else pixels


def restore(sheet: Pixels, frame: Frame, background: Color | None = None) -> Pixels:
    """The frame on its whole canvas: a new array of shape (canvas height, canvas width, 4).

    The box is cut out, turned back by 90° counterclockwise if it is stored turned, pasted on an empty canvas (or one of
    the `background`, opaque) at the offset, and then flipped if the frame is a mirror image. What reaches beyond the
    canvas is left out. The box must lie on the sheet; `core.crate.check` says whether it does.
    """
    put = Box(*frame.offset, *frame.upright)
    seen = overlap(put, Box(0, 0, *frame.canvas))
    stored = cut_out(stored_pixels(sheet, frame), Box(seen.x - put.x, seen.y - put.y, seen.w, seen.h))
    canvas = np.zeros((frame.canvas.h, frame.canvas.w, 4), np.uint8)
    if background:
        canvas[:] = (*background, 255)
    if stored.size:
        canvas[seen.y : seen.bottom, seen.x : seen.right] = stored
    if "x" in frame.mirror:
        canvas = canvas[:, ::-1]
    if "y" in frame.mirror:
        canvas = canvas[::-1]
    return canvas


def restored(crate: Crate, sheet: Pixels, frame: Frame) -> Pixels:
    """The frame as `restore` gives it, on the crate's background if it has one."""
    return restore(sheet, frame, color_from_hex(crate.background))


def as_seen(crate: Crate, sheet: Pixels, frame: Frame) -> Pixels:
    """Return the frame as `restored` gives it, in straight alpha."""
    pixels = restored(crate, sheet, frame)
    return straight(pixels) if crate.alpha == "premultiplied" else pixels


def as_seen_by_readers(pixels: Pixels, crate: Crate) -> Pixels:
    """Return what `as_seen` should give for a source: laid over the crate's background, or premultiplied and divided
    again."""
    background = color_from_hex(crate.background)
    if background:
        return flattened(pixels, background)
    return straight(premultiplied(pixels)) if crate.alpha == "premultiplied" else pixels
