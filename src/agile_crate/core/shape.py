"""Polygons round what is visible of a frame, for collision and for tight meshes.

Two kinds. A *hull* is convex and holds every visible pixel wholly; with fewer points it only grows. A *contour* follows
the edge between visible and empty pixels, one polygon for each island, holes not counted; it is simplified, and never
cuts off a visible pixel by more than its tolerance. Points lie on pixel corners where nothing was simplified.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from .model import Box, Point, Shape

Corner = tuple[int, int]
Line = NDArray[np.float64]

TOLERANCES = (1.0, 1.5, 2.0, 3.0, 4.0, 6.0, 8.0, 12.0, 16.0, 24.0, 32.0, 48.0, 64.0)
"""Pixels. What a contour may leave out is the first; with too many points still, the next, and so on."""

ROUNDED = 0.001
"""Pixels. Corners that are not whole are written with three decimals."""

LEAST_POINTS = 4
"""A shape may be asked for with so many points at least: a rectangle always holds everything."""


def shape_of(mask: NDArray[np.bool_], kind: str, most_points: int = 0) -> Shape | None:
    """The shape, ``hull`` or ``contour``, of what is true in a mask of shape (h, w); None where nothing is.

    `most_points` limits the points of each polygon (0: no limit).
    """
    loops = _loops(mask)
    if not loops:
        return None
    if kind == "hull":
        hull = _hull_with(most_points, [corner for loop in loops for corner in loop])
        return Shape((_points(hull),), 0 if (hull == np.floor(hull)).all() else ROUNDED)
    simplified = [_simplified(np.array(loop, np.float64), most_points) for loop in loops]
    return Shape(tuple(_points(line) for line, _ in simplified), max(off for _, off in simplified))


def moved_shape(shape: Shape, x: float, y: float) -> Shape:
    """The same shape elsewhere."""
    moved = tuple(tuple(Point(p.x + x, p.y + y) for p in polygon) for polygon in shape.polygons)
    return Shape(moved, shape.tolerance)


def _points(line: Line) -> tuple[Point, ...]:
    return tuple(Point(*(int(v) if v == int(v) else round(v, 3) for v in corner)) for corner in line.tolist())


def _loops(mask: NDArray[np.bool_]) -> list[list[Corner]]:
    """The outer edge of every island, clockwise on screen, as pixel corners where it bends; the topmost first.

    Edge following: every side of a visible pixel towards an empty one is an arrow with the pixel on its right; arrows
    are joined end to start. Where two islands touch at a corner only, the arrow that turns right keeps them apart, so
    no polygon crosses itself (the border of 4-connected parts; Rosenfeld, 1970). Anticlockwise loops are holes.
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
    return loops


def _followed(onward: dict[Corner, list[Corner]], start: Corner) -> list[Corner]:
    loop: list[Corner] = []
    before, here = start, onward[start].pop()
    step = (here[0] - before[0], here[1] - before[1])
    loop.append(start)
    while here != start:
        ways = onward[here]
        right = (here[0] - step[1], here[1] + step[0])
        there = right if right in ways else ways[0]
        ways.remove(there)
        turn = (there[0] - here[0], there[1] - here[1])
        if turn != step:
            loop.append(here)
        step, here = turn, there
    return loop


def _area(line: Line) -> float:
    """Twice the area of a polygon; positive where it runs clockwise on screen (the shoelace formula)."""
    x, y = line[:, 0], line[:, 1]
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())


def _hull(corners: Iterable[Corner]) -> list[Corner]:
    """The convex hull, clockwise on screen, without points on its sides (Andrew's monotone chain, 1979; n log n)."""

    def half(ordered: Iterable[Corner]) -> list[Corner]:
        chain: list[Corner] = []
        for corner in ordered:
            while len(chain) > 1 and _turn(chain[-2], chain[-1], corner) <= 0:
                chain.pop()
            chain.append(corner)
        return chain[:-1]

    ordered = sorted(set(corners))
    return half(ordered) + half(reversed(ordered))


