"""Polygons around a frame's visible art, for collision and for tight meshes.

Two kinds. A *hull* is convex and holds every visible pixel wholly. A *contour* follows the edge between visible
and other pixels, one polygon for each island, holes not counted, and never cuts off a visible pixel by more than
TOLERANCE. With fewer points than they would have by themselves, both only grow, within the box of the figure.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from ..errors import UsageError
from ..limits import Limits, raise_hint
from ..model.geometry import Box, Point, Shape

Corner = tuple[int, int]
Line = NDArray[np.float64]

TOLERANCE = 1.0
"""Pixels. What a contour may leave out so that steps become slopes."""

ROUNDED = 0.001
"""Pixels. Corners that are not whole are written with three decimals."""


def shape_of(mask: NDArray[np.bool_], kind: str, limits: Limits, most_points: int = 0) -> Shape | None:
    """The shape, ``hull`` or ``contour``, of the true pixels in a mask of shape (h, w); None without any.

    `most_points` limits the points of each polygon (0: no limit). Raises UsageError for contours of
    too many sides of pixels, or parts.
    """
    if not mask.any():
        return None
    if kind == "hull":
        hull = _with_fewer_points(np.array(_hull(_outermost(mask)), np.float64), most_points)
        return Shape((_points(hull),), 0 if (hull == np.floor(hull)).all() else ROUNDED)
    loops = _loops(mask, limits)
    exact = [np.array(loop, np.float64) for loop in loops]
    simplified = [_simplified(line) for line in exact]
    tolerance = TOLERANCE if any(len(a) < len(b) for a, b in zip(simplified, exact, strict=True)) else 0
    return Shape(tuple(_points(_with_fewer_points(line, most_points)) for line in simplified), tolerance)


def moved_shape(shape: Shape, x: float, y: float) -> Shape:
    """The same shape elsewhere."""
    moved = tuple(tuple(Point(point.x + x, point.y + y) for point in polygon) for polygon in shape.polygons)
    return Shape(moved, shape.tolerance)


def mirrored_shape(shape: Shape, width: int) -> Shape:
    """The shape with left and right exchanged on a canvas of a width, clockwise again."""
    turned = tuple(tuple(Point(width - point.x, point.y) for point in polygon[::-1]) for polygon in shape.polygons)
    return Shape(turned, shape.tolerance)


def _points(line: Line) -> tuple[Point, ...]:
    return tuple(Point(*(int(v) if v == int(v) else round(v, 3) for v in corner)) for corner in line.tolist())


def _outermost(mask: NDArray[np.bool_]) -> list[Corner]:
    """The corners of the first and the last pixel of every row: all that a hull depends on."""
    rows = np.flatnonzero(mask.any(axis=1))
    left = mask[rows].argmax(axis=1)
    right = mask.shape[1] - mask[rows, ::-1].argmax(axis=1)
    return [
        (int(x), int(y) + down) for y, *ends in zip(rows, left, right, strict=True) for x in ends for down in (0, 1)
    ]


def _loops(mask: NDArray[np.bool_], limits: Limits) -> list[list[Corner]]:
    """The outer edge of every island, clockwise on screen, as pixel corners where it bends; the topmost first.

    Edge following: every side of a visible pixel towards an empty one is an arrow with the pixel on its right; arrows
    are joined end to start. Where two pixels touch at a corner only, the arrow that turns left joins them: the borders
    of 8-connected parts (Rosenfeld, 1970), which may touch but never cross. Counterclockwise loops are holes.
    Cost: linear in the pixels and in the length of the edges.
    """
    padded = np.pad(mask, 1)
    here = padded[1:-1, 1:-1]
    onward: dict[Corner, list[Corner]] = defaultdict(list)
    sides = (
        (here & ~padded[:-2, 1:-1], (0, 0), (1, 0)),  # top: to the right
        (here & ~padded[1:-1, 2:], (1, 0), (1, 1)),  # right: down
        (here & ~padded[2:, 1:-1], (1, 1), (0, 1)),  # bottom: to the left
        (here & ~padded[1:-1, :-2], (0, 1), (0, 0)),  # left: up
    )
    too_dotted = UsageError(
        "{shape:contour}: a frame is so dotted or torn that its contours have more than {:,} sides or "
        "{:,} parts; use {shape:hull} or {hard_alpha}, or {}",
        limits.contour_sides,
        limits.islands,
        raise_hint("contour_sides"),
    )
    if sum(int(np.count_nonzero(edge)) for edge, *_ in sides) > limits.contour_sides:
        raise too_dotted
    for edge, (ax, ay), (bx, by) in sides:
        rows, columns = (values.tolist() for values in np.nonzero(edge))
        for y, x in zip(rows, columns, strict=True):
            onward[x + ax, y + ay].append((x + bx, y + by))
    loops = []
    for start in sorted(onward, key=lambda corner: (corner[1], corner[0])):
        while onward[start]:
            loop = _followed(onward, start)
            if _area(np.array(loop, np.float64)) > 0:
                loops.append(loop)
                if len(loops) > limits.islands:
                    raise too_dotted
    return loops


def _followed(onward: dict[Corner, list[Corner]], start: Corner) -> list[Corner]:
    loop: list[Corner] = []
    before, here = start, onward[start].pop()
    step = (here[0] - before[0], here[1] - before[1])
    loop.append(start)
    while here != start:
        ways = onward[here]
        left = (here[0] + step[1], here[1] - step[0])
        next_corner = left if left in ways else ways[0]
        ways.remove(next_corner)
        turn = (next_corner[0] - here[0], next_corner[1] - here[1])
        if turn != step:
            loop.append(here)
        step, here = turn, next_corner
    return loop


def _area(line: Line) -> float:
    """Return twice the area of a polygon; positive if it runs clockwise on screen (the shoelace formula)."""
    x, y = line[:, 0], line[:, 1]
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())


def _hull(corners: Iterable[Corner]) -> list[Corner]:
    """The convex hull, clockwise on screen, without points on its sides (Andrew's monotone chain, 1979; n log n)."""

    def half(ordered: Iterable[Corner]) -> list[Corner]:
        kept: list[Corner] = []
        for corner in ordered:
            while len(kept) > 1 and _turn(kept[-2], kept[-1], corner) <= 0:
                kept.pop()
            kept.append(corner)
        return kept[:-1]

    ordered = sorted(set(corners))
    return half(ordered) + half(reversed(ordered))


def _turn(a: Corner, b: Corner, c: Corner) -> int:
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])


