"""Drawings in vectors: their sizes, their layers, what is drawn of them, and what is refused."""

import base64
import gzip
import os
import re
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

import agile_crate
from agile_crate.core.limits import USUAL
from agile_crate.core.model.geometry import Size
from agile_crate.core.model.picture import Vector
from agile_crate.core.png_chunks import PictureError
from agile_crate.sources.read_options import PLAIN, ReadOptions
from agile_crate.sources.read_source import read_picture
from agile_crate.sources.vector import read_vector
from conftest import Run, art, metadata, save
from file_bytes import stored

FONT = Path(agile_crate.__file__).parent / "views" / "font"


def svg(inside: str, head: str = 'width="20" height="10"') -> bytes:
    names = 'xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink"'
    label = 'xmlns:drawn="http://localhost/names-of-layers"'
    return f"<svg {names} {label} {head}>{inside}</svg>".encode()


WHOLE = '<rect width="100%" height="100%" fill="#204060"/>'


def wide_rect(count: int) -> str:
    """An element of so many attributes."""
    attributes = " ".join(f'a{number}="1"' for number in range(count))
    return f"<rect {attributes}/>"


BOX = '<rect x="4" y="2" width="8" height="6" fill="#204060"/>'


def limited(layers: str = "", **limits: int) -> ReadOptions:
    return PLAIN._replace(layers=layers, limits=USUAL._replace(**limits))


def read(data: bytes, options: ReadOptions = PLAIN) -> Vector:
    found = read_vector(data, 1 << 20, options)
    assert isinstance(found, Vector)
    return found


@pytest.mark.parametrize(
    ("head", "given", "size"),
    [
        ('width="20" height="10"', None, (20, 10)), ('width="20.2px" height="9.9"', None, (21, 10)),
        ('width="1in" height="12pt"', None, (96, 16)), ('viewBox="0 0 30 40"', None, (30, 40)),
        ('viewBox="5,5 30 40" width="15"', None, (15, 20)), ('viewBox="0 0 3 4" height="8"', None, (6, 8)),
        ('width="100%" height="100%" viewBox="0 0 7 9"', None, (7, 9)),
        ('viewBox="0 0 30 40"', Size(8, 9), (8, 9)), ("", Size(8, 9), (8, 9)),
        ('width="20" height="10"', Size(8, 9), (20, 10)),
    ],
)  # fmt: skip
def test_the_own_size(head: str, given: Size | None, size: tuple[int, int]) -> None:
    assert read(svg(BOX, head), ReadOptions(vector_size=given)).size == size


@pytest.mark.parametrize("factor", [1, 2, 5])
def test_it_is_drawn_at_exactly_the_size_wanted(factor: int) -> None:
    pixels = read(svg(BOX)).draw(Size(20 * factor, 10 * factor))
    expected = np.zeros((10 * factor, 20 * factor, 4), np.uint8)
    expected[2 * factor : 8 * factor, 4 * factor : 12 * factor] = (0x20, 0x40, 0x60, 255)
    assert np.array_equal(pixels, expected)  # sharp, whatever the size


def test_it_fills_any_canvas() -> None:
    whole = read(svg('<rect width="20" height="10" fill="#fff"/>'))
    assert (whole.draw(Size(13, 9)) == 255).all()
    boxed = svg('<rect width="4" height="4" fill="#fff"/>', 'width="20" height="10" viewBox="0 0 4 4"')
    pixels = read(boxed).draw(Size(40, 20))
    assert (pixels[:, 10:30] == 255).all()  # its own aspect is kept, in its middle
    assert not pixels[:, :10].any()


def test_packed_bytes_and_every_reader_of_pictures() -> None:
    data = svg(BOX)
    assert np.array_equal(read(gzip.compress(data)).draw(Size(20, 10)), read(data).draw(Size(20, 10)))
    assert np.array_equal(read_picture(data), read(data).draw(Size(20, 10)))
    old = b'<?xml version="1.0"?><!DOCTYPE svg PUBLIC "-//W3C//DTD SVG 1.1//EN" "http://x/svg11.dtd">' + data
    assert np.array_equal(read_picture(b"\xef\xbb\xbf" + old), read_picture(data))


