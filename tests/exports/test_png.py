"""Our PNG files open everywhere, with the pixels that went in, and the same bytes on any number of threads."""

import base64
import io
import re
import subprocess
import zlib
from concurrent.futures import ThreadPoolExecutor
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from PIL import Image

from agile_crate.core.frame.indexed import entries, few_colors, indices
from agile_crate.core.model.geometry import Size
from agile_crate.core.png_chunks import chunks
from agile_crate.exports import png
from agile_crate.exports.png import optimized
from conftest import art, tool
from file_bytes import stored


def encoded(pixels: np.ndarray, threads: int = 2) -> bytes:
    with ThreadPoolExecutor(threads) as executor:
        return b"".join(png.encode_png(pixels, executor))


def decoded(data: bytes) -> np.ndarray:
    with Image.open(io.BytesIO(data)) as image:
        assert (image.format, image.mode) == ("PNG", "RGBA")
        return np.asarray(image)


def painted(w: int, h: int) -> np.ndarray:
    y, x = np.mgrid[:h, :w].astype(float)
    chance = np.random.default_rng(5)
    soft = 128 + 90 * np.sin(x / 37) * np.cos(y / 29) + chance.normal(0, 1.2, (h, w))
    alpha = np.clip(255 * (1.2 - np.hypot(x / w - 0.5, y / h - 0.5) * 2), 0, 255)
    return np.stack((soft, soft * 0.8, 255 - soft, alpha), axis=2).astype(np.uint8)


SAMPLES = {
    "one pixel": art(1, 1),
    "a column": art(1, 3000),
    "a row": art(16_384, 1),
    "many strips": painted(700, 900),
    "empty": np.zeros((600, 600, 4), np.uint8),
    "noise": np.random.default_rng(1).integers(0, 256, (300, 500, 4), dtype=np.uint8),
    "flat art": np.kron(art(64, 64), np.ones((8, 8, 1), np.uint8)),
}


@pytest.mark.parametrize("name", SAMPLES)
def test_pixels_come_back(name: str) -> None:
    assert np.array_equal(decoded(encoded(SAMPLES[name])), SAMPLES[name])


@given(st.tuples(st.integers(1, 12), st.integers(1, 12)).flatmap(lambda s: arrays(np.uint8, (*s, 4))))
def test_any_pixels_come_back(pixels: np.ndarray) -> None:
    assert np.array_equal(decoded(encoded(pixels)), pixels)


