"""Everything that a still picture can be stored as becomes the same kind of array, or one sentence."""

import io
import re
import struct

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from agile_crate.core.limits import USUAL
from agile_crate.core.png_chunks import SIGNATURE, PictureError
from agile_crate.sources import deep_png
from agile_crate.sources.deep_png import rounded_to_bytes
from agile_crate.sources.pictures import picture_endings, picture_size
from agile_crate.sources.read_source import read_picture
from conftest import art
from file_bytes import chunk, png, stored


def paeth(left: int, above: int, corner: int) -> int:
    """The predictor as clause 9.4 of the PNG specification words it."""
    guess = left + above - corner
    return min((left, above, corner), key=lambda value: abs(guess - value))


def filtered(values: np.ndarray, kinds: list[int]) -> bytes:
    """16-bit values of shape (h, w, channels) as PNG rows, row y with filter kinds[y]; one byte at a time."""
    h, w, channels = values.shape
    rows, stride = values.astype(">u2").tobytes(), 2 * channels
    result = bytearray()
    for y in range(h):
        here, above = (
            rows[y * w * stride : (y + 1) * w * stride],
            rows[(y - 1) * w * stride : y * w * stride] if y else bytes(w * stride),
        )
        result.append(kinds[y])
        for i, byte in enumerate(here):
            left, corner = (here[i - stride], above[i - stride]) if i >= stride else (0, 0)
            result.append(
                (byte - (0, left, above[i], (left + above[i]) // 2, paeth(left, above[i], corner))[kinds[y]]) % 256
            )
    return bytes(result)


def test_rgba_comes_back_as_it_is_and_cannot_be_changed() -> None:
    pixels = read_picture(stored(Image.fromarray(art(9, 7))))
    assert np.array_equal(pixels, art(9, 7))
    assert not pixels.flags.writeable


RGBA = Image.fromarray(art(16, 12))
GRAY = Image.fromarray(np.arange(192, dtype=np.uint8).reshape(12, 16))


@pytest.mark.parametrize(
    ("image", "kind", "options", "expected"),
    [
        (RGBA.convert("RGB"), "PNG", {}, RGBA.convert("RGB").convert("RGBA")),
        (RGBA.convert("RGB"), "PNG", {"transparency": (40, 120, 200)}, None),
        (GRAY, "PNG", {"transparency": 77}, None),
        (GRAY, "BMP", {}, GRAY.convert("RGBA")),
        (RGBA.convert("LA"), "PNG", {}, RGBA.convert("LA").convert("RGBA")),
        (GRAY.convert("1"), "PNG", {}, GRAY.convert("1").convert("RGBA")),
        (RGBA.quantize(16), "PNG", {}, RGBA.quantize(16).convert("RGBA")),
        (RGBA.convert("RGB").quantize(16), "GIF", {"transparency": 3}, None),
        (RGBA, "TIFF", {}, RGBA),
        (RGBA, "TGA", {}, RGBA),
        (RGBA, "WEBP", {"lossless": True, "exact": True}, RGBA),
        (RGBA.convert("CMYK"), "TIFF", {}, RGBA.convert("CMYK").convert("RGB").convert("RGBA")),
        (GRAY, "PPM", {}, GRAY.convert("RGBA")),
        (RGBA, "QOI", {}, RGBA),
        (RGBA, "DDS", {}, RGBA),
    ],
)
def test_formats_and_modes(
    image: Image.Image, kind: str, options: dict[str, object], expected: Image.Image | None
) -> None:
    data = stored(image, kind, **options)
    if expected is None:
        expected = Image.open(io.BytesIO(data)).convert("RGBA")
        assert np.asarray(expected)[..., 3].min() == 0
    assert np.array_equal(read_picture(data), np.asarray(expected))
    assert picture_size(data, 1000, USUAL) == (16, 12)


@pytest.mark.parametrize(("channels", "color"), [(1, 0), (2, 4), (3, 2), (4, 6)])
@given(data=st.data())
def test_sixteen_bits_are_rounded(channels: int, color: int, data: st.DataObject) -> None:
    h, w = data.draw(st.tuples(st.integers(1, 5), st.integers(1, 5)))
    values = np.array(data.draw(st.lists(st.integers(0, 65535), min_size=h * w * channels, max_size=h * w * channels)))
    values = values.reshape(h, w, channels)
    kinds = data.draw(st.lists(st.integers(0, 4), min_size=h, max_size=h))
    pixels = read_picture(png((w, h, 16, color, 0, 0, 0), filtered(values, kinds)))
    nearest = np.floor(values / 257 + 0.5)
    assert np.array_equal(pixels[..., :3], np.broadcast_to(nearest[..., : 3 if channels > 2 else 1], (h, w, 3)))
    assert np.array_equal(pixels[..., 3], nearest[..., -1] if channels in (2, 4) else np.full((h, w), 255))


ADAM7 = ((0, 0, 8, 8), (4, 0, 8, 8), (0, 4, 4, 8), (2, 0, 4, 4), (0, 2, 2, 4), (1, 0, 2, 2), (0, 1, 1, 2))
"""The seven interlace passes: first column, first row, step right, step down (clause 8.1)."""


@pytest.mark.parametrize(("channels", "color"), [(1, 0), (2, 4), (3, 2), (4, 6)])
def test_sixteen_bits_interlaced_and_with_a_transparent_color(channels: int, color: int) -> None:
    values = np.arange(11 * 9 * channels).reshape(11, 9, channels) * 211 % 65536
    passes = [values[y::dy, x::dx] for x, y, dx, dy in ADAM7]
    raw = b"".join(filtered(part, [4] * len(part)) for part in passes if part.size)
    transparent = chunk(b"tRNS", values[3, 4].astype(">u2").tobytes()) if channels % 2 else b""
    pixels = read_picture(png((9, 11, 16, color, 0, 0, 1), raw, transparent))
    rounded = rounded_to_bytes(values.astype(np.uint16))
    assert np.array_equal(pixels[..., :3], np.broadcast_to(rounded[..., : 3 if channels > 2 else 1], (11, 9, 3)))
    if transparent:
        assert np.argwhere(pixels[..., 3] == 0).tolist() == [[3, 4]]
    else:
        assert np.array_equal(pixels[..., 3], rounded[..., -1])


def test_pictures_of_sixteen_bits_are_rounded_in_bands(monkeypatch: pytest.MonkeyPatch) -> None:
    """Rows are rounded a band at a time, whatever the shape."""
    monkeypatch.setattr(deep_png, "BAND_PIXELS", 700)
    for w, h in ((1, 3000), (3000, 1), (200, 90)):
        values = np.arange(w * h).reshape(h, w, 1) * 40_503 % 65536
        pixels = read_picture(png((w, h, 16, 0, 0, 0, 0), filtered(values, [0] * h)))
        assert np.array_equal(pixels[..., 0], rounded_to_bytes(values.astype(np.uint16))[..., 0])


def test_deep_gray_and_float_tiffs() -> None:
    deep = Image.fromarray(np.array([[0, 128, 129, 255, 65535]], np.uint16))
    assert read_picture(stored(deep, "TIFF"))[0, :, 0].tolist() == [0, 0, 1, 1, 255]
    light = Image.fromarray(np.array([[-1, 0, 0.5, 1, 7]], np.float32))
    assert read_picture(stored(light, "TIFF"))[0, :, 1].tolist() == [0, 0, 128, 255, 255]


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "TIFF", "deep"])
def test_an_orientation_note_is_applied(kind: str) -> None:
    exif = Image.Exif()
    exif[0x0112] = 6  # the picture lies on its side: turn it by 90° clockwise
    flat = np.full((4, 8, 3), 200, np.uint8)
    flat[:2, :2] = 10
    if kind == "deep":
        rows = filtered(flat.astype(np.uint16) * 257, [0] * 4)
        data = png((8, 4, 16, 2, 0, 0, 0), rows, chunk(b"eXIf", exif.tobytes().removeprefix(b"Exif\0\0")))
    else:
        data = stored(Image.fromarray(flat), kind, exif=exif)
    pixels = read_picture(data)
    assert pixels.shape == (8, 4, 4)
    assert pixels[0, 3, 0] < 60 < pixels[0, 0, 0]


