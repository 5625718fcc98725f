"""Copies that are dropped, by what will be stored, and faint pixels that are cleared, as the installed program."""

from pathlib import Path

import numpy as np
import pytest

from conftest import Run, art, decode, metadata, save


def noisy(pixels: np.ndarray, seed: int, reach: int = 2) -> np.ndarray:
    """The same with noise in what is seen, of up to so many levels."""
    chance = np.random.default_rng(seed)
    noise = chance.integers(-reach, reach + 1, pixels.shape) * (pixels[..., 3:] > 0)
    noise[..., 3] = 0
    return np.clip(pixels.astype(int) + noise, 0, 255).astype(np.uint8)


def flat(seed: int) -> np.ndarray:
    """Three colors, far enough from each other to stay themselves under noise."""
    pixels = art(24, 20, seed)
    pixels[..., :3] = np.array([(0, 0, 0), (40, 120, 200), (255, 255, 255)])[pixels[..., 0] // 86]
    return pixels


@pytest.fixture
def swim(tmp_path: Path) -> Path:
    """Four frames of which the third is the second with noise, and the last the first with noise."""
    frames = [flat(1), flat(2), noisy(flat(2), 5), flat(3), noisy(flat(1), 6)]
    for number, frame in enumerate(frames, 1):
        save(tmp_path / "frames" / "swim" / f"swim_{number:02d}.png", frame)
    return tmp_path


def kept(run: Run, folder: Path, *options: str) -> list[int]:
    """The numbers of the frames that a build keeps; the proof keeps the same."""
    done = run("pack", "frames", "--out", "o", "--force", *options)
    assert done.returncode == 0, done.stderr
    for proved in folder.glob("o*.json"):
        assert run("verify", proved, "--against", "frames").returncode == 0
    return [int(frame["name"][-2:]) for frame in metadata(folder / "o.json")["frames"]]


@pytest.mark.parametrize(
    ("options", "left"),
    [
        (["--drop-duplicates", "--drop-closing"], [1, 2, 3, 4, 5]),
        (["--drop-duplicates", "--tolerance", "0"], [1, 2, 3, 4, 5]),
        (["--drop-duplicates", "--tolerance", "4"], [1, 2, 4, 5]),
        (["--drop-closing", "--tolerance", "4"], [1, 2, 3, 4]),
        (["--drop-duplicates", "--drop-closing", "--tolerance", "4"], [1, 2, 4]),
        (["--drop-duplicates", "--drop-closing", "--tolerance", "4", "--also-scale", "50%"], [1, 2, 4]),
        (["--drop-duplicates", "--drop-closing", "--palette", "#000000,#2878c8,#ffffff"], [1, 2, 4]),
        (["--drop-duplicates", "--drop-closing", "--colors", "3"], [1, 2, 4]),
        (["--drop-duplicates", "--palette", "#000000,#2878c8,#ffffff", "--frames", "2-4"], [2, 4]),
    ],
)
def test_copies_are_told_by_what_will_be_stored(run: Run, swim: Path, options: list[str], left: list[int]) -> None:
    assert kept(run, swim, *options) == left


def test_what_is_held_lasts_as_long_as_its_copies(run: Run, swim: Path) -> None:
    kept(run, swim, "--drop-duplicates", "--tolerance", "4", "--fps", "10")
    assert metadata(swim / "o.json")["animations"][0]["durations"] == [100, 200, 100, 100]


def test_faint_pixels_are_cleared_inside_and_outside(run: Run, tmp_path: Path) -> None:
    frame = np.zeros((20, 24, 4), np.uint8)
    frame[..., 3] = 2
    frame[5:15, 6:16] = (200, 90, 40, 255)
    frame[9:11, 9:11] = (10, 20, 30, 3)
    frame[7, 7] = (10, 20, 30, 4)
    save(tmp_path / "frames" / "haze_1.png", frame)
    save(tmp_path / "frames" / "haze_2.png", np.full((20, 24, 4), 3, np.uint8))
    done = run("pack", "frames", "--out", "o", "--trim", "frame", "--clear-alpha", "3")
    assert done.returncode == 0
    assert "864 faint pixels of 2 frames cleared" in done.stdout
    assert "1 frame is wholly empty after --clear-alpha 3: haze_2" in done.stderr
    first = metadata(tmp_path / "o.json")["frames"][0]
    assert (first["box"], first["offset"]) == ([0, 0, 10, 10], [6, 5])
    stored = decode(tmp_path / "o.png")[:10, :10]
    frame[frame[..., 3] <= 3] = 0
    assert np.array_equal(stored, frame[5:15, 6:16])
    assert run("verify", "o.json", "--against", "frames").returncode == 0