def _turn(a: Corner, b: Corner, c: Corner) -> int:
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])


def _hull_with(most: int, corners: list[Corner]) -> Line:
    """The hull with at most so many points: sides are dropped and their neighbours extended until they meet, each time
    the one that adds the least area, as long as the figure's own box holds the result; else that box.

    Our own greedy form of enclosing a polygon by one with fewer sides (Aggarwal, Chang and Yap, 1985, find the best).
    """
    hull = np.array(_hull(corners), np.float64)
    low, high = hull.min(axis=0), hull.max(axis=0)
    while most and len(hull) > most:
        candidates = []
        for index in range(len(hull)):
            a, b, c, d = (hull[(index + k) % len(hull)] for k in (-1, 0, 1, 2))
            meeting = _meeting(a, b, c, d)
            if meeting is not None and (meeting >= low - 1e-9).all() and (meeting <= high + 1e-9).all():
                candidates.append((_area(np.array([b, meeting, c])), index, meeting))
        if not candidates:
            return np.array([low, (high[0], low[1]), high, (low[0], high[1])])
        _, index, meeting = min(candidates, key=lambda candidate: candidate[:2])
        after = (index + 1) % len(hull)
        hull[index] = meeting
        hull = np.delete(hull, after, axis=0)
    return hull


def _meeting(a: Line, b: Line, c: Line, d: Line) -> Line | None:
    """Where the line from a to b, carried on beyond b, meets that from d to c, carried on beyond c."""
    (ux, uy), (vx, vy) = b - a, c - d
    cross = ux * vy - uy * vx
    if abs(cross) < 1e-12:
        return None
    wx, wy = c - b
    t, s = (wx * vy - wy * vx) / cross, (wx * uy - wy * ux) / cross
    return b + t * (b - a) if t > 0 and s > 0 else None


def _simplified(line: Line, most: int) -> tuple[Line, float]:
    """A contour with fewer points, and by how much it leaves visible pixels out at most.

    Ramer (1972), Douglas and Peucker (1973), on both halves between the two points that lie furthest apart. The first
    of TOLERANCES that gives few enough points and a line that does not cross itself is taken; else the hull.
    """
    for tolerance in TOLERANCES:
        points = _peucker(line, tolerance)
        if len(points) < 3 or (most and len(points) > most) or _crosses_itself(points) or _area(points) <= 0:
            continue
        return points, tolerance if len(points) < len(line) else 0
    return _hull_with(most, [(int(x), int(y)) for x, y in line.tolist()]), 0


def _peucker(line: Line, tolerance: float) -> Line:
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
    """Whether any two sides that are not neighbours meet. Cost: the square of the number of sides, as arrays."""
    a, b = line, np.roll(line, -1, axis=0)
    count = len(line)

    def side(p: Line, q: Line, r: Line) -> NDArray[np.float64]:
        return (q[..., 0] - p[..., 0]) * (r[..., 1] - p[..., 1]) - (q[..., 1] - p[..., 1]) * (r[..., 0] - p[..., 0])

    for index in range(count - 2):
        others = np.arange(index + 2, count - (index == 0))
        if len(others) == 0:
            continue
        c, d = a[others], b[others]
        p, q = a[index], b[index]
        across = side(p, q, c) * side(p, q, d)
        along = side(c, d, p[None]) * side(c, d, q[None])
        if ((across < 0) & (along < 0)).any():
            return True
    return False


def union_mask(size: tuple[int, int], masks: Sequence[tuple[NDArray[np.bool_], Box]]) -> NDArray[np.bool_]:
    """Masks laid on one canvas of width × height, each in its box."""
    result = np.zeros((size[1], size[0]), bool)
    for mask, box in masks:
        result[box.y : box.bottom, box.x : box.right] |= mask
    return result
