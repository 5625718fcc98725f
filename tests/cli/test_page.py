"""The player page in Chromium, from file://: it plays what was packed, by mouse and by keyboard, and loads nothing else."""

from __future__ import annotations

import base64
import io
import json
import os
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

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


@pytest.fixture
def opened(browser: Any) -> Iterator[Callable[[Path], Any]]:
    """Opens a page, and at the end finds that it complained of nothing and asked for nothing but itself."""
    heard: list[str] = []
    pages = []

    def open_(path: Path) -> Any:
        page = browser.new_page()
        pages.append(page)
        page.on("console", lambda message: heard.append(message.text))
        page.on("pageerror", lambda error: heard.append(str(error)))
        page.on("dialog", lambda dialog: (heard.append(dialog.message), dialog.dismiss()))
        asks = lambda request: None if request.url.startswith("data:") else heard.append(request.url)  # noqa: E731
        page.on("request", asks)
        page.goto(path.as_uri())
        page.wait_for_function("window.player")
        return page

    yield open_
    asked = [page.url for page in pages]
    for page in pages:
        page.close()
    assert [said for said in heard if said not in asked] == []


@pytest.fixture
def path(run: Run, tmp_path: Path) -> Path:
    for number in range(1, 6):
        pixels = art(24, 18, number)
        pixels[..., 3] = np.where(pixels[..., 3] > 100, 255, 0)
        save(tmp_path / "frames" / f"swim_{number}.png", pixels)
        save(tmp_path / "frames" / f"dive_{number}.png", art(20, 14, number + 9))
    times = ("--fps", "10", "--loop", "swim=back-and-forth", "--loop", "dive=once", "--order", "swim")
    options = ("--layout", "tight", "--turn", "--effort", "quick", "--mirrored", "left=swim", "--share-mirrored")
    assert run("pack", "frames", "--out", "o", *options, *times).returncode == 0
    done = run("show", "o.json", "--out", "o.html")
    assert (done.returncode, done.stdout) == (0, "wrote o.html\n")
    run("unpack", "o.json", "--out", "back")
    return tmp_path / "o.html"


def canvas(page: Any, index: int = 0) -> np.ndarray:
    data = page.evaluate("i => player.stages()[i].canvas.toDataURL()", index)
    return np.asarray(Image.open(io.BytesIO(base64.b64decode(data.partition(",")[2]))).convert("RGBA")).astype(int)


def quiet(page: Any) -> None:
    """Paused at the first step, one to one, on one colour."""
    page.evaluate("""() => { player.setPlaying(false); player.state.time = 0;
        Object.assign(player.state, { zoom: 1, backdrop: "own", color: "#102030" }); player.show() }""")


def test_each_step_is_the_frame_that_unpack_gives(path: Path, opened: Callable[[Path], Any]) -> None:
    page = opened(path)
    quiet(page)
    for number in (1, 2, 3, 4, 5, 4, 3, 2, 1):
        source = decode(path.parent / "back" / f"swim_{number}.png").astype(int)
        found = canvas(page)[: source.shape[0], : source.shape[1]]
        solid = source[..., 3] == 255
        assert solid.sum() > 50
        assert np.array_equal(found[solid], source[solid]), number
        assert (found[~solid] == [0x10, 0x20, 0x30, 255]).all(), number
        page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowLeft")
    assert "step 1 of 5" in page.text_content("#now")
    page.select_option("#animation", "left")  # stored as its mirror image
    quiet(page)
    source = decode(path.parent / "back" / "left_1.png").astype(int)
    solid = source[..., 3] == 255
    assert np.array_equal(canvas(page)[: source.shape[0], : source.shape[1]][solid], source[solid])


def let_pass(page: Any, milliseconds: int) -> None:
    """Draws a picture every 100 ms of so much time, and one at its end."""
    page.evaluate(
        """ms => { window.testTime = window.testTime ?? performance.now(); const end = window.testTime + ms;
            do { window.testTime = Math.min(window.testTime + 100, end); window.waiting(window.testTime) } while (window.testTime < end) }""",
        milliseconds,
    )


