"""The light table in Chromium, from file://: it plays what was packed, by mouse and by keyboard, and loads nothing else."""

from __future__ import annotations

import base64
import io
import json
import os
import re
import subprocess
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs

import numpy as np
import pytest
from PIL import Image

from agile_crate.views import page_view
from conftest import art, decode, save, tool

Run = Callable[..., subprocess.CompletedProcess[str]]
TOP = Path(__file__).parents[2]
AXE = TOP / "build" / "node" / "node_modules" / "axe-core" / "axe.min.js"
HOSTILE = [
    "<img src=x onerror=alert(1)>",
    "</script><script>alert(2)<∕script>",
    "{{ 7 * 7 }}",
    "\"' onclick=alert(3) x=",
]
GROUND = (0x10, 0x20, 0x30)


@pytest.fixture(scope="module")
def browser(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Any]:
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        context = playwright.chromium.launch_persistent_context(
            tmp_path_factory.mktemp("browser"), executable_path=tool("chromium"), args=["--no-sandbox"], headless=True,
            viewport={"width": 1280, "height": 800},
        )  # fmt: skip
        yield context
        context.close()


def until(page: Any, condition: str, *arguments: Any) -> Any:
    """What a condition gives, when it gives anything."""
    for _ in range(600):
        if found := page.evaluate(condition, *arguments):
            return found
        page.wait_for_timeout(20)
    pytest.fail(f"this never came true: {condition}")


@pytest.fixture
def opened(browser: Any) -> Iterator[Callable[..., Any]]:
    """Opens a page, and at the end finds that it complained of nothing and asked for nothing but itself."""
    heard: list[str] = []
    pages = []

    def open_(path: Path, fragment: str = "") -> Any:
        page = browser.new_page()
        pages.append((page, path.as_uri()))
        page.on("console", lambda message: None if "GL Driver Message" in message.text else heard.append(message.text))
        page.on("pageerror", lambda error: heard.append(str(error)))
        page.on("dialog", lambda dialog: (heard.append(dialog.message), dialog.dismiss()))
        asks = lambda request: None if request.url.startswith("data:") else heard.append(request.url)  # noqa: E731
        page.on("request", asks)
        page.goto(path.as_uri() + fragment)
        until(page, "!!window.lightTable")
        return page

    yield open_
    asked = [uri for _, uri in pages]
    for page, _ in pages:
        page.close()
    assert [said for said in heard if said.partition("#")[0] not in asked] == []


@pytest.fixture
def path(run: Run, tmp_path: Path) -> Path:
    for number in range(1, 6):
        pixels = art(24, 18, number)
        pixels[..., 3] = np.where(pixels[..., 3] > 100, 255, 0)
        save(tmp_path / "frames" / f"swim_{number}.png", pixels)
        save(tmp_path / "frames" / f"dive_{number}.png", art(20, 14, number + 9))
    save(tmp_path / "frames" / "buoy.png", np.full((8, 6, 4), (200, 30, 40, 255), np.uint8))
    times = (
        "--fps",
        "10",
        "--loop",
        "swim=back-and-forth",
        "--loop",
        "dive=once",
        "--order",
        "swim",
        "--hold",
        "dive:2=3",
    )
    options = ("--layout", "tight", "--turn", "--effort", "quick", "--mirrored", "left=swim", "--share-mirrored")
    assert run("pack", "frames", "--out", "o", *options, *times).returncode == 0
    done = run("show", "o.json", "--out", "o.html")
    assert (done.returncode, done.stdout) == (0, "wrote o.html\n")
    run("unpack", "o.json", "--out", "back")
    return tmp_path / "o.html"


def canvas(page: Any, which: str = "stage") -> np.ndarray:
    data = page.evaluate("id => document.getElementById(id).toDataURL()", which)
    return np.asarray(Image.open(io.BytesIO(base64.b64decode(data.partition(",")[2]))).convert("RGBA")).astype(int)


def quiet(page: Any, **asked: Any) -> None:
    """Paused, one to one, crisp, on one colour."""
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


def test_each_step_is_the_frame_that_unpack_gives(path: Path, opened: Callable[..., Any]) -> None:
    page = opened(path, "#animation=swim&step=1")
    quiet(page)
    for number in (1, 2, 3, 4, 5, 4, 3, 2, 1):
        assert f"step {number} of 5" in now(page)
        assert_shows(page, path, f"swim_{number}")
        page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowLeft")
    assert "step 1 of 5" in now(page)
    page.click("#reel button:has-text('left')")  # stored as its mirror image
    quiet(page)
    assert_shows(page, path, "left_1")
    page.click("#reel button:has-text('buoy')")
    quiet(page)
    assert_shows(page, path, "buoy")
    assert page.text_content("#title") == "buoy"


