"""The same world with something wrong in every folder: what a look before packing should find."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image

Save = Callable[[Image.Image, Path], None]


def spoil(frames: Path, rough: Path, save: Save) -> None:
    """Copy some of the clean frames into `rough`, plant one fault in each folder, and list the faults in faults.txt."""
    faults: list[str] = []

    def plant(folder: str, fault: str, pictures: dict[str, Image.Image]) -> None:
        for name, picture in pictures.items():
            save(picture, rough / folder / f"{name}.png")
        faults.append(f"{folder}: {fault}")

    def clean(folder: str, name: str, count: int) -> list[Image.Image]:
        return [
            Image.open(frames / folder / f"{name}_{number:02d}.png").convert("RGBA") for number in range(1, count + 1)
        ]

    def numbered(name: str, pictures: list[Image.Image], numbers: list[str] | None = None) -> dict[str, Image.Image]:
        numbers = numbers or [f"{number:02d}" for number in range(1, len(pictures) + 1)]
        return {f"{name}_{number}": picture for number, picture in zip(numbers, pictures, strict=True)}

    swim = clean("otter/swim", "swim", 12)
    plant(
        "swim_gap",
        "number 05 is missing",
        numbered("swim_gap", swim[:4] + swim[5:], [f"{n:02d}" for n in (1, 2, 3, 4, *range(6, 13))]),
    )
    plant(
        "swim_again",
        "frames 09 to 12 repeat frames 01 to 04: the cycle has 8 frames",
        numbered("swim_again", swim[:8] + swim[:4]),
    )
    dive = clean("otter/dive", "dive", 10)
    plant(
        "dive_digits",
        "numbers have one or two digits; number 3 appears twice (3 and 03)",
        numbered("dive_digits", [dive[i] for i in (0, 1, 2, 2, 3, 4)], ["1", "2", "03", "3", "4", "5"]),
    )
    idle = clean("otter/idle", "idle", 8)
    plant(
        "idle_closing",
        "the last frame, 09, equals the first: the loop hitches",
        numbered("idle_closing", [*idle, idle[0]]),
    )
    plant(
        "idle_slip",
        "frame 04 is shifted by 1 pixel to the right",
        numbered("idle_slip", [*idle[:3], _shifted(idle[3], 1, 0), *idle[4:]]),
    )
    plant(
        "idle_empty", "frame 05 is empty", numbered("idle_empty", [*idle[:4], Image.new("RGBA", (96, 96)), *idle[5:]])
    )
    walk = clean("otter/walk_right", "walk_right", 3)
    plant(
        "walk_cut",
        "all frames are cut off at the right edge of the canvas",
        numbered("walk_cut", [_shifted(p, 24, 0) for p in walk]),
    )
    plant(
        "walk_sizes",
        "frame 02 is on a canvas of 96x100, the others on 96x96",
        numbered("walk_sizes", [walk[0], _on_canvas(walk[1], 96, 100), walk[2]]),
    )
    gull = clean("harbor/gull", "gull", 8)
    plant(
        "gull_backdrop",
        "no transparency: a solid background of #ff00ff in every frame",
        numbered("gull_backdrop", [_on_color(p, (255, 0, 255)) for p in gull]),
    )
    lantern = clean("harbor/lantern", "lantern", 6)
    plant(
        "lantern_tint",
        "frame 04 has another tint than its neighbors",
        numbered("lantern_tint", [*lantern[:3], _tinted(lantern[3]), *lantern[4:]]),
    )
    splash = [p.resize((128, 128), Image.Resampling.BOX) for p in clean("splash", "splash", 4)]
    plant(
        "splash_haze",
        "alpha 1 to 3 over the whole canvas of every frame",
        numbered("splash_haze", [_hazy(p) for p in splash]),
    )
    plant(
        "splash_speck",
        "frame 02 has a stray speck at 6,6, far from the body",
        numbered("splash_speck", [splash[0], _specked(splash[1]), *splash[2:]]),
    )
    sea = Image.open(frames / "sea" / "sea.png").convert("RGBA")
    plant("sea_seam", "the left and right edges of the tile do not continue", {"sea_seam": sea.crop((0, 0, 216, 64))})
    (rough / "faults.txt").write_text(
        "The planted fault of each folder. All other frames are correct.\n\n"
        + "".join(f"{fault}\n" for fault in sorted(faults)),
        "utf-8",
    )


def _shifted(picture: Image.Image, x: int, y: int) -> Image.Image:
    moved = Image.new("RGBA", picture.size)
    moved.paste(picture, (x, y))
    return moved


def _on_canvas(picture: Image.Image, w: int, h: int) -> Image.Image:
    canvas = Image.new("RGBA", (w, h))
    canvas.paste(picture, ((w - picture.width) // 2, h - picture.height))
    return canvas


def _on_color(picture: Image.Image, color: tuple[int, int, int]) -> Image.Image:
    backdrop = Image.new("RGBA", picture.size, (*color, 255))
    backdrop.alpha_composite(picture)
    return backdrop.convert("RGB")


def _tinted(picture: Image.Image) -> Image.Image:
    pixels = np.asarray(picture, np.float32).copy()
    pixels[..., :3] = np.clip(pixels[..., :3] * (0.8, 0.95, 1.25), 0, 255)
    return Image.fromarray(pixels.astype(np.uint8))


def _hazy(picture: Image.Image) -> Image.Image:
    pixels = np.array(picture)
    y, x = np.mgrid[: pixels.shape[0], : pixels.shape[1]]
    haze = (1 + (x // 7 + y // 5) % 3).astype(np.uint8)
    empty = pixels[..., 3] < haze
    pixels[empty] = (200, 220, 230, 0)
    pixels[..., 3] = np.maximum(pixels[..., 3], haze)
    return Image.fromarray(pixels)


def _specked(picture: Image.Image) -> Image.Image:
    pixels = np.array(picture)
    pixels[6, 6] = (90, 40, 30, 255)
    return Image.fromarray(pixels)