def test_it_plays_pauses_and_keeps_its_speed(path: Path, opened: Callable[[Path], Any]) -> None:
    page = opened(path)
    page.evaluate("() => { window.requestAnimationFrame = draw => { window.waiting = draw } }")  # time is ours now
    while not page.evaluate("!!window.waiting"):
        page.wait_for_timeout(20)
    assert page.text_content("#play") == "pause"
    passed = []
    for speed in (5, 400):
        page.evaluate(
            "v => { const s = document.getElementById('speed'); s.value = v; s.dispatchEvent(new Event('input')) }",
            speed,
        )
        assert page.text_content("#speed-said") == f"{speed}%"
        let_pass(page, 0)
        before = page.evaluate("player.state.time")
        let_pass(page, 400)
        passed.append(page.evaluate("player.state.time") - before)
    assert passed[0] > 0
    assert passed[1] == pytest.approx(80 * passed[0])
    page.keyboard.press("Space")
    stopped = page.evaluate("player.state.time")
    let_pass(page, 200)
    assert (page.text_content("#play"), page.evaluate("player.state.time")) == ("play", stopped)
    page.select_option("#animation", "dive")
    page.evaluate("player.setPlaying(false)")
    page.uncheck("#loop")
    page.evaluate("player.state.time = 1e6; player.show()")
    assert "step 5 of 5" in page.text_content("#now")  # shown once, it stays on its last frame
    page.fill("#fps", "1")
    page.evaluate("player.state.time = 2500; player.show()")
    assert "step 3 of 5" in page.text_content("#now")


def test_marks_and_skins_change_what_is_drawn(path: Path, opened: Callable[[Path], Any]) -> None:
    page = opened(path)
    quiet(page)
    page.keyboard.press("ArrowRight")
    plain = canvas(page)
    page.keyboard.press("m")
    width = page.evaluate("player.stages()[0].room.x") * 2
    assert np.array_equal(canvas(page)[:, :width], plain[:, :width][:, ::-1])
    page.keyboard.press("m")
    for key in "ogp":
        page.keyboard.press(key)
        assert not np.array_equal(canvas(page), plain), key
        page.keyboard.press(key)
        assert np.array_equal(canvas(page), plain), key
    page.keyboard.press("+")
    assert canvas(page).shape[0] == 2 * plain.shape[0]
    page.keyboard.press("-")
    page.select_option("#second", "dive")
    assert page.evaluate("player.stages().length") == 2
    page.keyboard.press("Tab")
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("a")
    assert page.evaluate("player.stages().length") == 3


def test_the_sheet_names_what_is_pointed_at_and_tables_can_be_copied(path: Path, opened: Callable[[Path], Any]) -> None:
    page = opened(path)
    quiet(page)
    document = json.loads(path.with_suffix(".json").read_text("utf-8"))
    x, y, w, h = document["frames"][0]["box"]
    place = page.evaluate(
        "() => { const b = document.getElementById('board').getBoundingClientRect(); return [b.x, b.y, b.width / document.getElementById('board').width] }"
    )
    page.mouse.move(place[0] + (x + w / 2) * place[2], place[1] + (y + h / 2) * place[2])
    assert f"0 swim_1: box {x} {y} {w} {h}" in page.text_content("#pointed")
    asked = "() => { const m = document.getElementById('mark').getBoundingClientRect(); return [m.x, m.y, m.width, m.height] }"
    expected = [place[0] + x * place[2], place[1] + y * place[2], w * place[2], h * place[2]]
    assert page.evaluate(asked) == pytest.approx(expected, abs=0.1)
    page.click("[data-copies=timing]")
    copied = page.get_attribute("[data-copies=timing]", "data-copied")
    assert copied.splitlines()[:2] == [
        "animation\tfirst\tlast\tframes\tfps\tms\tloop",
        "swim\t0\t4\t5\t10\t500\tback-and-forth",
    ]


