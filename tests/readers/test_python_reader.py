"""The Python reader on what `pack` wrote: drawn by pygame-ce as the source frames are, and its timing."""

import copy
import os
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from .conftest import READERS, Crate, times_of

os.environ.setdefault("SDL_VIDEODRIVER", "dummy")
os.environ.setdefault("PYGAME_HIDE_SUPPORT_PROMPT", "1")
sys.path.insert(0, str(READERS / "python"))

import crate_reader  # noqa: E402
import pygame  # noqa: E402


def drawn_by(draw: object) -> bytes:
    target = pygame.Surface((90, 90), pygame.SRCALPHA)
    draw(target)
    return pygame.image.tobytes(target, "RGBA")


def test_every_frame_is_drawn_as_its_source_is(crate: Crate) -> None:
    pygame.display.init()
    pygame.display.set_mode((8, 8))
    read = crate_reader.load(crate.path)
    sheets = [pygame.image.load(path).convert_alpha() for path in read.images]
    assert len(read.frames) >= 10
    for frame in read.frames:
        pixels = crate.sources[frame["name"]]
        source = pygame.image.frombytes(pixels.tobytes(), pixels.shape[1::-1], "RGBA").convert_alpha()
        place = [int(40 - part + 0.5) for part in frame["pivot"]]
        expected = drawn_by(lambda target, s=source, p=place: target.blit(s, p))
        found = drawn_by(lambda target, f=frame: crate_reader.draw(target, read, sheets, f, (40, 40)))
        assert found == expected, frame


def test_a_skin_is_drawn_as_its_source_is(worn: Crate) -> None:
    pygame.display.init()
    pygame.display.set_mode((8, 8))
    read = crate_reader.load(worn.path, "coat")
    assert [path.name for path in read.images] == ["o-coat.png"]
    sheets = [pygame.image.load(path).convert_alpha() for path in read.images]
    for frame in read.frames:
        pixels = worn.sources[frame["name"]]
        source = pygame.image.frombytes(pixels.tobytes(), pixels.shape[1::-1], "RGBA").convert_alpha()
        place = [int(40 - part + 0.5) for part in frame["pivot"]]
        expected = drawn_by(lambda target, s=source, p=place: target.blit(s, p))
        assert drawn_by(lambda target, f=frame: crate_reader.draw(target, read, sheets, f, (40, 40))) == expected
    with pytest.raises(KeyError, match="cape"):
        crate_reader.load(worn.path, "cape")


def test_the_timing_rule(crate: Crate) -> None:
    read = crate_reader.load(crate.path)
    assert {one["loop"] for one in crate.document["animations"]} >= {"back-and-forth", "once"}
    for animation in crate.document["animations"]:
        for moment, frame in times_of(animation):
            shown = read.frame_at(animation["name"], moment)
            assert shown is read.frames[frame], (animation["name"], moment)
    assert read.frame("parcel")["name"] == "parcel"


@pytest.mark.parametrize(
    ("key", "value", "sentence"),
    [
        ("format", "other", "not Agile Crate metadata of version 1"),
        ("version", 2, "not Agile Crate metadata of version 1"),
        ("image", "../otter.png", "an image must be a file in the metadata's folder, not '../otter.png'"),
        ("image", "..", "an image must be a file in the metadata's folder, not '..'"),
    ],
)
def test_what_it_refuses(crates: dict[str, Crate], key: str, value: object, sentence: str) -> None:
    document = copy.deepcopy(crates["grid"].document)
    (document["sheets"][0] if key == "image" else document)[key] = value
    with pytest.raises(ValueError, match=sentence.replace(".", r"\.")):
        crate_reader.Crate(document, Path())


def test_documents_without_optional_keys(tmp_path: Path) -> None:
    """Whatever docs/programmers/format.md calls optional may be missing."""
    import importlib.util
    import json

    spec = importlib.util.spec_from_file_location("crate_reader", READERS / "python" / "crate_reader.py")
    reader = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(reader)
    document = {
        "format": "agile-crate", "version": 1, "name": "o", "sheets": [{"image": "o.png", "size": [8, 8]}],
        "frames": [{"name": "a", "sheet": 0, "box": [0, 0, 4, 6], "canvas": [8, 8], "offset": [1, 2], "pivot": [4, 8]}],
        "animations": [{"name": "a", "frames": [0, 0], "durations": [10, 20]}],
    }  # fmt: skip
    (tmp_path / "o.json").write_text(json.dumps(document))
    crate = reader.load(tmp_path / "o.json")
    assert reader.placement(crate.frame("a")) == (-3, -6)
    assert crate.frame_at("a", 31) == document["frames"][0]
    assert [reader.step_at(crate.animations["a"], at) for at in (-1, 9, 10, 30)] == [1, 0, 1, 0]


def test_the_reader_of_the_format_page_restores_every_frame(crate: Crate) -> None:
    page = (READERS.parent / "docs/programmers/format.md").read_text("utf-8")
    code = page.partition("```python\n")[2].partition("```")[0]
    scope: dict[str, Any] = {}
    exec(code, scope)
    assert len(code.splitlines()) <= 22
    restored = {name: np.asarray(canvas) for name, canvas, _ in scope["frames_of"](crate.path)}
    assert len(restored) == len(crate.document["frames"])
    for name in restored:
        pixels = crate.sources[name]
        seen = pixels[..., 3] > 0
        assert np.array_equal(restored[name][..., 3], pixels[..., 3]), name
        assert np.array_equal(restored[name][seen], pixels[seen]), name
