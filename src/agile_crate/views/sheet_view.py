"""The annotated sheet: boxes, canvases, pivots and spacing, to check before delivery."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from statistics import median
from typing import NamedTuple

import numpy as np
from PIL import Image, ImageDraw

from ..core.color import Color
from ..core.crate.summary import sheet_summaries
from ..core.limits import Limits
from ..core.model.crate import Crate
from ..core.model.geometry import Box, Size
from ..core.pixels import Pixels
from ..core.text import bytes_shown, counted, measured, number_list, shown
from .labels import Label, Zoom, canvas_on_sheet, labels, point_on_sheet, zoom_for
from .theme import (
    CUSHION_TONE,
    EDGE_TONE,
    FAINT,
    GAP_TONE,
    INK,
    MARGIN_TONE,
    PAPER,
    backdrop,
    enlarged,
    over,
    refuse_too_large,
    text_size,
    tone_of,
    write,
)

VIEW = Size(1280, 800)
"""The view is about this large; a small sheet's is smaller, and one at a zoom of your own as large as it must be."""

LARGEST = Size(1600, 1120)
"""No sheet is shown larger than this, unless a zoom of your own asks for it; up to here it keeps its own size."""

PAD, HEAD, LEGEND, LINE = 16, 64, 250, 18
LETTERS, TITLE, SMALL = 12, 16, 10
BAND_PIXELS = 1 << 22
"""Pixels of a sheet that are made smaller at a time."""

MANY = 100
"""Boxes. Sheets with more boxes are drawn large enough to distinguish them."""

CLEAR, CROWDED = 40, 64
"""Pixels of the view. Many boxes are made so large on their shorter side, if that is possible; where they are not as
large as the second, crosses and dots would hide the art."""

WIDEST_VIEW = 8192
"""Pixels. A view of many boxes is no longer and no wider, unless a zoom of your own asks for it."""

LISTED = 22
"""Animations that the legend lists by name."""


class SheetView(NamedTuple):
    """A drawn view: the picture, how the sheet was scaled, where its top left lies, and the labels in view pixels."""

    image: Image.Image
    zoom: Zoom
    corner: tuple[int, int]
    labels: tuple[Label, ...]


Bands = Callable[[int], Iterable[Pixels]]
"""A sheet's pixels from top to bottom, straight alpha, so many rows at a time."""


def draw_sheet_view(
    crate: Crate, index: int, bands: Bands, ground: Color | None, limits: Limits, times: int = 0, divided: int = 1
) -> SheetView:
    """The view of one sheet on a `ground` color or a checkerboard, `times` as large if given, or `divided`.

    Boxes are outlined in their animation's color, trimmed canvases dotted, pivots crossed; margin, gap, cushion and
    repeated edges are shaded. Very many small boxes have no dots and crosses. Cost: a few passes
    over the sheet and the view.
    """
    size = crate.sheets[index].size
    refuse_too_large(size, times, limits)
    boxes = {frame.box for frame in crate.frames if frame.on_sheet == index and frame.box.w and frame.box.h}
    usual = int(median(min(box.size) for box in boxes)) if boxes else 1
    zoom = Zoom(times, divided) if times else _zoom(size, usual, len(boxes))
    is_crowded = len(boxes) > MANY and usual * zoom.times < CROWDED * zoom.divided
    whole = zoom.box(Box(0, 0, *size)).size
    legend = list(_legend(crate, index, is_crowded))
    head = _head(crate, index, zoom)
    width = max(whole.w + LEGEND + 3 * PAD, 2 * PAD + text_size(head, LETTERS).w)
    height = max(HEAD + whole.h + PAD, HEAD + LINE * (len(legend) + 1))
    image = Image.new("RGB", (width, height), tuple(PAPER))
    view, art = _art(crate, index, bands, zoom, whole, ground)
    corner = (PAD, HEAD)
    image.paste(Image.fromarray(view[..., :3]), corner)
    placed = _mark(image, crate, index, zoom, corner, art, is_crowded)
    write(image, (PAD, 10), f"{shown(crate.sheets[index].image)}   {measured(size)}", TITLE, INK)
    write(image, (PAD, 36), head, LETTERS, FAINT)
    _draw_legend(image, legend, (whole.w + 2 * PAD, HEAD))
    return SheetView(image, zoom, corner, placed)