def test_hostile_names_stay_names(run: Run, tmp_path: Path, opened: Callable[[Path], Any]) -> None:
    for name in HOSTILE:
        for number in (1, 2):
            save(tmp_path / "frames" / f"{name.replace('/', '∕')}_{number}.png", art(8, 8, number))
    run("pack", "frames", "--out", "<b>x")
    run("show", "<b>x.json", "--out", "o.html")
    page = opened(tmp_path / "o.html")
    names = [name.replace("/", "∕") for name in HOSTILE]
    assert sorted(page.locator("#animation option").all_text_contents()) == sorted(names)
    assert page.text_content("h1") == "<b>x"
    page.click("#all")
    assert sorted(page.locator("figcaption").all_text_contents()) == sorted(names)
    assert page.evaluate("document.querySelectorAll('img, b, script').length") == 2


@pytest.mark.parametrize("scheme", ["light", "dark"])
@pytest.mark.parametrize("width", [1280, 390])
def test_nothing_is_out_of_reach(path: Path, opened: Callable[[Path], Any], scheme: str, width: int) -> None:
    if not AXE.exists():
        (pytest.fail if os.environ.get("CI") else pytest.skip)("axe-core is not installed; make test does it")
    page = opened(path)
    page.emulate_media(color_scheme=scheme)
    page.set_viewport_size({"width": width, "height": 844})
    page.evaluate(AXE.read_text("utf-8"))
    found = page.evaluate(
        "axe.run().then(result => result.violations.map(one => `${one.id}: ${one.nodes.map(n => n.html)}`))"
    )
    assert found == []
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")


def test_a_survey_pins_its_findings_to_the_frames(run: Run, tmp_path: Path, opened: Callable[[Path], Any]) -> None:
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
    top, bottom = page.evaluate(
        "(({ top, bottom }) => [top, bottom])(document.getElementById('stages').getBoundingClientRect())"
    )
    assert 0 <= top < bottom <= page.viewport_size["height"]
    assert "swim_4: box" in page.text_content("#now")
    assert "nothing is visible: the figure disappears for this long" in page.text_content("#found")
    page.keyboard.press("ArrowRight")
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("ArrowRight")
    assert "nothing is visible" not in page.text_content("#found")
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


def test_of_many_animations_only_those_in_sight_are_drawn(
    run: Run, tmp_path: Path, opened: Callable[[Path], Any]
) -> None:
    for number in range(3000):
        save(tmp_path / "frames" / f"a{number // 10:03d}_{number % 10}.png", art(6, 6, number))
    run("pack", "frames", "--out", "o")
    run("show", "o.json", "--out", "o.html")
    page = opened(tmp_path / "o.html")
    page.click("#all")
    page.wait_for_function("player.stages().some(one => one.seen)")
    assert page.evaluate("player.stages().length") == 300
    assert page.evaluate("player.stages().filter(one => one.seen).length") < 150
    assert page.evaluate("player.stages().at(-1).seen") is False


def test_a_skin_can_be_chosen(run: Run, tmp_path: Path, opened: Callable[[Path], Any]) -> None:
    for number in (1, 2):
        for folder, tone in (("base", 200), ("coat", 90)):
            pixels = np.full((9, 12, 4), (tone, 10 * number, 30, 255), np.uint8)
            save(tmp_path / folder / f"swim_{number}.png", pixels)
    text = '[crate.o]\nfrom = "base"\nout = "o"\npremultiply = true\n[crate.o.skin.coat]\nfrom = "coat"\n'
    (tmp_path / "o.crate.toml").write_text(text, "utf-8")
    assert run("pack", "o.crate.toml").returncode == 0
    assert run("show", "o.json", "--out", "o.html").returncode == 0
    page = opened(tmp_path / "o.html")
    quiet(page)
    assert canvas(page)[4, 4].tolist() == [200, 10, 30, 255]
    for skin, red in (("coat", 90), ("", 200)):
        page.select_option("#skin", skin)
        page.wait_for_timeout(200)
        assert canvas(page)[4, 4].tolist() == [red, 10, 30, 255]


def test_the_page_is_small_and_its_reader_is_the_readers() -> None:
    folder = Path(page_view.__file__).parent / "page"
    assert sum(path.stat().st_size for path in folder.iterdir()) < 400_000
    assert (folder / "crate.js").read_bytes() == (TOP / "readers" / "javascript" / "crate.js").read_bytes()