LAYERS = (
    '<rect y="9" width="20" height="1" fill="#fff"/>'
    '<g id="g1" drawn:label="up"><rect id="r" width="3" height="3"/></g>'
    '<g id="g2"><title>down</title><use href="#r" x="5" y="5"/></g><g><rect x="15" width="2" height="2"/></g>'
    '<g id="gone" style="display: none"><rect width="20" height="10"/></g>'
)


def test_groups_by_name_are_frames_and_the_rest_is_in_each() -> None:
    found = read_vector(svg(LAYERS), 1 << 20, ReadOptions(layers="separate"))
    assert found.names == ("up", "down")
    up, down = (one.draw(one.size)[..., 3] > 0 for one in found.pictures)
    for seen in (up, down):
        assert seen[9].all()
        assert seen[:2, 15:17].all()
    assert up[:3, :3].all()
    assert not up[5:8, 5:8].any()
    assert down[5:8, 5:8].all()  # what it uses is there, though the group around that is not
    assert not down[:3, :3].any()
    flat = read(svg(LAYERS)).draw(Size(20, 10))[..., 3] > 0
    assert np.array_equal(flat, up | down)


def uses(times: int, deep: int) -> str:
    groups = "".join(
        f'<g id="g{n}">{f"""<use href="#g{n - 1}"/>""" * times if n else BOX}</g>' for n in range(deep + 1)
    )
    return f'<defs>{groups}</defs><use href="#g{deep}"/>'


def picture(w: int, h: int, kind: str = "PNG") -> str:
    return f"data:image/{kind.lower()};base64,{base64.b64encode(stored(Image.new('L', (w, h)), kind)).decode()}"


@pytest.mark.parametrize(
    ("data", "told"),
    [
        (svg(BOX, ""), "has no size of its own; set one with vector_size"),
        (svg(BOX, 'width="2000" height="2000"'), "claims to have more than 1,048,576 pixels"),
        (
            svg("<text>hi</text>"),
            "has text, and the system's fonts are not used: name a font with font, or turn text into",
        ),
        (svg('<image href="otter.png"/>'), "shows a picture from outside of itself, 'otter.png'; embed it"),
        (svg('<image href="file:///etc/passwd"/>'), "shows a picture from outside of itself"),
        (svg('<image href="data:image/svg+xml;base64,AAAA"/>'), "shows a picture from outside of itself"),
        (svg(f'<image href="{picture(2000, 900)}"/>'), "has an embedded picture of more than 1,048,576 pixels"),
        (svg('<image href="data:image/png;base64,AAAA"/>'), "has a damaged embedded picture"),
        (svg('<use xlink:href="other.svg#x"/>'), "refers to something outside of itself, 'other.svg#x'; put it in"),
        (svg('<rect fill="url(other.svg#x)"/>'), "refers to an outside file in its styles; embed it"),
        (svg("<style>@import 'x.css';</style>"), "refers to an outside file in its styles"),
        (svg("<foreignObject/>"), "has a foreign object"),
        (svg("<g>" * 300 + "</g>" * 300), "has elements nested more than 100 deep"),
        (svg(uses(10, 6)), "draws more than 100,000 elements, each as often as it is used"),
        (svg(uses(2, 60)), "draws more than 100,000 elements"),
        (b'<!DOCTYPE svg [<!ENTITY a "aaaa">]>' + svg("<g>&a;</g>"), "is refused: it declares entities"),
        (b"<html></html>", "is not a picture in a known format"),
        (b"<svg><g></svg>", "is not a picture in a known format"),
        (b'<svg width="9" height="9"/>', "is not a picture in a known format"),
        (gzip.compress(svg(BOX))[:-9], "is damaged: its end is missing"),
        (b"\x1f\x8bxyz", "is damaged: it cannot be unpacked"),
        (gzip.compress(b"<" * (1 << 25)), "is a drawing larger than 16.0 MB"),
    ],
    ids=range(22),
)
def test_what_is_refused(data: bytes, told: str) -> None:
    with pytest.raises(PictureError, match="^" + re.escape(told)):
        read_vector(data, 1 << 20, PLAIN)


