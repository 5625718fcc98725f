"""Layered documents: each visible top-level layer is a frame, where it lies; hostile archives are refused."""

import re
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from agile_crate.core.limits import USUAL
from agile_crate.core.png_chunks import PictureError
from agile_crate.sources.animated import DecodedSequence
from agile_crate.sources.read_options import PLAIN, ReadOptions
from agile_crate.sources.read_source import read_picture
from file_bytes import layered, stored

FLAT = ReadOptions(layers="flat")


RED, BLUE, HALF = (200, 10, 20, 255), (10, 20, 200, 255), (10, 200, 20, 128)
PARTS = {
    f"data/{n}.png": stored(Image.new("RGBA", (4, 3), c)) for n, c in (("red", RED), ("blue", BLUE), ("half", HALF))
}


def document(stack: str, parts: dict[str, bytes] = PARTS, head: str = "", size: str = 'w="10" h="8"') -> bytes:
    return layered(f'<?xml version="1.0"?>{head}<image version="0.0.6" {size}>{stack}</image>', parts)


STACK = """<stack>
  <layer name="top" src="data/blue.png" x="7" y="-1" opacity="0.5" unknown="9"/>
  <layer name="gone" src="data/red.png" visibility="hidden"/>
  <stack name="group" x="1" y="2">
    <layer src="data/half.png" x="2" y="0"/>
    <layer src="/data/red.png" x="0" y="1"/>
    <layer src="data/blue.png" visibility="hidden"/>
  </stack>
  <layer name="" src="data/red.png" x="-2" y="6"/>
</stack>"""


def test_layers_groups_offsets_and_opacity() -> None:
    reel = read_picture(document(STACK))
    assert isinstance(reel, DecodedSequence)
    assert reel.names == ("01", "group", "top")
    lowest, group, top = reel.pictures
    expected = np.zeros((8, 10, 4), np.uint8)
    expected[6:, :2] = RED
    assert np.array_equal(lowest, expected)
    expected = np.zeros((8, 10, 4), np.uint8)
    expected[:2, 7:] = (*BLUE[:3], 128)
    assert np.array_equal(top, expected)
    assert group[2, 4].tolist() == list(HALF)
    assert group[5, 1].tolist() == list(RED)
    assert group[3, 3].tolist() == [105, 105, 20, 255]
    assert int((group[..., 3] > 0).sum()) == 4 * 3 + 4 * 3 - 2 * 2


def test_flat_is_one_picture() -> None:
    flat = read_picture(document(STACK), options=FLAT)
    assert flat.shape == (8, 10, 4)
    assert flat[6, 0].tolist() == list(RED)
    assert flat[0, 8].tolist() == [*BLUE[:3], 128]


def test_a_document_written_by_another_library(tmp_path: Path) -> None:
    pyora = pytest.importorskip("pyora")
    project = pyora.Project.new(20, 16)
    for name, shade, offset in (("wave_01", 40, (2, 3)), ("wave_02", 90, (5, -2))):
        project.add_layer(Image.new("RGBA", (6, 6), (shade, 0, 0, 255)), name, offsets=offset)
    project.save(str(tmp_path / "otter.ora"))
    reel = read_picture((tmp_path / "otter.ora").read_bytes())
    assert reel.names == ("wave_01", "wave_02")
    assert reel.pictures[0].shape == (16, 20, 4)
    assert [tuple(p[..., 0].max() for p in reel.pictures)] == [(40, 90)]
    assert np.argwhere(reel.pictures[0][..., 3])[[0, -1]].tolist() == [[3, 2], [8, 7]]
    assert np.argwhere(reel.pictures[1][..., 3])[[0, -1]].tolist() == [[0, 5], [3, 10]]


def layer(**attributes: str) -> str:
    return (
        "<stack><layer "
        + " ".join(f'{key.replace("_", "-")}="{value}"' for key, value in attributes.items())
        + "/></stack>"
    )


BOMB = '<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;">]>'


@pytest.mark.parametrize(
    ("data", "sentence"),
    [
        (document(STACK)[:-30], "is damaged: its archive cannot be opened"),
        (document("<stack></stack>"), "has no visible layer"),
        (document(""), "is damaged: its stack.xml has no stack"),
        (document("<stack>"), "is damaged: its stack.xml is not valid XML"),
        (document(layer(src="data/red.png", name="&b;"), head=BOMB), "is refused: its stack.xml declares entities"),
        (document(layer(src="../red.png")), "is refused: its layer '' reaches outside of the archive"),
        (document(layer(src="data/none.png")), "lacks 'data/none.png', which an OpenRaster document must hold"),
        (document(layer(src="data/red.png", name="../up")), "has a layer named '../up', which would lead out"),
        (document(layer(src="data/red.png", x="1e99")), "is damaged: its stack.xml says x='1e99'"),
        (document(layer(src="data/red.png", opacity="much")), "is damaged: its stack.xml says opacity='much'"),
        (document(STACK, size='w="99999" h="99999"'), "claims to have more than 67,108,864 pixels"),
        (document(STACK, size='w="0" h="8"'), "is damaged: its stack.xml says w='0'"),
        (document(layer(src="stack.xml")), "is not a picture in a known format"),
        (document("<stack>" * 120 + "</stack>" * 120), "has groups nested more than 100 deep"),
    ],
)
def test_what_is_wrong_is_told(data: bytes, sentence: str) -> None:
    with pytest.raises(PictureError, match="^" + re.escape(sentence)):
        read_picture(data)


def test_a_missing_stack_and_a_blend_mode() -> None:
    with pytest.raises(PictureError, match=r"^lacks 'stack\.xml', which an OpenRaster document must hold$"):
        read_picture(layered(None, {}))
    blended = '<stack><layer src="data/red.png" composite-op="svg:multiply"/><layer src="data/blue.png"/></stack>'
    assert len(read_picture(document(blended)).pictures) == 2
    with pytest.raises(PictureError, match="with the blend mode 'svg:multiply', which is not drawn here"):
        read_picture(document(blended), options=FLAT)


BASE = '<layer src="data/blue.png"/>'
MULTIPLY = '<layer src="data/red.png" composite-op="svg:multiply"/>'


@pytest.mark.parametrize(
    ("inside", "is_refused"),
    [
        (f"<stack>{MULTIPLY}</stack>{BASE}", True), (f"<stack>{BASE}<stack>{MULTIPLY}</stack></stack>{BASE}", True), (f"<stack>{BASE}{MULTIPLY}</stack>{BASE}", True),
        (f'<stack isolation="isolate">{MULTIPLY}</stack>{BASE}', False), (f'<stack opacity="0.5">{MULTIPLY}</stack>{BASE}', False), (f"{BASE}<stack>{MULTIPLY}</stack>", False),
    ],
)  # fmt: skip
def test_a_blend_mode_above_what_lies_below_its_group_is_refused(inside: str, is_refused: bool) -> None:
    """A group that is not isolated lets its lowest layer blend with what is below the group."""
    data = document(f"<stack>{inside}</stack>")
    if is_refused:
        with pytest.raises(PictureError, match="with the blend mode 'svg:multiply', which is not drawn here"):
            read_picture(data, options=FLAT)
    else:
        assert read_picture(data, options=FLAT).any()


def test_an_archive_that_unpacks_too_far() -> None:
    bomb = document(STACK, PARTS | {"data/zeros": bytes(200_000)})
    assert len(bomb) < 3000
    options = PLAIN._replace(limits=USUAL._replace(unpacked_bytes=100_000))
    with pytest.raises(PictureError, match=r"^unpacks to more than 97\.7 KB; "):
        read_picture(bomb, options=options)
