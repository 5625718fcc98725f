"""Color key, palettes, hard alpha and what lies under transparency."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.color import Color, color_from_hex, perceived, perceived_back
from agile_crate.core.frame.alpha import UNDER_REACH, filled_under, hard_alpha
from agile_crate.core.frame.color_key import keyed
from agile_crate.core.frame.options import ColorKey
from agile_crate.core.frame.palette import MovedColor, PaletteMap, bayer, derived, furthest, histogram, solid_colors
from agile_crate.core.model.geometry import Offset
from conftest import art

MAGENTA = Color(255, 0, 255)
SEA = tuple(Color(*c) for c in ((10, 20, 40), (60, 120, 200), (240, 240, 220), (200, 80, 40)))
palettes = st.lists(st.builds(Color, *[st.integers(0, 255)] * 3), min_size=1, max_size=20)


def mapped(mapping: PaletteMap, pixels: np.ndarray, x: int = 0, y: int = 0) -> np.ndarray:
    return mapping.mapped(pixels, Offset(x, y))


def disk(
    side: int, radius: float, color: tuple[int, int, int], ground: tuple[int, int, int]
) -> tuple[np.ndarray, np.ndarray]:
    """A smooth disk: its true coverage, and how it looks over a ground."""
    y, x = np.mgrid[: side * 8, : side * 8] / 8 + 1 / 16
    inside = np.hypot(x - side / 2, y - side / 2) < radius
    cover = inside.reshape(side, 8, side, 8).mean(axis=(1, 3))[..., None]
    seen = cover * color + (1 - cover) * np.array(ground)
    return cover[..., 0], np.dstack((np.floor(seen + 0.5), np.full((side, side), 255))).astype(np.uint8)


@pytest.mark.parametrize("ground", [(255, 0, 255), (0, 255, 0), (255, 255, 255), (0, 0, 0)])
def test_a_key_leaves_a_clean_edge(ground: tuple[int, int, int]) -> None:
    color = (70, 120, 190)
    cover, seen = disk(40, 13.3, color, ground)
    before = seen.copy()
    result = keyed(seen, ColorKey(Color(*ground)))
    assert np.array_equal(seen, before)
    assert np.abs(result[..., 3] / 255 - cover).max() <= 3 / 255
    firm = result[..., 3] >= 64
    assert np.abs(result[firm, :3].astype(int) - color).max() <= 8
    assert not result[cover == 0].any()


def test_a_line_thinner_than_its_own_color_is_untinted() -> None:
    _, outer = disk(40, 14.2, (40, 30, 50), MAGENTA)
    cover, _ = disk(40, 13.0, (230, 180, 120), MAGENTA)
    share = cover[..., None]
    seen = np.where(share > 0, share * (230, 180, 120) + (1 - share) * outer[..., :3], outer[..., :3])
    seen = np.dstack((np.floor(seen + 0.5), np.full((40, 40), 255))).astype(np.uint8)
    result = keyed(seen, ColorKey(MAGENTA)).astype(int)
    pinkish = np.minimum(result[..., 0], result[..., 2]) - result[..., 1] > 45
    assert not (pinkish & (result[..., 3] > 40)).any()


def test_hard_edges_tolerance_and_corners() -> None:
    pixels = np.full((12, 12, 4), 255, np.uint8)
    pixels[..., :3] = MAGENTA
    pixels[3:9, 4:8, :3] = (40, 160, 60)
    pixels[0, 5, :3] = (250, 5, 249)
    result = keyed(pixels, ColorKey(None))
    assert (result[3:9, 4:8] == (40, 160, 60, 255)).all()
    assert np.count_nonzero(result[..., 3]) == 24 + 1
    assert np.count_nonzero(keyed(pixels, ColorKey(MAGENTA, 6))[..., 3]) == 24
    assert keyed(pixels, ColorKey(Color(1, 2, 3))) is pixels
    assert keyed(result, ColorKey(None)) is result  # an empty corner has no color
    assert not keyed(pixels[:3, :3], ColorKey(None)).any()


def test_places_in_oklab() -> None:
    known = perceived(np.array([(255, 255, 255), (255, 0, 0), (0, 0, 255), (0, 0, 0)], np.uint8))
    expected = [(1, 0, 0), (0.62796, 0.22486, 0.12585), (0.45201, -0.03246, -0.31153), (0, 0, 0)]
    assert np.abs(known - expected).max() < 1e-4
    colors = np.random.default_rng(1).integers(0, 256, (500, 3), dtype=np.uint8)
    assert np.array_equal(perceived_back(perceived(colors)), colors)


@given(palettes, st.integers(0, 20), st.booleans())
def test_mapping_to_a_palette_twice_changes_nothing(palette: list[Color], seed: int, dither: bool) -> None:
    pixels = art(17, 13, seed)
    before = pixels.copy()
    mapping = PaletteMap(palette, dither)
    once = mapped(mapping, pixels)
    assert np.array_equal(pixels, before)
    assert np.array_equal(mapped(PaletteMap(palette, dither), once), once)
    assert np.array_equal(once[..., 3], pixels[..., 3])
    seen = pixels[..., 3] > 0
    assert {Color(*c) for c in once[seen][:, :3].tolist()} <= set(palette)
    assert np.array_equal(once[~seen], pixels[~seen])


def test_the_same_color_becomes_the_nearest_entry_in_every_frame() -> None:
    mapping = PaletteMap(SEA)
    frames = [art(20, 20, seed) for seed in range(6)]
    results = [mapped(mapping, frame) for frame in frames]
    places = perceived(np.array(SEA, np.uint8))
    for frame, result in zip(frames, results, strict=True):
        assert np.array_equal(mapped(PaletteMap(SEA), frame), result)
        seen = frame[..., 3] > 0
        away = ((perceived(frame[seen][:, :3])[:, None] - places) ** 2).sum(axis=2)
        assert np.array_equal(np.array(SEA, np.uint8)[away.argmin(axis=1)], result[seen][:, :3])


def test_the_colors_that_moved_furthest() -> None:
    pixels = np.array([[(0, 0, 0, 255), (250, 250, 250, 255), (255, 0, 0, 20), (60, 120, 200, 255)]], np.uint8)
    moved = furthest(tuple(SEA), np.unique(solid_colors(pixels)))
    assert [(m.before, m.after) for m in moved] == [((0, 0, 0), SEA[0]), ((250, 250, 250), SEA[2])]
    assert moved[0].distance == pytest.approx(float(np.linalg.norm(perceived(np.array([SEA[0]], np.uint8)))))
    assert isinstance(moved[0], MovedColor)


def test_a_dither_stands_still_on_the_canvas() -> None:
    gray = [Color(0, 0, 0), Color(255, 255, 255)]
    ramp = np.full((16, 32, 4), 255, np.uint8)
    ramp[..., :3] = np.linspace(0, 255, 32, dtype=np.uint8)[:, None]
    mapping = PaletteMap(gray, dither=True)
    result = mapped(mapping, ramp)
    assert np.array_equal(mapped(mapping, ramp[3:, 5:], 5, 3), result[3:, 5:])
    share = (result[..., 0] > 0).mean(axis=0)
    assert share[0] == 0
    assert share[-1] == 1
    assert 0.2 < share[8:24].mean() < 0.8
    assert len(np.unique(share)) > 5
    assert sorted((bayer() * 64).ravel().tolist()) == [i + 0.5 for i in range(64)]


def test_one_palette_for_all_frames() -> None:
    few = [np.array([[(*c, 255) for c in SEA[:2]]], np.uint8), np.array([[(*SEA[2], 90), (9, 9, 9, 0)]], np.uint8)]
    assert set(derived(map(histogram, few), 8)) == set(SEA[:3])
    frames = [art(30, 30, seed) for seed in range(4)]
    chosen = derived(map(histogram, frames), 8)
    assert 2 <= len(chosen) <= 8
    assert chosen == derived(map(histogram, reversed(frames)), 8)
    light = perceived(np.array(chosen, np.uint8))[:, 0]
    assert (np.diff(light) >= 0).all()

    def error(colors: tuple[Color, ...]) -> float:
        mapping = PaletteMap(colors)
        return sum(
            np.abs(mapped(mapping, frame)[..., :3].astype(int) - frame[..., :3])[frame[..., 3] > 0].sum()
            for frame in frames
        )

    assert error(derived(map(histogram, frames), 16)) < error(chosen) < error(derived(map(histogram, frames), 3))
    assert derived(map(histogram, [np.zeros((2, 2, 4), np.uint8)]), 4) == ()


def test_hard_alpha() -> None:
    pixels = np.array([[(9, 8, 7, 127), (9, 8, 7, 128), (5, 5, 5, 255), (3, 3, 3, 0)]], np.uint8)
    assert hard_alpha(pixels, 128).tolist() == [[[0] * 4, [9, 8, 7, 255], [5, 5, 5, 255], [0] * 4]]
    assert pixels[0, 0, 3] == 127


def test_colors_are_carried_under_transparent_pixels() -> None:
    pixels = np.zeros((1, 40, 4), np.uint8)
    pixels[0, 2], pixels[0, 5], pixels[0, 1] = (10, 20, 30, 255), (200, 0, 0, 90), (255, 0, 0, 3)
    result = filled_under(pixels)
    assert np.array_equal(result[..., 3], pixels[..., 3])
    assert result[0, 0, :3].tolist() == result[0, 3, :3].tolist() == [10, 20, 30]  # not the speck at 1
    assert result[0, 4, :3].tolist() == result[0, 5 + UNDER_REACH, :3].tolist() == [200, 0, 0]
    assert not result[0, 6 + UNDER_REACH :].any()
    assert filled_under(pixels[:, 30:]) is not None
    assert not filled_under(np.zeros((3, 3, 4), np.uint8)).any()


def test_colors_from_text() -> None:
    assert color_from_hex("#20E0ff") == Color(32, 224, 255)
    assert Color(32, 224, 255).hex == "#20e0ff"
    assert [color_from_hex(text) for text in ("#12345", "", "#gggggg", "#12345678", "²²²")] == [None] * 5


def test_a_figure_that_does_not_touch_the_key_is_left_alone() -> None:
    """Only what borders on the key can be a mix with it; two pixels off, behind emptiness, nothing is."""
    pixels = np.zeros((9, 9, 4), np.uint8)
    pixels[:, :2] = (255, 0, 255, 255)
    pixels[2:7, 3:8] = (90, 60, 70, 255)  # a column of nothing lies between
    with np.errstate(all="raise"):
        result = keyed(pixels, ColorKey(Color(255, 0, 255)))
    assert not result[:, :2].any()
    assert np.array_equal(result[:, 2:], pixels[:, 2:])


def test_a_color_counts_from_half_opaque_on() -> None:
    row = np.array([[[1, 2, 3, 127], [4, 5, 6, 128], [7, 8, 9, 255]]], np.uint8)
    assert solid_colors(row).tolist() == [0x060504, 0x090807]