def _with_fewer_points(line: Line, most: int) -> Line:
    """A polygon with at most so many points (0: as many as it has) that holds all that it held.

    Step by step the change that adds the least area: a point at an inward corner is left out, or a side between two
    outward corners is, and its neighbors are extended until they meet. No step may leave the polygon's own box or
    make it cross itself; when none is left, the box is taken. Our own greedy form of enclosing a polygon by
    one with fewer sides (Aggarwal, Chang and Yap, 1985, find the best convex one). Cost: the square of the points, as
    arrays, since a polygon that did not cross itself can only do so in the sides that are new.
    """
    low, high = line.min(axis=0), line.max(axis=0)
    box = np.array([low, (high[0], low[1]), high, (low[0], high[1])])
    if most and len(line) > most and _crosses_itself(line):
        return box
    while most and len(line) > most:
        for _, index, meeting in _ways_to_grow(line, low, high):
            grown = np.delete(line, index, axis=0)
            new = [(index - 1) % len(grown)]
            if meeting is not None:
                grown[index % len(grown)] = meeting
                new.append(index % len(grown))
            if not any(_is_crossed(grown, side) for side in new):
                line = grown
                break
        else:
            return box
    return line


def _ways_to_grow(line: Line, low: Line, high: Line) -> list[tuple[float, int, Line | None]]:
    """Return what can be left out, the least added area first: point `index`, where the next is moved to if a side
    goes."""
    before, after, second = (np.roll(line, -k, axis=0) for k in (-1, 1, 2))
    turn = _cross(line - before, after - line)
    ways: list[tuple[float, int, Line | None]] = []
    for index in np.flatnonzero(turn <= 0).tolist():
        ways.append((-float(turn[index]), index, None))
    outward = (turn > 0) & (np.roll(turn, -1) > 0)
    u, v, w = line - before, after - second, after - line
    parallel = _cross(u, v)
    with np.errstate(divide="ignore", invalid="ignore"):
        t, s = _cross(w, v) / parallel, _cross(w, u) / parallel
        meeting = line + t[:, None] * u
    inside = ((meeting >= low - 1e-9) & (meeting <= high + 1e-9)).all(axis=1)
    possible = outward & (np.abs(parallel) > 1e-12) & (t > 0) & (s > 0) & inside
    for index in np.flatnonzero(possible).tolist():
        added = abs(float(_cross(w[index], meeting[index] - line[index])))
        ways.append((added, index, meeting[index]))
    return sorted(ways, key=lambda way: way[:2])


