"""Each finding on frames made for it, and on their near miss."""

from fractions import Fraction

import numpy as np
import pytest
from figures import BODY, Pixels, changed, figure, found, on_color, put, walk

from agile_crate.core.inspect.facts import frame_facts
from agile_crate.core.inspect.finding import Surveyed
from agile_crate.core.inspect.findings import budget, find_all, transparency, union_box


def soft_rim(pixels: Pixels) -> None:
    pixels[17, 20:36] = (150, 90, 60, 128)


def test_a_clean_animation_has_no_findings() -> None:
    assert found(walk()) == {}
    assert found(walk(2)) == {}


LAST_SHADE = figure(shade=20)
NEARLY = changed(3, lambda _: figure(shade=2) + np.array([1, 0, 0, 0], np.uint8))
HAZE, LESS_HAZE = np.s_[2:62, 2:62, 3], np.s_[15:49, 18:38, 3]


@pytest.mark.parametrize(
    ("code", "severity", "frames", "where", "told"),
    [
        ("closing", "error", [*walk(), figure()], ["09"], "the last frame equals the first"),
        ("cycle", "error", walk(5) + walk(3), ["06", "07", "08"], "the cycle has 5 frames"),
        ("duplicates", "note", [*walk(4), figure(shade=1), LAST_SHADE], ["05"], "1 exact copy of other frames"),
        ("near-duplicates", "note", NEARLY, ["04"], "hardly differs"),
        ("canvas-differs", "error", changed(2, lambda _: figure(shade=2, size=(64, 70))), ["03"], "64×70 here and 64×64"),
        ("frame-empty", "error", changed(4, lambda p: np.zeros_like(p)), ["05"], "nothing is visible"),
        ("frame-empty", "error", changed(4, put(np.s_[..., 3], 8)), ["05"], "nothing is visible"),
        ("stray-pixels", "error", changed(1, put(np.s_[3, 60], BODY)), ["02"], "a stray spot of 1 pixel at 60,3"),
        ("cut-off", "error", changed(0, lambda _: figure(x=52)), ["01"], "the art reaches the right edge"),
        ("cut-off", "error", changed(0, lambda _: figure(y=40)), ["01"], "the art reaches the bottom edge"),
        ("jump", "error", changed(3, lambda _: figure(x=21, shade=3)), ["04"], "is +1,+0 pixels off"),
        ("jump", "error", changed(4, lambda _: figure(y=17, shade=4)), ["05"], "is +0,-1 pixels off"),
        ("tint-differs", "error", changed(3, lambda p: np.where(p[..., 3:] > 0, p + np.array([0, 0, 26, 0], np.uint8), p)), ["04"], "blue +"),
        ("edges-soft", "warning", changed(5, soft_rim), ["06"], "soft edges, where the other frames have hard ones"),
    ],
)  # fmt: skip
def test_what_is_found_and_where(code: str, severity: str, frames: list[Pixels], where: list[str], told: str) -> None:
    said = found(frames)
    assert said[code][:2] == (severity, where)
    assert told in said[code][2]


@pytest.mark.parametrize(
    ("code", "frames"),
    [
        ("closing", [*walk(), LAST_SHADE]),
        ("closing", [figure()] * 3),
        ("cycle", [*walk(5), *walk(2), LAST_SHADE]),
        ("cycle", [figure()] * 6),
        ("near-duplicates", changed(3, put(np.s_[..., 0], 9))),
        ("frame-empty", changed(4, put(np.s_[..., 3], 9))),
        ("stray-pixels", changed(1, put(np.s_[14, 38], BODY))),
        ("stray-pixels", changed(1, put(np.s_[3:7, 56:60], BODY))),
        ("cut-off", changed(0, lambda _: figure(x=47))),
        ("jump", [figure(x=20 + i, shade=i) for i in range(8)]),
        ("jump", [figure(x=20 + i % 2, shade=i) for i in range(8)]),
        ("jump", changed(1, lambda _: figure(x=21, shade=1), count=3)),
        ("tint-differs", [figure(shade=3 * i) for i in range(8)]),
        ("edges-soft", [f for i in range(8) for f in changed(i, soft_rim)[i : i + 1]]),
    ],
)
def test_near_misses(code: str, frames: list[Pixels]) -> None:
    assert code not in found(frames)


def hazy(where: object, alpha: int) -> list[Pixels]:
    frames = walk()
    for frame in frames:
        part = frame[where]
        part[part == 0] = alpha
    return frames


def test_haze_and_the_floor_that_removes_it() -> None:
    severity, frames, what = found(hazy(HAZE, 3))["haze"]
    assert (severity, len(frames)) == ("error", 8)
    assert "alpha up to 3 of 255 where nothing is visible" in what
    assert "haze" not in found(hazy(LESS_HAZE, 3))
    assert "haze" not in found(hazy(HAZE, 9))


def test_backgrounds() -> None:
    said = found([on_color(p, (255, 0, 255)) for p in walk()])
    assert said["background-solid"][0] == "error"
    assert "solid background #ff00ff" in said["background-solid"][2]
    assert "cut-off" not in said
    assert "background-solid" not in found(walk())
    ramp = [on_color(p, (255, 0, 255)) for p in walk()]
    for frame in ramp:
        frame[0, 0] = (1, 2, 3, 255)
    assert found(ramp)["alpha-none"][0] == "note"


