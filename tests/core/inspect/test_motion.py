"""Frames out of place: slips, frames of another size, frames exchanged; and what only looks like it."""

from collections.abc import Callable

import numpy as np
import pytest
from figures import Pixels, figure, findings, found, moved, noisy, swing, swinging, with_one
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from agile_crate.core.inspect.miniature import blurred, difference, miniature
from agile_crate.core.inspect.robust import median, usual

JUDGED = {
    "jump",
    "frames-swapped",
    "size-differs",
    "tint-differs",
    "cycle",
    "closing",
    "stray-pixels",
    "haze",
    "cut-off",
}


def judged(frames: list[Pixels]) -> set[str]:
    return JUDGED & findings(frames).keys()


@pytest.mark.parametrize("by", [(1, 0), (-1, 0), (0, 1), (0, -2), (2, 1)])
@pytest.mark.parametrize("soft", [True, False])
def test_a_slip_is_told_with_the_way_back(by: tuple[int, int], soft: bool) -> None:
    frames = swinging(soft=soft)
    x, y = by
    slipped = found(with_one(frames, 5, moved(frames[5], x, y)))
    assert slipped["jump"] == (
        "error", ["06"], f"is {x:+d},{y:+d} pixels off its neighbors' path: the figure twitches for one frame"
    )  # fmt: skip
    assert (
        str(findings(with_one(frames, 5, moved(frames[5], x, y)))["jump"].fix) == f"move that frame by {-x:+d},{-y:+d}"
    )


def test_a_slip_is_told_on_top_of_a_motion_and_under_noise() -> None:
    bobbing = [moved(swing(step), 0, round(2 * np.sin(step))) for step in range(12)]
    assert judged(bobbing) == set()
    assert found(with_one(bobbing, 6, moved(bobbing[6], 3, 0)))["jump"][1] == ["07"]
    grainy = [noisy(frame, seed) for seed, frame in enumerate(swinging())]
    assert judged(grainy) == set()
    assert found(with_one(grainy, 4, moved(grainy[4], 1, 0)))["jump"][1] == ["05"]


def flash(frame: Pixels) -> Pixels:
    white = frame.copy()
    white[frame[..., 3] > 0, :3] = 255
    return white


def sparks(frame: Pixels, seed: int) -> Pixels:
    result = frame.copy()
    for x, y in np.random.default_rng(seed).integers(2, 92, (9, 2)):
        result[y : y + 2, x : x + 2] = (255, 230, 120, 255)
    return result


def glow(side: int = 96) -> Pixels:
    y, x = np.mgrid[:side, :side] - side / 2
    pixels = np.zeros((side, side, 4), np.uint8)
    pixels[..., :3] = (255, 200, 120)
    pixels[..., 3] = 255 * np.exp(-(x**2 + y**2) / (2 * (side / 9) ** 2))
    pixels[pixels[..., 3] == 0] = 0
    return pixels


HEALTHY: dict[str, list[Pixels]] = {
    "a calm motion": swinging(),
    "a hit flash": with_one(swinging(), 4, flash(swing(4))),
    "a flash between still frames": [swing(0)] * 3 + [flash(swing(0))] + [swing(0)] * 4,
    "flashes by turns": [flash(swing(i)) if i % 2 else swing(i) for i in range(8)],
    "another drawing for one frame": with_one([figure(shade=i) for i in range(8)], 3, figure(x=12, y=10, shade=20)),
    "a blow that moves the figure and changes it": with_one(swinging(), 5, moved(swing(9), 4, 0)),
    "a recoil held": [moved(swing(i), 2 * (i in (4, 5, 6)), 0) for i in range(10)],
    "a jitter": [moved(swing(i), i % 2, 0) for i in range(10)],
    "a leap": [moved(swing(i), 0, -round(12 * np.sin(i * np.pi / 9))) for i in range(10)],
    "a walk across": [moved(swing(i), 3 * i - 14, 0) for i in range(10)],
    "sparks": [sparks(frame, seed) for seed, frame in enumerate(swinging(8))],
    "a glow": [glow()] * 2 + [np.roll(glow(), 1, axis=1)],
    "pixel art on its canvas's edge": [figure(y=34, shade=i) for i in range(8)],
    "there and back": [swing(i) for i in (0, 1, 2, 3, 4, 5, 4, 3, 2, 1)],
    "a breath": [moved(swing(0), 0, i in (3, 4, 5)) for i in range(8)],
    "a blink": [*[figure()] * 4, figure(shade=9), *[figure()] * 3],
    "one held pose": [figure()] * 8,
    "fading out": [np.where(f[..., 3:] > 0, f * np.array([1, 1, 1, 1 - i / 8]), 0).astype(np.uint8) for i, f in enumerate(swinging(8))],
}  # fmt: skip


