"""The JavaScript reader in Chromium: every frame drawn as the browser draws its source, and its timing."""

import json
import re
import shlex
import shutil
from pathlib import Path
from typing import Any

import pytest

from conftest import Run, save

from .conftest import READERS, Crate, times_of

PAGE = (Path(__file__).parent / "compare.html").read_text("utf-8")


@pytest.fixture
def page(tmp_path: Path, crate: Crate, site: str, browser: Any) -> Any:
    """A page with the reader, beside the crate and its source frames, and no error on its console."""
    shutil.copy(READERS / "javascript" / "crate.js", tmp_path)
    shutil.copytree(crate.path.parent, tmp_path / "out")
    for name, pixels in crate.sources.items():
        save(tmp_path / "frames" / f"{name}.png", pixels)
    (tmp_path / "page.html").write_text(PAGE, "utf-8")
    page = browser.new_page()
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    page.goto(f"{site}/page.html")
    page.wait_for_function("window.ready")
    yield page
    page.close()
    assert errors == []


def test_every_frame_is_drawn_as_its_source_is(page: Any, crate: Crate) -> None:
    frames = crate.document["frames"]
    sources = [[frame["name"], f"frames/{frame['name']}.png", *frame["pivot"]] for frame in frames]
    whole = [[name, url, x, y] for name, url, x, y in sources if x == int(x) and y == int(y)]
    assert len(whole) >= 4  # at half a pixel a browser mixes neighbors, of the sheet and of the frame alike or not
    assert page.evaluate("([data, sources]) => compare(data, sources)", [f"out/{crate.path.name}", whole]) == []


def test_the_timing_rule(page: Any, crate: Crate) -> None:
    wanted = [
        (one["name"], moment, crate.document["frames"][frame]["name"])
        for one in crate.document["animations"]
        for moment, frame in times_of(one)
    ]
    moments = [[name, moment] for name, moment, _ in wanted]
    found = page.evaluate("([data, moments]) => shown(data, moments)", [f"out/{crate.path.name}", moments])
    assert found == [name for *_, name in wanted]


@pytest.mark.parametrize("crate", ["grid"], indirect=True)
def test_what_it_refuses(page: Any, crate: Crate, tmp_path: Path, site: str) -> None:
    changes = (
        ({"version": 2}, "is not Agile Crate metadata of version 1"),
        ({"format": "other"}, "is not Agile Crate metadata of version 1"),
        ({"alpha": "premultiplied"}, "Canvas 2D multiplies by alpha itself; pack without --premultiply"),
        ({"sheets": [{"image": "../grid.png"}]}, "an image must be a file in the metadata's folder, not ../grid.png"),
    )
    for number, (change, sentence) in enumerate(changes):
        (tmp_path / "out" / f"bad{number}.json").write_text(json.dumps(crate.document | change), "utf-8")
        assert sentence in page.evaluate("data => refused(data)", f"out/bad{number}.json")
    assert "out/gone.json cannot be read: 404" in page.evaluate("data => refused(data)", "out/gone.json")


def test_a_skin_is_drawn_as_its_source_is(tmp_path: Path, worn: Crate, site: str, browser: Any) -> None:
    shutil.copy(READERS / "javascript" / "crate.js", tmp_path)
    shutil.copytree(worn.path.parent, tmp_path / "out")
    for name, pixels in worn.sources.items():
        save(tmp_path / "frames" / f"{name}.png", pixels)
    (tmp_path / "page.html").write_text(PAGE, "utf-8")
    page = browser.new_page()
    page.goto(f"{site}/page.html")
    page.wait_for_function("window.ready")
    sources = [[one["name"], f"frames/{one['name']}.png", *one["pivot"]] for one in worn.document["frames"]]
    ask = "([data, sources, skin]) => compare(data, sources, skin)"
    assert page.evaluate(ask, ["out/o.json", sources, "coat"]) == []
    assert page.evaluate(ask, ["out/o.json", sources, ""]) != []
    page.close()


@pytest.mark.usefixtures("demo")
def test_the_readmes_page_plays(tmp_path: Path, run: Run, site: str, browser: Any) -> None:
    readme = (READERS.parent / "README.md").read_text("utf-8")
    (packed,) = re.findall(r"^agile-crate (pack .*)$", readme.partition("## Load it")[0], re.MULTILINE)
    assert run(*shlex.split(packed)).returncode == 0
    (written,) = re.findall(r"```html\n(.*?)```", readme, re.DOTALL)
    (tmp_path / "page.html").write_text(written, "utf-8")
    shutil.copy(READERS / "javascript" / "crate.js", tmp_path)
    page = browser.new_page()
    page.goto(f"{site}/page.html")
    page.wait_for_function("game.getContext('2d').getImageData(0, 0, 192, 192).data.some(Boolean)")
    page.close()
