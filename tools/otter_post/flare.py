"""The signal flare over the harbor, as a film render would have it: linear light in half floats, brighter than white
in its middle, with associated alpha, each picture cropped to where something shines. Needs the OpenEXR package."""

from __future__ import annotations

from pathlib import Path

import numpy as np

SIDE, COUNT = 64, 6


def flare(number: int) -> np.ndarray:
    """One moment, from 0: shape (64, 64, 4), red, green, blue times alpha, and alpha."""
    y, x = np.mgrid[:SIDE, :SIDE] + 0.5
    age = number / (COUNT - 1)
    middle = (32 + 3 * np.sin(number), 40 - 18 * age)
    distance = np.hypot(x - middle[0], y - middle[1])
    core = np.exp(-((distance / (4 + 5 * age)) ** 2)) * (1 - 0.6 * age)
    halo = np.exp(-((distance / (10 + 8 * age)) ** 4)) * 0.8 * (1 - 0.6 * age)
    alpha = np.clip(core + halo, 0, 1)
    alpha[alpha < 0.004] = 0
    color = core[..., None] * (2.4, 1.1, 0.2) + halo[..., None] * (0.55, 0.07, 0.01)
    return np.dstack([np.where(alpha[..., None] > 0, color, 0), alpha])


def draw_flare(folder: Path) -> None:
    import OpenEXR

    folder.mkdir(parents=True, exist_ok=True)
    for number in range(COUNT):
        light = flare(number).astype(np.float16)
        rows, columns = (np.flatnonzero(light[..., 3].any(axis=axis)) for axis in (1, 0))
        top, bottom, left, right = int(rows[0]), int(rows[-1]), int(columns[0]), int(columns[-1])
        part = np.ascontiguousarray(light[top : bottom + 1, left : right + 1])
        header = {
            "compression": OpenEXR.ZIP_COMPRESSION,
            "type": OpenEXR.scanlineimage,
            "displayWindow": (np.array([0, 0], np.int32), np.array([SIDE - 1, SIDE - 1], np.int32)),
            "dataWindow": (np.array([left, top], np.int32), np.array([right, bottom], np.int32)),
        }
        with OpenEXR.File(header, {"RGBA": part}) as file:
            file.write(str(folder / f"flare_{number + 1}.exr"))
