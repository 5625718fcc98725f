"""Matched sizes: every box, offset and pivot of another size is an exact portion, whatever else is asked for."""

import json
import shutil
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import pytest

import agile_crate
from agile_crate.core.limits import USUAL
from agile_crate.crate_files.read import read_crate_file
from conftest import Run, art, decode, metadata, refusal, save

DRAWING = """\
<svg xmlns="http://www.w3.org/2000/svg" width="37" height="29" viewBox="0 0 37 29">\
<circle cx="{x}" cy="15" r="9" fill="#c84040"/></svg>"""


def frames(folder: Path) -> None:
    """Figures of odd sizes on odd canvases, copies and mirror images, an empty frame, stills, and drawings."""
    for number in range(1, 6):
        pixels = np.zeros((33, 45, 4), np.uint8)
        pixels[3 + number : 25, 2 * number : 2 * number + 17] = art(17, 22 - number, number)
        save(folder / "base/swim" / f"swim_{number}.png", pixels)
        save(folder / "coat/swim" / f"swim_{number}.png", np.roll(pixels, 1, axis=(0, 1)))
        save(folder / "base/turn" / f"turn_{number}.png", pixels[:, ::-1] if number < 4 else pixels * (number < 5))
        save(folder / "coat/turn" / f"turn_{number}.png", pixels[:, ::-1] if number < 4 else pixels * (number < 5))
        (folder / "base/buoy").mkdir(parents=True, exist_ok=True)
        (folder / "base/buoy" / f"buoy_{number}.svg").write_text(DRAWING.format(x=9 + 3 * number), "utf-8")
        (folder / "coat/buoy").mkdir(parents=True, exist_ok=True)
        shutil.copy(folder / "base/buoy" / f"buoy_{number}.svg", folder / "coat/buoy")
    for name, size in (("parcel", (10, 7)), ("letter", (1, 1))):
        save(folder / "base" / f"{name}.png", art(*size, 9))
        save(folder / "coat" / f"{name}.png", art(*size, 8))


CASES = [
    'layout = "tight"\nalso-scale = ["50%"]',
    'layout = "tight"\nalso-scale = ["50%", "25%"]\ngap = 1\nmargin = 3\ncushion = 1\nturn = true\nshare-mirrored = true',
    'layout = "tight"\nalso-scale = ["2x", "1/3"]\nedge-repeat = 1\ntrim-alpha = 40\ntrim = "animation"',
    'layout = "tight"\nalso-scale = ["50%"]\nscale = "150%"\nkeep-places = true\npivot = "feet"\nshape = "hull"\npremultiply = true',
    'layout = "grid"\nalso-scale = ["50%"]\ngap = 3\nshift = [1, -1]\ncanvas = "common"\nalign = "center"',
    'layout = "grid"\nalso-scale = ["50%"]\ntrim = "frame"\ncell = [64, 48]\ncolumns = 3\nmax-size = [400, 211]',
    'layout = "rows"\nalso-scale = ["75%"]\nmirrored = { back = "swim" }\nresample = "pixel"\nhard-alpha = 100',
    'layout = "blocks"\nalso-scale = ["50%"]\ntrim = "animation"\nalign = "top-right"\npow2 = true\nmetadata = ["json", "xml"]',
    'layout = "rows"\nalso-scale = ["75%", "1/3"]\npivot = "0.3,0.7"\nmirrored = { back = "swim" }\ntrim = "frame"\ntrim-alpha = 60',
    'layout = "strip"\nalso-scale = ["50%"]\ncanvas-multiple = 6\nsnap-pivot = true\npivot = [0.3, 0.9]\ncolors = 16',
]  # fmt: skip


