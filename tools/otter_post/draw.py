"""Draws the demo frames of the Otter Post: every picture under src/agile_crate/demo/frames and demo/rough.

Run it from the top of the checkout after changing a drawing::

    python tools/otter_post/draw.py

Painted figures are drawn six times as large and shrunk; pixel art is drawn pixel by pixel. Nothing is random
but by a fixed seed, so running it again draws the same pictures.
"""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image

from buoy import draw_buoy
from flare import draw_flare
from otter import RAINCOAT, SCARF, dive, idle, swim, walk, wearing
from pixel_things import PARCELS, gull, lantern
from rough_frames import spoil
from water import sea, splash

DEMO = Path(__file__).parents[2] / "src" / "agile_crate" / "demo"


def save_animation(folder: Path, name: str, count: int, draw: Callable[[float], Image.Image]) -> None:
    """Save `count` frames; `draw` gets the moment of each, from 0 up to but not including 1."""
    folder.mkdir(parents=True)
    for index in range(count):
        save(draw(index / count), folder / f"{name}_{index + 1:02d}.png")


def save(picture: Image.Image, path: Path) -> None:
    """Save a picture; invisible pixels have no color, so that it packs small."""
    pixels = np.array(picture.convert("RGBA"))
    pixels[pixels[..., 3] == 0] = 0
    path.parent.mkdir(parents=True, exist_ok=True)
    Image.fromarray(pixels).save(path, optimize=True)


def draw_otter(otter: Path) -> None:
    save_animation(otter / "idle", "idle", 8, idle)
    save_animation(otter / "swim", "swim", 12, swim)
    save_animation(otter / "dive", "dive", 10, dive)
    for way in ("down", "left", "right", "up"):
        save_animation(otter / f"walk_{way}", f"walk_{way}", 3, lambda moment, way=way: walk(moment, way))


def draw_skins(otter: Path, skins: Path) -> None:
    """The otter in a raincoat, and a scarf by itself, to be laid over it: what is not as on the otter without one."""
    with wearing(RAINCOAT):
        draw_otter(skins / "raincoat")
    with wearing(SCARF):
        draw_otter(skins / "scarf")
    for path in sorted((skins / "scarf").rglob("*.png")):
        pixels = np.array(Image.open(path))
        plain = np.array(Image.open(otter / path.relative_to(skins / "scarf")))
        pixels[(pixels == plain).all(axis=2)] = 0
        save(Image.fromarray(pixels), path)


def draw_frames(frames: Path) -> None:
    otter, harbor = frames / "otter", frames / "harbor"
    draw_otter(otter)
    save_animation(harbor / "gull", "gull", 8, gull)
    save_animation(harbor / "lantern", "lantern", 6, lantern)
    for name, draw in PARCELS.items():
        save(draw(), harbor / "parcels" / f"{name}.png")
    save_animation(frames / "splash", "splash", 16, splash)
    save(sea(), frames / "sea" / "sea.png")


def main() -> None:
    for folder in ("frames", "rough", "skins", "vectors", "rendered"):
        shutil.rmtree(DEMO / folder, ignore_errors=True)
    draw_frames(DEMO / "frames")
    draw_skins(DEMO / "frames" / "otter", DEMO / "skins")
    draw_buoy(DEMO / "vectors" / "buoy")
    draw_flare(DEMO / "rendered" / "flare")
    spoil(DEMO / "frames", DEMO / "rough", save)
    total = sum(path.stat().st_size for path in DEMO.rglob("*.png"))
    assert total < 3_000_000, f"{total} bytes of pictures are too many for the package"


if __name__ == "__main__":
    main()
