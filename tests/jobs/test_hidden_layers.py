"""A frame-by-frame painter's documents, in which all drawings but one are hidden."""

from pathlib import Path
from zipfile import ZipFile

import numpy as np
import pytest

from conftest import Run, art, decode, metadata, refusal, save

SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="8" height="8">'
    '<g id="one"><rect width="4" height="4" fill="#f00"/></g>'
    '<g id="two" style="opacity:1; display : none"><rect width="8" height="4" fill="#0f0"/></g>'
    '<g id="three" display="none"><rect width="8" height="8" fill="#00f"/></g></svg>'
)


@pytest.fixture
def painted(tmp_path: Path) -> Path:
    names = [f"{number:02}" for number in range(1, 10)]
    layers = "".join(
        f'<layer name="{name}" src="{name}.png" visibility="{"visible" if name == "05" else "hidden"}"/>'
        for name in reversed(names)
    )
    (tmp_path / "art").mkdir()
    with ZipFile(tmp_path / "art" / "wave.ora", "w") as archive:
        archive.writestr("mimetype", "image/openraster")
        archive.writestr("stack.xml", f'<image w="8" h="6"><stack>{layers}</stack></image>')
        for seed, name in enumerate(names):
            archive.write(save(tmp_path / f"{name}.png", art(8, 6, seed)), f"{name}.png")
    return tmp_path


def test_hidden_layers_are_counted_and_can_be_taken(painted: Path, run: Run) -> None:
    remark = "8 hidden layers of art/wave.ora were skipped; --layers all takes them"
    done = run("pack", "art", "--out", "o")
    assert done.stdout.startswith("packed 1 frame, 1 animation")
    assert remark in done.stdout
    assert remark in run("survey", "art").stderr
    done = run("pack", "art", "--out", "o", "--layers", "all", "--exclude", "05")
    assert "hidden" not in done.stdout
    assert [frame["name"] for frame in metadata(painted / "o.json")["frames"]] == [
        f"wave/{n:02}" for n in (1, 2, 3, 4, 6, 7, 8, 9)
    ]
    assert run("verify", "o.json", "--against", "art").returncode == 0
    assert run("unpack", "o.json", "--out", "back").returncode == 0
    drawn = decode(painted / "08.png")
    assert np.array_equal(decode(painted / "back" / "wave" / "08.png")[drawn[..., 3] > 0], drawn[drawn[..., 3] > 0])


def test_the_cache_knows_them(painted: Path, run: Run) -> None:
    (painted / "o.crate.toml").write_text('[crate.o]\nfrom = ["art"]\nout = "o"\n')
    for words in ([], ["--rebuild"]):
        assert "8 hidden layers of" in run("pack", "o.crate.toml", *words).stdout


def test_hidden_groups_of_a_drawing(tmp_path: Path, run: Run) -> None:
    (tmp_path / "buoy.svg").write_text(SVG)
    assert (
        "2 hidden layers of buoy.svg were skipped"
        in run("pack", "buoy.svg", "--out", "o", "--layers", "separate").stdout
    )
    assert run("pack", "buoy.svg", "--out", "o", "--layers", "all", "--columns", "3").returncode == 0
    sheet = decode(tmp_path / "o.png")
    assert [tuple(sheet[7 if x > 15 else 0, x]) for x in (0, 8, 16)] == [
        (255, 0, 0, 255),
        (0, 255, 0, 255),
        (0, 0, 255, 255),
    ]
    (tmp_path / "buoy.svg").write_text(SVG.replace('id="one"', 'id="one" display="none"'))
    assert refusal(run("pack", "buoy.svg", "--out", "o", "--layers", "separate")) == (
        3, "buoy.svg has only hidden named groups; --layers all takes them; export it again or remove it",
    )  # fmt: skip
