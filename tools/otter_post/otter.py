"""The otter courier, painted, on 96×96: standing, walking in four directions, swimming, diving."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from PIL import Image

from brush import Color, Figure

FUR, FUR_DARK, CREAM = (139, 90, 60), (112, 70, 48), (240, 217, 181)
NOSE, EYE, WHITE = (45, 28, 28), (32, 24, 30), (255, 255, 255)
CAP, CAP_BAND, BAG, STRAP = (42, 112, 158), (247, 197, 72), (205, 92, 62), (150, 60, 48)
CANVAS = (96, 96)


class Clothes(NamedTuple):
    """The otter's colors: body, belly, cap, and scarf if it has one."""

    body: Color = FUR
    belly: Color = CREAM
    cap: Color = CAP
    scarf: Color | None = None


PLAIN, RAINCOAT = Clothes(), Clothes((236, 186, 44), (250, 210, 84), (236, 186, 44))
SCARF = Clothes(scarf=(204, 44, 60))
_worn = [PLAIN]


@contextlib.contextmanager
def wearing(clothes: Clothes) -> Iterator[None]:
    """Whatever is drawn within wears these."""
    _worn.append(clothes)
    yield
    _worn.pop()


def wave(moment: float, shift: float = 0) -> float:
    return math.sin(math.tau * (moment + shift))


def _head(figure: Figure, x: float, y: float, way: str, blink: bool = False) -> None:
    """The head with its cap; (x, y) is its middle."""
    for side in (-1, 1):
        if way in ("down", "up"):
            figure.oval((x + side * 15, y - 8), (4.6, 4.6), FUR_DARK)
            figure.oval((x + side * 15, y - 8), (2.4, 2.4), CREAM if way == "down" else FUR_DARK)
    figure.oval((x, y), (18, 15.5), FUR)
    if way == "down":
        figure.oval((x, y + 6), (11.5, 8.2), CREAM)
        for side in (-1, 1):
            _eye(figure, x + side * 8, y - 2.5, blink)
            for whisker in (0, 2.6):
                figure.limb(
                    [(x + side * 6, y + 6 + whisker), (x + side * 15, y + 5 + whisker * 1.6)], [0.7, 0.5], FUR_DARK
                )
        figure.oval((x, y + 2.4), (3.6, 2.5), NOSE)
        figure.limb([(x - 3.4, y + 8), (x, y + 9.4), (x + 3.4, y + 8)], [0.9, 1.1, 0.9], NOSE)
    elif way in ("left", "right"):
        face = -1 if way == "left" else 1
        figure.oval((x - face * 9, y - 8), (4.4, 4.4), FUR_DARK)
        figure.oval((x + face * 12, y + 5), (9.4, 6.8), CREAM)
        _eye(figure, x + face * 7.5, y - 2.5, blink)
        figure.oval((x + face * 19.5, y + 2), (3.1, 2.5), NOSE)
        figure.limb([(x + face * 11, y + 7), (x + face * 3, y + 8.5)], [0.7, 0.5], FUR_DARK)
        figure.limb([(x + face * 17, y + 8.4), (x + face * 12, y + 9.4)], [0.9, 0.8], NOSE)
    _cap(figure, x, y - 12, way)


def _eye(figure: Figure, x: float, y: float, blink: bool) -> None:
    if blink:
        figure.limb([(x - 2.4, y + 0.6), (x, y + 1.4), (x + 2.4, y + 0.6)], [0.9, 1.1, 0.9], EYE)
        return
    figure.oval((x, y), (2.5, 3.1), EYE)
    figure.oval((x - 0.8, y - 1.1), (0.95, 1.05), WHITE)


def _cap(figure: Figure, x: float, y: float, way: str) -> None:
    figure.oval((x, y + 0.5), (13, 6.6), _worn[-1].cap)
    figure.oval((x, y - 2.8), (11, 5.4), _worn[-1].cap)
    figure.limb([(x - 11.5, y + 3.3), (x, y + 4.8), (x + 11.5, y + 3.3)], [2.4, 2.6, 2.4], CAP_BAND)
    if way == "down":
        figure.oval((x, y + 6.2), (9, 2.2), (30, 84, 124))
        figure.oval((x, y - 0.4), (2.1, 2.1), CAP_BAND)
    elif way in ("left", "right"):
        face = -1 if way == "left" else 1
        figure.oval((x + face * 12, y + 5), (7.4, 2), (30, 84, 124), face * 8)