@pytest.mark.parametrize("kind", [png.NONE, png.SUB, png.UP, png.AVERAGE])
def test_every_filter_comes_back(kind: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(png, "_best_filter", lambda *_: kind)
    monkeypatch.setattr(png, "STRIP_BYTES", 5000)
    data = encoded(painted(123, 77))
    assert np.array_equal(decoded(data), painted(123, 77))
    assert sum(kind == b"IDAT" for kind, _ in chunks(data)) > 5
    assert zlib.decompress(b"".join(content for kind, content in chunks(data) if kind == b"IDAT"))[0] == kind


def test_a_view_that_is_not_contiguous_comes_back() -> None:
    assert np.array_equal(decoded(encoded(art(40, 30)[::-1, ::2])), art(40, 30)[::-1, ::2])


def test_the_same_bytes_on_any_number_of_threads() -> None:
    assert len({encoded(SAMPLES["many strips"], threads) for threads in (1, 2, 7)}) == 1


@pytest.mark.parametrize("name", ["a column", "many strips", "flat art"])
@pytest.mark.parametrize("few", [False, True], ids=["rgba", "indexed"])
def test_bands_give_the_bytes_of_the_whole(name: str, few: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    pixels, palette = SAMPLES[name], None
    if few:
        pixels, palette = pixels[..., 0] // 64, np.array([[n, n, n, 255] for n in range(4)], np.uint8)
    monkeypatch.setattr(png, "STRIP_BYTES", 60_000)
    monkeypatch.setattr(png, "_best_filter", lambda *_: png.UP)
    asked: list[range] = []

    def rows_of(rows: range) -> np.ndarray:
        asked.append(rows)
        return pixels[rows.start : rows.stop]

    with ThreadPoolExecutor(2) as executor:
        whole = b"".join(png.encode_png(pixels, executor, palette))
        monkeypatch.setattr(png, "BAND_BYTES", 100_000 if name != "a column" else 4000)
        size = Size(pixels.shape[1], pixels.shape[0])
        assert b"".join(png.encode_rows(size, rows_of, executor, palette)) == whole
    assert [rows.stop for rows in asked] == [band.stop for band in png.bands(size)]
    assert all(later.start <= earlier.stop for earlier, later in pairwise(asked))
    assert name == "a column" or len(asked) > 4


def test_painted_and_flat_art_get_different_filters() -> None:
    def first_filter(pixels: np.ndarray) -> int:
        return zlib.decompress(b"".join(c for kind, c in chunks(encoded(pixels)) if kind == b"IDAT"))[0]

    assert first_filter(SAMPLES["many strips"]) in (png.SUB, png.UP, png.AVERAGE)
    assert first_filter(SAMPLES["noise"]) == png.NONE


@given(st.binary(max_size=70_000), st.binary(max_size=300))
def test_checksums_combine(first: bytes, second: bytes) -> None:
    combined = png.adler32_combine(zlib.adler32(first), zlib.adler32(second), len(second))
    assert combined == zlib.adler32(first + second)


@pytest.mark.parametrize("name", ["one pixel", "many strips", "flat art"])
def test_pngcheck_finds_nothing(name: str, tmp_path: Path) -> None:
    path = tmp_path / "sheet.png"
    path.write_bytes(encoded(SAMPLES[name]))
    said = subprocess.run([tool("pngcheck"), "-v", path], capture_output=True, encoding="utf-8", check=False)
    assert said.returncode == 0
    assert "No errors detected" in said.stdout


def test_imagemagick_sees_the_same_pixels(tmp_path: Path) -> None:
    path = tmp_path / "sheet.png"
    path.write_bytes(encoded(SAMPLES["many strips"]))
    raw = subprocess.run([tool("convert"), path, "-depth", "8", "rgba:-"], capture_output=True, check=True).stdout
    assert np.array_equal(np.frombuffer(raw, np.uint8).reshape(900, 700, 4), SAMPLES["many strips"])


PAGE = """<canvas id=c></canvas><p id=said>waiting</p><script>
const load = source => new Promise(done => {{ const i = new Image(); i.onload = () => done(i); i.src = source }});
const pixels = image => {{ c.width = image.width; c.height = image.height; const g = c.getContext('2d');
  g.drawImage(image, 0, 0);
  return g.getImageData(0, 0, c.width, c.height).data }};
Promise.all([load('{ours}'), load('{other}')]).then(([a, b]) => {{
  const x = pixels(a), y = pixels(b); let same = x.length == y.length && x.some(v => v > 0);
  for (let i = 0; i < x.length && same; i++) same = x[i] == y[i];
  said.textContent = 'size ' + a.width + 'x' + a.height + ' same ' + same }});
</script>"""


def test_chromium_draws_the_same_pixels_as_from_another_encoder(tmp_path: Path) -> None:
    both = (encoded(SAMPLES["many strips"]), stored(SAMPLES["many strips"]))
    links = ["data:image/png;base64," + base64.b64encode(data).decode() for data in both]
    page = tmp_path / "page.html"
    page.write_text(PAGE.format(ours=links[0], other=links[1]))
    said = subprocess.run(
        [
            *(tool("chromium"), "--headless", "--no-sandbox", "--disable-gpu", "--no-first-run"),
            *("--disable-background-networking", "--disable-component-update", "--disable-sync"),
            *(f"--user-data-dir={tmp_path / 'profile'}", "--virtual-time-budget=8000", "--dump-dom", page.as_uri()),
        ],
        capture_output=True,
        encoding="utf-8",
        timeout=900,
        check=False,
    )
    assert re.search("<p id=.said.>(.*)</p>", said.stdout).group(1) == "size 700x900 same true"


@pytest.mark.parametrize("count", [1, 2, 3, 4, 5, 16, 17, 256])
@pytest.mark.parametrize("size", [(1, 1), (7, 5), (333, 400)])
def test_indexed_pictures_have_the_fewest_bits_and_the_same_pixels(
    tmp_path: Path, count: int, size: tuple[int, int]
) -> None:
    chance = np.random.default_rng(count)
    colors = np.unique(np.append(chance.integers(1, 1 << 32, count - 1, dtype=np.uint32), np.uint32(0)))
    pixels = entries(colors)[chance.integers(0, len(colors), size)]
    found = few_colors([pixels, np.zeros((1, 1, 4), np.uint8)])
    assert set(found.tolist()) <= set(colors.tolist())
    with ThreadPoolExecutor(2) as executor:
        data = b"".join(png.encode_png(indices(pixels, colors), executor, entries(colors)))
    with Image.open(io.BytesIO(data)) as image:
        assert image.mode in ("P", "1")
        assert np.array_equal(np.asarray(image.convert("RGBA")), pixels)
    assert data[24] == next(bits for bits in (1, 2, 4, 8) if count <= 1 << bits)  # the depth in IHDR
    (tmp_path / "sheet.png").write_bytes(data)
    said = subprocess.run(
        [tool("pngcheck"), "-v", tmp_path / "sheet.png"], capture_output=True, encoding="utf-8", check=False
    )
    assert said.returncode == 0, said.stdout


def test_more_colors_than_an_index_can_name() -> None:
    many = np.zeros((16, 17, 4), np.uint8)
    many[..., 0], many[..., 1], many[..., 3] = np.arange(17), np.arange(16)[:, None], 255
    assert few_colors([many[:15]]).size == 256  # 255 and the empty one
    assert few_colors([many]) is None
    assert few_colors([many[:8], many[8:]]) is None


def test_pictures_without_alpha(tmp_path: Path) -> None:
    pixels = painted(700, 900)[..., :3]
    data = encoded(pixels)
    with Image.open(io.BytesIO(data)) as image:
        assert image.mode == "RGB"
        assert np.array_equal(np.asarray(image), pixels)
    assert data == encoded(pixels, threads=1)


def test_squeezed_pictures_keep_every_pixel() -> None:
    pixels = art(40, 30)
    pixels[:10] = (9, 8, 7, 0)  # colors under transparent pixels, as --fill-under leaves them
    plain = encoded(pixels)
    with ThreadPoolExecutor(2) as executor:
        small = optimized(plain, executor)
        assert optimized(plain, executor) == small
    assert len(small) < len(plain)
    with Image.open(io.BytesIO(small)) as image:
        assert np.array_equal(np.asarray(image.convert("RGBA")), pixels)
    assert {kind for kind, _ in chunks(small)} <= {b"IHDR", b"PLTE", b"tRNS", b"IDAT", b"IEND"}
