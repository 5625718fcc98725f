"""Pictures whose own profile, gamma or primaries are not sRGB: told, and converted on request."""

import struct
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image, ImageCms, PngImagePlugin

import agile_crate
from agile_crate.core.frame.srgb import CHROMATICITY, from_gamma
from agile_crate.core.png_chunks import PictureError
from agile_crate.sources.read_options import ReadOptions
from agile_crate.sources.read_source import read_source
from conftest import art
from file_bytes import stored

SRGB = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
RED, GREEN, BLUE = (0.4360, 0.2225, 0.0139), (0.3851, 0.7169, 0.0971), (0.1431, 0.0606, 0.7139)
"""The primaries of sRGB in an ICC profile, whose white is D50."""


def profile(red: tuple, green: tuple, blue: tuple, gamma: float) -> bytes:
    """A matrix profile (ICC.1:2001-04): three primaries and one curve."""
    fixed = lambda number: struct.pack(">i", round(number * 65536))  # noqa: E731
    xyz = lambda values: b"XYZ \0\0\0\0" + b"".join(map(fixed, values))  # noqa: E731
    curve = b"curv\0\0\0\0" + struct.pack(">IH", 1, round(gamma * 256)) + b"\0\0"
    text = b"desc\0\0\0\0" + struct.pack(">I", 2) + b"x\0" + bytes(79)
    tags = {
        b"desc": text, b"cprt": b"text\0\0\0\0x\0\0\0", b"wtpt": xyz((0.9642, 1, 0.8249)), b"rXYZ": xyz(red),
        b"gXYZ": xyz(green), b"bXYZ": xyz(blue), b"rTRC": curve, b"gTRC": curve, b"bTRC": curve,
    }  # fmt: skip
    body, entries, position = b"", b"", 128 + 4 + 12 * len(tags)
    for name, data in tags.items():
        data += bytes(-len(data) % 4)
        entries += name + struct.pack(">II", position + len(body), len(data))
        body += data
    size = position + len(body)
    head = struct.pack(">I4sI4s4s4s12x4s", size, b"lcms", 0x02100000, b"mntr", b"RGB ", b"XYZ ", b"acsp")
    head += bytes(68 - len(head)) + b"".join(map(fixed, (0.9642, 1, 0.8249)))
    return head + bytes(128 - len(head)) + struct.pack(">I", len(tags)) + entries + body


PIXELS = art(24, 20, 5)


def png(**notes: Any) -> bytes:
    info = PngImagePlugin.PngInfo()
    if "gamma" in notes:
        info.add(b"gAMA", struct.pack(">I", round(notes["gamma"] * 100_000)))
    if "primaries" in notes:
        info.add(b"cHRM", struct.pack(">8I", *(round(number * 100_000) for number in notes["primaries"])))
    if "srgb" in notes:
        info.add(b"sRGB", b"\0")
    return stored(PIXELS, pnginfo=info, icc_profile=notes.get("icc"))


WIDE = (0.3127, 0.3290, 0.708, 0.292, 0.170, 0.797, 0.131, 0.046)


@pytest.mark.parametrize(
    ("notes", "is_foreign"),
    [
        ({}, False), ({"icc": SRGB}, False), ({"icc": profile(RED, GREEN, BLUE, 1.0)}, True),
        ({"icc": profile(GREEN, RED, BLUE, 2.2)}, True), ({"icc": b"nonsense" * 30}, True),
        ({"gamma": 1 / 2.2}, False), ({"gamma": 0.45455, "primaries": CHROMATICITY}, False),
        ({"gamma": 1.0}, True), ({"gamma": 1.0, "srgb": True}, False), ({"primaries": WIDE}, True),
        ({"gamma": 0}, False), ({"primaries": (0,) * 8}, False),
    ],
)  # fmt: skip
def test_what_a_picture_says_of_its_colors(notes: dict[str, Any], is_foreign: bool) -> None:
    source = read_source(png(**notes))
    assert source.is_foreign is is_foreign
    assert np.array_equal(source.picture, PIXELS)  # its numbers, as they are
    if not is_foreign:
        assert np.array_equal(read_source(png(**notes), options=ReadOptions(to_srgb=True)).picture, PIXELS)


def furthest(one: np.ndarray, other: np.ndarray) -> int:
    return int(np.abs(one.astype(int) - other).max())


def test_gamma_by_its_formula() -> None:
    found = read_source(png(gamma=1.0), options=ReadOptions(to_srgb=True)).picture
    assert np.array_equal(found[..., 3], PIXELS[..., 3])
    for value in (0, 1, 10, 128, 254, 255):  # light as it is, through the curve of sRGB
        light = value / 255
        curved = 12.92 * light if light <= 0.0031308 else 1.055 * light ** (1 / 2.4) - 0.055
        assert set(found[..., :3][PIXELS[..., :3] == value].tolist()) <= {int(curved * 255 + 0.5)}
    assert furthest(from_gamma(PIXELS, 1 / 2.2)[..., :3], PIXELS[..., :3]) <= 10  # sRGB's curve is nearly that


def test_primaries_and_profiles_agree() -> None:
    """The same colors told by a profile and by remarks come out alike; white stays white."""
    linear = read_source(png(icc=profile(RED, GREEN, BLUE, 1.0)), options=ReadOptions(to_srgb=True)).picture
    assert furthest(linear, read_source(png(gamma=1.0), options=ReadOptions(to_srgb=True)).picture) <= 1
    swapped = read_source(png(icc=profile(GREEN, RED, BLUE, 2.2)), options=ReadOptions(to_srgb=True)).picture
    expected = from_gamma(PIXELS[..., [1, 0, 2, 3]], 1 / 2.2)
    assert furthest(swapped, expected) <= 2
    wide = from_gamma(np.full((1, 1, 4), 255, np.uint8), 1 / 2.2, WIDE)
    assert wide.tolist() == [[[255, 255, 255, 255]]]
    assert from_gamma(np.array([[[200, 90, 80, 9]]], np.uint8), 1 / 2.2, WIDE)[0, 0, 0] > 215  # more saturated red
    with pytest.raises(ValueError, match="these primaries span no colors"):
        from_gamma(PIXELS, 1 / 2.2, (0.3, 0.3) * 4)


def test_profiles_that_cannot_be_used() -> None:
    with pytest.raises(PictureError, match="has a color profile that cannot be used"):
        read_source(png(icc=b"nonsense" * 30), options=ReadOptions(to_srgb=True))


def test_a_build_tells_of_them_and_converts_them(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    Path("frames").mkdir()
    for number, notes in enumerate(({}, {"gamma": 1.0}, {"icc": profile(RED, GREEN, BLUE, 1.0)}, {"srgb": True})):
        Path(f"frames/swim_{number}.png").write_bytes(png(**notes))
    Image.fromarray(PIXELS[..., :3]).save("frames/swim_4.jpg", icc_profile=profile(GREEN, RED, BLUE, 1.8))
    (warning,) = agile_crate.pack("frames", "o").warnings
    assert warning == (
        "the colors of 3 pictures are not sRGB by their own profile or gamma, and would look different: "
        "frames/swim_1.png, frames/swim_2.png and frames/swim_4.jpg; to_srgb converts them"
    )
    packed = agile_crate.pack("frames", "o", to_srgb=True, drop_duplicates=True)
    assert packed.warnings == ()
    assert agile_crate.verify("o.json", against="frames").ok
    loaded = agile_crate.load("o.json")
    assert np.array_equal(loaded.frame("swim_0"), PIXELS)
    assert furthest(loaded.frame("swim_1"), from_gamma(PIXELS, 1.0)) == 0