def _upright(way: str, bob: float, step: float, tail: float, blink: bool, breath: float = 0) -> Image.Image:
    """The otter on its feet. `step` from -1 to 1 says which foot is forward, `bob` lifts the body."""
    figure = Figure(*CANVAS)
    x, ground = 48.0, 92.0
    face = {"left": -1, "right": 1}.get(way, 0)
    if face:
        figure.limb(
            [(x - face * 6, 78 - bob), (x - face * 20, 85 + tail), (x - face * 33, 80 + 3 * tail)],
            [11, 9, 3.6],
            FUR_DARK,
        )
        for lift in (step, -step):
            figure.oval((x + face * (2 + 7.5 * lift), ground - 3.4 - max(0.0, lift) * 2.2), (7.4, 3.7), FUR_DARK)
    else:
        if way == "down":
            figure.limb([(x + 6, 80 - bob), (x + 22, 86 + tail), (x + 31, 78 + 3 * tail)], [11, 8.4, 3.6], FUR_DARK)
        for side in (-1, 1):
            lift = max(0.0, step * side)
            figure.oval((x + side * 8.5, ground - 3.4 - lift * 3.6), (7, 3.7), FUR_DARK)
    clothes = _worn[-1]
    figure.oval((x, 71 - bob), (17 + breath * 0.5, 17 + breath), clothes.body)
    if way == "down":
        figure.oval((x, 73.5 - bob), (11, 12.5 + breath), clothes.belly)
    elif face:
        figure.oval((x + face * 8, 73.5 - bob), (8.4, 12 + breath), clothes.belly)
    _satchel(figure, x, bob, way)
    _arms(figure, x, bob, step, way)
    if clothes.scarf:
        neck = 59 - bob
        figure.limb([(x - 13, neck - 2), (x, neck + 2), (x + 13, neck - 2)], [7, 8, 7], clothes.scarf)
        figure.limb([(x - face * 9 + 3, neck), (x - face * 12 + 5, neck + 13)], [6, 7], clothes.scarf)
    _head(figure, x + face * 2, 42 - bob * 1.3 - breath * 0.7, way, blink)
    if way == "up":
        figure.limb([(x, 80 - bob), (x + 4 * tail, 85), (x + 9 * tail, 88)], [10, 8, 4], FUR_DARK)
    return figure.finished()


def _satchel(figure: Figure, x: float, bob: float, way: str) -> None:
    slant = -1 if way in ("up", "right") else 1
    figure.limb([(x + slant * 12, 60 - bob), (x, 70 - bob), (x - slant * 13, 80 - bob)], [2.6, 2.6, 2.6], STRAP)
    left, top = x - slant * 15 - 7.5, 75 - bob
    figure.patch([(left, top), (left + 15, top), (left + 15, top + 11), (left, top + 11)], BAG)
    figure.patch([(left, top), (left + 15, top), (left + 7.5, top + 6.6)], STRAP)
    figure.oval((left + 7.5, top + 6.2), (1.7, 1.7), CAP_BAND)


def _arms(figure: Figure, x: float, bob: float, step: float, way: str) -> None:
    if way in ("left", "right"):
        face = -1 if way == "left" else 1
        figure.limb([(x, 66 - bob), (x + face * (4 - 8 * step), 78 - bob)], [8, 6.6], FUR_DARK)
        return
    for side in (-1, 1):
        figure.limb([(x + side * 14, 64 - bob), (x + side * 18.5, 76 - bob + step * side * 2.4)], [8, 6.4], FUR_DARK)


def idle(moment: float) -> Image.Image:
    breath = 1.2 * wave(moment)
    return _upright("down", 0.7 * wave(moment), 0, 1.6 * wave(moment, 0.2), blink=0.6 < moment < 0.7, breath=breath)


def walk(moment: float, way: str) -> Image.Image:
    step = (1, 0, -1)[round(moment * 3)]
    return _upright(way, 1.8 if step == 0 else 0, step, 1.5 * step, blink=False)


