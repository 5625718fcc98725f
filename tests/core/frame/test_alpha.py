"""Test the steps that change alpha alone."""

import numpy as np

from agile_crate.core.color import Color
from agile_crate.core.frame.alpha import flattened, premultiplied, straight

EVERY = np.stack(np.meshgrid(np.arange(256), np.arange(256), indexing="ij"), axis=2).astype(np.uint8)
PIXELS = np.concatenate((np.repeat(EVERY[..., :1], 3, axis=2), EVERY[..., 1:]), axis=2)
"""Every value at every alpha."""


def test_premultiplied_is_rounded_to_the_nearest_and_leaves_its_input() -> None:
    before = PIXELS.copy()
    found = premultiplied(PIXELS)
    exact = PIXELS[..., :3].astype(float) * PIXELS[..., 3:] / 255
    assert np.abs(found[..., :3] - exact).max() <= 0.5
    assert np.array_equal(found[..., 3], PIXELS[..., 3])
    assert np.array_equal(PIXELS, before)
    assert not np.shares_memory(found, PIXELS)


def test_straight_brings_back_what_rounding_left() -> None:
    found = straight(premultiplied(PIXELS))
    alpha = PIXELS[..., 3].astype(float)
    off = np.abs(found[..., 0].astype(float) - PIXELS[..., 0])
    assert off[alpha == 255].max() == 0
    assert (off <= 0.5 + 127.5 / np.maximum(alpha, 1)).all() or off[alpha == 0].max() == 255
    assert (off[alpha > 0] <= 0.5 + 127.5 / alpha[alpha > 0]).all()
    assert np.array_equal(premultiplied(found), premultiplied(PIXELS))


def test_flattened_lies_on_the_color() -> None:
    found = flattened(PIXELS, Color(10, 200, 30))
    share = PIXELS[..., 3:] / 255
    exact = PIXELS[..., :3] * share + np.array([10, 200, 30]) * (1 - share)
    assert np.abs(found[..., :3] - exact).max() <= 0.5 + 1e-9
    assert (found[..., 3] == 255).all()
