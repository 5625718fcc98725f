"""Shared by the tests of the page: the light table in Chromium, driven by a few functions."""

import base64
import io
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from conftest import Run, decode

Run = Run
Open = Callable[..., Any]
TOP = Path(__file__).parents[2]
AXE = TOP / "build" / "node" / "node_modules" / "axe-core" / "axe.min.js"
GROUND = (0x10, 0x20, 0x30)
HOSTILE = [
    "<img src=x onerror=alert(1)>", "</script><script>alert(2)<∕script>", "{{ 7 * 7 }}", "\"' onclick=alert(3) x=",
]  # fmt: skip


def until(page: Any, condition: str, *arguments: Any) -> Any:
    """The first true result of a condition."""
    for _ in range(600):  # not by `wait_for_function`, whose `eval` the page's own policy refuses
        if found := page.evaluate(condition, *arguments):
            return found
        drawn(page)
    pytest.fail(f"this never came true: {condition}")


def drawn(page: Any) -> None:
    """Let the page draw twice, so that every change is on the screen."""
    page.evaluate("() => new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)))")


def canvas(page: Any, which: str = "stage") -> np.ndarray:
    data = page.evaluate("id => document.getElementById(id).toDataURL()", which)
    return np.asarray(Image.open(io.BytesIO(base64.b64decode(data.partition(",")[2]))).convert("RGBA")).astype(int)


def quiet(page: Any, **asked: Any) -> None:
    """Paused, one to one, crisp, on one color."""
    wanted = {"zoom": 1, "backdrop": "own", "color": "#102030", "smooth": "crisp", **asked}
    page.evaluate(
        """asked => { lightTable.setPlaying(false); Object.assign(lightTable.state, asked); lightTable.show() }""",
        wanted,
    )


def shown_art(page: Any, size: tuple[int, int], pivot: tuple[float, float]) -> np.ndarray:
    """The part of the stage where a canvas of so many rows and columns lies, its pivot on the stage's."""
    view = page.evaluate("lightTable.stage.view")
    top, left = round(view["y"] - pivot[1]), round(view["x"] - pivot[0])
    return canvas(page)[top : top + size[0], left : left + size[1]]


def assert_shows(page: Any, path: Path, name: str) -> None:
    """The stage shows the frame that unpack gives back, and its ground wherever that is empty."""
    source = decode(path.parent / "back" / f"{name}.png").astype(int)
    frames = {frame["name"]: frame for frame in json.loads(path.with_suffix(".json").read_text("utf-8"))["frames"]}
    found, solid = shown_art(page, source.shape[:2], frames[name]["pivot"]), source[..., 3] == 255
    assert solid.sum() > 20
    assert np.array_equal(found[solid], source[solid]), name
    assert (found[source[..., 3] == 0][:, :3] == GROUND).all(), name


def state(page: Any, key: str) -> Any:
    return page.evaluate("key => lightTable.state[key]", key)


def now(page: Any) -> str:
    return str(page.text_content("#now"))


def steps_at(page: Any, *times: float) -> list[int]:
    """The steps, from 1, that are shown at times after the start."""
    asked = "time => { lightTable.state.time = time; lightTable.show(); return lightTable.stepNow() + 1 }"
    return [page.evaluate(asked, time) for time in times]


def go_to_step(page: Any, step: int) -> None:
    page.evaluate("step => { lightTable.seekStep(step); lightTable.show() }", step)


def slide(page: Any, selector: str, value: int) -> None:
    """Move a range to a value, as dragging its thumb does."""
    page.eval_on_selector(selector, "(one, v) => { one.value = v; one.dispatchEvent(new Event('input')) }", value)


def blur(page: Any) -> None:
    """Remove the focus, so that keys go to the page."""
    page.evaluate("document.activeElement.blur()")
