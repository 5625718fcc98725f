"""Colors that were meant for another gamma or other primaries, as sRGB."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..pixels import Pixels

BRIGHTEST = 1e9
"""Light that stands for an infinite one: white by any primaries."""

GAMMA = 1 / 2.2
"""The range of gamma values that mean sRGB."""

CHROMATICITY = (0.3127, 0.3290, 0.64, 0.33, 0.30, 0.60, 0.15, 0.06)
"""White, red, green and blue of sRGB, x and y each (IEC 61966-2-1)."""

_BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


def from_gamma(pixels: Pixels, gamma: float, chromaticity: tuple[float, ...] = CHROMATICITY) -> Pixels:
    """The same colors in sRGB, a new array; alpha stays. `pixels` has shape (h, w, 4), uint8.

    A sample v of 255 is the light (v / 255) ** (1 / gamma), as PNG's gAMA says (W3C PNG Specification, third edition,
    clause 11.3.2.2); lights of other primaries go through CIE XYZ, their white adapted by Bradford's transform (Lam,
    1985); the sRGB curve is that of IEC 61966-2-1. Raises ValueError for primaries that span no colors.
    Cost: one pass in 32-bit floats.
    """
    light = ((np.arange(256) / 255) ** (1 / gamma)).astype(np.float32)[pixels[..., :3]]
    if chromaticity != CHROMATICITY:
        light = light @ _between(chromaticity, CHROMATICITY).T.astype(np.float32)
    light = np.clip(light, 0, 1)
    share = np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)
    result = pixels.copy()
    result[..., :3] = np.floor(share * 255 + 0.5)
    return result


def from_light(
    light: NDArray[np.float32], alpha: NDArray[np.float32] | None, stops: float, chromaticity: tuple[float, ...]
) -> Pixels:
    """Rendered light as pixels of sRGB with straight alpha, shape (h, w, 4).

    `light` has shape (h, w, 3), linear, multiplied by `alpha` of shape (h, w) (associated alpha, as OpenEXR has it); it
    is made 2 ** `stops` times as bright. Light brighter than white, also infinite light, becomes white; NaN
    becomes black; light where alpha is 0 is lost. The light halfway between two levels separates them, in 64 bits, so
    that the result is the same everywhere. The curve is that of IEC 61966-2-1. Raises ValueError for
    primaries that span no colors.
    """
    h, w = light.shape[:2]
    result = np.full((h, w, 4), 255, np.uint8)
    shown = light.astype(np.float64) * 2.0**stops
    np.nan_to_num(shown, copy=False, nan=0, posinf=BRIGHTEST, neginf=0)
    if alpha is not None:
        cover = np.clip(np.nan_to_num(alpha.astype(np.float64)), 0, 1)
        result[..., 3] = np.floor(cover * 255 + 0.5)
        shown /= np.where(cover > 0, cover, 1)[..., None]
    if any(abs(a - b) > 0.001 for a, b in zip(chromaticity, CHROMATICITY, strict=True)):
        shown = shown @ _between(chromaticity, CHROMATICITY).T
    result[..., :3] = np.searchsorted(_STEPS, shown, side="right")
    result[result[..., 3] == 0] = 0
    return result


def _light_of(share: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.where(share <= 0.04045, share / 12.92, ((share + 0.055) / 1.055) ** 2.4)


_STEPS = _light_of((np.arange(255) + 0.5) / 255)
"""The light from which on a level is the next one."""


def _between(source: tuple[float, ...], target: tuple[float, ...]) -> NDArray[np.float64]:
    """The matrix from the lights of one set of primaries to those of another."""
    (to_xyz, white), (from_other, other_white) = _primaries(source), _primaries(target)
    adapt = np.linalg.inv(_BRADFORD) @ np.diag((_BRADFORD @ other_white) / (_BRADFORD @ white)) @ _BRADFORD
    result: NDArray[np.float64] = np.linalg.inv(from_other) @ adapt @ to_xyz
    if not np.isfinite(result).all():
        raise ValueError("these primaries span no colors")
    return result


def _primaries(chromaticity: tuple[float, ...]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The matrix from lights to XYZ, and the white in XYZ."""
    white, *colors = (
        np.array([x / y, 1, (1 - x - y) / y]) for x, y in zip(chromaticity[::2], chromaticity[1::2], strict=True)
    )
    matrix = np.stack(colors, axis=1)
    try:
        return matrix * np.linalg.solve(matrix, white), white
    except np.linalg.LinAlgError:
        raise ValueError("these primaries span no colors") from None
