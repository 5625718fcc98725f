"""Figures for the survey's tests, and what a survey finds of frames."""

from collections.abc import Callable, Sequence

import numpy as np

from agile_crate.core.inspect.facts import frame_facts
from agile_crate.core.inspect.finding import CODES, Finding, Surveyed
from agile_crate.core.inspect.findings import find_all

Pixels = np.ndarray
BODY = (150, 90, 60, 255)


def figure(x: int = 20, y: int = 18, shade: int = 0, size: tuple[int, int] = (64, 64)) -> Pixels:
    """A blocky figure of 16×30 with an arm that tells frames apart by its shade."""
    pixels = np.zeros((size[1], size[0], 4), np.uint8)
    pixels[y : y + 30, x : x + 16] = BODY
    pixels[y + 10 : y + 14, x + 4 : x + 10] = (200, 20 + 9 * shade, 90, 255)
    return pixels


def walk(count: int = 8) -> list[Pixels]:
    return [figure(shade=i) for i in range(count)]


def swing(step: int, side: int = 96, soft: bool = True) -> Pixels:
    """A round body that stays, and an arm that swings over it: a motion whose frames have an order."""
    y, x = np.mgrid[:side, :side] + 0.5
    angle = 0.14 * step - 0.9
    tip_x, tip_y = side / 2 + side / 4 * np.cos(angle), side / 2 + side / 4 * np.sin(angle)
    body, arm = np.hypot(x - side / 2, y - side / 2) - side / 5, np.hypot(x - tip_x, y - tip_y) - side / 14
    cover = np.clip(0.5 - np.minimum(body, arm), 0, 1)
    pixels = np.zeros((side, side, 4), np.uint8)
    pixels[..., 0], pixels[..., 1], pixels[..., 2] = (
        np.where(arm < 0.5, 220, 90),
        60 + x / side * 120,
        40 + y / side * 150,
    )
    pixels[..., 3] = np.floor(cover * 255 + 0.5) if soft else 255 * (cover >= 0.5)
    pixels[pixels[..., 3] == 0] = 0
    return pixels


def swinging(count: int = 10, **options: object) -> list[Pixels]:
    return [swing(step, **options) for step in range(count)]  # type: ignore[arg-type]


def moved(pixels: Pixels, x: int, y: int) -> Pixels:
    """The same, moved; what leaves the canvas is gone."""
    height, width = pixels.shape[:2]
    result = np.zeros_like(pixels)
    result[max(0, y) : height + min(0, y), max(0, x) : width + min(0, x)] = pixels[
        max(0, -y) : height + min(0, -y), max(0, -x) : width + min(0, -x)
    ]
    return result


def noisy(pixels: Pixels, seed: int, reach: int = 2) -> Pixels:
    """The same with noise of up to so many levels in what is seen."""
    noise = np.random.default_rng(seed).integers(-reach, reach + 1, pixels.shape) * (pixels[..., 3:] > 0)
    noise[..., 3] = 0
    return np.clip(pixels + noise, 0, 255).astype(np.uint8)


def changed(index: int, change: Callable[[Pixels], Pixels | None], count: int = 8) -> list[Pixels]:
    frames = walk(count)
    result = change(frames[index])
    if result is not None:
        frames[index] = result
    return frames


def with_one(frames: Sequence[Pixels], place: int, frame: Pixels) -> list[Pixels]:
    return [*frames[:place], frame, *frames[place + 1 :]]


def put(where: object, value: object) -> Callable[[Pixels], None]:
    def change(pixels: Pixels) -> None:
        pixels[where] = value

    return change


def surveyed(frames: Sequence[Pixels], name: str | None = "walk", numbers: Sequence[str] = ()) -> Surveyed:
    numbers = numbers or [f"{i:02d}" for i in range(1, len(frames) + 1)]
    pixels = {f"{name}/{name}_{n}": frame for n, frame in zip(numbers, frames, strict=True)}
    facts = tuple(frame_facts(label, frame) for label, frame in pixels.items())
    return Surveyed(name, facts, lambda frame: pixels[frame.name])


def findings(frames: Sequence[Pixels], name: str | None = "walk", numbers: Sequence[str] = ()) -> dict[str, Finding]:
    """The findings of frames by code."""
    found = find_all(surveyed(frames, name, numbers))
    assert all(finding.code in CODES and finding.fix for finding in found)
    return {finding.code: finding for finding in found}


def found(
    frames: Sequence[Pixels], numbers: Sequence[str] = (), name: str | None = "walk"
) -> dict[str, tuple[str, list[str], str]]:
    """The findings of frames by code: severity, frame numbers and text."""
    return {
        code: (finding.severity, [one.rpartition("_")[2] for one in finding.frames], finding.what)
        for code, finding in findings(frames, name, numbers).items()
    }


def on_color(pixels: Pixels, color: Sequence[int] | Pixels) -> Pixels:
    """The figure laid over a color, or over a picture of shape (h, w, 3)."""
    alpha = pixels[..., 3:] / 255
    mixed = pixels[..., :3] * alpha + np.asarray(color) * (1 - alpha)
    return np.dstack((mixed + 0.5, np.full(pixels.shape[:2], 255))).astype(np.uint8)
