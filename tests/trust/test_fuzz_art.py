"""Whatever a stranger feeds the program as art, it ends with a result or one sentence, in bounds, and writes below
`out` alone. See `strangers`."""

import io
import warnings
from functools import cache
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from conftest import art
from file_bytes import stored
from trust.attempt import Attempt, attempted
from trust.mutations import edited_json, edited_png, edited_xml, edited_zip, spliced, spliced_text
from trust.strangers import DEMO, SIGHTS, cases, small

pytestmark = pytest.mark.usefixtures("quick")


@cache
def seeds() -> list[tuple[str, bytes]]:
    """A small picture in every way of storing one that there is here, each with its ending."""
    colors = Image.fromarray(art(9, 7))
    more = [Image.fromarray(art(9, 7, n)) for n in (1, 2)]
    indexed = colors.convert("RGB").quantize(8)
    found = [(".png", stored(colors.convert(mode))) for mode in ("1", "L", "LA", "RGB", "RGBA")]
    found += [(".png", stored(art(9, 7)[..., 0].astype(np.uint16) * 257))]
    found += [(".png", stored(indexed, transparency=b"\0\x80")), (".png", stored(indexed, bits=4))]
    found += [
        (f".{kind.lower()}", stored(colors, kind, save_all=True, append_images=more, duration=80))
        for kind in ("PNG", "GIF", "WEBP")
    ]
    Image.init()
    for kind in sorted({*Image.SAVE} - {"PDF", "EPS", "WMF", "BUFR", "GRIB", "HDF5", "PALM", "SPIDER"}):
        for mode in ("RGBA", "RGB", "L", "1"):
            try:
                with warnings.catch_warnings():
                    warnings.simplefilter("ignore")
                    data = stored(colors.convert(mode), kind)
                    Image.open(io.BytesIO(data)).load()
            except (OSError, ValueError, KeyError, SystemError):
                continue
            found.append((f".{kind.lower()}", data))
            break
    return found


@cases(72, 30_000)
@given(st.data())
def test_pictures(folder: Path, data: st.DataObject) -> None:
    ending, seed = data.draw(st.sampled_from(seeds()))
    spoilt = data.draw(edited_png(seed) if ending == ".png" and data.draw(st.booleans()) else spliced(seed))
    cut = ("unpack", f"art/a{ending}", "--out", "out/f", "--cell", "3x3", "--limit", "frames=1000")
    words = data.draw(st.sampled_from([*SIGHTS, cut]))
    attempted(Attempt({f"art/a{ending}": spoilt, "art/b.png": small()}, words), folder)


LAYERS = {
    "mimetype": b"image/openraster",
    "stack.xml": b'<image version="0.0.6" w="10" h="8"><stack><layer name="top" src="data/a.png" x="3" y="-1" opacity="0.5"/><stack name="group" x="1" y="2" opacity="0.9">'
    b'<layer src="data/b.png" composite-op="svg:multiply"/><layer src="data/a.png" visibility="hidden"/></stack></stack></image>',
}  # fmt: skip


@cases(36, 12_000)
@given(st.data())
def test_layered_documents(folder: Path, data: st.DataObject) -> None:
    parts = {f"data/{name}.png": stored(art(4, 3, n)) for n, name in enumerate("ab")}
    spoilt = data.draw(edited_zip(LAYERS | parts, "stack.xml", "stack", "layer", 'src="', "data/a.png", "svg:screen"))
    words = data.draw(st.sampled_from([*SIGHTS, (*SIGHTS[0], "--layers", "flat")]))
    attempted(Attempt({"art/a.ora": spoilt}, words), folder)


DRAWING = (
    b'<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="24" height="16" viewBox="0 0 24 16"><defs><g id="a"><circle r="3" fill="#c40"/></g>'
    b'<linearGradient id="g"><stop offset="0" stop-color="red"/><stop offset="1" stop-color="blue" stop-opacity=".5"/></linearGradient></defs>'
    b'<g id="swim_1" label="swim_1"><use href="#a" x="5" y="5" transform="rotate(20)"/></g><g id="swim_2"><rect width="8" height="6" fill="url(#g)"/>'
    b'<path d="M2 2 L9 3 Q4 5 1 9 z" stroke="#fff" stroke-width="1"/><text x="2" y="9">otter</text></g></svg>'
)


@cases(24, 6_000)
@given(st.data())
def test_drawings(folder: Path, data: st.DataObject) -> None:
    words = ("<use ", 'href="#a"', 'href="file:///etc/passwd"', "<image ", "100%", "1e9", "url(#g)", "<g>", "</g>", "<style>", "viewBox", "transform")  # fmt: skip
    spoilt = data.draw(edited_xml(DRAWING) | spliced_text(DRAWING.decode(), *words).map(str.encode))
    more = data.draw(st.sampled_from([(), ("--vector-size", "30x20"), ("--layers", "separate"), ("--scale", "200%")]))
    attempted(Attempt({"art/a.svg": spoilt}, (*SIGHTS[0], *more)), folder)


@cases(2, 300)
@given(st.data())
def test_renders(folder: Path, data: st.DataObject) -> None:
    (seed, *_) = sorted((DEMO / "rendered").rglob("*.exr"))
    attempted(Attempt({"art/a.exr": data.draw(spliced(seed.read_bytes()))}, SIGHTS[0]), folder)


PALETTE = "; the otter's\n#201830\n4a7c94\n// more\n#ffffff\n"


@cases(24, 5_000)
@given(st.data())
def test_palettes_and_lists_of_what_is_allowed(folder: Path, data: st.DataObject) -> None:
    text = data.draw(spliced_text(PALETTE, "#", ";", "//", "ffffff", "\r\n")).encode()
    allowed = {"allowed": [{"code": "duplicates", "frames": ["swim_1", "swim_2"]}], "version": 1}
    files, words = data.draw(
        st.sampled_from([({"p.txt": text}, (*SIGHTS[0], "--palette", "p.txt")), ({"p.png": data.draw(edited_png(small()))}, (*SIGHTS[0], "--palette", "p.png")),
            ({"a.json": data.draw(edited_json(allowed))}, ("survey", "art", "--baseline", "a.json"))])
    )  # fmt: skip
    attempted(Attempt(files | {"art/a.png": small()}, words), folder)
