"""Backgrounds, haze, specks, edges and tiles: what is wrong, what is not, and cures that harm nothing."""

import numpy as np
import pytest
from figures import BODY, Pixels, figure, findings, found, moved, noisy, on_color, swing, swinging, walk, with_one

from agile_crate.core.color import Color
from agile_crate.core.frame.color_key import keyed
from agile_crate.core.frame.options import ColorKey


def checkerboard(side: int, square: int, light: int = 255, dark: int = 204, left: int = 0, top: int = 0) -> np.ndarray:
    y, x = np.mgrid[:side, :side]
    gray = np.where(((x + left) // square + (y + top) // square) % 2 == 0, light, dark)
    return np.repeat(gray[..., None], 3, axis=2)


@pytest.mark.parametrize(("square", "light", "dark", "left"), [(8, 255, 204, 0), (16, 102, 153, 5), (4, 240, 220, 3)])
def test_a_painted_checkerboard_is_no_transparency(square: int, light: int, dark: int, left: int) -> None:
    ground = checkerboard(96, square, light, dark, left, left)
    finding = findings([on_color(frame, ground) for frame in swinging(6)])["background-checkered"]
    assert (finding.severity, len(finding.frames), finding.fix.settings) == ("error", 6, [])
    assert "background-checkered" in findings([on_color(swing(0), ground)], name=None)


@pytest.mark.parametrize("noise", [0, 3])
def test_a_solid_background_is_keyed_where_that_leaves_the_figure(noise: int) -> None:
    frames = [noisy(on_color(frame, (40, 200, 60)), seed, noise) for seed, frame in enumerate(swinging(6))]
    finding = findings(frames)["background-solid"]
    ((name, value),) = finding.fix.settings
    color, _, tolerance = value.partition(":")
    assert name == "color_key"
    assert bool(tolerance) == bool(noise)
    after = keyed(frames[0], ColorKey(Color(*bytes.fromhex(color[1:])), int(tolerance or 0)))
    assert (after[..., 3] > 128).sum() == pytest.approx((swing(0)[..., 3] > 128).sum(), rel=0.02)
    hollow = [frame.copy() for frame in frames]
    for frame in hollow:
        frame[44:50, 44:50] = frames[0][0, 0]
    assert findings(hollow)["background-solid"].fix.settings == []


def grass(seed: int = 0) -> Pixels:
    green = np.random.default_rng(seed).integers(60, 200, (32, 32))
    return np.dstack((green // 3, green, green // 4, np.full((32, 32), 255))).astype(np.uint8)


def test_tiles_doors_and_masks_have_no_background() -> None:
    plain = np.full((32, 32, 4), (90, 160, 60, 255), np.uint8)
    door = plain.copy()
    door[2:-2, 2:-2, :3] = grass()[2:-2, 2:-2, :3]
    for still in (grass(), plain, door):
        assert "background-solid" not in findings([still], name=None)
        assert "background-solid" not in findings([still] * 6)
    assert "background-solid" not in findings([*swinging(5), on_color(swing(5), (0, 0, 0))])
    assert "seam" not in findings([grass()], name=None)


def dusty(frame: Pixels, alpha: int, share: float = 1.0) -> Pixels:
    result = frame.copy()
    dust = np.random.default_rng(1).random(frame.shape[:2]) < share
    result[..., 3] = np.where(dust & (frame[..., 3] == 0), alpha, frame[..., 3])
    return result


@pytest.mark.parametrize(("alpha", "share"), [(1, 1.0), (2, 1.0), (2, 0.2), (7, 0.1)])
def test_dust_can_be_cleared(alpha: int, share: float) -> None:
    finding = findings([dusty(frame, alpha, share) for frame in walk()])["haze"]
    assert (len(finding.frames), finding.fix.settings) == (8, [("clear_alpha", str(alpha))])


def test_a_glow_that_fades_is_no_haze() -> None:
    y, x = np.mgrid[:160, :160] - 80.0
    for width in (8, 14, 22):
        glow = np.zeros((160, 160, 4), np.uint8)
        glow[..., 3] = 255 * np.exp(-(x**2 + y**2) / (2 * width**2))
        assert "haze" not in findings([glow] * 3)


@pytest.mark.parametrize("at", [(3, 3), (90, 4), (5, 88)])
def test_a_speck_is_told_where_it_is(at: tuple[int, int]) -> None:
    frames = swinging(8)
    spotted = frames[3].copy()
    x, y = at
    spotted[y : y + 2, x : x + 2] = BODY
    severity, where, what = found(with_one(frames, 3, spotted))["stray-pixels"]
    assert (severity, where) == ("error", ["04"])
    assert f"a stray spot of 4 pixels at {x},{y}" in what
    everywhere = np.stack(frames)
    everywhere[:, y : y + 2, x : x + 2] = BODY
    assert "stray-pixels" not in findings(list(everywhere))


def test_a_frame_that_the_canvas_cuts_off() -> None:
    frames = swinging(9)
    for by in ((-36, 0), (36, 0), (0, -36)):
        finding = findings(with_one(frames, 4, moved(frames[4], *by)))["cut-off"]
        assert (finding.severity, finding.frames) == ("error", ("walk/walk_05",))
    assert "cut-off" not in findings([frame[16:80, 16:80] for frame in frames])  # cut down to what is drawn


def test_nothing_between_frames_that_show_all_of_it() -> None:
    frames = swinging(8)
    empty = np.zeros_like(frames[0])
    assert findings(with_one(frames, 4, empty))["frame-empty"].severity == "error"
    assert findings([*frames, empty])["frame-empty"].severity == "note"
    assert findings([empty if n % 2 else frame for n, frame in enumerate(frames)])["frame-empty"].severity == "note"
    assert findings([empty] * 4)["frame-empty"].severity == "error"
    assert findings([figure(x=52), empty, empty, empty])["frame-empty"].severity == "note"


def test_one_hard_edged_frame_among_soft_ones() -> None:
    frames = swinging(8)
    finding = findings(with_one(frames, 2, swing(2, soft=False)))["edges-hard"]
    assert (finding.severity, finding.frames) == ("warning", ("walk/walk_03",))
    assert "edges-hard" not in findings(swinging(8, soft=False))


@pytest.mark.parametrize(("ground", "color"), [(0, "black"), (255, "white")])
def test_fringes_keep_the_color_of_what_was_behind(ground: int, color: str) -> None:
    frames = []
    for frame in swinging(5, side=128):
        alpha = frame[..., 3:] / 255
        fringed = frame.astype(float)
        fringed[..., :3] = frame[..., :3] * alpha + ground * (1 - alpha)
        fringed[frame[..., 3] == 0] = 0
        frames.append(fringed.astype(np.uint8))
    severity, where, what = found(frames)["fringe"]
    assert (severity, len(where)) == ("warning", 5)
    assert f"half-covered edges turn {color}" in what
    assert "fringe" not in findings(swinging(5, side=128))


def test_an_outline_and_a_shadow_are_no_fringe() -> None:
    y, x = np.mgrid[:128, :128] - 64.0
    far = np.hypot(x, y)
    outlined, shadowed = swing(0, side=128), swing(0, side=128)
    outlined[(far > 20) & (far < 26), :3] = 10
    shadowed[(far > 26) & (far < 40)] = (0, 0, 0, 110)
    for frame in (outlined, shadowed):
        assert "fringe" not in findings([frame] * 4)


@pytest.mark.parametrize(
    ("sizes", "severity"),
    [([64, 64, 68, 64, 64], "error"), ([64, 64, 128, 64, 64], "note"), ([60, 61, 64, 66, 70], "note")],
)
def test_canvases_that_were_not_meant_to_differ(sizes: list[int], severity: str) -> None:
    frames = [figure(shade=n, size=(size, size)) for n, size in enumerate(sizes)]
    assert findings(frames)["canvas-differs"].severity == severity