def test_it_plays_at_its_own_rate_and_at_others(path: Path, opened: Callable[..., Any]) -> None:
    page = opened(path, "#animation=dive&step=1")
    assert page.get_attribute("#play", "aria-label") == "Play"
    assert now(page) == "step 1 of 5 · 5 dive_1 · 1 beat at 10 fps"
    at = """time => { lightTable.state.time = time; lightTable.show(); return lightTable.stepNow() + 1 }"""
    assert [page.evaluate(at, time) for time in (0, 99, 100, 399, 400, 699, 700)] == [
        1,
        1,
        2,
        2,
        3,
        5,
        1,
    ]  # held, again
    page.click("summary:has-text('pace')")
    page.uncheck("[data-sets=again]")
    assert [page.evaluate(at, time) for time in (699, 700, 1e6)] == [5, 5, 5]  # shown once, it stays on its last frame
    page.fill("#fps", "1")
    assert [page.evaluate(at, time) for time in (990, 1000, 2500)] == [1, 2, 3]
    page.fill("#fps", "")
    assert page.evaluate(at, 250) == 2
    page.keyboard.press("Escape")
    page.evaluate("document.activeElement.blur()")
    begin = page.evaluate("lightTable.state.time = 0")
    page.keyboard.press("Space")
    assert page.get_attribute("#play", "aria-label") == "Pause"
    until(page, "lightTable.state.time > 300")
    page.click("#play")
    stopped = state(page, "time")
    page.wait_for_timeout(100)
    assert state(page, "time") == stopped > begin
    page.evaluate(
        "s => { const one = document.getElementById('speed'); one.value = s; one.dispatchEvent(new Event('input')) }",
        25,
    )
    assert (state(page, "speed"), page.text_content("#speed-said")) == (0.25, "25%")
    page.keyboard.press("End")
    assert "step 5 of 5" in now(page)
    page.keyboard.press("Home")
    assert "step 1 of 5" in now(page)
    page.click("#forward")
    page.click("#forward")
    page.click("#back")
    assert "step 2 of 5 · 6 dive_2 · 3 beats at 10 fps" in now(page)
    page.click("#begin")
    assert "step 1 of 5" in now(page)


def test_rates_read_as_they_were_meant(run: Run, tmp_path: Path, opened: Callable[..., Any]) -> None:
    for name in ("film", "tv", "odd"):
        for number in range(1, 4):
            save(tmp_path / "frames" / f"{name}_{number}.png", art(8, 8, number))
    rates = ("--fps", "12", "--fps", "film=24000/1001", "--hold", "odd:2=125ms", "--duration", "tv=1s")
    assert run("pack", "frames", "--out", "o", *rates).returncode == 0
    run("show", "o.json", "--out", "o.html")
    page = opened(tmp_path / "o.html")
    said = {}
    for name in ("film", "tv", "odd"):
        page.click(f"#reel button:has-text('{name}')")
        said[name] = page.text_content("#title")
    assert said == {
        "film": "film · 23.976 fps · forever",
        "tv": "tv · 3 fps · forever",
        "odd": "odd · 12 fps, holds · forever",
    }


def test_the_time_line_is_scrubbed_and_plays_parts(path: Path, opened: Callable[..., Any]) -> None:
    page = opened(path, "#animation=dive&step=1")
    box = page.locator("#line").bounding_box()
    spans = page.evaluate(
        "lightTable.line.turn.map(({ start, length }) => [start * lightTable.line.scale, length * lightTable.line.scale])"
    )
    assert [round(length / spans[0][1], 2) for _, length in spans] == [1, 3, 1, 1, 1]  # as wide as they last
    middle = [box["x"] + 1 + start + length / 2 for start, length in spans]
    page.mouse.move(middle[1], box["y"] + 40)
    page.mouse.down()
    for step in (1, 3, 4, 2):
        page.mouse.move(middle[step], box["y"] + 40)
        assert f"step {step + 1} of 5" in now(page)
    page.mouse.up()
    assert page.get_attribute("#line", "aria-valuetext") == "step 3 of 5"
    first = page.locator("#first").bounding_box()
    page.mouse.move(first["x"] + 2, first["y"] + 6)
    page.mouse.down()
    page.mouse.move(middle[1], first["y"] + 6)
    page.mouse.up()
    assert state(page, "part") == [1, 4]
    page.focus("#last")
    page.keyboard.press("ArrowLeft")
    assert state(page, "part") == [1, 3]
    assert [page.get_attribute(end, "aria-valuenow") for end in ("#first", "#last")] == ["2", "4"]
    at = """time => { lightTable.state.time = time; lightTable.show(); return lightTable.stepNow() + 1 }"""
    assert [page.evaluate(at, time) for time in (0, 299, 300, 499, 500, 1000)] == [2, 2, 3, 4, 2, 2]  # the part loops
    page.click("#whole")
    assert state(page, "part") is None
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("[")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("]")
    assert state(page, "part") == [1, 2]
    page.keyboard.press("\\")
    assert state(page, "part") is None
    page.click("#until")
    assert state(page, "part") == [0, 2]
    page.click("#from")
    assert state(page, "part") == [2, 2]


def test_a_part_of_back_and_forth_turns_at_its_ends(path: Path, opened: Callable[..., Any]) -> None:
    page = opened(path, "#animation=swim&part=2-4&step=2")
    assert page.evaluate("lightTable.line.turn.map(one => one.step + 1)") == [
        1,
        2,
        3,
        4,
        5,
        4,
        3,
        2,
    ]  # both ways are seen
    at = """time => { lightTable.state.time = time; lightTable.show(); return lightTable.stepNow() + 1 }"""
    assert [page.evaluate(at, 100 * beat) for beat in range(6)] == [2, 3, 4, 3, 2, 3]
    page.mouse.move(0, 0)
    box = page.locator("#line").bounding_box()
    scale = page.evaluate("lightTable.line.scale")
    page.mouse.click(box["x"] + 1 + 650 * scale, box["y"] + 40)  # on the way back
    assert state(page, "time") == 300
    assert "step 3 of 5" in now(page)