@pytest.fixture(scope="module")
def drawn(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("drawn")
    frames(folder)
    return folder


def crate_file(folder: Path, case: str, skin: bool = True) -> Path:
    text = f'[crate.otter]\nfrom = "base"\nout = "build/otter"\nmatched = true\n{case}\n'
    path = folder / "otter.crate.toml"
    path.write_text(text + ('[crate.otter.skin.coat]\nfrom = "coat"\n' if skin else ""), "utf-8")
    return path


def lengths(document: dict[str, Any], portion: Fraction = Fraction(1)) -> list[list[Fraction]]:
    """All lengths of a crate's frames and sheets, times a number."""
    found = []
    for frame in document["frames"]:
        found.append([*frame["box"], *frame["canvas"], *frame["offset"], *frame["pivot"]])
    for sheet in document["sheets"]:
        cells = sheet.get("cells", {})
        found.append([*sheet["size"], *cells.get("size", ()), sheet.get("gap", 0), sheet.get("margin", 0)])
        found += [[*block["origin"], *block["size"], block.get("gap", 0)] for block in sheet.get("blocks", ())]
    return [[Fraction(side) * portion for side in some] for some in found]


def close(lengths: list[Fraction], others: list[Fraction]) -> bool:
    """Return True for equal lengths. Pivots between pixels are floats."""
    return len(lengths) == len(others) and all(abs(a - b) < 1e-5 for a, b in zip(lengths, others, strict=True))


@pytest.mark.parametrize("case", CASES)
def test_every_length_is_an_exact_portion(drawn: Path, tmp_path: Path, case: str) -> None:
    shutil.copytree(drawn, tmp_path / "art")
    path = crate_file(tmp_path / "art", case)
    packed = agile_crate.build(path)["otter"]
    assert packed
    build = tmp_path / "art/build"
    full = metadata(build / "otter.json")
    portions = read_crate_file(str(path), USUAL).specs[0].settings.also_scale
    assert len(packed.also) == len(portions)
    for size, portion in zip(packed.also, portions, strict=True):
        other = metadata(build / f"{size.crate.name}.json")
        assert all(map(close, lengths(other), lengths(full, portion)))
        assert len(lengths(other)) == len(lengths(full))
        keys = ("name", "sheet", "turned", "mirror")
        assert [[f.get(k) for k in keys] for f in other["frames"]] == [[f.get(k) for k in keys] for f in full["frames"]]
        for sheet in other["sheets"]:
            for image in (sheet["image"], *(skin["image"] for skin in sheet["skins"].values())):
                assert decode(build / image).shape[1::-1] == tuple(sheet["size"])
    verified = agile_crate.verify_all(path)
    assert [(one.crate.name, one.problems, one.differences) for one in verified] == [
        (crate.name, (), ()) for crate in (packed.crate, *(size.crate for size in packed.also))
    ]
    for one in verified:
        assert agile_crate.verify(build / f"{one.crate.name}.json", tmp_path / "art/base").ok
    before = {file.name: file.read_bytes() for file in build.iterdir()}
    assert agile_crate.build(path)["otter"] is None
    agile_crate.build(path, rebuild=True)
    assert {file.name: file.read_bytes() for file in build.iterdir()} == before


def test_verify_finds_a_size_that_does_not_match(run: Run, drawn: Path, tmp_path: Path) -> None:
    shutil.copytree(drawn, tmp_path, dirs_exist_ok=True)
    crate_file(tmp_path, 'layout = "tight"\nkeep-places = true\nalso-scale = ["50%"]')
    done = run("pack", "otter.crate.toml")
    assert "  matched with 1 other size: all boxes, offsets and pivots are exact multiples; that adds" in done.stdout
    text = (tmp_path / "otter.crate.toml").read_text("utf-8").replace("matched = true\n", "canvas-multiple = 4\n")
    (tmp_path / "other.crate.toml").write_text(text, "utf-8")
    assert run("pack", "other.crate.toml", "--rebuild").returncode == 0
    done = run("verify", "otter.crate.toml")
    assert done.returncode == 1
    assert "is not an exact multiple of the one in otter.json" in done.stdout
    done = run("pack", "otter.crate.toml", "--rebuild")  # the places of the unmatched build are given up
    assert done.returncode == 0
    assert run("verify", "otter.crate.toml").returncode == 0
    (tmp_path / "build/otter.json").unlink()
    assert "otter.json is missing, and the sizes are to match" in run("verify", "otter.crate.toml").stdout


def test_canvases_are_multiples(run: Run, tmp_path: Path) -> None:
    for number, size in enumerate(((10, 7), (16, 12), (13, 9)), 1):
        save(tmp_path / "frames" / f"swim_{number}.png", art(*size, number))
    line = "frames --out o --canvas-multiple 4 --scale 150% --trim off"
    assert run("pack", *line.split()).returncode == 0
    document = json.loads((tmp_path / "o.json").read_text("utf-8"))
    assert [frame["canvas"] for frame in document["frames"]] == [[24, 12], [24, 24], [24, 24]]
    assert document["settings"]["canvas_multiple"] == "4"
    assert run("verify", "o.json", "--against", "frames").returncode == 0
    padded = np.zeros((8, 16, 4), np.uint8)  # 150 % of it is a multiple of 4; the frame stands at the bottom
    padded[1:, 3:13] = decode(tmp_path / "frames/swim_1.png")
    save(tmp_path / "padded" / "swim_1.png", padded)
    run("pack", "padded", "--out", "p", "--scale", "150%")
    x, y, w, h = document["frames"][0]["box"]
    assert np.array_equal(decode(tmp_path / "o.png")[y : y + h, x : x + w], decode(tmp_path / "p.png"))


WRONG = [
    (["--matched"], "--matched needs other sizes; add --also-scale"),
    (["--matched", "--also-scale", "50%", "--outline", "#000:1"], "--outline changes each size by itself, so sizes would not match; leave out --matched, or it"),
    (["--matched", "--also-scale", "50%", "--fit", "32x32"], "--fit finds its own factor, so canvases would not be multiples; give --scale, or leave out --matched"),
    (["--matched", "--also-scale", "50%", "--canvas", "30x30"], "--canvas 30×30 is not a multiple of 4, as matched sizes need; make it 32×32"),
    (["--matched", "--also-scale", "25%", "--cell", "30x32"], "--cell 30×32 is not a multiple of 4, as matched sizes need; make it 32×32"),
    (["--canvas-multiple", "2", "--fit", "32x32"], "--fit finds its own factor, so canvases would not be multiples; give --scale, or leave out --canvas-multiple"),
]  # fmt: skip


@pytest.mark.parametrize(("options", "sentence"), WRONG)
def test_one_sentence(run: Run, tmp_path: Path, options: list[str], sentence: str) -> None:
    save(tmp_path / "frames/swim_1.png", art(8, 8))
    assert refusal(run("pack", "frames", "--out", "o", *options)) == (2, sentence)
