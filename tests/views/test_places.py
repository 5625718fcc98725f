"""Marks at the right pixels, labels that hide nothing, films in time: the parts of views that are pure."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.color import Color
from agile_crate.core.crate.restore import restore
from agile_crate.core.limits import USUAL
from agile_crate.core.model.crate import Animation, Crate, Frame
from agile_crate.core.model.geometry import Box, Mirror, Offset, Point, Shape, Size
from agile_crate.core.model.sheet import Sheet
from agile_crate.views.chart import memory_of, path_of, shares_of
from agile_crate.views.film import AFTER, BEFORE, Film, FilmOptions, Timing, film_of, paced, strip_of, together
from agile_crate.views.labels import Zoom, canvas_on_sheet, labels, point_on_sheet, zoom_for
from agile_crate.views.sheet_view import draw_sheet_view
from agile_crate.views.theme import TONES, backdrop, over
from conftest import art


@pytest.mark.parametrize("turned", [False, True])
@pytest.mark.parametrize("mirror", ["", "x", "y", "xy"])
def test_every_pixel_of_a_canvas_is_found_on_its_sheet(turned: bool, mirror: Mirror) -> None:
    sheet = np.zeros((40, 40, 4), np.uint8)
    frame = Frame("f", 0, Box(11, 7, 6, 9), Size(20, 18), Offset(3, 4), Point(0, 0), turned, mirror)
    box = frame.box
    chance = np.random.default_rng(3)
    sheet[box.y : box.bottom, box.x : box.right] = chance.integers(1, 256, (box.h, box.w, 4))
    canvas = restore(sheet, frame)
    shown = np.argwhere(canvas[..., 3] > 0)
    assert len(shown) == 54
    for y, x in shown:
        u, v = point_on_sheet(frame, Point(x + 0.5, y + 0.5))
        assert np.array_equal(sheet[int(v), int(u)], canvas[y, x])
    whole = canvas_on_sheet(frame)
    assert whole.contains(box)
    assert set(whole.size) == {20, 18}


@pytest.mark.parametrize(
    ("size", "zoom"),
    [
        ((10, 10), (5, 1)), ((50, 50), (1, 1)), ((51, 20), (1, 1)), ((80, 80), (1, 1)), ((81, 10), (1, 2)),
        ((16_384, 2), (1, 205)),
    ],
)  # fmt: skip
def test_sheets_are_shown_at_whole_factors(size: tuple[int, int], zoom: tuple[int, int]) -> None:
    assert zoom_for(Size(*size), Size(50, 50), Size(80, 80)) == zoom


def test_a_scaled_box_covers_all_its_pixels() -> None:
    assert Zoom(3, 1).box(Box(1, 2, 4, 5)) == Box(3, 6, 12, 15)
    assert Zoom(1, 4).box(Box(3, 5, 6, 4)) == Box(0, 1, 3, 2)
    assert Zoom(1, 4).point(Point(6, 9.9)) == (2, 2)
    assert [str(zoom) for zoom in (Zoom(1, 1), Zoom(3, 1), Zoom(1, 2))] == [
        "its own size",
        "3 times its size",
        "1/2 of its size",
    ]


boxes = st.builds(Box, st.integers(0, 40), st.integers(0, 40), st.integers(1, 24), st.integers(1, 24))


@given(st.lists(boxes, max_size=8), st.integers(0, 2**32 - 1))
def test_labels_lie_in_their_boxes_apart_and_off_the_art_where_they_can(given_boxes: list[Box], seed: int) -> None:
    view = Size(64, 64)
    art_ = np.random.default_rng(seed).random((64, 64)) < 0.01
    texts = [("name", Size(14, 6)), ("7", Size(5, 6))]
    found = labels([(box, texts) for box in given_boxes], art_, view)
    assert len(found) == len(given_boxes)
    taken = np.zeros((64, 64), int)
    for box, label in zip(given_boxes, found, strict=True):
        if label is None:
            continue
        assert box.contains(label.box)
        assert label.box.size == dict(texts)[label.text]
        part = np.s_[label.box.y : label.box.bottom, label.box.x : label.box.right]
        taken[part] += 1
        assert label.dimmed == bool(art_[part].any())
    assert taken.max(initial=0) <= 1


def test_a_label_falls_back_to_the_index_before_it_covers_art() -> None:
    art_ = np.zeros((20, 40), bool)
    art_[:, 10:30] = True
    texts = [("name", Size(14, 6)), ("7", Size(5, 6))]
    (label,) = labels([(Box(0, 0, 40, 20), texts)], art_, Size(40, 20))
    assert label == ("7", Box(1, 1, 5, 6), False)
    art_[:] = True
    (label,) = labels([(Box(0, 0, 40, 20), texts)], art_, Size(40, 20))
    assert label == ("7", Box(1, 1, 5, 6), True)
    assert labels([(Box(0, 0, 6, 20), texts)], art_, Size(40, 20)) == [None]


def red_green_blind(color: tuple[int, ...]) -> np.ndarray:
    """A color as a deuteranope sees it, linear light (Viénot, Brettel and Mollon, 1999)."""
    matrix = np.array([[0.29275, 0.70725, 0], [0.29275, 0.70725, 0], [-0.02234, 0.02234, 1]])
    return np.clip(matrix @ ((np.array(color) / 255) ** 2.2), 0, 1)


def test_the_tones_differ_also_for_eyes_that_confuse_red_with_green() -> None:
    seen = [red_green_blind(tone) ** (1 / 2.2) for tone in TONES]
    apart = [np.abs(a - b).max() for i, a in enumerate(seen) for b in seen[:i]]
    assert min(apart) > 0.08


@given(
    st.lists(st.integers(1, 500), min_size=1, max_size=12), st.sampled_from([1, 10]), st.fractions(Fraction(1, 20), 4)
)
def test_other_paces_add_up(milliseconds: list[int], unit: int, speed: Fraction) -> None:
    times = paced(milliseconds, Timing(speed=speed), unit)
    assert all(time >= unit and time % unit == 0 for time in times)
    exact = sum(milliseconds) / speed
    if min(milliseconds) / speed >= 2 * unit:
        assert abs(sum(times) - exact) <= Fraction(unit, 2)
    assert paced(milliseconds, Timing()) == milliseconds
    assert paced([83] * 12, Timing(fps=Fraction(24))) == [42, 41, 42, 42, 41, 42] * 2


PICTURES = [art(10 + 2 * n, 12, n) for n in range(4)]
FRAMES = tuple(
    Frame(f"f{n}", 0, Box(0, 0, 1, 1), Size(10 + 2 * n, 12), Offset(0, 0), Point(5 + n, 11)) for n in range(4)
)
SWING = Animation("swing", (0, 1, 2, 3), (100, 50, 50, 200), "back-and-forth")
DIVE = Animation("dive", (3, 0), (150, 50), "once", times=2)
CRATE = Crate("c", (Sheet("c.png", Size(9, 9)),), FRAMES, (SWING, DIVE))


def on_ground(number: int, x: int, wide: int) -> np.ndarray:
    ground = backdrop(Size(wide, 12), (10, 20, 30))
    over(ground, PICTURES[number], x, 0)
    return ground


def film(animation: Animation, **wish: object) -> Film:
    return film_of(CRATE, animation, PICTURES.__getitem__, FilmOptions(ground=(10, 20, 30), **wish), Timing(), USUAL)


def test_a_film_is_drawn_by_the_pivots() -> None:
    made = film(SWING)
    assert (made.milliseconds, made.showings) == ([100, 50, 50, 200, 50, 50], 0)
    for picture, number in zip(made.pictures, (0, 1, 2, 3, 2, 1), strict=True):
        assert np.array_equal(picture, on_ground(number, 3 - number, 16))
    assert film(DIVE).showings == 2
    larger = film(DIVE, zoom=3).pictures[0]
    assert np.array_equal(larger[::3, ::3], larger[1::3, 2::3])
    assert larger.shape == (36, 48, 4)


def test_onion_skins_are_tinted_before_and_after_and_lie_below() -> None:
    made = film(Animation("a", (0, 1, 2), (10, 10, 10)), onion=1)
    plain = film(Animation("a", (0, 1, 2), (10, 10, 10)))
    assert np.array_equal(plain.pictures[1].shape, made.pictures[1].shape)
    here = np.zeros(made.pictures[1].shape[:2], bool)
    here[:, 1:13] = PICTURES[1][..., 3] == 255
    assert np.array_equal(made.pictures[1][here], plain.pictures[1][here])
    assert not np.array_equal(made.pictures[1], plain.pictures[1])
    only_before = film(Animation("a", (0, 1), (10, 10)), onion=1)
    changed = (only_before.pictures[1] != film(Animation("a", (0, 1), (10, 10))).pictures[1]).any(axis=2)
    tinted = only_before.pictures[1][changed].astype(int)
    assert len(tinted) > 5
    assert (tinted[:, 0] > tinted[:, 2]).mean() > 0.7  # the tint of what was before is orange
    assert BEFORE.red > BEFORE.blue
    assert AFTER.blue > AFTER.red


def test_a_clear_film_keeps_its_alpha() -> None:
    made = film_of(CRATE, DIVE, PICTURES.__getitem__, FilmOptions(clear=True), Timing(), USUAL)
    shown = PICTURES[3][..., 3] > 0
    assert np.array_equal(made.pictures[0][shown], PICTURES[3][shown])
    assert (made.pictures[0][~shown] == 0).all()


def test_the_ground_and_the_pivot_have_room() -> None:
    made = film(DIVE, guide="line", pivots=True)
    height, width = made.pictures[0].shape[:2]
    assert (width, height) == (16, 19)  # eight pixels below the pivot, which lies one above the edge
    bare = np.flatnonzero(PICTURES[3][11, :, 3] == 0)
    assert len(bare) > 1
    assert all(made.pictures[0][11, x].tolist() == [200, 40, 60, 255] for x in bare if abs(x - 8) > 5)
    assert made.pictures[0][11, 8].tolist() == [20, 24, 32, 255]
    assert film(DIVE, guide="rosette").pictures[0].shape[0] >= 19


def test_several_animations_play_side_by_side() -> None:
    made = together(CRATE, [SWING, DIVE], PICTURES.__getitem__, FilmOptions(ground=(10, 20, 30)), Timing(), USUAL)
    assert sum(made.milliseconds) == 500  # the longest turn
    starts = np.cumsum([0, *made.milliseconds]).tolist()
    assert starts == [0, 100, 150, 200, 350, 400, 450, 500]
    assert len({picture.shape for picture in made.pictures}) == 1
    assert np.array_equal(made.pictures[1][8:20, 8:24], on_ground(1, 2, 16))


def test_a_strip_shows_every_frame_once() -> None:
    image = strip_of(CRATE, SWING, PICTURES.__getitem__, FilmOptions(ground=(10, 20, 30)), USUAL)
    pixels = np.asarray(image)
    for number in range(4):
        x = 8 + number * 24
        assert np.array_equal(pixels[8:20, x : x + 16], on_ground(number, 3 - number, 16)[..., :3])


def test_the_marks_of_a_sheet_are_at_their_pixels() -> None:
    sheet = np.zeros((40, 60, 4), np.uint8)
    frames = (
        Frame("swim/swim_01", 0, Box(4, 4, 20, 16), Size(20, 16), Offset(0, 0), Point(10, 16)),
        Frame("letter", 0, Box(28, 4, 12, 20), Size(30, 30), Offset(3, 5), Point(8, 12)),
    )
    crate = Crate("c", (Sheet("c.png", Size(60, 40), gap=4, margin=4),), frames, (Animation("swim", (0,), (100,)),))
    view = draw_sheet_view(crate, 0, lambda _: [sheet], None, USUAL, times=4)
    pixels = np.asarray(view.image)
    x, y = view.corner
    swim, still = tuple(TONES[0]), (110, 116, 128)
    for left, top, w, h, tone in ((16, 16, 80, 64, swim), (112, 16, 48, 80, still)):
        corners = [(left, top), (left + w - 1, top), (left, top + h - 1), (left + w - 1, top + h - 1)]
        assert all(tuple(pixels[y + v, x + u]) == tone for u, v in corners)
    assert tuple(pixels[y + (4 + 16) * 4 - 3, x + (4 + 10) * 4]) == (28, 33, 43)  # the pivot's cross
    assert tuple(pixels[y - 4 + 2, x + 3 * 4 + 100 - 4 * 3 + 12]) != still
    assert (pixels[y + 2, x + 2] < 200).all()  # the margin is shaded
    assert [label.text for label in view.labels] == ["swim_01", "letter"]
    for label in view.labels:
        assert Box(0, 0, *view.image.size).contains(label.box)
        assert not label.dimmed


def test_the_numbers_of_the_charts() -> None:
    pictures = [np.zeros((40, 60, 4), np.uint8) for _ in range(6)]
    for number, picture in enumerate(pictures[:5]):
        x = 20 + (4 if number == 2 else 0)
        picture[16:32, x : x + 8] = art(8, 16) | np.array([0, 0, 0, 255], np.uint8)
    frames = tuple(
        Frame(f"f{n}", 0, Box(60 * n, 0, 60, 40), Size(60, 40), Offset(0, 0), Point(30, 36)) for n in range(6)
    )
    crate = Crate("c", (Sheet("c.png", Size(400, 80)),), frames, (Animation("a", (0, 1, 2, 3, 4), (10,) * 5),))
    path = path_of(crate, crate.animations[0], pictures.__getitem__)
    assert path.jump == 2  # the one that was pushed four pixels to the right
    assert (path.mass[:, 1] == 36 - 24).all()
    assert np.ptp(path.feet[:, 1]) == 0
    assert path.mass[0, 0] == 24 - 30
    nothing = path_of(crate, Animation("b", (0, 5), (10, 10)), pictures.__getitem__)
    assert np.isnan(nothing.mass[1]).all()
    assert nothing.jump is None
    seen = np.zeros((80, 400), bool)
    seen[:10, :60] = True
    assert shares_of(crate, 0, seen) == (600 / 32000, 13800 / 32000, 17600 / 32000)
    assert memory_of(crate) == (400 * 80 * 4, 6 * 60 * 40 * 4)


def test_collision_shapes_are_drawn_on_the_frame() -> None:
    shape = Shape(((Point(2, 2), Point(9, 2), Point(9, 8)),))
    frame = Frame("f", 0, Box(0, 0, 1, 1), Size(12, 10), Offset(0, 0), Point(6, 10), shape=shape)
    crate = Crate("c", (Sheet("c.png", Size(9, 9)),), (frame,), (Animation("a", (0,), (10,)),))
    empty = np.zeros((10, 12, 4), np.uint8)
    plain = film_of(
        crate, crate.animations[0], lambda _: empty, FilmOptions(ground=Color(1, 2, 3)), Timing(), USUAL
    ).pictures[0]
    shown = film_of(
        crate, crate.animations[0], lambda _: empty, FilmOptions(ground=Color(1, 2, 3), shapes=True), Timing(), USUAL
    ).pictures[0]
    drawn = (shown != plain).any(axis=2)
    assert drawn[2, 2:10].all()
    assert drawn[2:9, 9].all()
    assert not drawn[5:, :4].any()
    assert {tuple(color) for color in shown[drawn].tolist()} == {(200, 30, 160, 255)}
