"""Rendered light: levels, alpha, windows, layers, and files that are damaged."""

import io
import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.frame.srgb import CHROMATICITY, from_light
from agile_crate.core.png_chunks import PictureError
from agile_crate.sources import rendered
from agile_crate.sources.decoded import DecodedSequence
from agile_crate.sources.read_options import ReadOptions
from agile_crate.sources.read_source import read_picture
from conftest import Run, metadata

OpenEXR = pytest.importorskip("OpenEXR", reason="the extra 'exr' is not installed")


def light_of(level: int) -> float:
    share = level / 255
    return share / 12.92 if share <= 0.04045 else ((share + 0.055) / 1.055) ** 2.4


def exr(tmp_path: Path, channels: dict[str, np.ndarray], **more: Any) -> bytes:
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **more}
    path = tmp_path / "written.exr"
    with OpenEXR.File(header, channels) as file:
        file.write(str(path))
    data = path.read_bytes()
    path.unlink()
    return data


def window(x: int, y: int, w: int, h: int) -> tuple[np.ndarray, np.ndarray]:
    return np.array([x, y], np.int32), np.array([x + w - 1, y + h - 1], np.int32)


def plain(red: float, green: float, blue: float, alpha: float | None = None, shape: tuple[int, int] = (2, 3)) -> dict:
    values = {"R": red, "G": green, "B": blue, "A": alpha}
    return {name: np.full(shape, value, np.float32) for name, value in values.items() if value is not None}


@given(st.integers(0, 255), st.integers(1, 255), st.integers(-4, 4))
def test_levels_come_out_as_they_went_in(level: int, alpha: int, stops: int) -> None:
    """The light of a level, multiplied by its alpha and made darker, is that level again when it is made brighter."""
    cover = np.full((1, 1), alpha / 255, np.float32)
    light = np.full((1, 1, 3), light_of(level) * alpha / 255 / 2**stops, np.float32)
    assert from_light(light, cover, stops, CHROMATICITY)[0, 0].tolist() == [level, level, level, alpha]


def test_odd_light_is_dark_or_white() -> None:
    light = np.array([[[np.nan, np.inf, -np.inf], [-1, 7, 0.5]]], np.float32)
    pixels = from_light(light, None, 0, CHROMATICITY)
    assert pixels.tolist() == [[[0, 255, 0, 255], [0, 255, 188, 255]]]
    huge = np.full((1, 1, 3), np.inf, np.float32), np.full((1, 1, 3), 1e38, np.float32)
    wide = (0.3127, 0.329, 0.708, 0.292, 0.17, 0.797, 0.131, 0.046)
    for stops in (-20, 0, 20):
        for chromaticity in (CHROMATICITY, wide):
            assert [from_light(one, None, stops, chromaticity).tolist() for one in huge] == [[[[255] * 4]]] * 2
    glow = from_light(np.ones((1, 1, 3), np.float32), np.zeros((1, 1), np.float32), 0, CHROMATICITY)
    assert glow.tolist() == [[[0, 0, 0, 0]]]


def test_other_primaries_are_converted() -> None:
    wide = (0.3127, 0.329, 0.708, 0.292, 0.17, 0.797, 0.131, 0.046)
    white = from_light(np.full((1, 1, 3), 0.5, np.float32), None, 0, wide)
    assert white.tolist() == [[[188, 188, 188, 255]]]
    red = from_light(np.array([[[0.3, 0, 0]]], np.float32), None, 0, wide)
    assert red[0, 0, 0] > 170 > red[0, 0, 1] == 0


@pytest.mark.parametrize("kind", [np.float16, np.float32])
def test_half_and_float_straight_and_opaque(tmp_path: Path, kind: type) -> None:
    channels = {name: values.astype(kind) for name, values in plain(0.25, 0.125, 0, 0.5).items()}
    pixels = read_picture(exr(tmp_path, channels))
    assert pixels[0, 0].tolist() == [188, 137, 0, 128]
    del channels["A"]
    assert read_picture(exr(tmp_path, channels))[0, 0].tolist() == [137, 99, 0, 255]
    gray = read_picture(exr(tmp_path, {"Y": np.full((2, 3), 0.25, kind)}), options=ReadOptions(exposure=1))
    assert gray[0, 0].tolist() == [188, 188, 188, 255]


def test_the_data_window_lies_on_the_display_window(tmp_path: Path) -> None:
    data = exr(tmp_path, plain(1, 1, 1, 1), displayWindow=window(0, 0, 8, 6), dataWindow=window(2, 1, 3, 2))
    seen = read_picture(data)[..., 3] > 0
    expected = np.zeros((6, 8), bool)
    expected[1:3, 2:5] = True
    assert np.array_equal(seen, expected)
    beyond = exr(tmp_path, plain(1, 1, 1, 1), displayWindow=window(3, 2, 4, 4), dataWindow=window(2, 1, 3, 2))
    expected = np.zeros((4, 4), bool)
    expected[0, 0:2] = True
    assert np.array_equal(read_picture(beyond)[..., 3] > 0, expected)


