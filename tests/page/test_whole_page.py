"""The page as a whole: what it is made of, who can use it, and what leads back to it."""

import os
import re
from pathlib import Path
from urllib.parse import parse_qs

import numpy as np
import pytest

from agile_crate.views import page_view
from conftest import art, refusal, save

from .table import AXE, HOSTILE, TOP, Open, Run, blur, now, state, until


@pytest.mark.parametrize(
    ("scheme", "size"), [("light", (1280, 800)), ("dark", (1920, 1080)), ("light", (390, 844)), ("dark", (390, 844))]
)
def test_nothing_is_out_of_reach(path: Path, opened: Open, scheme: str, size: tuple[int, int]) -> None:
    if not AXE.exists():
        (pytest.fail if os.environ.get("CI") else pytest.skip)("axe-core is not installed; make test does it")
    page = opened(path)
    page.emulate_media(color_scheme=scheme)
    page.set_viewport_size({"width": size[0], "height": size[1]})
    page.evaluate(AXE.read_text("utf-8"))
    for fold in ("", "View", "Overlays", "Compare", "?"):
        if fold:
            page.click(f"summary:has-text('{fold}')")
        found = page.evaluate(
            "part => axe.run(part).then(({ violations }) => violations.map(one => `${one.id}: ${one.nodes.map(n => n.html)}`))",
            "details[open]" if fold else "body",
        )
        assert found == [], fold
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth"), fold
    if size[0] > 900:
        assert page.evaluate("document.documentElement.scrollHeight <= innerHeight")  # nothing to scroll to


def test_hostile_names_stay_names(run: Run, tmp_path: Path, opened: Open) -> None:
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


def test_the_address_leads_back(path: Path, opened: Open) -> None:
    page = opened(
        path,
        "#animation=dive&step=4&zoom=6&guide=line&onion=2&range=2-5&pivot=true&against=animation%3Aswim&compared=slider",
    )
    assert "step 4 of 5 · 8 dive_4" in now(page)
    asked = ("zoom", "guide", "onion", "range", "pivot", "against", "compared", "playing")
    told = [state(page, key) for key in asked]
    assert told == [6, "line", 2, [1, 4], True, "animation:swim", "slider", False]
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("c")
    until(page, "location.hash.includes('canvas=true') && location.hash.includes('step=3')")
    again = parse_qs(page.evaluate("location.hash.slice(1)"))
    assert (again["animation"], again["range"]) == (["dive"], ["2-5"])
    page.evaluate("location.hash = 'animation=swim&step=5'")
    until(page, "lightTable.stage.show.name === 'swim'")
    assert ("step 5 of 5" in now(page), state(page, "guide"), state(page, "zoom")) == (True, "", "fit")
    page.close()
    odd = opened(path, "#animation=nothing&step=999&zoom=-4&guide=x&range=9-1&skin=x&against=skin:y&onion=1e9&fps=x")
    assert ([state(odd, key) for key in asked][:6], "swim" in str(odd.text_content("#title"))) == (
        ["fit", "", 0, None, False, ""],
        True,
    )


def test_a_survey_pins_its_findings_to_the_frames(run: Run, tmp_path: Path, opened: Open) -> None:
    for number in range(1, 7):
        pixels = np.zeros((20, 30, 4), np.uint8)
        if number != 4:
            pixels[8:16, 10 : 14 + number] = (90, 60, 40, 255)
        save(tmp_path / "frames" / f"swim_{number}.png", pixels)
    save(tmp_path / "frames" / "idle_1.png", art(8, 8))
    done = run("survey", "frames", "--page", "look/f.html")
    assert done.stdout.endswith("\nwrote look/f.html\n")
    page = opened(tmp_path / "look/f.html")
    group = page.locator(".finding.error", has_text="frame-empty")
    if not group.evaluate("one => one.open"):
        group.locator("summary").click()
    assert group.locator("summary").text_content().split() == "error frame-empty: nothing is visible 1".split()
    assert "swim (swim_4): nothing is visible" in group.locator("li").text_content()
    group.locator(".go").click()
    assert "step 4 of 6 · 4 swim_4" in now(page)
    assert "nothing is visible: the figure disappears" in str(page.text_content("#found"))
    assert page.get_attribute("#reel button:has-text('swim') i", "title")
    blur(page)
    page.keyboard.press("ArrowRight")
    assert "nothing is visible" not in str(page.text_content("#found"))
    if AXE.exists():
        page.evaluate(AXE.read_text("utf-8"))
        assert page.evaluate("axe.run().then(result => result.violations.map(one => one.id))") == []
    before = (tmp_path / "look/f.html").read_bytes()
    again = run("survey", "frames", "--page", "look/f.html")
    assert (again.returncode, again.stdout) == (5, "")
    assert "f.html already exists in look; choose another --page" in again.stderr
    assert (tmp_path / "look/f.html").read_bytes() == before
    done = run("survey", "frames", "--page", "look/f.png")
    assert refusal(done) == (2, "--page look/f.png: a page is written as .html")


def test_a_crate_of_stills_and_empty_frames(run: Run, tmp_path: Path, opened: Open) -> None:
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


def test_the_page_is_small_the_same_each_time_and_its_reader_is_the_readers(run: Run, path: Path) -> None:
    folder = Path(page_view.__file__).parent / "page"
    assert (folder / "crate.js").read_bytes() == (TOP / "readers" / "javascript" / "crate.js").read_bytes()
    text = path.read_text("utf-8")
    assert len(re.sub(r"data:image/png;base64,[^\"]*", "", text).encode()) < 120_000
    before = path.read_bytes()
    assert run("show", "o.json", "--out", "o.html", "--force").returncode == 0
    assert path.read_bytes() == before
