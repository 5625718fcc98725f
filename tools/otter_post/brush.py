"""A small brush for painted figures: shapes drawn large, given a dark rim and soft light, then shrunk."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

LARGE = 6
RIM = (58, 34, 28)

Color = tuple[int, int, int]
XY = tuple[float, float]


class Figure:
    """A drawing on a canvas of `w` × `h` pixels. All measures are in those pixels; angles are in degrees, clockwise."""

    def __init__(self, w: int, h: int) -> None:
        self.size = (w, h)
        self.image = Image.new("RGBA", (w * LARGE, h * LARGE), (0, 0, 0, 0))

    def oval(self, center: XY, radii: XY, color: Color, angle: float = 0) -> None:
        turn = math.radians(angle)
        points = []
        for step in range(72):
            around = math.tau * step / 72
            x, y = radii[0] * math.cos(around), radii[1] * math.sin(around)
            points.append(
                (
                    center[0] + x * math.cos(turn) - y * math.sin(turn),
                    center[1] + x * math.sin(turn) + y * math.cos(turn),
                )
            )
        self.patch(points, color)

    def patch(self, points: Sequence[XY], color: Color) -> None:
        ImageDraw.Draw(self.image).polygon([(x * LARGE, y * LARGE) for x, y in points], (*color, 255))

    def limb(self, points: Sequence[XY], widths: Sequence[float], color: Color) -> None:
        """A rounded stroke through points, its width changing evenly from one to the next."""
        for (start, end), (thin, thick) in zip(pairwise(points), pairwise(widths), strict=True):
            steps = max(2, int(math.dist(start, end) * 3))
            for step in range(steps + 1):
                part = step / steps
                radius = (thin + (thick - thin) * part) / 2
                center = (start[0] + (end[0] - start[0]) * part, start[1] + (end[1] - start[1]) * part)
                self.oval(center, (radius, radius), color)

    def finished(self, rim: float = 1.1, light: float = 0.22) -> Image.Image:
        """The figure with light from the upper left and a dark rim round its outline, at its own size."""
        alpha = self.image.getchannel("A")
        lit = _lit(self.image, alpha, light)
        wide = alpha.filter(ImageFilter.MaxFilter(2 * round(rim * LARGE) + 1)).filter(ImageFilter.GaussianBlur(2))
        rimmed = Image.new("RGBA", self.image.size, (*RIM, 0))
        rimmed.putalpha(wide)
        rimmed.alpha_composite(lit)
        return shrunk(rimmed, self.size)


def _lit(image: Image.Image, alpha: Image.Image, light: float) -> Image.Image:
    """Shade a flat drawing as if it were round: bright where the blurred outline slopes to the upper left."""
    height = np.asarray(alpha.filter(ImageFilter.GaussianBlur(5 * LARGE)), np.float32) / 255
    slope_y, slope_x = np.gradient(height)
    shade = np.clip((slope_x + 1.6 * slope_y) * 26, -1, 1)[..., None]
    pixels = np.asarray(image, np.float32).copy()
    color = pixels[..., :3]
    pixels[..., :3] = np.where(shade > 0, color + (255 - color) * shade * light, color * (1 + shade * light * 1.4))
    return Image.fromarray(np.clip(pixels, 0, 255).astype(np.uint8))


def shrunk(image: Image.Image, size: tuple[int, int]) -> Image.Image:
    """The image at a smaller size, filtered with its colors weighed by alpha so that no dark fringe appears."""
    pixels = np.asarray(image, np.float32)
    h, w = size[1], size[0]
    blocks = pixels.reshape(h, pixels.shape[0] // h, w, pixels.shape[1] // w, 4)
    weight = blocks[..., 3:]
    total = weight.sum((1, 3))
    color = (blocks[..., :3] * weight).sum((1, 3)) / np.maximum(total, 1e-6)
    alpha = total / (blocks.shape[1] * blocks.shape[3])
    return Image.fromarray(np.clip(np.dstack((color, alpha)) + 0.5, 0, 255).astype(np.uint8))
