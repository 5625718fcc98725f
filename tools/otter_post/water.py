"""Soft painted water: the splash and the sea."""

from __future__ import annotations

import math

import numpy as np
from PIL import Image

SPLASH_SIDE = 384
DEEP, MID, FOAM = (np.array(c, np.float32) for c in ((38, 110, 160), (112, 190, 220), (244, 251, 253)))


def splash(moment: float) -> Image.Image:
    """A splash seen from the side: a crown of drops that rises, spreads and falls back into mist, on 384×384."""
    side, chance = SPLASH_SIDE, np.random.default_rng(96)
    y, x = np.mgrid[:side, :side].astype(np.float32)
    thin = np.zeros((side, side), np.float32)
    bright = np.zeros((side, side), np.float32)
    age = 0.06 + 0.94 * moment
    surface = side * 0.74
    for _ in range(150):
        angle = chance.normal(0, 0.36)
        speed = chance.uniform(140, 410) * math.cos(angle)
        size = chance.uniform(3, 12) * chance.uniform(0.6, 1.4)
        late = chance.uniform(0, 0.12)
        t = max(0.0, age - late)
        px = side / 2 + math.sin(angle) * speed * t * 0.9
        py = surface - speed * t * 1.5 + 520 * t * t
        if py > surface + 6 or t == 0:
            continue
        fade = max(0.0, 1 - t) ** 0.7
        radius = size * (0.55 + 1.1 * t)
        near = (x - px) ** 2 + (y - py) ** 2 * (0.75 if t < 0.4 else 1)
        drop = np.exp(-near / (2 * radius * radius))
        thin += drop * 0.62 * fade
        bright += np.exp(-near / (0.7 * radius * radius)) * 0.26 * fade
    spread = 34 + 106 * age**0.7
    low = 9 + 16 * math.sin(math.pi * min(1.0, age * 1.2))
    mound = np.exp(-(((x - side / 2) / spread) ** 4)) * np.exp(-(((y - surface) / low) ** 2))
    thin += mound * 0.8 * max(0.0, 1 - age) ** 1.2
    bright += mound * 0.25 * max(0.0, 1 - age)
    ring = np.exp(-((np.hypot((x - side / 2) / 2.6, y - surface - 6) - spread * 0.42) ** 2) / 30)
    thin += ring * 0.5 * max(0.0, 1 - age) ** 0.6
    alpha = 1 - np.exp(-1.5 * thin)
    edge = np.minimum.reduce((x, y, side - 1 - x, side - 1 - y))
    alpha *= np.clip((edge - 4) / 22, 0, 1)
    light = (1 - np.exp(-0.9 * bright)) * 0.9 + 0.12 + 0.34 * age
    mix = np.clip(light, 0, 1)[..., None]
    color = np.where(mix < 0.5, DEEP + (MID - DEEP) * mix * 2, MID + (FOAM - MID) * (mix * 2 - 1))
    alpha[alpha < 0.012] = 0
    return Image.fromarray(np.dstack((color, alpha * 255)).astype(np.uint8))


def sea() -> Image.Image:
    """A strip of sea, 256×64, whose right edge continues at its left."""
    w, h = 256, 64
    y, x = np.mgrid[:h, :w].astype(np.float32)
    around = math.tau * x / w
    crest = 9 + 3.2 * np.sin(2 * around) + 1.8 * np.sin(5 * around + 1) + 0.8 * np.sin(9 * around + 2)
    depth = (y - crest) / (h - crest)
    color = MID + (DEEP * 0.8 - MID) * np.clip(depth, 0, 1)[..., None] ** 0.7
    for row, many, strength in ((20, 3, 0.5), (33, 4, 0.38), (47, 5, 0.26)):
        line = row + 2.6 * np.sin(many * around + row) + 1.2 * np.sin((many + 4) * around)
        gleam = np.exp(-((y - line) ** 2) / 3.2) * (0.5 + 0.5 * np.sin(2 * many * around + row))
        color = color + (FOAM - color) * (gleam * strength)[..., None]
    foam = np.exp(-((y - crest - 1.4) ** 2) / 3.4)[..., None]
    color = color + (FOAM - color) * foam * 0.9
    alpha = np.clip(y - crest + 1, 0, 1) * 255
    return Image.fromarray(np.clip(np.dstack((color, alpha)) + 0.5, 0, 255).astype(np.uint8))
