"""Preparing frames, as the installed program: what is written, what is said, and that `verify` repeats every step."""

import json
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

import agile_crate
from conftest import Run, art, decode, metadata, save


def figure(w: int, h: int, seed: int, stand: int = 0) -> np.ndarray:
    """A figure of a few colors with a soft edge, that stands `stand` pixels above the canvas's lower edge."""
    pixels = np.zeros((h, w, 4), np.uint8)
    body = art(w // 2, h // 2, seed)
    pixels[h - stand - h // 2 : h - stand, w // 4 : w // 4 + w // 2] = body
    return pixels


@pytest.fixture
def frames(tmp_path: Path) -> Path:
    """Animations of different canvases: walk 40×30, lie 60×20, both with feet 2 pixels above the lower edge."""
    for number in range(1, 5):
        save(tmp_path / "frames" / "walk" / f"walk_{number}.png", figure(40, 30, number, 2))
        save(tmp_path / "frames" / "lie" / f"lie_{number}.png", figure(60, 20, number, 2))
    return tmp_path / "frames"


def packed(run: Run, tmp_path: Path, *options: str, inputs: str = "frames") -> tuple[dict, str]:
    done = run("pack", inputs, "--out", "o", "--force", *options)
    assert done.returncode == 0, done.stderr
    proof = run("verify", "o.json", "--against", inputs)
    count = len(metadata(tmp_path / "o.json")["frames"])
    assert proof.returncode == 0, proof.stdout
    assert f"all {count} frames match their sources, pixel for pixel" in proof.stdout
    return metadata(tmp_path / "o.json"), done.stdout


def by_name(document: dict) -> dict[str, dict]:
    return {frame["name"]: frame for frame in document["frames"]}


ALL_STEPS = [
    ["--scale", "50%"],
    ["--scale", "0.3", "--trim", "frame"],
    ["--scale", "2", "--resample", "pixel", "--outline", "#201830:2:inner"],
    ["--fit", "20x20", "--trim", "sheet", "--pivot", "feet"],
    ["--color-key", "corner:3", "--hard-alpha", "128"],
    ["--clear-alpha", "60", "--trim", "frame", "--drop-duplicates", "--tolerance", "12"],
    ["--palette", "#201830,#f2e9d8,#4080c0", "--dither", "--shift", "walk=3,-1"],
    ["--colors", "5", "--trim", "animation", "--shape", "contour", "--shape-of", "animation"],
    ["--canvas", "common", "--align", "top-left", "--pivot", "0.25,0.75", "--snap-pivot"],
    ["--canvas", "animation", "--fill-under", "--trim", "frame", "--trim-alpha", "40", "--shape", "hull"],
    ["--canvas", "80x64", "--outline", "#fff:3", "--trim", "frame", "--no-offsets", "--pivot", "walk=20px,28px"],
    ["--scale", "70%", "--colors", "4", "--outline", "#201830", "--mirrored", "walk_back=walk", "--cell", "100x90"],
]  # fmt: skip


@pytest.mark.parametrize("options", ALL_STEPS, ids=" ".join)
def test_every_step_is_repeated_by_verify(run: Run, frames: Path, tmp_path: Path, options: list[str]) -> None:
    document, _ = packed(run, tmp_path, *options)
    assert document["settings"]
    walk = Image.open(frames / "walk" / "walk_2.png")
    changed = np.asarray(walk).copy()
    changed[20:26, 16:22] = (255, 0, 255, 255)
    save(frames / "walk" / "walk_2.png", changed)
    assert run("verify", "o.json", "--against", "frames").returncode == 1


def test_scaling_scales_everything(run: Run, frames: Path, tmp_path: Path) -> None:
    document, said = packed(run, tmp_path, "--scale", "50%")
    assert document["scale"] == 0.5
    walk = by_name(document)["walk/walk_1"]
    assert (walk["canvas"], walk["pivot"]) == ([20, 15], [10, 15])
    assert document["sheets"][0]["cells"]["size"] == [30, 15]
    assert "  scaled to 50%: canvases of 30×10 and 20×15\n" in said


@pytest.mark.parametrize(
    ("trim", "fit", "resample"),
    [
        ("frame", "20", "smooth"), ("animation", "33x9", "smooth"), ("sheet", "45", "pixel"), ("off", "90x70", "smooth"),
        ("sheet", "90x70", "smooth"), ("animation", "20", "pixel"),
    ],
)  # fmt: skip
def test_what_is_visible_just_fits(run: Run, frames: Path, tmp_path: Path, trim: str, fit: str, resample: str) -> None:
    """No side of what is seen is longer than asked for, and one is, but for the rounding, as long."""
    for number in range(1, 3):  # drawn at one side of its canvas
        pixels = np.pad(figure(40, 30, 9, 1), ((0, 0), (37 * number, 0), (0, 0)))
        save(frames / "walk" / f"walk_{number}.png", pixels)
    document, said = packed(
        run, tmp_path, "--fit", fit, "--fit-to", "art", "--trim", trim, "--resample", resample, "--also-scale", "50%"
    )
    seen = [agile_crate.load(str(tmp_path / "o.json")).frame(frame["name"]) for frame in document["frames"]]
    boxes = [np.argwhere(pixels[..., 3]) for pixels in seen]
    sizes = [(box[:, 1].max() - box[:, 1].min() + 1, box[:, 0].max() - box[:, 0].min() + 1) for box in boxes]
    if trim != "off":
        sizes = [frame["box"][2:] for frame in document["frames"]]
    w, h = (max(size[axis] for size in sizes) for axis in (0, 1))
    sides = [int(side) for side in fit.split("x")] * (1 if "x" in fit else 2)
    assert w <= sides[0]
    assert h <= sides[1]
    assert w >= sides[0] - 3 or h >= sides[1] - 3
    assert "scaled to" in said


def test_a_lying_pose_stands_on_the_same_ground(run: Run, frames: Path, tmp_path: Path) -> None:
    document, _ = packed(run, tmp_path, "--canvas", "common")
    loaded = agile_crate.load(str(tmp_path / "o.json"))
    for frame in document["frames"]:
        pixels = loaded.frame(frame["name"])
        assert pixels.shape[:2] == (30, 60)
        assert frame["pivot"] == [30, 30]
        assert int(np.flatnonzero(pixels[..., 3].any(axis=1))[-1]) == 27


def test_shift_takes_the_pivot_along_and_never_cuts(run: Run, frames: Path, tmp_path: Path) -> None:
    plain = by_name(packed(run, tmp_path)[0])["walk/walk_1"]["pivot"]
    document, said = packed(run, tmp_path, "--shift", "walk=-5,2")
    assert by_name(document)["walk/walk_1"]["pivot"] == [plain[0] - 5, plain[1] + 2]
    assert "4 frames of 'walk' shifted by -5,2" in said
    assert by_name(document)["lie/lie_1"]["pivot"] == [30, 20]
    done = run("pack", "frames", "--out", "p", "--shift", "walk=-12,4")
    assert done.returncode == 4
    assert done.stderr.startswith(
        "agile-crate: error: --shift would cut off visible pixels of 4 frames, most of 'walk/walk_1', by 2 pixels at"
    )
    assert "2 pixels at the left and 2 pixels at the bottom" in done.stderr.replace("\n", " ")
    assert not (tmp_path / "p.png").exists()


def test_a_shift_saves_what_the_canvas_alone_would_cut_off(run: Run, frames: Path, tmp_path: Path) -> None:
    assert run("pack", "frames", "--out", "p", "--canvas", "60x16").returncode == 4
    document, _ = packed(run, tmp_path, "--canvas", "60x16", "--shift", "0,2")
    assert {tuple(frame["canvas"]) for frame in document["frames"]} == {(60, 16)}
    assert {tuple(frame["pivot"]) for frame in document["frames"]} == {(30, 18)}


def test_the_one_shift_that_saves_all_is_told(run: Run, frames: Path, tmp_path: Path) -> None:
    for given, worst, advice in (
        (["--canvas", "60x16"], "of 4 frames, most of 'walk/walk_1', by 1 pixel at the top", "--shift 0,1 saves all"),
        (["--canvas", "60x16", "--shift", "3,-2"], "by 3 pixels at the top", "--shift 3,1 saves all"),
        (["--shift", "-20,0"], "by 10 pixels at the left", "--shift=-10,0 saves all"),
    ):
        done = run("pack", "frames", "--out", "p", *given)
        assert worst in done.stderr
        assert done.stderr.endswith(f"; {advice}, and so does a larger --canvas\n")
        shift = advice.removeprefix("--shift").removesuffix(" saves all").strip("= ")
        again = [word for word in given if word not in ("--shift", "3,-2", "-20,0")]
        assert run("pack", "frames", "--out", "p", *again, "--shift", shift).returncode == 0
        (tmp_path / "p.png").unlink()
        (tmp_path / "p.json").unlink()


def test_one_rectangle_for_all_is_cut_from_one_canvas(run: Run, frames: Path, tmp_path: Path) -> None:
    document, said = packed(run, tmp_path, "--trim", "sheet")
    assert len({tuple(frame["box"][2:]) for frame in document["frames"]}) == 1
    assert "canvases of 2 sizes were first brought to 60×30, at its bottom (--trim sheet)" in said
    assert "trimmed 8 frames: " in said


def test_forgotten_offsets(run: Run, frames: Path, tmp_path: Path) -> None:
    kept, _ = packed(run, tmp_path, "--trim", "frame")
    document, said = packed(run, tmp_path, "--trim", "frame", "--no-offsets")
    for before, after in zip(kept["frames"], document["frames"], strict=True):
        assert (after["canvas"], after["offset"]) == (before["box"][2:], [0, 0])
        assert after["pivot"] == [before["pivot"][0] - before["offset"][0], before["pivot"][1] - before["offset"][1]]
    assert "offsets are not kept: put at the bottom of their canvas again, frames move by up to " in " ".join(
        said.split()
    )


def test_pivots(run: Run, frames: Path, tmp_path: Path) -> None:
    options = ["--pivot", "0.5,1", "--pivot", "walk=12px,7.5px", "--outline", "#201830:4"]
    document, said = packed(run, tmp_path, *options)
    frames_by_name = by_name(document)
    assert "every canvas grew by 2 pixels at the bottom, to hold the outline" in said
    assert "a line of 4 pixels round every figure, #201830" in said
    assert frames_by_name["walk/walk_1"]["pivot"] == [12, 7.5]
    assert frames_by_name["walk/walk_1"]["canvas"] == [40, 32]
    assert frames_by_name["lie/lie_1"]["pivot"] == [30, 20]
    document, _ = packed(run, tmp_path, *options, "--snap-pivot")
    assert by_name(document)["walk/walk_1"]["pivot"] == [12, 8]
    feet = by_name(packed(run, tmp_path, "--pivot", "feet")[0])
    assert {tuple(feet[f"walk/walk_{n}"]["pivot"]) for n in range(1, 5)} == {tuple(feet["walk/walk_1"]["pivot"])}
    assert feet["walk/walk_1"]["pivot"][1] == 28
    warned = run("pack", "frames", "--out", "o", "--pivot", "lie=0.5,1.5")
    assert warned.returncode == 0
    assert "the pivot lies outside the canvas of 4 frames: lie/lie_1, lie/lie_2" in warned.stderr


def test_a_palette_from_a_file_is_recorded_with_its_colors(run: Run, frames: Path, tmp_path: Path) -> None:
    (tmp_path / "sea.txt").write_text("; the sea\n#201830\nF2E9D8\n\n// sky\n#48c\n")
    document, said = packed(run, tmp_path, "--palette", "sea.txt")
    assert document["settings"]["palette"] == "#201830,#f2e9d8,#4488cc"
    assert "all frames in the 3 colors of one palette\n" in said
    assert "colors that moved furthest, in Oklab: #" in said
    pixels = decode(tmp_path / "o.png")
    assert {tuple(c) for c in pixels[pixels[..., 3] > 0][:, :3].tolist()} == {(32, 24, 48), (68, 136, 204)}
    (tmp_path / "sea.txt").unlink()
    assert run("verify", "o.json", "--against", "frames").returncode == 0
    swatches = np.array([[(32, 24, 48, 255), (9, 9, 9, 0)], [(242, 233, 216, 255), (68, 136, 204, 255)]], np.uint8)
    save(tmp_path / "sea.png", swatches)
    assert packed(run, tmp_path, "--palette", "sea.png")[0]["settings"] == document["settings"]


def test_a_shape_is_written_and_one_for_an_animation_is_the_same_for_all(
    run: Run, frames: Path, tmp_path: Path
) -> None:
    document, said = packed(run, tmp_path, "--shape", "hull", "--shape-points", "5", "--shape-of", "animation")
    shapes = [frame["shape"] for frame in document["frames"] if frame["name"].startswith("walk")]
    assert shapes == [shapes[0]] * 4
    assert len(shapes[0]["polygons"][0]) <= 5
    assert "8 shapes of " in said
    del document["frames"][0]["shape"]
    (tmp_path / "o.json").write_text(json.dumps(document))
    found = run("verify", "o.json", "--against", "frames")
    assert found.returncode == 1
    assert "lie/lie_1: has a different shape from the one that its source gives" in found.stdout


def test_a_pivot_that_was_moved_is_found(run: Run, frames: Path, tmp_path: Path) -> None:
    document, _ = packed(run, tmp_path)
    document["frames"][5]["pivot"][0] += 1
    (tmp_path / "o.json").write_text(json.dumps(document))
    found = run("verify", "o.json", "--against", "frames")
    assert found.returncode == 1
    assert "has its pivot at " in found.stdout


def test_an_empty_animation_is_no_accident(run: Run, frames: Path, tmp_path: Path) -> None:
    for number in range(1, 5):
        save(frames / "lie" / f"lie_{number}.png", np.zeros((20, 60, 4), np.uint8))
    steps = ["--trim", "frame", "--pivot", "feet", "--shape", "contour", "--colors", "4", "--fill-under"]
    document, _ = packed(run, tmp_path, *steps, "--outline", "#fff", "--scale", "50%")
    lie = by_name(document)["lie/lie_1"]
    assert lie["box"][2:] == [0, 0]
    assert "shape" not in lie
    assert lie["pivot"][1] == 10
    for number in range(1, 5):
        save(frames / "walk" / f"walk_{number}.png", np.zeros((30, 40, 4), np.uint8))
    assert packed(run, tmp_path, *steps)[0]["frames"][7]["box"][2:] == [0, 0]


def test_warnings(run: Run, frames: Path, tmp_path: Path) -> None:
    save(frames / "walk" / "walk_9.png", np.full((30, 40, 4), (9, 200, 9, 255), np.uint8))
    done = run("pack", "frames", "--out", "o", "--color-key", "#09c809", "--scale", "70%", "--resample", "pixel")
    assert done.returncode == 0
    assert "warning: 1 frame is wholly empty after --color-key: walk/walk_9\n" in done.stderr
    assert "  the color key made 1,200 pixels of 1 frame empty\n" in done.stdout
    assert "--resample pixel keeps pixels even at whole factors only, and this is 70%" in done.stderr
    pale = np.zeros((30, 40, 4), np.uint8)
    pale[5:20, 5:20] = (9, 9, 9, 7)
    save(frames / "walk" / "walk_9.png", pale)
    done = run("pack", "frames", "--out", "o", "--trim", "frame", "--trim-alpha", "7", "--palette", "#808080")
    assert "warning: 1 frame is wholly empty after --trim-alpha 7: walk/walk_9\n" in done.stderr
    assert "warning: the palette has one color: every frame becomes a silhouette\n" in done.stderr
