"""Pixel art of the harbor: the gull, the lantern, the parcels. Hard edges, few colors."""

from __future__ import annotations

import math
from collections.abc import Callable

from PIL import Image, ImageDraw

INK = (45, 38, 58, 255)
WHITE, SHADE, WING, TIP = (250, 249, 244, 255), (207, 214, 226, 255), (148, 163, 190, 255), (72, 78, 104, 255)
BEAK = (240, 160, 48, 255)
BROWN, BROWN_DARK, BROWN_LIGHT = (184, 130, 82, 255), (140, 92, 60, 255), (214, 166, 112, 255)
RED, TEAL, CREAM, BLUE = (200, 72, 64, 255), (54, 140, 136, 255), (244, 228, 190, 255), (70, 108, 170, 255)
METAL, METAL_DARK = (92, 98, 118, 255), (62, 64, 84, 255)
GLOW = ((255, 244, 170, 255), (255, 208, 84, 255), (244, 148, 48, 255))


def _canvas(w: int, h: int) -> tuple[Image.Image, ImageDraw.ImageDraw]:
    image = Image.new("RGBA", (w, h), (0, 0, 0, 0))
    return image, ImageDraw.Draw(image)


def _inked(image: Image.Image) -> Image.Image:
    """The drawing with a line of ink, one pixel wide, round everything visible."""
    result = Image.new("RGBA", image.size, (0, 0, 0, 0))
    line = Image.new("RGBA", image.size, INK)
    mask = image.getchannel("A")
    for shift in ((1, 0), (-1, 0), (0, 1), (0, -1)):
        result.paste(line, shift, mask)
    result.paste(image, (0, 0), mask)
    return result


def gull(moment: float) -> Image.Image:
    """Flapping in one place, seen from the side, on 64×64; the body rises as the wings go down."""
    image, draw = _canvas(64, 64)
    beat = math.cos(math.tau * moment)
    y = 33 + round(2 * beat)
    far = (28, y - 3), (22, y - 3), (18 - round(3 * beat), y - 3 - round(17 * beat)), (25, y - 4 - round(13 * beat))
    draw.polygon(far, fill=WING)
    draw.ellipse((18, y - 6, 46, y + 7), fill=WHITE)
    draw.polygon([(20, y), (20, y + 4), (8, y + 3), (7, y - 1)], fill=SHADE)
    draw.chord((18, y - 6, 46, y + 7), 15, 165, fill=SHADE)
    draw.ellipse((40, y - 11, 53, y + 2), fill=WHITE)
    draw.polygon([(52, y - 6), (59, y - 3), (52, y - 1)], fill=BEAK)
    draw.point((54, y - 2), fill=RED)
    draw.rectangle((47, y - 7, 48, y - 6), fill=INK)
    reach, lift = 6 - round(2 * beat), round(22 * beat)
    near = [(36, y - 2), (26, y - 2), (24 - reach, y - 2 - lift), (30 - reach, y - 3 - lift)]
    draw.polygon(near, fill=WING)
    draw.polygon(
        [(24 - reach, y - 2 - lift), (30 - reach, y - 3 - lift), (28 - reach // 2, y - 2 - lift * 2 // 3)], fill=TIP
    )
    draw.line([(36, y - 2), (30 - reach, y - 3 - lift)], fill=WHITE)
    return _inked(image)


def lantern(moment: float) -> Image.Image:
    """A storm lantern whose flame flickers, on 32×48; nothing moves but the light."""
    image, draw = _canvas(32, 48)
    sway = round(1.4 * math.sin(math.tau * moment))
    tall = 11 + round(2 * math.sin(math.tau * 2 * moment + 0.6))
    draw.arc((8, 2, 23, 17), 180, 360, fill=METAL_DARK, width=2)
    draw.rectangle((10, 9, 21, 12), fill=METAL)
    draw.rectangle((7, 13, 24, 15), fill=METAL_DARK)
    draw.rectangle((9, 16, 22, 37), fill=(255, 232, 150, 150))
    draw.rectangle((9, 16, 10, 37), fill=(255, 250, 220, 190))
    base = 36
    for grow, color in zip((0, 2, 4), reversed(GLOW), strict=True):
        top = base - tall + grow * 2
        draw.polygon([(11 + grow, base), (20 - grow, base), (16 + (sway if grow < 4 else 0), top)], fill=color)
        draw.ellipse((11 + grow, base - 7 + grow, 20 - grow, base), fill=color)
    for bar in (8, 15, 23):
        draw.line([(bar, 16), (bar, 37)], fill=METAL if bar != 15 else METAL_DARK)
    draw.rectangle((6, 38, 25, 40), fill=METAL)
    draw.rectangle((8, 41, 23, 44), fill=METAL_DARK)
    draw.line([(8, 41), (23, 41)], fill=METAL)
    return _inked(image)


def _box(w: int, h: int, colors: tuple[tuple[int, ...], ...], band: tuple[int, ...]) -> Image.Image:
    """A parcel with a lid, a band across and a band down."""
    image, draw = _canvas(w, h)
    light, middle, dark = colors
    draw.rectangle((2, 3, w - 3, h - 3), fill=middle)
    draw.rectangle((2, 3, w - 3, 3 + h // 5), fill=light)
    draw.rectangle((2, h - 5, w - 3, h - 3), fill=dark)
    draw.rectangle((w - 5, 4 + h // 5, w - 3, h - 3), fill=dark)
    draw.rectangle((w // 2 - 2, 3, w // 2 + 1, h - 3), fill=band)
    draw.rectangle((2, h // 2, w - 3, h // 2 + 2), fill=band)
    return _inked(image)


def _letter() -> Image.Image:
    image, draw = _canvas(24, 16)
    draw.rectangle((2, 2, 21, 13), fill=CREAM)
    draw.line([(2, 2), (11, 8), (12, 8), (21, 2)], fill=BROWN_LIGHT)
    draw.rectangle((10, 7, 13, 10), fill=RED)
    return _inked(image)


def _tube() -> Image.Image:
    image, draw = _canvas(48, 16)
    draw.rectangle((5, 3, 42, 12), fill=CREAM)
    draw.rectangle((5, 10, 42, 12), fill=BROWN_LIGHT)
    for left in (2, 41):
        draw.rectangle((left, 2, left + 4, 13), fill=TEAL)
    draw.rectangle((20, 3, 27, 12), fill=BLUE)
    return _inked(image)


def _sack() -> Image.Image:
    image, draw = _canvas(40, 48)
    draw.rounded_rectangle((4, 14, 35, 45), 11, fill=BROWN)
    draw.rounded_rectangle((4, 14, 32, 42), 11, fill=BROWN_LIGHT)
    draw.polygon([(12, 4), (27, 4), (24, 16), (15, 16)], fill=BROWN_LIGHT)
    draw.rectangle((13, 14, 26, 16), fill=RED)
    draw.rectangle((13, 26, 26, 35), fill=CREAM)
    draw.line([(13, 26), (19, 31), (20, 31), (26, 26)], fill=BROWN_DARK)
    return _inked(image)


PARCELS: dict[str, Callable[[], Image.Image]] = {
    "letter": _letter,
    "tube": _tube,
    "sack": _sack,
    "small_box": lambda: _box(24, 22, (BROWN_LIGHT, BROWN, BROWN_DARK), RED),
    "large_box": lambda: _box(56, 44, ((120, 176, 172, 255), TEAL, (38, 104, 104, 255)), CREAM),
}