def _cross(a: Line, b: Line) -> Line:
    result: Line = a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0]
    return result


def _simplified(line: Line) -> Line:
    """A contour with fewer points, which leaves out visible pixels by at most TOLERANCE: Ramer (1972), Douglas and
    Peucker (1973). Where that would cross itself, or nothing would be left, the contour as it is."""
    points = _peucker(line, TOLERANCE)
    return line if len(points) < 3 or _area(points) <= 0 or _crosses_itself(points) else points


def _peucker(line: Line, tolerance: float) -> Line:
    """Simplify both halves between the topmost point and the one furthest from it."""
    first = int(np.lexsort((line[:, 0], line[:, 1]))[0])
    line = np.roll(line, -first, axis=0)
    second = int(((line - line[0]) ** 2).sum(axis=1).argmax())
    closed = np.vstack((line, line[:1]))
    keep = np.zeros(len(closed), bool)
    keep[[0, second]] = True
    spans = [(0, second), (second, len(closed) - 1)]
    while spans:
        begin, end = spans.pop()
        if end - begin < 2:
            continue
        off = _distance(closed[begin + 1 : end], closed[begin], closed[end])
        worst = int(off.argmax())
        if off[worst] > tolerance:
            middle = begin + 1 + worst
            keep[middle] = True
            spans += [(begin, middle), (middle, end)]
    return closed[:-1][keep[:-1]]


def _distance(points: Line, a: Line, b: Line) -> NDArray[np.float64]:
    """The distance of points from the straight piece from a to b."""
    along = b - a
    length = float(along @ along)
    share = np.clip((points - a) @ along / length, 0, 1) if length else np.zeros(len(points))
    off = points - a - share[:, None] * along
    return np.hypot(off[:, 0], off[:, 1])


def _crosses_itself(line: Line) -> bool:
    """Return True if any two sides that are not neighbors meet. Cost: the square of the number of sides, as arrays."""
    return any(_is_crossed(line, index) for index in range(len(line) - 2))


def _is_crossed(line: Line, index: int) -> bool:
    """Return True if any side but its neighbors meets the one that begins at a point."""
    a, b = line, np.roll(line, -1, axis=0)
    count = len(line)
    others = (index + np.arange(2, count - 1)) % count
    c, d, p, q = a[others], b[others], a[index], b[index]
    across = _cross(q - p, c - p) * _cross(q - p, d - p)
    along = _cross(d - c, p - c) * _cross(d - c, q - c)
    return bool(((across < 0) & (along < 0)).any())


def union_mask(size: tuple[int, int], masks: Sequence[tuple[NDArray[np.bool_], Box]]) -> NDArray[np.bool_]:
    """Masks laid on one canvas of width × height, each in its box."""
    result = np.zeros((size[1], size[0]), bool)
    for mask, box in masks:
        result[box.y : box.bottom, box.x : box.right] |= mask
    return result