@pytest.mark.parametrize(
    ("numbers", "code", "told"),
    [
        (["1", "2", "4", "5"], "number-missing", "number 3 is missing"),
        (["1", "2", "7", "8"], "number-missing", "numbers 3, 4, 5 and 6 are missing"),
        (["1", "2", "02", "3"], "number-duplicate", "number 2 appears twice"),
        (["1", "3", "5", "7"], None, ""),
        (["1", "2", "4"], "number-missing", "number 3 is missing"),
        (["1", "3", "4"], "number-missing", "number 2 is missing"),
        (["1", "2", "9"], None, ""),
        (["0", "45", "90", "135"], None, ""),
        (["1", "5", "6", "20"], None, ""),
        (["10", "20", "40", "50", "60"], "number-missing", "number 30 is missing"),
        (["1", "02", "3", "4"], "number-digits", "the numbers have different lengths"),
        (["8", "9", "10", "11"], "number-unpadded", "other programs may sort 10 before 2"),
        (["07", "08", "09", "10"], None, ""),
    ],
)
def test_numbering(numbers: list[str], code: str | None, told: str) -> None:
    said = found(walk(len(numbers)), numbers)
    assert [one for one in said if one not in ("number-unpadded", "number-digits") or one == code] == [code] * bool(
        code
    )
    assert code is None or told in said[code][2]


def test_names_that_say_nothing() -> None:
    assert found(walk(), name="frame")["name-generic"][0] == "note"
    assert found(walk(), name="framed") == {}


def unseen(_: object) -> Pixels:
    raise AssertionError("nothing here is suspicious")


def test_canvases_that_a_scale_does_not_divide() -> None:
    facts = tuple(frame_facts(f"walk_{i}", figure(shade=i, size=(64, 50))) for i in range(3))
    (finding,) = find_all(Surveyed("walk", facts, unseen, Fraction(1, 4)))
    assert (finding.code, finding.severity, len(finding.frames)) == ("scale-uneven", "warning", 3)
    assert "the canvas 64×50 scales to 16 × 12.5" in finding.what
    assert find_all(Surveyed("walk", facts, unseen, Fraction(1, 2))) == []


def test_wobble_is_told_in_pixels() -> None:
    severity, _, what = found([figure(y=18 + i % 3, shade=i) for i in range(9)])["wobble"]
    assert severity == "note"
    assert what.startswith("the feet line moves by 2 pixels, the center of mass by 0.0 across and 2.0 up and down")


def test_more_colors_than_pixel_art_has() -> None:
    y, x = np.mgrid[:30, :16]
    many, few = walk(3), walk(3)
    many[1][18:48, 20:36, 1] = (x + y * 2) * 2
    few[1][18:48, 20:36, 1] = (x + y) % 8
    assert found(many)["colors-many"][:2] == ("note", ["02"])
    assert "colors-many" not in found(few)


def test_tiles() -> None:
    x = np.arange(96)
    wave = (128 + 90 * np.sin(x * 2 * np.pi / 96)).astype(np.uint8)
    tile = np.dstack([np.tile(wave, (32, 1))] * 3 + [np.full((32, 96), 255, np.uint8)])
    assert "seam" not in found([tile], name=None)
    severity, frames, what = found([tile[:, :70]], name=None)["seam"]
    assert (severity, frames) == ("warning", ["01"])
    assert "right edge does not continue at the left" in what
    assert "bottom edge does not continue at the top" in found([tile[:, :70].swapaxes(0, 1)], name=None)["seam"][2]
    assert "seam" not in found([figure()], name=None)


def test_numbers_of_a_sequence() -> None:
    facts = [frame_facts("a", figure(x=10)), frame_facts("b", figure(x=30, y=20))]
    assert union_box(facts) == (36, 32)
    assert union_box([frame_facts("a", np.zeros((4, 4, 4), np.uint8))]) == (0, 0)
    assert budget(facts) == (2 * 64 * 64 * 4, 128)
    assert transparency(facts) == "hard"
    soft = figure()
    soft_rim(soft)
    assert transparency([frame_facts("a", soft)]) == "soft"
    assert transparency([frame_facts("a", on_color(figure(), (0, 0, 0)))]) == "none"


def test_facts_leave_their_pixels_unchanged() -> None:
    pixels = figure()
    frame_facts("a", pixels)
    assert np.array_equal(pixels, figure())


def test_where_a_frame_stands() -> None:
    pixels = np.zeros((64, 80, 4), np.uint8)
    pixels[1:5, 2:4] = (10, 20, 30, 255)
    pixels[63, 79] = (200, 100, 50, 128)
    assert frame_facts("a", pixels).feet == (79.5, 64.0)
    pixels[63, 79] = 0
    facts = frame_facts("a", pixels)
    assert (facts.feet, facts.mass) == ((3.0, 5.0), (3.0, 3.0))
    assert (facts.area, facts.spread) == (8.0, (0.5, pytest.approx(5**0.5 / 2)))