def test_zoom_stays_at_the_pointer_and_dragging_pans(path: Path, opened: Callable[..., Any]) -> None:
    page = opened(path, "#animation=swim&step=1")
    quiet(page, zoom="fit")
    fitted = page.evaluate("lightTable.stage.view")
    size, room = (
        page.evaluate("[document.getElementById('stage').width, document.getElementById('stage').height]"),
        page.evaluate("lightTable.stage.room"),
    )
    wide, high = room["left"] + room["right"], room["top"] + room["bottom"]
    assert fitted["zoom"] == min(32, (size[0] - 20) // wide, (size[1] - 46) // high)
    box = page.locator("#stage").bounding_box()
    place = (box["x"] + 150, box["y"] + 120)
    page.mouse.move(*place)

    def under() -> list[float]:
        view = page.evaluate("lightTable.stage.view")
        return [(150 - view["x"]) / view["zoom"], (120 - view["y"]) / view["zoom"]]

    before = under()
    for turns, zoom in ((100, fitted["zoom"] - 1), (100, fitted["zoom"] - 2), (-100, fitted["zoom"] - 1)):
        page.mouse.wheel(0, turns)
        until(page, "zoom => lightTable.stage.view.zoom === zoom", zoom)
        assert under() == pytest.approx(before, abs=0.02)
    page.mouse.down()
    page.mouse.move(place[0] + 33, place[1] - 21)
    page.mouse.up()
    view = page.evaluate("lightTable.stage.view")
    assert under() == pytest.approx([before[0] - 33 / view["zoom"], before[1] + 21 / view["zoom"]], abs=0.02)
    page.mouse.dblclick(*place)
    assert page.evaluate("lightTable.stage.view") == fitted
    page.select_option("#zoom", "3")
    assert page.text_content("#zoomed") == "×3"
    page.click("#nearer")
    page.keyboard.press("+")
    assert (state(page, "zoom"), page.text_content("#zoomed")) == (5, "×5")
    page.click("#farther")
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("-")
    assert state(page, "zoom") == 3
    page.focus("#stage")
    x = page.evaluate("lightTable.stage.view.x")
    page.keyboard.press("Shift+ArrowRight")
    assert page.evaluate("lightTable.stage.view.x") == x - 40
    page.keyboard.press("0")
    assert page.evaluate("lightTable.stage.view") == fitted
    page.click("#fit")
    quiet(page, zoom=0.5)
    assert page.text_content("#zoomed") == "1/2"


def test_two_fingers_zoom(path: Path, opened: Callable[..., Any]) -> None:
    page = opened(path, "#animation=swim&step=1")
    quiet(page, zoom=4)
    page.evaluate(
        """() => { const stage = document.getElementById("stage"), { left, top } = stage.getBoundingClientRect();
            stage.setPointerCapture = () => {};
            const touch = (kind, pointerId, x, y) => stage.dispatchEvent(new PointerEvent(kind,
              { pointerId, clientX: left + x, clientY: top + y, bubbles: true, pointerType: "touch" }));
            touch("pointerdown", 1, 100, 100); touch("pointerdown", 2, 200, 100);
            for (let by = 1; by <= 50; by++) { touch("pointermove", 1, 100 - by, 100); touch("pointermove", 2, 200 + by, 100); }
            touch("pointerup", 1, 50, 100); touch("pointerup", 2, 250, 100); }"""
    )
    assert state(page, "zoom") == 8  # twice as far apart


def test_marks_are_switched_by_mouse_and_by_key(path: Path, opened: Callable[..., Any]) -> None:
    page = opened(path, "#animation=swim&step=2")
    quiet(page, zoom=4)
    plain = canvas(page)
    centre = round(page.evaluate("lightTable.stage.view.x"))
    for key, name in (("o", "onion"), ("g", "guide"), ("p", "pivot"), ("c", "canvas"), ("w", "path")):
        page.keyboard.press(key)
        until(page, "name => !!lightTable.state[name]", name)
        page.wait_for_timeout(60)
        assert not np.array_equal(canvas(page), plain), key
        if key == "g":
            assert state(page, "guide") == "line"
            line = canvas(page)[round(page.evaluate("lightTable.stage.view.y")), 2]
            assert line.tolist() == [200, 40, 60, 255]
            page.keyboard.press(key)
            assert state(page, "guide") == "rosette"
        page.keyboard.press(key)
        assert np.array_equal(canvas(page), plain), key
    page.keyboard.press("m")
    width = min(centre, plain.shape[1] - centre)
    mirrored = canvas(page)[:, centre - width : centre + width]
    assert np.array_equal(mirrored, plain[:, centre - width : centre + width][:, ::-1])
    page.keyboard.press("m")
    page.click("summary:has-text('marks')")
    for name in ("pivot", "canvas", "shapes", "path"):
        page.check(f"[data-sets={name}]")
        assert state(page, name) is True
        page.uncheck(f"[data-sets={name}]")
    page.select_option("[data-sets=guide]", "rosette")
    page.fill("[data-sets=onion]", "3")
    assert (state(page, "guide"), state(page, "onion")) == ("rosette", 3)
    page.keyboard.press("Escape")
    page.click("summary:has-text('look')")
    page.select_option("[data-sets=backdrop]", "light")
    assert canvas(page)[2, 2].tolist() == [250, 250, 248, 255]
    page.fill("[data-sets=color]", "#405060")
    assert (state(page, "backdrop"), canvas(page)[2, 2].tolist()) == ("own", [0x40, 0x50, 0x60, 255])
    page.select_option("[data-sets=smooth]", "smooth")
    page.check("[data-sets=mirrored]")
    assert state(page, "mirrored") is True


def test_the_pixel_under_the_pointer_is_told_exactly(run: Run, tmp_path: Path, opened: Callable[..., Any]) -> None:
    pixels = np.zeros((20, 30, 4), np.uint8)
    pixels[5:15, 5:25] = (201, 77, 13, 255)
    pixels[6, 7] = (97, 201, 33, 5)  # canvas colours are coarse here
    for number in (1, 2):
        save(tmp_path / "frames" / f"swim_{number}.png", pixels)
    assert run("pack", "frames", "--out", "o", "--layout", "tight", "--turn").returncode == 0
    run("show", "o.json", "--out", "o.html")
    page = opened(tmp_path / "o.html", "#animation=swim&step=1")
    quiet(page, zoom=8)
    pivot = page.evaluate("lightTable.stage.crate.document.frames[0].pivot")
    box, view = page.locator("#stage").bounding_box(), page.evaluate("lightTable.stage.view")

    def point(column: int, row: int) -> None:
        place = [
            view[axis] + (at + 0.5 - middle) * 8 for axis, at, middle in zip("xy", (column, row), pivot, strict=True)
        ]
        page.mouse.move(box["x"] + place[0], box["y"] + place[1])

    point(9, 9)
    x, y = (round(at - middle) for at, middle in zip((9, 9), pivot, strict=True))
    said = f"x 9, y 9 · {x:+}, {y:+} from the pivot · #c94d0d, alpha 255".replace("-", "−")
    assert page.text_content("#pointed") == said
    point(7, 6)
    until(page, "document.getElementById('pointed').textContent.endsWith(' · #61c921, alpha 5')")
    point(1, 1)
    assert str(page.text_content("#pointed")).endswith("empty, nothing stored")
    point(-2, 3)
    assert str(page.text_content("#pointed")).endswith("outside of the canvas")
    page.click("#measure")
    point(5, 5)
    page.mouse.down()
    point(8, 9)
    page.mouse.up()
    assert str(page.text_content("#pointed")).endswith("3 across, 4 down, 5 long")
    assert page.evaluate("lightTable.stage.view") == view  # measuring does not pan
    page.focus("#stage")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    for _ in range(2):
        page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("ArrowLeft")
    assert str(page.text_content("#pointed")).endswith("1 across, 20 down, 20.02 long")
    page.keyboard.press("r")
    assert (state(page, "tool"), state(page, "ruler")) == ("pan", None)


def test_feet_and_mass_are_those_of_the_charts(path: Path, opened: Callable[..., Any]) -> None:
    from agile_crate.core.look.facts import stand_of

    page = opened(path)
    for index, name in enumerate(f"swim_{number}" for number in range(1, 6)):
        stand = page.evaluate("i => lightTable.standOf(lightTable.pixelsOf(lightTable.stage.crate, i))", index)
        feet, mass = stand_of(decode(path.parent / "back" / f"{name}.png"))
        assert stand["feet"] == pytest.approx(list(feet or ()))
        assert stand["mass"] == pytest.approx(list(mass or ()), abs=1e-3)


def test_two_are_compared(path: Path, opened: Callable[..., Any]) -> None:
    page = opened(path, "#animation=swim&step=1")
    quiet(page, zoom=4)
    alone = canvas(page)
    page.click("summary:has-text('compare')")
    page.select_option("#against", "animation:left")
    assert page.text_content("#other") == "left"
    view, half, aside = (page.evaluate("lightTable.stage.view"), *(round(alone.shape[1] / part) for part in (2, 4)))
    beside, reach = canvas(page), 60
    for place, name in ((round(view["x"]) - aside, "swim"), (round(view["x"]) + half - aside, "left")):
        quiet(page, zoom=4, against="")
        page.click(f"#reel button:has-text('{name}')")
        page.evaluate("() => { lightTable.seekStep(0); lightTable.show() }")
        middle = round(page.evaluate("lightTable.stage.view.x"))
        assert np.array_equal(
            beside[:, place - reach : place + reach], canvas(page)[:, middle - reach : middle + reach]
        ), name
    page.click("#reel button:has-text('swim')")
    page.evaluate("() => { lightTable.seekStep(0); lightTable.state.against = 'animation:left'; lightTable.show() }")
    page.click("summary:has-text('compare')")
    page.select_option("[data-sets=compared]", "slider")
    page.keyboard.press("Escape")
    for cut in (0, 100):
        page.evaluate(
            "c => { const one = document.getElementById('cut'); one.value = c; one.dispatchEvent(new Event('input')) }",
            cut,
        )
        assert state(page, "cut") == cut / 100
        if cut == 100:
            assert np.array_equal(canvas(page)[:, :-2], alone[:, :-2])
    page.click("summary:has-text('compare')")
    page.select_option("[data-sets=compared]", "difference")
    first, other = (decode(path.parent / "back" / f"{name}_1.png").astype(int) for name in ("swim", "left"))
    pivots = [
        frame["pivot"]
        for frame in json.loads(path.with_suffix(".json").read_text("utf-8"))["frames"]
        if frame["name"] in ("swim_1", "left_1")
    ]
    assert pivots[0] == pivots[1]
    differ = ((first != other).any(axis=2) & ((first[..., 3] > 0) | (other[..., 3] > 0))).sum()
    assert page.text_content("#difference") == f"{differ} pixels differ"
    page.select_option("#against", "animation:swim")
    assert page.text_content("#difference") == "no pixel differs"
    page.select_option("#against", "animation:dive")
    page.select_option("[data-sets=inStep]", "step")
    page.evaluate("() => { lightTable.seekStep(3); lightTable.show() }")
    assert "step 4 of 5" in now(page)


def test_the_sheet_answers(path: Path, opened: Callable[..., Any]) -> None:
    page = opened(path, "#animation=dive&step=1")
    document = json.loads(path.with_suffix(".json").read_text("utf-8"))
    box, view = page.locator("#marks").bounding_box(), page.evaluate("lightTable.board.view")

    def point(index: int) -> tuple[float, float]:
        x, y, w, h = document["frames"][index]["box"]
        return box["x"] + view["x"] + (x + w / 2) * view["zoom"], box["y"] + view["y"] + (y + h / 2) * view["zoom"]

    x, y, w, h = document["frames"][1]["box"]
    page.mouse.move(*point(1))
    assert f"1 swim_2: box {x} {y} {w} {h}" in str(page.text_content("#under"))
    assert "left_2, mirrored" in str(page.text_content("#ways"))
    page.mouse.click(*point(1))
    assert "step 2 of 5 · 1 swim_2" in now(page)  # the stage went to its animation
    mark = page.locator("#mark").bounding_box()
    expected = [
        box["x"] + view["x"] + x * view["zoom"],
        box["y"] + view["y"] + y * view["zoom"],
        w * view["zoom"],
        h * view["zoom"],
    ]
    assert [mark[key] for key in ("x", "y", "width", "height")] == pytest.approx(expected, abs=0.6)
    page.mouse.click(*point(1))  # once more: the other frame that lies there
    assert "left_2" in now(page)
    page.click("#ways button")
    assert "swim_2" in now(page)
    page.focus("#marks")
    page.keyboard.press("ArrowRight")
    assert "swim_3" in now(page)
    bare = canvas(page, "marks")
    for name in ("boxes", "names", "pivots", "canvases", "gaps"):
        page.check(f"[data-sets={name}]")
        changed = not np.array_equal(canvas(page, "marks"), bare)
        assert changed or name in ("names", "gaps"), name  # small boxes have no room for names, a full sheet no gaps
        page.uncheck(f"[data-sets={name}]")
        assert np.array_equal(canvas(page, "marks"), bare), name
    page.mouse.move(*point(1))
    page.mouse.wheel(0, -100)
    until(page, "zoom => lightTable.board.view.zoom > zoom", view["zoom"])
    page.click("#sheet-fit")
    assert page.evaluate("lightTable.board.view") == view
    page.focus("#marks")
    page.keyboard.press("+")
    assert page.evaluate("lightTable.board.view.zoom") > view["zoom"]
    page.keyboard.press("0")
    assert page.evaluate("lightTable.board.view") == view


def test_numbers_are_copied_in_every_form(run: Run, tmp_path: Path, opened: Callable[..., Any]) -> None:
    for number in range(1, 4):
        save(tmp_path / "frames" / f"swim_{number}.png", art(12, 10, number))
    template = """return {\n{% for frame in frames %}\n  { name = "{{ frame.name }}",\n    x = {{ frame.box.x }} },\n{% endfor %}\n  swim = { first = 1 },\n}\n"""
    (tmp_path / "table.lua.j2").write_text(template, "utf-8")
    done = run("pack", "frames", "--out", "o", "--columns", "3", "--fps", "8", "--template", "table.lua.j2")
    assert done.returncode == 0, done.stderr
    run("show", "o.json", "--out", "o.html")
    page = opened(tmp_path / "o.html", "#animation=swim&step=2")

    def text() -> str:
        page.click("#copy")
        return str(page.get_attribute("#copy", "data-copied"))

    assert text().splitlines()[:3] == ["frame   1 swim_2", "sheet   0 o.png", "box     12 0 12 10"]
    assert page.text_content("#text") == text()
    page.select_option("[data-sets=form]", "JSON")
    document = json.loads((tmp_path / "o.json").read_text("utf-8"))
    del document["sha256"]  # the seal of the file itself
    assert json.loads(text()) == document["frames"][1]
    for scope, expected in (
        ("animation", document["animations"][0]),
        ("sheet", document["sheets"][0]),
        ("crate", document),
    ):
        page.select_option("[data-sets=scope]", scope)
        assert json.loads(text()) == expected, scope
    page.select_option("[data-sets=form]", "text")
    assert text().splitlines() == [
        "sheet\tsize\tcells\tcell\tmargin\tgap\tframes\tfull\tGPU memory", "o.png\t36×10\t3 × 1\t12×10\t0\t0\t3\t100%\t1.4 KB",
        "", "animation\tindices\tframes\tfps\tlength\tloop", "swim\t0–2\t3\t8\t0.375 s\tforever",
    ]  # fmt: skip
    page.select_option("[data-sets=form]", "o.lua")
    until(page, "document.getElementById('text').textContent")
    assert text() == (tmp_path / "o.lua").read_text("utf-8")
    page.select_option("[data-sets=scope]", "frame")
    assert text() == '  { name = "swim_2",\n    x = 12 },'
    page.select_option("[data-sets=scope]", "animation")
    assert text() == "  swim = { first = 1 },"


def test_the_address_leads_back(path: Path, opened: Callable[..., Any]) -> None:
    page = opened(
        path,
        "#animation=dive&step=4&zoom=6&guide=line&onion=2&part=2-5&pivot=true&against=animation%3Aswim&compared=slider",
    )
    assert "step 4 of 5 · 8 dive_4" in now(page)
    asked = ("zoom", "guide", "onion", "part", "pivot", "against", "compared", "playing")
    told = [state(page, key) for key in asked]
    assert told == [6, "line", 2, [1, 4], True, "animation:swim", "slider", False]
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("c")
    until(page, "location.hash.includes('canvas=true') && location.hash.includes('step=3')")
    again = parse_qs(page.evaluate("location.hash.slice(1)"))
    assert (again["animation"], again["part"]) == (["dive"], ["2-5"])
    page.evaluate("location.hash = 'animation=swim&step=5'")
    until(page, "lightTable.stage.show.name === 'swim'")
    assert ("step 5 of 5" in now(page), state(page, "guide"), state(page, "zoom")) == (True, "", "fit")
    page.close()
    odd = opened(path, "#animation=nothing&step=999&zoom=-4&guide=x&part=9-1&skin=x&against=skin:y&onion=1e9&fps=x")
    assert ([state(odd, key) for key in asked][:6], "swim" in str(odd.text_content("#title"))) == (
        ["fit", "", 0, None, False, ""],
        True,
    )


def test_hostile_names_stay_names(run: Run, tmp_path: Path, opened: Callable[..., Any]) -> None:
    for name in HOSTILE:
        for number in (1, 2):
            save(tmp_path / "frames" / f"{name.replace('/', '∕')}_{number}.png", art(8, 8, number))
    run("pack", "frames", "--out", "<b>x")
    run("show", "<b>x.json", "--out", "o.html")
    page = opened(tmp_path / "o.html")
    names = sorted(name.replace("/", "∕") for name in HOSTILE)
    assert sorted(page.locator("#reel b").all_text_contents()) == names
    assert sorted(page.locator("#against optgroup option").all_text_contents()) == names
    assert page.text_content("h1") == "<b>x"
    for name in names:
        page.fill("#filter", name)
        page.keyboard.press("Enter")
        assert str(page.text_content("#title")).startswith(name)
        page.click("#reel button:not([hidden])")
    page.fill("#filter", "")
    assert page.evaluate("document.querySelectorAll('img, script').length") == 2
    assert page.evaluate("document.querySelectorAll('h1 b').length") == 0


def test_animations_are_found_and_walked_through(path: Path, opened: Callable[..., Any]) -> None:
    page = opened(path, "#animation=swim&step=1")
    assert page.locator("#reel b").all_text_contents() == ["swim", "dive", "left", "buoy"]
    assert page.locator("#reel small").all_text_contents() == [
        "5 frames, 0.8 s",
        "5 frames, 0.7 s",
        "5 frames, 0.8 s",
        "still",
    ]
    page.keyboard.press("/")
    page.keyboard.type("IV")
    assert page.locator("#reel button:visible").count() == 1
    assert page.text_content("#reel-count") == "1 of 4"
    page.keyboard.press("Enter")
    assert str(page.text_content("#title")).startswith("dive · 10 fps · once")
    page.fill("#filter", "nothing of that name")
    assert page.is_visible("#none")
    page.fill("#filter", "")
    page.focus("#reel [aria-current]")
    page.keyboard.press("ArrowUp")
    assert str(page.text_content("#title")).startswith("swim")
    page.evaluate("document.activeElement.blur()")
    for expected in ("dive", "left", "buoy", "swim"):
        page.keyboard.press("ArrowDown")
        assert str(page.text_content("#title")).startswith(expected)


@pytest.mark.parametrize("scheme", ["light", "dark"])
@pytest.mark.parametrize("size", [(1280, 800), (1920, 1080), (390, 844)])
def test_nothing_is_out_of_reach(path: Path, opened: Callable[..., Any], scheme: str, size: tuple[int, int]) -> None:
    if not AXE.exists():
        (pytest.fail if os.environ.get("CI") else pytest.skip)("axe-core is not installed; make test does it")
    page = opened(path)
    page.emulate_media(color_scheme=scheme)
    page.set_viewport_size({"width": size[0], "height": size[1]})
    page.evaluate(AXE.read_text("utf-8"))
    for fold in ("", "look", "marks", "compare", "keys"):
        if fold:
            page.click(f"summary:has-text('{fold}')")
        found = page.evaluate(
            "axe.run().then(result => result.violations.map(one => `${one.id}: ${one.nodes.map(n => n.html)}`))"
        )
        assert found == [], fold
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth"), fold
    if size[0] > 900:
        assert page.evaluate("document.documentElement.scrollHeight <= innerHeight")  # nothing to scroll to


def test_a_survey_pins_its_findings_to_the_frames(run: Run, tmp_path: Path, opened: Callable[..., Any]) -> None:
    for number in range(1, 7):
        pixels = np.zeros((20, 30, 4), np.uint8)
        if number != 4:
            pixels[8:16, 10 : 14 + number] = (90, 60, 40, 255)
        save(tmp_path / "frames" / f"swim_{number}.png", pixels)
    save(tmp_path / "frames" / "idle_1.png", art(8, 8))
    done = run("survey", "frames", "--page", "look/f.html")
    assert done.stdout.endswith("\nwrote look/f.html\n")
    page = opened(tmp_path / "look/f.html")
    group = page.locator(".finding.fault", has_text="frame-empty")
    if not group.evaluate("one => one.open"):
        group.locator("summary").click()
    assert group.locator("summary").text_content().split() == "fault frame-empty: nothing is visible 1".split()
    assert "swim (swim_4): nothing is visible" in group.locator("li").text_content()
    group.locator(".go").click()
    assert "step 4 of 6 · 4 swim_4" in now(page)
    assert "nothing is visible: the figure disappears for this long" in str(page.text_content("#found"))
    assert page.get_attribute("#reel button:has-text('swim') i", "title")
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("ArrowRight")
    assert "nothing is visible" not in str(page.text_content("#found"))
    if AXE.exists():
        page.evaluate(AXE.read_text("utf-8"))
        assert page.evaluate("axe.run().then(result => result.violations.map(one => one.id))") == []
    before = (tmp_path / "look/f.html").read_bytes()
    again = run("survey", "frames", "--page", "look/f.html")
    assert (again.returncode, again.stdout) == (5, "")
    assert "f.html is already in look; choose another --page" in again.stderr
    assert (tmp_path / "look/f.html").read_bytes() == before
    done = run("survey", "frames", "--page", "look/f.png")
    assert (done.returncode, done.stderr) == (2, "agile-crate: error: --page look/f.png: a page is written as .html\n")


def test_before_and_after(run: Run, tmp_path: Path, opened: Callable[..., Any]) -> None:
    for day in ("monday", "tuesday"):
        for number in (1, 2, 3):
            pixels = np.full((10, 12, 4), (40, 50 * number, 90, 255), np.uint8)
            if (day, number) == ("tuesday", 2):
                pixels[3:5, 4:7] = (250, 0, 0, 255)
            save(tmp_path / day / f"swim_{number}.png", pixels)
        assert run("pack", day, "--out", f"{day}/crate/o").returncode == 0
    done = run("show", "tuesday/crate/o.json", "--against", "monday/crate/o.json", "--out", "c.html")
    assert done.returncode == 0
    page = opened(tmp_path / "c.html")
    assert "1 picture changed" in str(page.text_content("#changes"))
    page.click("#changes .go")
    assert "step 2 of 3 · 1 swim_2" in now(page)
    assert state(page, "against") == "before:"
    page.click("summary:has-text('compare')")
    page.select_option("[data-sets=compared]", "difference")
    assert page.text_content("#difference") == "6 pixels differ"
    assert page.get_attribute("#reel button i", "title") == "not as it was before"
    page.click("#tab-numbers")
    assert page.is_visible("#text")
    page.keyboard.press("ArrowLeft")
    assert page.is_visible("#changes")


def test_of_many_animations_only_those_in_sight_are_drawn(run: Run, tmp_path: Path, opened: Callable[..., Any]) -> None:
    for number in range(1000):
        save(tmp_path / "frames" / f"a{number // 5:03d}_{number % 5}.png", art(6, 6, number))
    run("pack", "frames", "--out", "o")
    run("show", "o.json", "--out", "o.html")
    page = opened(tmp_path / "o.html")
    until(page, "lightTable.reel.items.some(one => one.painted)")
    assert page.evaluate("lightTable.reel.items.length") == 200
    assert page.evaluate("lightTable.reel.items.filter(one => one.seen).length") < 20
    assert page.evaluate("lightTable.reel.items.at(-1).painted") == ""
    page.evaluate("document.getElementById('reel').scrollTop = 1e6")
    until(page, "lightTable.reel.items.at(-1).painted")


def test_a_skin_can_be_chosen(run: Run, tmp_path: Path, opened: Callable[..., Any]) -> None:
    for number in (1, 2):
        for folder, tone in (("base", 200), ("coat", 90)):
            pixels = np.full((9, 12, 4), (tone, 10 * number, 30, 255), np.uint8)
            save(tmp_path / folder / f"swim_{number}.png", pixels)
    text = '[crate.o]\nfrom = "base"\nout = "o"\npremultiply = true\n[crate.o.skin.coat]\nfrom = "coat"\n'
    (tmp_path / "o.crate.toml").write_text(text, "utf-8")
    assert run("pack", "o.crate.toml").returncode == 0
    assert run("show", "o.json", "--out", "o.html").returncode == 0
    page = opened(tmp_path / "o.html", "#step=1")
    quiet(page)

    def middle() -> list[int]:
        view = page.evaluate("lightTable.stage.view")
        pivot = page.evaluate("lightTable.stage.crate.document.frames[0].pivot")
        found: list[int] = canvas(page)[round(view["y"] - pivot[1]) + 4, round(view["x"] - pivot[0]) + 4].tolist()
        return found

    assert middle() == [200, 10, 30, 255]
    for skin, red in (("coat", 90), ("", 200)):
        page.select_option("#skin", skin)
        until(page, "skin => lightTable.stage.crate.skin === skin", skin)
        assert middle() == [red, 10, 30, 255]
    page.click("summary:has-text('compare')")
    page.select_option("#against", "skin:coat")
    page.select_option("[data-sets=compared]", "difference")
    until(page, "document.getElementById('difference').textContent === '108 pixels differ'")
    worn = opened(tmp_path / "o.html", "#step=2&skin=coat")
    quiet(worn)
    assert worn.evaluate("lightTable.stage.crate.skin") == "coat"


def test_the_page_is_small_and_its_reader_is_the_readers(path: Path) -> None:
    folder = Path(page_view.__file__).parent / "page"
    assert (folder / "crate.js").read_bytes() == (TOP / "readers" / "javascript" / "crate.js").read_bytes()
    text = path.read_text("utf-8")
    assert len(re.sub(r"data:image/png;base64,[^\"]*", "", text).encode()) < 120_000


def test_the_same_crate_gives_the_same_page(run: Run, path: Path) -> None:
    before = path.read_bytes()
    time.sleep(0.01)
    assert run("show", "o.json", "--out", "o.html", "--force").returncode == 0
    assert path.read_bytes() == before


def test_several_sheets_and_the_rest_of_the_keys(run: Run, tmp_path: Path, opened: Callable[..., Any]) -> None:
    for number in range(1, 7):
        save(tmp_path / "frames" / f"swim_{number}.png", art(30, 30, number))
    packed = run(
        "pack", "frames", "--out", "o", "--layout", "tight", "--max-size", "64x64", "--keep-repeats", "--gap", "2"
    )
    assert packed.returncode == 0
    run("show", "o.json", "--out", "o.html")
    document = json.loads((tmp_path / "o.json").read_text("utf-8"))
    assert len(document["sheets"]) > 1
    page = opened(tmp_path / "o.html", "#step=1")
    assert state(page, "sheet") == document["frames"][0]["sheet"]
    page.keyboard.press("End")
    assert state(page, "sheet") == document["frames"][5]["sheet"]  # the sheet of the frame that is shown
    assert page.evaluate("document.getElementById('sheet').selectedIndex") == document["frames"][5]["sheet"]
    page.select_option("#sheet", "0")
    assert state(page, "sheet") == 0
    assert page.is_hidden("#mark") == (document["frames"][5]["sheet"] != 0)
    page.focus("#sheet")
    page.keyboard.press("ArrowDown")
    assert state(page, "sheet") == 1
    page.evaluate("document.activeElement.blur()")
    for key, name in (("b", "boxes"), ("n", "names"), ("s", "shapes")):
        page.keyboard.press(key)
        assert state(page, name) is True
        page.keyboard.press(key)
        assert state(page, name) is False
    page.keyboard.press("?")
    assert page.is_visible(".keys")
    page.keyboard.press("Escape")
    assert page.is_hidden(".keys")
    page.keyboard.press("o")
    strength = "v => { const s = document.querySelector('[data-sets=strength]'); s.value = v; s.dispatchEvent(new Event('input')) }"
    quiet(page, zoom=4)
    before = canvas(page)
    page.evaluate(strength, 100)
    assert state(page, "strength") == 1
    assert not np.array_equal(canvas(page), before)
    page.check("[data-sets=gaps]")
    page.focus("[data-sets=gaps]")
    playing = state(page, "playing")
    page.keyboard.press("Space")  # a box that has the focus is its own
    assert (state(page, "gaps"), state(page, "playing")) == (False, playing)
    page.keyboard.press("r")
    assert page.get_attribute("#measure", "aria-pressed") == "true"


def test_a_crate_of_stills_and_empty_frames(run: Run, tmp_path: Path, opened: Callable[..., Any]) -> None:
    save(tmp_path / "frames" / "a parcel.png", art(10, 8))
    save(tmp_path / "frames" / "nothing.png", np.zeros((9, 7, 4), np.uint8))
    assert run("pack", "frames", "--out", "o", "--layout", "tight").returncode == 0
    run("show", "o.json", "--out", "o.html")
    page = opened(tmp_path / "o.html")
    assert page.locator("#reel b").all_text_contents() == ["a parcel", "nothing"]
    assert page.text_content("#title") == "a parcel"
    page.keyboard.press("ArrowDown")
    assert (page.text_content("#title"), page.is_hidden("#mark")) == ("nothing", True)
    for key in "wcpgo+-0":
        page.keyboard.press(key)
    page.select_option("[data-sets=scope]", "animation")
    assert "still    nothing" in str(page.text_content("#text"))
