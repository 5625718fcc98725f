"""Animated pictures: every frame, its time, how it repeats; and none passes that was cut short."""

import struct
import zlib
from fractions import Fraction

import numpy as np
import pytest
from PIL import Image

from agile_crate.core.png_chunks import PictureError
from agile_crate.sources.animated import DecodedSequence, gif_extent
from agile_crate.sources.read_source import read_picture
from file_bytes import stored


def flat(shade: int) -> Image.Image:
    picture = Image.new("RGBA", (24, 16), (shade, 255 - shade, 90, 255))
    picture.paste((0, 0, 0, 0), (shade // 20, 2, shade // 20 + 4, 9))
    return picture


FRAMES = [flat(shade) for shade in (0, 40, 80, 120, 160)]
TIMES = [100, 50, 30, 200, 80]


def saved(kind: str, **options: object) -> bytes:
    return stored(FRAMES[0], kind, save_all=True, append_images=FRAMES[1:], **options)


@pytest.mark.parametrize(
    ("kind", "options", "times", "repeats"),
    [
        ("GIF", {"duration": TIMES, "loop": 0, "disposal": 2}, TIMES, ("forever", 0)),
        ("GIF", {"duration": 70, "disposal": 2}, [70] * 5, ("once", 0)),
        ("GIF", {"duration": 70, "loop": 2, "disposal": 2}, [70] * 5, ("once", 3)),
        ("PNG", {"duration": TIMES, "loop": 3}, TIMES, ("once", 3)),
        ("PNG", {"duration": TIMES, "loop": 0}, TIMES, ("forever", 0)),
        ("WEBP", {"duration": TIMES, "loop": 1, "lossless": True}, TIMES, ("once", 0)),
        ("TIFF", {}, [None] * 5, (None, 0)),
    ],
)
def test_frames_times_and_repeats(
    kind: str, options: dict[str, object], times: list[int | None], repeats: tuple[str | None, int]
) -> None:
    reel = read_picture(saved(kind, **options))
    assert isinstance(reel, DecodedSequence)
    assert list(reel.milliseconds) == times
    assert (reel.loop, reel.times) == repeats
    for pixels, frame in zip(reel.pictures, FRAMES, strict=True):
        seen = np.asarray(frame)[..., 3] > 0
        assert np.array_equal(pixels[..., 3] > 0, seen)
        assert np.array_equal(pixels[seen], np.asarray(frame)[seen])


def test_a_fraction_of_a_millisecond_is_kept() -> None:
    data = bytearray(saved("PNG", duration=33))
    first = data.index(b"fcTL")  # its delay is 20 bytes in: 133 of 4000 seconds, and the checksum anew
    data[first + 24 : first + 28] = struct.pack(">HH", 133, 4000)
    data[first + 30 : first + 34] = struct.pack(">I", zlib.crc32(data[first : first + 30]))
    reel = read_picture(bytes(data))
    assert reel.milliseconds[0] == Fraction(133, 4)


def test_a_first_picture_that_is_not_part_of_the_animation_is_left_out() -> None:
    reel = read_picture(saved("PNG", duration=40, default_image=True))
    assert len(reel.pictures) == 4


GIF = saved("GIF", duration=TIMES, loop=0, disposal=2)


def test_a_gif_is_whole_only_with_its_trailer() -> None:
    assert gif_extent(GIF) == (True, 5)
    reached = [gif_extent(GIF[:end]) for end in range(13, len(GIF))]
    assert not any(whole for whole, _ in reached)
    assert [count for _, count in reached] == sorted(count for _, count in reached)
    assert reached[-1] == (False, 5)


@pytest.mark.parametrize("kind", ["GIF", "PNG", "WEBP"])
def test_no_cut_off_animation_passes_as_a_shorter_one(kind: str) -> None:
    data = saved(kind, duration=TIMES, **({"lossless": True} if kind == "WEBP" else {}))
    for end in range(30, len(data) - 1, max(1, len(data) // 60)):
        with pytest.raises(PictureError, match=r"is (cut short|damaged|not a picture)"):
            read_picture(data[:end])


def test_how_many_pictures_could_be_read_is_said() -> None:
    with pytest.raises(PictureError, match=r"^is cut short: 4 pictures of it could be read$"):
        read_picture(GIF[:-8])
    data = saved("PNG", duration=40)
    start = data.rindex(b"fcTL") - 4
    with pytest.raises(PictureError, match=r"^is cut short: 4 pictures of 5 exist$"):
        read_picture(data[:start] + data[data.rindex(b"IEND") - 4 :])
