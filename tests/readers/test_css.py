"""The style sheet in Chromium: frames and animations beside pictures of the source frames, in one screenshot each."""

import io
import re
import shutil
import time
from html import escape
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from agile_crate.exports.css import class_of
from conftest import save

from .conftest import Crate

KINDS = ["grid", "rows", "trimmed", "sheets"]

PAGE = """<!doctype html><link rel="stylesheet" href="out/{kind}.css">
<style>body {{ margin: 0; background: #fff }} p {{ margin: 4px; height: 60px }}</style>{body}"""


AT = "at => document.getAnimations().forEach(one => { one.pause(); one.currentTime = at })"
"""Holds all animations at a moment."""


def shows(page: Any, left: int, top: int, wanted: np.ndarray, moment: float | None = None) -> bool:
    """Return True if the page shows these pixels at a moment of its animations, once it has loaded its new sheet. The
    moment is set again before each look: the browser may begin an animation anew when its sheet arrives."""
    deadline = time.monotonic() + 20
    while time.monotonic() < deadline:
        if moment is not None:
            page.evaluate(AT, moment)
        part = shot(page)[top : top + wanted.shape[0], left : left + wanted.shape[1]]
        if np.abs(part - wanted).max() <= 1.5:  # blended by the browser
            return True
    return False


def shot(page: Any) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(page.screenshot(full_page=True))).convert("RGB")).astype(int)


def opened(browser: Any, site: str, tmp_path: Path, kind: str, body: str) -> Any:
    (tmp_path / "page.html").write_text(PAGE.format(kind=kind, body=body), "utf-8")
    page = browser.new_page()
    page.set_viewport_size({"width": 400, "height": 900})
    page.goto(f"{site}/page.html", wait_until="load")
    page.evaluate("document.fonts.ready")
    return page


@pytest.fixture
def folder(tmp_path: Path, crate: Crate) -> Path:
    shutil.copytree(crate.path.parent, tmp_path / "out")
    for name, pixels in crate.sources.items():
        save(tmp_path / "frames" / f"{name}.png", pixels)
    return tmp_path


def divisions(classes: list[str], kind: str) -> str:
    return "".join(f'<p><span class="{kind} {escape(name)}"></span></p>' for name in classes)


@pytest.mark.parametrize("crate", KINDS, indirect=True)
def test_a_class_shows_its_frame(browser: Any, site: str, folder: Path, crate: Crate) -> None:
    names = [frame["name"] for frame in crate.document["frames"]]
    kind = crate.path.stem
    page = opened(browser, site, folder, kind, divisions([f"frame-{class_of(name)}" for name in names], kind))
    found = shot(page)
    images = "".join(f'<p><img style="display: inline-block" src="frames/{name}.png"></p>' for name in names)
    page.close()
    page = opened(browser, site, folder, kind, images)
    expected = shot(page)
    page.close()
    assert found.shape == expected.shape
    assert expected.min() < 100
    assert np.abs(found - expected).max() <= 1  # both blended by the browser


@pytest.mark.parametrize("crate", KINDS, indirect=True)
def test_an_animation_shows_each_frame_at_its_time(browser: Any, site: str, folder: Path, crate: Crate) -> None:
    kind, frames = crate.path.stem, crate.document["frames"]
    for animation in crate.document["animations"]:
        n, d = animation.get("fps", (1000, 1))
        lengths = [1000 * d * length / n for length in animation.get("beats", animation["durations"])]
        order = list(zip(animation["frames"], lengths, strict=True))
        if animation["loop"] == "back-and-forth":
            order += order[-2:0:-1]
        page = opened(browser, site, folder, kind, divisions([f"play-{class_of(animation['name'])}"], kind))
        page.wait_for_function("document.getAnimations().length > 0")  # an animation begins with the first picture
        pivots = {tuple(frames[index]["pivot"]) for index in animation["frames"]}
        begin = 0.0
        for index, duration in order:
            for moment in (begin + 0.0001, begin + duration - 0.5):
                source = crate.sources[frames[index]["name"]]
                x, y = (max(pivot[axis] for pivot in pivots) - frames[index]["pivot"][axis] for axis in (0, 1))
                left, top = 4 + int(x + 0.5), 4 + int(y + 0.5)
                alpha = source[..., 3:] / 255
                wanted = source[..., :3] * alpha + 255 * (1 - alpha)
                assert shows(page, left, top, wanted, moment), (animation["name"], moment)
            begin += duration
        text = (folder / "out" / f"{kind}.css").read_text("utf-8")
        rule = re.search(rf"animation: {kind}-{animation['name']} (.*);", text)
        assert rule
        assert rule[1] == f"{begin:.10g}ms step-end " + ("infinite" if animation["loop"] != "once" else "1 forwards")
        if animation["loop"] == "once":
            page.evaluate("document.getAnimations().forEach(one => one.finish())")
            assert shows(page, left, top, wanted)  # it stays on its last frame
        page.close()