def _swimmer(bend: float, paddle: float) -> Figure:
    """The otter stretched out, nose to the right, its middle in the middle of the canvas."""
    figure = Figure(*CANVAS)
    middle = 48.0
    figure.limb(
        [(32, middle + 3), (20, middle + 2 + 4 * bend), (10, middle - 5 * bend), (3.5, middle - 8 * bend)],
        [12, 8.4, 5.4, 2.4],
        FUR_DARK,
    )
    figure.limb([(34, middle + 6), (28, middle + 13 + 4 * paddle)], [8, 5.6], FUR_DARK)
    clothes = _worn[-1]
    figure.oval((46, middle + 2), (23, 11.6), clothes.body, -4)
    figure.oval((49, middle + 7), (17, 6.2), clothes.belly, -4)
    figure.limb([(57, middle + 7), (62 + 3 * paddle, middle + 16 - 3 * paddle)], [8, 6], FUR_DARK)
    figure.patch([(34, middle - 15), (49, middle - 16), (50, middle - 5), (35, middle - 4)], BAG)
    figure.patch([(34, middle - 15), (49, middle - 16), (42, middle - 9)], STRAP)
    figure.limb([(42, middle - 4), (44, middle + 12)], [2.4, 2.4], STRAP)
    if clothes.scarf:
        figure.limb([(59, middle - 11), (61, middle), (57, middle + 10)], [7, 8, 7], clothes.scarf)
        figure.limb([(58, middle - 10), (44, middle - 16 + 2 * paddle)], [6, 7], clothes.scarf)
    _head(figure, 72, middle - 5, "right")
    return figure


def swim(moment: float) -> Image.Image:
    figure = _swimmer(wave(moment), wave(2 * moment))
    picture = figure.finished().rotate(2.5 * wave(moment, 0.3), Image.Resampling.BICUBIC)
    return _in_water(picture, 0, round(9 + 1.6 * wave(moment, 0.1)), 64, moment)


def dive(moment: float) -> Image.Image:
    """Up on the wave, over, and down; the last frames leave only rings on the water."""
    angle = -18 + 118 * moment**0.8
    rise = 8 * math.sin(math.pi * min(1.0, moment * 2.2)) - 86 * max(0.0, moment - 0.34) ** 1.25
    picture = _swimmer(wave(2 * moment) * 0.7, wave(3 * moment)).finished().rotate(-angle, Image.Resampling.BICUBIC)
    return _in_water(picture, round(-4 + 6 * moment), round(8 - rise), 64, moment, rings=moment)


def _in_water(figure: Image.Image, x: int, y: int, surface: int, moment: float, rings: float = 0) -> Image.Image:
    """The figure, a little smaller, with its part below the surface seen through the water, and a line of foam."""
    canvas = Image.new("RGBA", CANVAS, (0, 0, 0, 0))
    small = figure.convert("RGBa").resize((84, 84), Image.Resampling.LANCZOS).convert("RGBA")
    canvas.paste(small, (x + 6, y + 8))
    pixels = np.asarray(canvas, np.float32).copy()
    column, row = np.meshgrid(np.arange(96), np.arange(96))
    line = surface + 1.6 * np.sin(math.tau * (column / 48 - moment))
    depth = row - line
    under = depth > 0
    dim = np.clip(1 - depth / 26, 0, 1)
    tint = np.array((46, 134, 171), np.float32)
    pixels[..., :3] = np.where(under[..., None], pixels[..., :3] * 0.45 + tint * 0.55, pixels[..., :3])
    pixels[..., 3] = np.where(under, pixels[..., 3] * 0.72 * dim, pixels[..., 3])
    reach = 41 - 14 * rings
    span = np.clip(1 - ((column - 48) / reach) ** 2, 0, 1)
    foam = np.exp(-((depth - 0.5) ** 2) / 2.2) * span
    for ring in (1, 2):
        foam += 0.5 * np.exp(-((depth - 5 * ring) ** 2) / 3) * np.clip(span - 0.25 * ring, 0, 1)
    foam = np.clip(foam, 0, 1) * (0.92 - 0.5 * max(0.0, rings - 0.7))
    alpha = pixels[..., 3] / 255
    out = foam + alpha * (1 - foam)
    light = np.array((226, 244, 250), np.float32)
    mixed = (light * foam[..., None] + pixels[..., :3] * (alpha * (1 - foam))[..., None]) / np.maximum(out, 1e-6)[
        ..., None
    ]
    return Image.fromarray(np.clip(np.dstack((mixed, out * 255)) + 0.5, 0, 255).astype(np.uint8))