GOOD = stored(Image.fromarray(art(32, 24)))


@pytest.mark.parametrize(
    ("data", "sentence"),
    [
        (b"", "is empty"),
        (b"once upon a time", "is not a picture in a known format"),
        (GOOD[:40], "is cut short"),
        (GOOD[:-13], "is cut short"),
        (GOOD[:-12], "is cut short"),
        (SIGNATURE, "is cut short"),
        (GOOD[:60] + bytes([GOOD[60] ^ 1]) + GOOD[61:], "is damaged: the checksum of its 'IDAT' part is wrong"),
        (stored(RGBA.convert("RGB"), "JPEG")[:300], "is damaged: "),
        (png((60_000, 60_000, 8, 6, 0, 0, 0), b"\0"), "claims to have more than 67,108,864 pixels"),
        (png((2**31 - 1, 2**31 - 1, 16, 6, 0, 0, 0), b"\0"), "claims to have more than 67,108,864 pixels"),
        (b"BM" + struct.pack("<IHHIIiiHHIIIIII", 54, 0, 0, 54, 40, 50_000, 50_000, 1, 24, 0, 0, 0, 0, 0, 0), "claims to have more"),
        (png((4, 4, 16, 6, 0, 0, 0), b"\0\0\0"), "is cut short"),
        (png((1, 1, 16, 6, 0, 0, 0), b"\x09" + bytes(8)), "is damaged: its pixel data cannot be unpacked"),
        (b"%!PS\n%%BoundingBox: 0 0 9 9\n", "is not a picture in a known format"),
    ],
)  # fmt: skip
def test_what_cannot_be_read_ends_a_sentence(data: bytes, sentence: str) -> None:
    with pytest.raises(PictureError, match="^" + re.escape(sentence)):
        read_picture(data)


@given(st.integers(8, len(GOOD) - 1), st.integers(0, 7))
def test_a_flipped_bit_never_passes_as_another_picture(position: int, bit: int) -> None:
    data = bytearray(GOOD)
    data[position] ^= 1 << bit
    with pytest.raises(PictureError, match=r"is|has|claims|lacks"):
        read_picture(bytes(data))


def test_endings_leave_out_what_starts_other_programs() -> None:
    endings = picture_endings()
    assert {".png", ".jpg", ".webp", ".tga", ".qoi", ".xbm"} <= endings
    assert not {".eps", ".ps", ".wmf", ".mpg", ".pdf", ".txt"} & endings
