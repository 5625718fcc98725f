"""A PNG that is decoded a band at a time has the pixels of the whole."""

import io
import zlib

import numpy as np
import pytest
from PIL import Image

from agile_crate.core.png_chunks import PictureError
from agile_crate.sources.pictures import read_still
from agile_crate.sources.png_bands import can_be_banded, png_bands
from conftest import art
from file_bytes import stored

KINDS = {
    "RGBA": {}, "RGB": {}, "RGB with a clear color": {"transparency": (40, 120, 200)}, "P": {},
    "P with clear entries": {"transparency": bytes(range(200))}, "P of 2 bits": {"bits": 2}, "L": {}, "1": {},
}  # fmt: skip


def saved(kind: str, options: dict[str, object], w: int = 37, h: int = 29) -> bytes:
    image = Image.fromarray(art(w, h)).convert(kind.split()[0] if kind != "RGBA" else "RGBA")
    if "bits" in options:
        image = image.quantize(4)
    return stored(image, **options)


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("rows", [1, 4, 29, 100])
def test_bands_are_parts_of_the_picture(kind: str, rows: int) -> None:
    data = saved(kind, KINDS[kind])
    assert can_be_banded(data)
    bands = list(png_bands(data, rows))
    assert [len(band) for band in bands][:-1] == [rows] * (len(bands) - 1)
    assert np.array_equal(np.concatenate(bands), read_still(data))


def test_every_filter_is_undone_across_bands() -> None:
    """Rows with all five filters, by turns, as other programs write them."""
    pixels = art(13, 20)
    rows = np.concatenate([np.full((20, 1), 0, np.uint8), pixels.reshape(20, -1)], axis=1)
    rows[:, 0] = np.arange(20) % 5
    data = bytearray(saved("RGBA", {}, 13, 20))
    begin = data.index(b"IDAT") - 4
    packed = zlib.compress(rows.tobytes())
    chunk = b"IDAT" + packed
    data[begin:] = len(packed).to_bytes(4) + chunk + zlib.crc32(chunk).to_bytes(4)
    data += b"\0\0\0\0IEND" + zlib.crc32(b"IEND").to_bytes(4)
    whole = read_still(bytes(data))
    for count in (1, 3, 7):
        assert np.array_equal(np.concatenate(list(png_bands(bytes(data), count))), whole)


@pytest.mark.parametrize("kind", ["LA", "RGBA, interlaced", "GIF", "text"])
def test_others_are_not_banded(kind: str) -> None:
    stream = io.BytesIO(b"" if kind != "text" else b"some text that is no picture")
    if kind != "text":
        image = Image.fromarray(art(9, 9)).convert("LA" if kind == "LA" else "RGBA")
        image.save(stream, "GIF" if kind == "GIF" else "PNG")
    data = bytearray(stream.getvalue())
    if "interlaced" in kind:
        data[28] = 1
    assert not can_be_banded(bytes(data))


def test_damage_is_told() -> None:
    data = saved("RGBA", {})
    with pytest.raises(PictureError, match="is cut short"):
        list(png_bands(data[:-20], 5))
    bent = bytearray(data)
    bent[data.index(b"IDAT") + 12] ^= 255
    with pytest.raises(PictureError, match="is damaged: the checksum"):
        list(png_bands(bytes(bent), 5))
    short = bytearray(data)
    short[20:24] = (60).to_bytes(4)  # says that it is higher
    short[29:33] = zlib.crc32(short[12:29]).to_bytes(4)
    with pytest.raises(PictureError, match="is cut short"):
        list(png_bands(bytes(short), 5))