def _zoom(size: Size, usual: int, count: int) -> Zoom:
    """Return how a sheet is scaled whose boxes are `usual` pixels on their shorter side."""
    if count > MANY and max(size) <= WIDEST_VIEW:
        return Zoom(max(1, min(-(-CLEAR // usual), WIDEST_VIEW // max(size))), 1)
    return zoom_for(size, Size(VIEW.w - LEGEND - 3 * PAD, VIEW.h - HEAD - 2 * PAD), LARGEST)


def _art(
    crate: Crate, index: int, bands: Bands, zoom: Zoom, whole: Size, ground: Color | None
) -> tuple[Pixels, np.ndarray]:
    """The sheet on its ground with empty parts shaded, and a mask of its visible pixels: at the view's scale."""
    view = backdrop(whole, ground)
    for box, tone in _shades(crate, index):
        x, y, w, h = zoom.box(box)
        part = view[y : y + h, x : x + w, :3]
        part[:] = (part.astype(np.uint16) * 3 + np.array(tone, np.uint16) * 2) // 5
    size = crate.sheets[index].size
    if zoom.divided > 1:
        pixels = _reduced(bands, size.w, zoom.divided)
    else:
        (sheet,) = bands(size.h)
        pixels = enlarged(sheet, zoom.times)
    over(view, pixels, 0, 0)
    return view, pixels[..., 3] > 8


def _reduced(bands: Bands, width: int, by: int) -> Pixels:
    """Return the sheet at 1/`by` of its size. It works in bands, so that memory never holds several copies of a large
    sheet. Colors are weighed by alpha, in 8 bits, which is enough for looking."""
    pictures = map(Image.fromarray, bands(by * max(1, BAND_PIXELS // (by * width))))
    return np.concatenate([np.asarray(band.convert("RGBa").reduce(by).convert("RGBA")) for band in pictures])


def _shades(crate: Crate, index: int) -> Iterator[tuple[Box, Color]]:
    """Yield strips of the sheet, each with the tone of its purpose: margin, gap, repeated edges, cushions."""
    sheet = crate.sheets[index]
    (w, h), margin = sheet.size, sheet.margin
    gap = sheet.gap
    boxes = {frame.box for frame in crate.frames if frame.on_sheet == index and frame.box.w and frame.box.h}
    if margin:
        yield from ((Box(*strip), MARGIN_TONE) for strip in _ring(Box(0, 0, w, h), margin))
    cushion = _cushion(crate)
    for box in sorted(boxes):
        spread = sheet.edge_repeat
        if spread:
            yield from ((Box(*strip), EDGE_TONE) for strip in _ring(_grown(box, spread), spread))
        if gap > 2 * spread:
            after = _grown(box, spread)
            right, below = min(gap - 2 * spread, w - after.right), min(gap - 2 * spread, h - after.bottom)
            if right > 0:
                yield Box(after.right, after.y, right, after.h), GAP_TONE
            if below > 0:
                yield Box(after.x, after.bottom, after.w, below), GAP_TONE
        if cushion and min(box.w, box.h) > 2 * cushion:
            yield from ((Box(*strip), CUSHION_TONE) for strip in _ring(box, cushion))


def _grown(box: Box, by: int) -> Box:
    return Box(box.x - by, box.y - by, box.w + 2 * by, box.h + 2 * by)


def _ring(box: Box, thick: int) -> tuple[tuple[int, int, int, int], ...]:
    """The four strips along the inside of a box's edges."""
    inner = box.h - 2 * thick
    return (
        (box.x, box.y, box.w, thick),
        (box.x, box.bottom - thick, box.w, thick),
        (box.x, box.y + thick, thick, inner),
        (box.right - thick, box.y + thick, thick, inner),
    )


def animation_of_frames(crate: Crate) -> list[int | None]:
    """The first animation that shows each frame, by index; None for stills."""
    found: list[int | None] = [None] * len(crate.frames)
    for number, animation in reversed(list(enumerate(crate.animations))):
        for index in animation.frames:
            found[index] = number
    return found


def _mark(
    image: Image.Image, crate: Crate, index: int, zoom: Zoom, corner: tuple[int, int], art: np.ndarray, is_crowded: bool
) -> tuple[Label, ...]:
    """Outlines, dots and crosses if they have room, and labels; returns these in pixels of the picture."""
    draw = ImageDraw.Draw(image)
    dx, dy = corner
    owners = animation_of_frames(crate)
    sharing: dict[Box, list[int]] = defaultdict(list)
    for number, frame in enumerate(crate.frames):
        if frame.on_sheet == index and frame.box.w and frame.box.h:
            sharing[frame.box].append(number)
    whole = zoom.box(Box(0, 0, *crate.sheets[index].size))
    for box, numbers in sharing.items():
        tone = tuple(tone_of(owners[numbers[0]]))
        x, y, w, h = zoom.box(box)
        draw.rectangle((dx + x, dy + y, dx + x + w - 1, dy + y + h - 1), outline=tone)
        if len(numbers) > 1 and min(w, h) > 8:
            draw.rectangle((dx + x + 2, dy + y + 2, dx + x + w - 3, dy + y + h - 3), outline=tone)
        if crate.frames[numbers[0]].turned:
            side = min(12, w // 2, h // 2)
            end = (dx + x + w - 1, dy + y)
            draw.polygon([end, (end[0] - side, end[1]), (end[0], end[1] + side)], fill=tone)
        for number in () if is_crowded else numbers:
            frame = crate.frames[number]
            canvas = zoom.box(canvas_on_sheet(frame))
            if canvas != zoom.box(box):
                _dotted(draw, canvas, whole, corner, tone)
    for numbers in () if is_crowded else sharing.values():
        first = crate.frames[numbers[0]]
        px, py = zoom.point(point_on_sheet(first, first.pivot))
        if 0 <= px <= whole.w and 0 <= py <= whole.h:
            _cross(draw, dx + px, dy + py, 5 if min(zoom.box(first.box).size) > 40 else 2)
    wanted = [
        (zoom.box(box), [(text, _label_size(text)) for text in _texts(crate, numbers)])
        for box, numbers in sharing.items()
    ]
    placed = [label for label in labels(wanted, art, whole.size) if label]
    moved = tuple(label._replace(box=Box(label.box.x + dx, label.box.y + dy, *label.box.size)) for label in placed)
    for label in moved:
        _pill(image, label)
    return moved


def _texts(crate: Crate, numbers: Sequence[int]) -> list[str]:
    """Return what a box may be called: its frame's last name, or the index; how many more share it."""
    more = f" +{len(numbers) - 1}" if len(numbers) > 1 else ""
    name = shown(crate.frames[numbers[0]].name.rpartition("/")[2])
    return [f"{name}{more}", f"{numbers[0]}{more}", f"{numbers[0]}"]


def _label_size(text: str) -> Size:
    size = text_size(text, SMALL)
    return Size(size.w + 4, size.h + 2)


def _pill(image: Image.Image, label: Label) -> None:
    """Draw a label on a light ground, which is translucent over art."""
    x, y, w, h = label.box
    part = image.crop((x, y, x + w, y + h))
    share = 0.55 if label.dimmed else 0.9
    image.paste(Image.blend(part, Image.new("RGB", (w, h), tuple(PAPER)), share), (x, y))
    write(image, (x + 2, y), label.text, SMALL, INK)


def _dotted(draw: ImageDraw.ImageDraw, canvas: Box, whole: Box, corner: tuple[int, int], tone: tuple[int, ...]) -> None:
    dx, dy = corner
    across = [(x, y) for y in (canvas.y, canvas.bottom - 1) for x in range(canvas.x, canvas.right, 4)]
    down = [(x, y) for x in (canvas.x, canvas.right - 1) for y in range(canvas.y, canvas.bottom, 4)]
    inside = [(dx + x, dy + y) for x, y in across + down if 0 <= x < whole.w and 0 <= y < whole.h]
    draw.point(inside, fill=tone)


def _cross(draw: ImageDraw.ImageDraw, x: int, y: int, size: int = 5) -> None:
    for reach, width, color in ((size, 3, PAPER), (size - 1, 1, INK)):
        draw.line((x - reach, y, x + reach, y), fill=tuple(color), width=width)
        draw.line((x, y - reach, x, y + reach), fill=tuple(color), width=width)


def _head(crate: Crate, index: int, zoom: Zoom) -> str:
    """The summary of a sheet in a line."""
    summary = sheet_summaries(crate)[index]
    parts = [counted(summary.count, "frame")]
    if summary.cell:
        parts.append(f"{summary.columns} × {summary.rows} cells of {measured(summary.cell)}")
    elif summary.blocks:
        parts.append(counted(len(summary.blocks), "block"))
    elif summary.boxes != summary.count:
        parts.append(counted(summary.boxes, "box", "boxes"))
    parts += [f"{summary.fill_ratio:.0%} full", f"{bytes_shown(summary.gpu_bytes)} of GPU memory"]
    parts += [f"margin {summary.margin}", f"gap {summary.gap}"] + (
        [f"edges repeated by {summary.edge_repeat}"] if summary.edge_repeat else []
    )
    return "   ".join([*parts, f"shown at {zoom}"])


def _legend(crate: Crate, index: int, is_crowded: bool) -> Iterator[tuple[str, Color | str]]:
    """Return the legend's lines: text, and the tone or the mark before it."""
    here = {number for number, frame in enumerate(crate.frames) if frame.on_sheet == index}
    shown_here = [
        (number, animation) for number, animation in enumerate(crate.animations) if here & set(animation.frames)
    ]
    for number, animation in shown_here[:LISTED]:
        frames = [frame for frame in animation.frames if frame in here]
        span = str(frames[0]) if len(frames) == 1 else f"{min(frames)}–{max(frames)}"
        yield f"{_cut(shown(animation.name))}  {span}", tone_of(number)
    if len(shown_here) > LISTED:
        yield f"and {len(shown_here) - LISTED} more animations", "none"
    stills = [number for number, owner in enumerate(animation_of_frames(crate)) if owner is None and number in here]
    if stills:
        yield f"{counted(len(stills), 'still')}  {number_list(stills, '–')}", tone_of(None)
    frames_here = [crate.frames[number] for number in here]
    yield "", "none"
    yield "box, with its frame's name or index", "box"
    if not is_crowded and any(canvas_on_sheet(frame) != frame.box for frame in frames_here):
        yield "the whole canvas", "dots"
    yield ("pivots are left out: larger, by --zoom", "none") if is_crowded else ("pivot", "cross")
    if len({frame.box for frame in frames_here}) < len(frames_here):
        yield "several frames share it", "double"
    if any(frame.turned for frame in frames_here):
        yield "stored turned by 90°", "corner"
    sheet = crate.sheets[index]
    for rows, text, tone in (
        (sheet.margin, "margin", MARGIN_TONE),
        (sheet.gap > 2 * sheet.edge_repeat, "gap", GAP_TONE),
        (sheet.edge_repeat, "repeated edge", EDGE_TONE),
        (_cushion(crate), "cushion", CUSHION_TONE),
    ):
        if rows:
            yield text, tone


def _cut(name: str) -> str:
    return name if len(name) < 25 else f"{name[:22]}…"


def _draw_legend(image: Image.Image, lines: Sequence[tuple[str, Color | str]], corner: tuple[int, int]) -> None:
    draw = ImageDraw.Draw(image)
    ink = tuple(INK)
    x, y = corner
    for text, mark in lines:
        box = (x, y + 2, x + 13, y + 13)
        if isinstance(mark, Color):
            draw.rectangle(box, fill=tuple(mark))
        elif mark in ("box", "double", "corner"):
            draw.rectangle(box, outline=ink)
            if mark == "double":
                draw.rectangle((x + 2, y + 4, x + 11, y + 11), outline=ink)
            if mark == "corner":
                draw.polygon([(x + 13, y + 2), (x + 5, y + 2), (x + 13, y + 10)], fill=ink)
        elif mark == "dots":
            _dotted(draw, Box(x, y + 2, 14, 12), Box(0, 0, *image.size), (0, 0), ink)
        elif mark == "cross":
            _cross(draw, x + 7, y + 8)
        write(image, (x + 22, y), text, LETTERS, INK)
        y += LINE


def _cushion(crate: Crate) -> int:
    """Return the cushion in pixels with which the crate was packed, from its metadata; 0 if it has none."""
    cushion = str(crate.settings.get("cushion", ""))
    return int(cushion) if cushion.isascii() and cushion.isdigit() and len(cushion) < 5 else 0