def test_layers_without_names_and_names_that_lead_out() -> None:
    for inside, told in (("<g/>", "has no named groups"), ('<g id="../x"/>', "has a layer named '../x', which would")):
        with pytest.raises(PictureError, match=told):
            read_vector(svg(inside), 1 << 20, ReadOptions(layers="separate"))


def test_embedded_pictures_circles_and_filters_are_drawn() -> None:
    drawn = read(svg(f'<image width="20" height="10" href="{picture(4, 2)}"/>'))
    assert (drawn.draw(Size(20, 10))[..., 3] == 255).all()
    read(svg('<g id="a"><use href="#a"/></g>')).draw(Size(20, 10))
    blurred = svg(f'<filter id="f"><feGaussianBlur stdDeviation="2"/></filter><g filter="url(#f)">{BOX}</g>')
    assert (read(blurred).draw(Size(40, 20))[..., 3] > 0).sum() > 8 * 6 * 4


def test_what_takes_too_long_is_ended() -> None:
    filters = '<feTurbulence baseFrequency="0.01" numOctaves="9"/><feGaussianBlur stdDeviation="90"/>' * 400
    slow = svg(f'<filter id="f">{filters}</filter><g filter="url(#f)"><rect width="20" height="10"/></g>')
    with pytest.raises(PictureError, match="takes longer than 1 seconds to draw"):
        read(slow, limited(seconds=1)).draw(Size(4000, 2000))


def test_text_is_drawn_in_the_font_that_is_given() -> None:
    font = next(FONT.glob("*.ttf"))
    words = svg('<text x="1" y="9" font-size="9" font-family="Nowhere">mm</text>')
    plain = read(words, ReadOptions(font=str(font))).draw(Size(200, 100))
    assert np.count_nonzero(plain[..., 3]) > 500
    styled = words.replace(b"<text", b"<style>text { font-family: Elsewhere }</style><text")
    assert np.array_equal(read(styled, ReadOptions(font=str(font))).draw(Size(200, 100)), plain)


@pytest.fixture
def drawings(tmp_path: Path) -> Path:
    folder = tmp_path / "frames"
    for number in range(1, 4):
        ball = f'<circle cx="{4 + number}" cy="6" r="3" fill="#c33" stroke="#201830"/>'
        path = folder / "buoy" / f"buoy_{number}.svg"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(svg(ball, 'width="12" height="10"'))
    save(folder / "gull" / "gull_1.png", art(9, 8, 1))
    return folder


@pytest.mark.parametrize(
    "options",
    [
        ["--scale", "37%"], ["--fit", "64", "--fit-to", "art", "--trim", "sheet"],
        ["--also-scale", "50%,200%", "--colors", "4"],
        ["--color-key", "#cc3333", "--fit", "40", "--mirrored", "left=buoy", "--layout", "tight", "--turn", "--drop-duplicates"],
    ],
    ids=" ".join,
)  # fmt: skip
def test_a_build_with_drawings_and_pixels_comes_back(
    run: Run, drawings: Path, tmp_path: Path, options: list[str]
) -> None:
    assert run("pack", "frames", "--out", "o", *options).returncode == 0
    for name in [path.name for path in tmp_path.glob("o*.json")]:
        proof = run("verify", name, "--against", "frames")
        assert proof.returncode == 0, proof.stdout
    (tmp_path / "again").mkdir()
    before = {path.name: path.read_bytes() for path in tmp_path.glob("o*")}
    assert run("pack", "frames", "--out", "again/o", *options, env=_environment(tmp_path)).returncode == 0
    assert {path.name: path.read_bytes() for path in (tmp_path / "again").glob("o*")} == before


def _environment(home: Path) -> dict[str, str]:
    """Another home, locale and hash seed: no font, no cache, no order of them is to matter."""
    return {"PATH": os.environ["PATH"], "HOME": str(home), "LC_ALL": "C", "PYTHONHASHSEED": "7", "TZ": "Asia/Tokyo"}


