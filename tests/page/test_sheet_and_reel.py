"""The sheet, the reel of animations, and the numbers."""

import json
from pathlib import Path

import numpy as np
import pytest

from conftest import art, save

from .table import Open, Run, blur, canvas, now, quiet, state, until


def test_the_sheet_answers(path: Path, opened: Open) -> None:
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
    zoom, left, top = view["zoom"], box["x"] + view["x"], box["y"] + view["y"]
    expected = [left + x * zoom, top + y * zoom, w * zoom, h * zoom]
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


def test_several_sheets_and_the_rest_of_the_keys(run: Run, tmp_path: Path, opened: Open) -> None:
    for number in range(1, 7):
        save(tmp_path / "frames" / f"swim_{number}.png", art(30, 30, number))
    packed = run(
        "pack", "frames", "--out", "o", "--layout", "tight", "--max-size", "64x64", "--store-duplicates", "--gap", "2"
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
    blur(page)
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


def test_animations_are_found_and_walked_through(path: Path, opened: Open) -> None:
    page = opened(path, "#animation=swim&step=1")
    assert page.locator("#reel b").all_text_contents() == ["swim", "dive", "left", "buoy"]
    times = ["5 frames, 0.8 s", "5 frames, 0.7 s", "5 frames, 0.8 s", "still"]
    assert page.locator("#reel small").all_text_contents() == times
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
    blur(page)
    for expected in ("dive", "left", "buoy", "swim"):
        page.keyboard.press("ArrowDown")
        assert str(page.text_content("#title")).startswith(expected)


def test_of_many_animations_only_those_in_sight_are_drawn(run: Run, tmp_path: Path, opened: Open) -> None:
    for number in range(500):
        save(tmp_path / "frames" / f"a{number // 5:03d}_{number % 5}.png", art(6, 6, number))
    run("pack", "frames", "--out", "o")
    run("show", "o.json", "--out", "o.html")
    page = opened(tmp_path / "o.html")
    until(page, "lightTable.reel.items.some(one => one.painted)")
    assert page.evaluate("lightTable.reel.items.length") == 100
    assert page.evaluate("lightTable.reel.items.filter(one => one.seen).length") < 20
    assert page.evaluate("lightTable.reel.items.at(-1).painted") == ""
    page.evaluate("document.getElementById('reel').scrollTop = 1e6")
    until(page, "lightTable.reel.items.at(-1).painted")


def test_numbers_are_copied_in_every_form(run: Run, tmp_path: Path, opened: Open) -> None:
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
