"""Places of marks on an annotated sheet: canvases, pivots, and labels that hide no art."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..core.model.crate import Frame
from ..core.model.geometry import Box, Point, Size
from ..core.rounding import half_up


class Label(NamedTuple):
    """A label: its text, its place on the view, and a flag if art lies under it, so that it must be dimmed."""

    text: str
    box: Box
    dimmed: bool


def point_on_sheet(frame: Frame, at: Point) -> Point:
    """Return where a point of a frame's canvas lies on its sheet; it may lie outside of the box."""
    x, y = at
    if "x" in frame.mirror:
        x = frame.canvas.w - x
    if "y" in frame.mirror:
        y = frame.canvas.h - y
    x, y = x - frame.offset.x, y - frame.offset.y
    if frame.turned:  # upright (x, y) lies at (upright height - y, x)
        x, y = frame.upright.h - y, x
    return Point(frame.box.x + x, frame.box.y + y)


def canvas_on_sheet(frame: Frame) -> Box:
    """Return the place of a frame's whole canvas on the sheet; it may reach beyond the sheet."""
    corners = [point_on_sheet(frame, Point(x, y)) for x in (0, frame.canvas.w) for y in (0, frame.canvas.h)]
    left, top = min(corner.x for corner in corners), min(corner.y for corner in corners)
    right, bottom = max(corner.x for corner in corners), max(corner.y for corner in corners)
    return Box(int(left), int(top), int(right - left), int(bottom - top))


class Zoom(NamedTuple):
    """Sheet pixels to view pixels: so many times as large, divided by so many; one of the two is 1."""

    times: int
    divided: int

    def box(self, box: Box) -> Box:
        """Return a box in view pixels."""
        left, top = box.x * self.times // self.divided, box.y * self.times // self.divided
        right, bottom = (-(-end * self.times // self.divided) for end in (box.right, box.bottom))
        return Box(left, top, right - left, bottom - top)

    def point(self, point: Point) -> tuple[int, int]:
        """Return a point in view pixels."""
        return half_up(point.x * self.times / self.divided), half_up(point.y * self.times / self.divided)

    def __str__(self) -> str:
        if self.divided > 1:
            return f"1/{self.divided} of its size"
        return "its own size" if self.times == 1 else f"{self.times} times its size"


def zoom_for(size: Size, room: Size, at_most: Size) -> Zoom:
    """The largest whole factor at which a sheet fits a room; else its own size, or the smallest whole divisor, at which
    it is no larger than `at_most`."""
    times = max(1, min(room.w // size.w, room.h // size.h))
    return Zoom(times, 1 if times > 1 else max(-(-size.w // at_most.w), -(-size.h // at_most.h)))


def labels(
    wanted: Iterable[tuple[Box, Sequence[tuple[str, Size]]]], art: NDArray[np.bool_], view: Size
) -> list[Label | None]:
    """A label for each box of the view: the first of its texts that hides no art, else the shortest, dimmed, else none.

    `wanted` are boxes with texts and the room that each takes, the longest first; `art` is True where the view shows
    something, shape (h, w). Labels lie inside of their boxes and never overlap each other. Cost: five places are tried
    for each text.
    """
    free = ~art
    taken = np.zeros((view.h, view.w), bool)
    found: list[Label | None] = []
    for box, texts in wanted:
        label = None
        for text, size in texts:
            places = [place for place in _places(box, size) if not taken[_part(place)].any()]
            label = next((Label(text, place, False) for place in places if free[_part(place)].all()), None)
            if label is None and places and (text, size) == texts[-1]:
                label = Label(text, places[0], True)
            if label:
                taken[_part(label.box)] = True
                break
        found.append(label)
    return found


def _places(box: Box, size: Size) -> list[Box]:
    """The corners and the top middle of a box where a label fits, one pixel off the outline."""
    right, bottom = box.right - size.w - 1, box.bottom - size.h - 1
    left, top = box.x + 1, box.y + 1
    if right < left or bottom < top:
        return []
    corners = [(left, top), (right, top), (left, bottom), (right, bottom), ((left + right) // 2, top)]
    return [Box(x, y, *size) for x, y in corners]


def _part(box: Box) -> tuple[slice, slice]:
    return slice(box.y, box.bottom), slice(box.x, box.right)
