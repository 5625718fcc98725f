"""Boxes for the arranging benchmark, from fixed seeds: (width, height) without gaps."""

from __future__ import annotations

import numpy as np

Boxes = list[tuple[int, int]]


def sprites(count: int, seed: int) -> Boxes:
    """Trimmed sprites of real proportions: animations of 4 to 15 frames of nearly one size, sizes log-normal."""
    chance = np.random.default_rng(seed)
    boxes: Boxes = []
    while len(boxes) < count:
        side = float(np.exp(chance.normal(np.log(48), 0.5)))
        wide, high = chance.uniform(0.5, 1.1), chance.uniform(0.6, 1.3)
        for _ in range(int(chance.integers(4, 16))):
            w = side * wide * chance.uniform(0.85, 1.15)
            h = side * high * chance.uniform(0.9, 1.1)
            boxes.append((int(np.clip(w, 4, 400)), int(np.clip(h, 4, 400))))
    return boxes[:count]


def cut(count: int, seed: int, side: int = 1000) -> Boxes:
    """A square cut at random, across or down, into so many rectangles."""
    chance = np.random.default_rng(seed)
    boxes = [(side, side)]
    while len(boxes) < count:
        areas = np.array([w * h for w, h in boxes], float)
        index = int(chance.choice(len(boxes), p=areas / areas.sum()))
        w, h = boxes[index]
        along = chance.random() < w / (w + h)
        length = w if along else h
        at = int(chance.integers(1, max(2, length)))
        if min(at, length - at) < max(2, 0.15 * length):
            continue
        boxes[index : index + 1] = [(at, h), (w - at, h)] if along else [(w, at), (w, h - at)]
    chance.shuffle(boxes)
    return [(int(w), int(h)) for w, h in boxes]


def filling(count: int, seed: int, side: int = 1024, share: float = 0.95) -> Boxes:
    """Sprites that together fill a share of a square sheet."""
    boxes = sprites(count, seed)
    factor = (share * side * side / sum(w * h for w, h in boxes)) ** 0.5
    scaled = [(max(1, round(w * factor)), max(1, round(h * factor))) for w, h in boxes]
    while sum(w * h for w, h in scaled) > share * side * side:
        scaled[0] = (scaled[0][0] - 1, scaled[0][1])
    return scaled