@pytest.mark.parametrize("options", [["--scale", "500%"], ["--fit", "60"], ["--also-scale", "5x"]], ids=" ".join)
def test_large_sizes_are_drawn_and_not_enlarged(run: Run, drawings: Path, tmp_path: Path, options: list[str]) -> None:
    (drawings / "gull" / "gull_1.png").unlink()
    assert run("pack", "frames", "--out", "o", *options).returncode == 0
    name = "o@500" if "--also-scale" in options else "o"
    loaded = agile_crate.load(str(tmp_path / f"{name}.json"))
    drawn = read((drawings / "buoy" / "buoy_2.svg").read_bytes()).draw(Size(60, 50))
    assert np.array_equal(loaded.frame("buoy/buoy_2"), drawn)
    assert metadata(tmp_path / f"{name}.json")["scale"] == Fraction(5)


@pytest.mark.parametrize(("key", "value"), [("scale", '"400%"'), ("fit", "48")])
def test_skins_are_drawn_at_the_size_wanted_too(run: Run, tmp_path: Path, key: str, value: str) -> None:
    """A skin of one layer, and one of two with a color exchanged."""
    circle = '<circle cx="6" cy="5" r="3.3" fill="#cc3333"/>'
    for folder, inside in (
        ("base", BOX),
        ("coat", circle),
        ("hat", '<rect x="5" width="3" height="2" fill="#112233"/>'),
    ):
        (tmp_path / folder).mkdir()
        (tmp_path / folder / "buoy_1.svg").write_bytes(svg(inside, 'width="12" height="10"'))
    text = f"""\
[crate.o]
from = "base"
out = "o"
{key} = {value}
[crate.o.skin.coat]
from = "coat"
[crate.o.skin.both]
layers = ["coat", "hat"]
recolor = {{ "#112233" = "#445566" }}
"""
    (tmp_path / "o.crate.toml").write_text(text, "utf-8")
    assert run("pack", "o.crate.toml").returncode == 0
    assert run("verify", "o.json", "--against", "o.crate.toml").returncode == 0
    coat, hat = (read((tmp_path / name / "buoy_1.svg").read_bytes()).draw(Size(48, 40)) for name in ("coat", "hat"))
    assert np.array_equal(agile_crate.load(str(tmp_path / "o.json"), skin="coat").frame("buoy_1"), coat)
    both = agile_crate.load(str(tmp_path / "o.json"), skin="both").frame("buoy_1")
    assert both[0, 24].tolist() == [0x44, 0x55, 0x66, 255]
    assert np.array_equal(both[12:], coat[12:])
    assert hat[0, 24, 3] == 255


def test_layers_and_fonts_by_their_options(run: Run, drawings: Path, tmp_path: Path) -> None:
    (tmp_path / "all.svg").write_bytes(svg(LAYERS))
    done = run("pack", "all.svg", "--out", "o", "--layers", "separate")
    assert done.returncode == 0
    assert [frame["name"] for frame in metadata(tmp_path / "o.json")["frames"]] == ["all/up", "all/down"]
    assert run("verify", "o.json", "--against", "all.svg").returncode == 0
    (tmp_path / "word.svg").write_bytes(svg("<text y='9'>m</text>", 'viewBox="0 0 20 10"'))
    done = run("pack", "word.svg", "--out", "w")
    assert (done.returncode, done.stdout) == (3, "")
    assert (
        "word.svg has text, and the system's fonts are not used: name a font with --font, or turn text" in done.stderr
    )
    for font, told in (("none.ttf", "font none.ttf cannot be read: no such file or directory"),
                       ("all.svg", "font all.svg cannot be read: it is not a font in a known format")):  # fmt: skip
        assert f"agile-crate: error: {told}\n" == run("pack", "word.svg", "--out", "w", "--font", font).stderr
    font = str(next(FONT.glob("*.ttf")))
    assert run("pack", "word.svg", "--out", "w", "--font", font, "--vector-size", "40x20").returncode == 0
    assert metadata(tmp_path / "w.json")["frames"][0]["canvas"] == [40, 20]
    assert metadata(tmp_path / "w.json")["settings"]["font"] == Path(font).name  # and not where it lies
    lost = run("verify", "w.json", "--against", "word.svg")
    assert lost.stderr.endswith(f"the font '{Path(font).name}' is not next to the frames; name its path with --font\n")
    assert run("verify", "w.json", "--against", "word.svg", "--font", font).returncode == 0
    (tmp_path / "fonts").mkdir()
    (tmp_path / "fonts" / Path(font).name).write_bytes(Path(font).read_bytes())
    text = f'[crate.w]\nfrom = "word.svg"\nout = "w"\nfont = "fonts/{Path(font).name}"\nvector-size = [40, 20]\n'
    (tmp_path / "w.crate.toml").write_text(text, "utf-8")
    assert run("pack", "w.crate.toml").returncode == 0
    assert run("verify", "w.json", "--against", "w.crate.toml").returncode == 0
    assert "up to date" in run("pack", "w.crate.toml").stdout
    (tmp_path / Path(font).name).write_bytes(Path(font).read_bytes())
    assert run("verify", "w.json", "--against", "word.svg").returncode == 0