def layered(tmp_path: Path, with_picture: bool) -> bytes:
    channels = {"depth.Z": np.full((2, 3), 4, np.float32)}
    channels |= {f"glow.{name}": values for name, values in plain(0.25, 0, 0, 0.5).items()}
    channels |= {f"light.key.{name}": values for name, values in plain(0, 0.5, 0).items()}
    return exr(tmp_path, channels | (plain(1, 1, 1, 1) if with_picture else {}))


def test_layers_of_one_file(tmp_path: Path) -> None:
    whole = read_picture(layered(tmp_path, True))
    assert whole.tolist() == [[[255] * 4] * 3] * 2
    reel = read_picture(layered(tmp_path, True), options=ReadOptions(layers="separate"))
    assert isinstance(reel, DecodedSequence)
    assert set(reel.names) == {"picture", "glow", "light/key"}
    assert reel.pictures[reel.names.index("glow")][0, 0].tolist() == [188, 0, 0, 128]
    with pytest.raises(PictureError, match="has no picture besides its layers 'glow' and 'light/key'"):
        read_picture(layered(tmp_path, False))


def test_what_is_damaged_or_too_large_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    data = exr(tmp_path, plain(1, 1, 1, 1))
    for broken in (data[:60], data[:-20], rendered_start(data) + b"x" * 90):
        with pytest.raises(PictureError, match="is damaged"):
            read_picture(broken)
    with pytest.raises(PictureError, match="claims to have more than 4 pixels"):
        read_picture(data, largest=4)
    with pytest.raises(PictureError, match="has no colors: neither red, green and blue, nor a brightness"):
        read_picture(exr(tmp_path, {"Z": np.ones((2, 3), np.float32)}))
    monkeypatch.setattr(rendered, "find_spec", lambda _: None)
    with pytest.raises(PictureError, match=r"is an OpenEXR render; to read those, install agile-crate\[exr\]"):
        read_picture(data)


@pytest.mark.parametrize(
    ("channels", "header", "told"),
    [
        ({"Y": 1, "RY": 1, "BY": 1}, {}, "stores brightness, and colors apart at half its size; save it as red, green and blue"),
        ({"R": 1, "G": 1, "B": 1, "r": 0.5, "g": 0.5, "b": 0.5}, {}, "has two channels 'R' that differ only in case|has two channels 'G'|has two channels 'B'"),
        ({"R": 1, "G": 1, "B": 1, "AR": 1, "AG": 1, "AB": 1}, {}, "it has an alpha of its own for each color; save it with one alpha"),
        ({"R": 1, "G": 1, "B": 1}, {"pixelAspectRatio": 2.0}, "has pixels that are not square"),
        ({"R": "whole", "G": "whole", "B": "whole"}, {}, "it stores R as whole numbers; save it as half or float"),
    ],
)  # fmt: skip
def test_what_would_be_guessed_at_is_refused(
    tmp_path: Path, channels: dict[str, Any], header: dict[str, Any], told: str
) -> None:
    made = {
        name: np.full((2, 4), 7, np.uint32) if value == "whole" else np.full((2, 4), value, np.float32)
        for name, value in channels.items()
    }
    with pytest.raises(PictureError, match=told):
        read_picture(exr(tmp_path, made, **header))


def test_infinite_light_is_white_and_reported_once(run: Run, tmp_path: Path) -> None:
    (tmp_path / "frames").mkdir()
    for number in (1, 2, 3):
        (tmp_path / "frames" / f"glow_{number}.exr").write_bytes(
            exr(tmp_path, plain(np.inf if number < 3 else 1e38, 0.2, 0, 1))
        )
    assert read_picture((tmp_path / "frames" / "glow_1.exr").read_bytes())[0, 0, 0] == 255
    said = json.loads(run("survey", "frames", "--json").stdout)
    found = [one for one in said["findings"] if one["code"] == "light-infinite"]
    assert [(one["frames"], one["what"]) for one in found] == [
        (["glow_1", "glow_2"], "2 frames of 3 with infinite light, which is taken as white")
    ]


def rendered_start(data: bytes) -> bytes:
    return io.BytesIO(data).read(8)


def test_a_crate_of_renders_comes_back(run: Run, tmp_path: Path) -> None:
    (tmp_path / "frames").mkdir()
    for number in range(1, 4):
        data = exr(
            tmp_path,
            plain(number / 9, 0.2, 0.1, 0.9),
            displayWindow=window(0, 0, 9, 8),
            dataWindow=window(number, 2, 3, 2),
        )
        (tmp_path / "frames" / f"splash_{number}.exr").write_bytes(data)
    assert run("pack", "frames", "--out", "o", "--exposure", "1.5", "--trim", "frame").returncode == 0
    document = metadata(tmp_path / "o.json")
    assert [frame["offset"] for frame in document["frames"]] == [[1, 2], [2, 2], [3, 2]]
    assert {tuple(frame["canvas"]) for frame in document["frames"]} == {(9, 8)}
    assert run("verify", "o.json", "--against", "frames").returncode == 0
    assert run("verify", "o.json", "--against", "frames").stdout.endswith(
        "all 3 frames match their sources, pixel for pixel\n"
    )
    done = run("pack", "frames", "--out", "o", "--exposure", "30")
    assert done.stderr.startswith("agile-crate: error: --exposure: '30' is not a number of stops from -20 to 20")
