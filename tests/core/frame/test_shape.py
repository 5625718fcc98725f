"""Polygons round what is visible."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from agile_crate.core.frame.shape import TOLERANCE, moved_shape, shape_of, union_mask
from agile_crate.core.limits import USUAL
from agile_crate.core.model.geometry import Box, Point, Shape

masks = st.tuples(st.integers(1, 14), st.integers(1, 14)).flatmap(lambda size: arrays(bool, size))
round_things = st.builds(
    lambda rx, ry, notch: blob(rx, ry, notch), st.integers(3, 14), st.integers(3, 14), st.integers(0, 10)
)


def blob(rx: int, ry: int, notch: int) -> np.ndarray:
    y, x = np.mgrid[-ry : ry + 1, -rx : rx + 1]
    inside = (x / rx) ** 2 + (y / ry) ** 2 <= 1
    inside[: ry + 1, rx - notch // 4 : rx + notch // 4 + 1] = False
    return inside


def outside_by(points: np.ndarray, shape: Shape) -> np.ndarray:
    """The distance of points outside every polygon of a shape; 0 inside and on the line."""
    best = np.full(len(points), np.inf)
    for polygon in shape.polygons:
        line = np.array(polygon, float)
        inside = np.zeros(len(points), bool)
        nearest = np.full(len(points), np.inf)
        for a, b in zip(line, np.roll(line, -1, axis=0), strict=True):
            along = b - a
            share = np.clip(((points - a) @ along) / (along @ along), 0, 1)
            nearest = np.minimum(nearest, np.linalg.norm(points - a - share[:, None] * along, axis=1))
            x, y = points[:, 0], points[:, 1]
            if a[1] != b[1]:
                inside ^= ((a[1] > y) != (b[1] > y)) & (x < (b[0] - a[0]) * (y - a[1]) / (b[1] - a[1]) + a[0])
        best = np.minimum(best, np.where(inside, 0, nearest))
    return best


def corners(mask: np.ndarray) -> np.ndarray:
    y, x = np.nonzero(mask)
    return np.concatenate([np.stack((x + dx, y + dy), axis=1) for dx in (0, 1) for dy in (0, 1)]).astype(float)


def area(polygon: tuple[Point, ...]) -> float:
    x, y = np.array(polygon, float).T
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum()) / 2


@given(st.one_of(masks, round_things), st.sampled_from(["hull", "contour"]), st.sampled_from([0, 4, 5, 8, 12]))
def test_no_visible_pixel_is_cut_off_by_more_than_the_tolerance(mask: np.ndarray, kind: str, most: int) -> None:
    before = mask.copy()
    shape = shape_of(mask, kind, USUAL, most)
    assert np.array_equal(mask, before)
    if not mask.any():
        assert shape is None
        return
    assert shape.tolerance <= TOLERANCE
    assert outside_by(corners(mask), shape).max() <= shape.tolerance + 1e-6
    h, w = mask.shape
    for polygon in shape.polygons:
        assert len(polygon) >= 3
        assert not most or len(polygon) <= most
        assert area(polygon) > 0
        assert all(0 <= x <= w and 0 <= y <= h for x, y in polygon)


@given(masks)
def test_a_hull_is_convex_and_there_is_one(mask: np.ndarray) -> None:
    shape = shape_of(mask, "hull", USUAL)
    if shape is None:
        return
    (polygon,) = shape.polygons
    line = np.array(polygon, float)
    u, v = np.roll(line, -1, axis=0) - line, np.roll(line, -2, axis=0) - np.roll(line, -1, axis=0)
    assert (u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0] > 0).all()


def test_plain_shapes() -> None:
    block = np.zeros((6, 8), bool)
    block[1:4, 2:7] = True
    square = (Point(2, 1), Point(7, 1), Point(7, 4), Point(2, 4))
    for kind in ("hull", "contour"):
        assert shape_of(block, kind, USUAL) == Shape((square,))
    block[5, 0] = True
    assert [len(polygon) for polygon in shape_of(block, "contour", USUAL).polygons] == [4, 4]
    ring = np.ones((7, 7), bool)
    ring[2:5, 2:5] = False
    assert shape_of(ring, "contour", USUAL).polygons == ((Point(0, 0), Point(7, 0), Point(7, 7), Point(0, 7)),)
    assert moved_shape(Shape((square,), 1), 10, -1).polygons[0][0] == (12, 0)


def test_stairs_become_a_slope() -> None:
    y, x = np.mgrid[:20, :20]
    (polygon,) = shape_of(x <= y, "contour", USUAL).polygons
    assert len(polygon) == 3


def test_pixels_that_touch_at_a_corner_are_one_island() -> None:
    mask = np.array([[1, 0, 0], [0, 1, 0], [0, 0, 1]], bool)
    assert len(shape_of(mask, "contour", USUAL).polygons) == 1


def test_a_contour_with_few_points_keeps_close() -> None:
    ell = np.zeros((40, 40), bool)
    ell[:, :8] = ell[32:] = True
    shape = shape_of(ell, "contour", USUAL, 6)
    assert abs(area(shape.polygons[0]) - ell.sum()) < 1
    assert area(shape_of(ell, "contour", USUAL, 5).polygons[0]) > area(shape_of(ell, "contour", USUAL, 6).polygons[0])
    assert area(shape_of(ell, "contour", USUAL, 4).polygons[0]) <= 1600


def test_one_mask_of_many() -> None:
    small = np.ones((2, 2), bool)
    whole = union_mask((5, 4), [(small, Box(0, 0, 2, 2)), (small, Box(3, 2, 2, 2))])
    assert whole.sum() == 8
    assert whole.shape == (4, 5)