@pytest.mark.parametrize(
    ("inside", "head", "told"),
    [
        ('<g opacity=".9">' * 90 + WHOLE + "</g>" * 90, 'width="2000" height="2000"', "takes longer than 1 seconds to draw"),
        ("<g style='mix-blend-mode:screen'>" * 90 + WHOLE + "</g>" * 90, 'width="2000" height="2000"', "takes longer than 1 seconds to draw"),
        ("<g opacity='.9'>" * 90 + WHOLE + "</g>" * 90, 'width="6000" height="6000"', "takes longer|cannot be drawn, or takes more memory"),
        (wide_rect(257), 'width="9" height="9"', "has an element with more than 256 attributes, which no drawing needs"),
    ],
)  # fmt: skip
def test_what_may_be_dear_is_drawn_within_bounds(inside: str, head: str, told: str) -> None:
    with pytest.raises(PictureError, match=told):
        read_vector(svg(inside, head), 1 << 26, limited(seconds=1)).draw(
            Size(6000, 6000) if "6000" in head else Size(2000, 2000)
        )


def test_rules_and_attributes_that_are_compared_often_are_dear() -> None:
    """They are read in a process of its own, whatever the size."""
    few = svg("<style>rect { fill: red }</style>" + BOX)
    many = svg(f"<style>{'rect { fill: red } ' * 4000}</style>" + BOX * 3000)
    wide = svg(wide_rect(250) * 200)
    costs = [read(data).draw.args[0].cost for data in (few, many, wide, svg(f'<g opacity=".5">{BOX}</g>'))]
    assert costs == [3, 1 << 31, 1 << 31, 32]


def test_many_groups_take_no_more_than_their_own_parts() -> None:
    """Elements that a group refers to stay, also indirectly; the others are dropped."""
    groups = [f'<g id="swim_{n}"><rect x="{n % 9}" width="4" height="6" fill="#204060"/></g>' for n in range(1500)]
    groups[0] = '<g id="swim_0"><use href="#wave"/></g>'
    groups[1] = (
        '<g id="swim_1"><path id="foam" d="M0 0h5v5h-5z" fill="url(#sea)"/><g id="wave"><use href="#foam"/></g></g>'
    )
    groups[2] = '<g id="swim_2"><linearGradient id="sea"><stop stop-color="#f00"/></linearGradient></g>'
    sequence = read_vector(svg("".join(groups)), 1 << 20, ReadOptions(layers="separate"))
    found = dict(zip(sequence.names, sequence.pictures, strict=True))
    assert len(found) == 1500
    texts = [found[f"swim_{n}"].draw.args[0].text for n in (0, 3)]
    assert [text.count("<g ") for text in texts] == [4, 1]
    first, last = found["swim_0"].draw(Size(20, 10)), found["swim_1499"].draw(Size(20, 10))
    assert first[2, 2].tolist() == [255, 0, 0, 255]
    assert last[2, 1499 % 9 + 1].tolist() == [0x20, 0x40, 0x60, 255]
    many = "".join(f'<g id="a{n}"><use href="#b{n + 1}"/><rect id="b{n}" width="1"/></g>' for n in range(400))
    with pytest.raises(PictureError, match="has layers of more than 40,000 elements together"):
        read_vector(svg(many), 1 << 20, limited(elements=2000, layers="separate"))
    slow = "".join(f'<g id="a{n}"><rect width="5" height="5" stroke-dasharray="1"/></g>' for n in range(9))
    with pytest.raises(PictureError, match="has more than 8 layers that may take long to draw"):
        read_vector(svg(slow), 1 << 20, PLAIN._replace(layers="separate", limits=USUAL._replace(layers=8)))
