"""The benchmark's inputs, drawn from fixed seeds: painted figures and pixel art."""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor
from functools import cache, partial
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

from boxes import sprites


def painted(number: int, side: int = 512) -> Image.Image:
    """A soft figure: blurred ovals with gradients and a grain of one level, on an empty canvas."""
    chance = np.random.default_rng(number)
    image = Image.new("RGBA", (side, side), (0, 0, 0, 0))
    draw = ImageDraw.Draw(image)
    for _ in range(14):
        x, y = (int(v) for v in chance.integers(side // 12, side * 2 // 3, 2))
        w, h = (int(v) for v in chance.integers(side // 16, side // 3, 2))
        color = tuple(int(v) for v in chance.integers(30, 226, 3))
        draw.ellipse((x, y, x + w, y + h), fill=(*color, 255))
    pixels = np.asarray(image.filter(ImageFilter.GaussianBlur(side / 170)), np.float32)
    y, x = np.mgrid[:side, :side].astype(np.float32)
    light = 12 * (np.sin(x / 37) + np.cos(y / 53)) + chance.normal(0, 0.8, (side, side))
    pixels = np.clip(pixels + light[..., None] * (1, 1, 1, 0), 0, 255).astype(np.uint8)
    pixels[pixels[..., 3] == 0] = 0
    return Image.fromarray(pixels)


def pixel_art(number: int, side: int = 64) -> Image.Image:
    """A hard-edged figure of a few flat colors with an outline."""
    chance = np.random.default_rng(number)
    colors = np.random.default_rng(7).integers(20, 236, (24, 3))
    image = Image.new("RGBA", (side, side), (0, 0, 0, 0))
    draw = ImageDraw.Draw(image)
    for _ in range(12):
        x, y = (int(v) for v in chance.integers(4, side * 3 // 4, 2))
        w, h = (int(v) for v in chance.integers(3, side * 3 // 10, 2))
        draw.ellipse((x, y, x + w, y + h), (*map(int, colors[chance.integers(24)]), 255), (30, 20, 40, 255))
    return image


@cache
def proportions() -> list[tuple[int, int]]:
    return sprites(5000, 0)


def sprite(number: int) -> Image.Image:
    """A figure of a real sprite's proportions, with an empty rim."""
    w, h = proportions()[number]
    drawn = pixel_art(number)
    image = Image.new("RGBA", (w + 8, h + 8), (0, 0, 0, 0))
    image.paste(drawn.crop(drawn.getbbox()).resize((w, h), Image.Resampling.NEAREST), (4, 4))
    return image


def folder_of(draw: str, count: int, at: Path) -> Path:
    """A folder with `count` pictures of a kind, made if it is not there yet."""
    folder = at / f"{draw}-{count}"
    if not (folder / "done").exists():
        folder.mkdir(parents=True, exist_ok=True)
        with ProcessPoolExecutor() as pool:
            list(pool.map(partial(_save, draw, folder), range(count), chunksize=20))
        (folder / "done").touch()
    return folder


def _save(draw: str, folder: Path, number: int) -> None:
    {"painted": painted, "pixel_art": pixel_art, "sprite": sprite}[draw](number).save(
        folder / f"frame_{number:04d}.png"
    )