@pytest.mark.parametrize("name", HEALTHY)
def test_what_is_right_raises_no_alarm(name: str) -> None:
    raised = {code: finding.what for code, finding in findings(HEALTHY[name]).items() if finding.severity != "note"}
    assert raised == {}


@pytest.mark.parametrize("place", [2, 4, 6])
def test_exchanged_frames_are_put_right(place: int) -> None:
    frames = swinging(12)
    frames[place], frames[place + 1] = frames[place + 1], frames[place]
    finding = findings(frames)["frames-swapped"]
    assert finding.frames == (f"walk/walk_{place + 1:02d}", f"walk/walk_{place + 2:02d}")
    assert finding.fix.settings == [("frames", f"walk=1-{place},{place + 2},{place + 1},{place + 3}-")]
    order = [*range(place), place + 1, place, *range(place + 2, 12)]
    assert judged([frames[index] for index in order]) == set()


def scaled(frame: Pixels, factor: float) -> Pixels:
    image = Image.fromarray(frame).convert("RGBa")
    side = frame.shape[0]
    large = image.resize((round(side * factor), round(side * factor)), Image.Resampling.BILINEAR).convert("RGBA")
    result = Image.new("RGBA", (side, side))
    result.paste(large, ((side - large.width) // 2, (side - large.height) // 2))
    return np.array(result)


@pytest.mark.parametrize("factor", [0.95, 1.05])
def test_a_frame_of_another_size(factor: float) -> None:
    frames = swinging()
    finding = findings(with_one(frames, 4, scaled(frames[4], factor)))["size-differs"]
    assert finding.frames == ("walk/walk_05",)
    assert ("larger" if factor > 1 else "smaller") in finding.what
    told = float(str(finding.fix).rpartition(" ")[2].rstrip("%"))
    assert told == pytest.approx(100 / factor, abs=1.5)


@pytest.mark.parametrize("change", [(1.0, 1.0, 1.25), (0.8, 1.0, 1.0), (1.1, 0.9, 1.0)])
def test_a_tint_is_told_and_not_a_flash(change: tuple[float, float, float]) -> None:
    frames = swinging()
    tinted = frames[5].astype(float)
    tinted[..., :3] = np.clip(tinted[..., :3] * change, 0, 255)
    finding = findings(with_one(frames, 5, tinted.astype(np.uint8)))["tint-differs"]
    assert finding.frames == ("walk/walk_06",)
    for name, factor in zip(("red", "green", "blue"), change, strict=True):
        assert (f"{name} +" if factor > 1 else f"{name} -") in finding.what or factor == 1


Values = Callable[[], list[float]]


@given(st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=60))
def test_the_median_is_numpys(values: list[float]) -> None:
    assert median(values) == pytest.approx(float(np.median(values)))


def test_what_is_usual_is_not_moved_by_a_few() -> None:
    calm = [1.0, 1.1, 0.9, 1.0, 1.05, 0.95]
    assert usual([*calm, 900, -900]).middle == pytest.approx(1.0)
    assert usual([*calm, 900]).score(900, 0.1) > 1000
    assert usual([]) == (0.0, 0.0)


@given(st.integers(1, 300), st.integers(1, 300), st.integers(0, 9))
def test_miniatures_are_small_and_mirror_their_mirror_images(width: int, height: int, seed: int) -> None:
    from agile_crate.core.frame.visible import visible_box
    from conftest import art

    pixels = art(width, height, seed)
    before = pixels.copy()
    small = miniature(pixels, visible_box(pixels))
    assert max(small.pixels.shape[:2]) <= 96
    if small.step == 1:
        alpha = pixels[..., 3:].astype(int)
        assert np.abs(small.pixels[..., :3] - pixels[..., :3] * alpha / 255).max(initial=0) < 2
        mirrored = miniature(pixels[:, ::-1], visible_box(pixels[:, ::-1]))
        assert np.allclose(blurred(mirrored, 8)[:, ::-1], blurred(small, 8), atol=0.01)
    assert np.array_equal(pixels, before)
    same = difference(small, miniature(before, visible_box(before)))
    assert same == (0.0, 0.0)
