"""Test the stage: the frames are those of unpack, with the right view and marks."""

import json
from pathlib import Path

import numpy as np
import pytest

from conftest import decode, save

from .table import HOSTILE, Open, Run, assert_shows, blur, canvas, drawn, go_to_step, now, quiet, slide, state, until


def test_each_step_is_the_frame_that_unpack_gives(path: Path, opened: Open) -> None:
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


def test_zoom_stays_at_the_pointer_and_dragging_pans(path: Path, opened: Open) -> None:
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
    blur(page)
    page.keyboard.press("-")
    assert state(page, "zoom") == 3
    page.focus("#stage")
    x = page.evaluate("lightTable.stage.view.x")
    page.keyboard.press("Shift+ArrowRight")
    assert page.evaluate("lightTable.stage.view.x") == x - 40
    page.keyboard.press("0")
    assert page.evaluate("lightTable.stage.view") == fitted
    page.keyboard.press("0")
    quiet(page, zoom=0.5)
    assert page.text_content("#zoomed") == "1/2"


def test_two_fingers_zoom(path: Path, opened: Open) -> None:
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


def test_marks_are_switched_by_mouse_and_by_key(path: Path, opened: Open) -> None:
    page = opened(path, "#animation=swim&step=2")
    quiet(page, zoom=4)
    plain = canvas(page)
    center = round(page.evaluate("lightTable.stage.view.x"))
    for key, name in (("o", "onion"), ("g", "guide"), ("p", "pivot"), ("c", "canvas"), ("w", "path")):
        page.keyboard.press(key)
        until(page, "name => !!lightTable.state[name]", name)
        drawn(page)
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
    width = min(center, plain.shape[1] - center)
    mirrored = canvas(page)[:, center - width : center + width]
    assert np.array_equal(mirrored, plain[:, center - width : center + width][:, ::-1])
    page.keyboard.press("m")
    page.click("summary:has-text('Overlays')")
    for name in ("pivot", "canvas", "shapes", "path"):
        page.check(f"[data-sets={name}]")
        assert state(page, name) is True
        page.uncheck(f"[data-sets={name}]")
    page.select_option("[data-sets=guide]", "rosette")
    page.fill("[data-sets=onion]", "3")
    assert (state(page, "guide"), state(page, "onion")) == ("rosette", 3)
    page.keyboard.press("Escape")
    page.click("summary:has-text('View')")
    page.select_option("[data-sets=backdrop]", "light")
    assert canvas(page)[2, 2].tolist() == [250, 250, 248, 255]
    page.fill("[data-sets=color]", "#405060")
    assert (state(page, "backdrop"), canvas(page)[2, 2].tolist()) == ("own", [0x40, 0x50, 0x60, 255])
    page.select_option("[data-sets=smooth]", "smooth")
    page.check("[data-sets=mirrored]")
    assert state(page, "mirrored") is True


def test_the_pixel_under_the_pointer_is_told_exactly(run: Run, tmp_path: Path, opened: Open) -> None:
    pixels = np.zeros((20, 30, 4), np.uint8)
    pixels[5:15, 5:25] = (201, 77, 13, 255)
    pixels[6, 7] = (97, 201, 33, 5)  # canvas colors are coarse here
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


def test_feet_and_mass_are_those_of_the_charts(path: Path, opened: Open) -> None:
    from agile_crate.core.inspect.facts import frame_facts

    page = opened(path)
    for index, name in enumerate(f"swim_{number}" for number in range(1, 6)):
        stand = page.evaluate("i => lightTable.standOf(lightTable.pixelsOf(lightTable.stage.crate, i))", index)
        facts = frame_facts(name, decode(path.parent / "back" / f"{name}.png"))
        assert stand["feet"] == pytest.approx(list(facts.feet or ()))
        assert stand["mass"] == pytest.approx(list(facts.mass or ()), abs=1e-3)


def test_a_skin_can_be_chosen(run: Run, tmp_path: Path, opened: Open) -> None:
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


def test_two_are_compared(path: Path, opened: Open) -> None:
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
        go_to_step(page, 0)
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
        slide(page, "#cut", cut)
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
    go_to_step(page, 3)
    assert "step 4 of 5" in now(page)


def test_before_and_after(run: Run, tmp_path: Path, opened: Open) -> None:
    name = HOSTILE[0]  # it is told in the list of changes, too
    for day in ("monday", "tuesday"):
        for number in (1, 2, 3):
            pixels = np.full((10, 12, 4), (40, 50 * number, 90, 255), np.uint8)
            if (day, number) == ("tuesday", 2):
                pixels[3:5, 4:7] = (250, 0, 0, 255)
            save(tmp_path / day / f"{name}_{number}.png", pixels)
        assert run("pack", day, "--out", f"{day}/crate/o").returncode == 0
    done = run("show", "tuesday/crate/o.json", "--against", "monday/crate/o.json", "--out", "c.html")
    assert done.returncode == 0
    page = opened(tmp_path / "c.html")
    assert "1 picture changed" in str(page.text_content("#changes"))
    assert f"pixels {name}_2: 6 pixels, first at 4,3" in str(page.text_content("#changes li"))
    page.click("#changes .go")
    assert f"step 2 of 3 · 1 {name}_2" in now(page)
    assert state(page, "against") == "before:"
    page.click("summary:has-text('compare')")
    page.select_option("[data-sets=compared]", "difference")
    assert page.text_content("#difference") == "6 pixels differ"
    assert page.get_attribute("#reel button i", "title") == "not as it was before"
    page.click("#tab-numbers")
    assert page.is_visible("#text")
    page.keyboard.press("ArrowLeft")
    assert page.is_visible("#changes")


@pytest.mark.parametrize("zoom", [8, 0.5])
def test_a_zoom_in_the_address_shows_the_art(path: Path, opened: Open, zoom: float) -> None:
    page = opened(path, f"#animation=swim&step=1&zoom={zoom}")
    size = page.evaluate("[document.getElementById('stage').width, document.getElementById('stage').height]")
    room, view = page.evaluate("lightTable.stage.room"), page.evaluate("lightTable.stage.view")
    middle = (
        view["x"] + (room["right"] - room["left"]) / 2 * zoom,
        view["y"] + (room["bottom"] - room["top"]) / 2 * zoom,
    )
    assert middle == pytest.approx([size[0] / 2, (size[1] + 26) / 2], abs=1)
    before = until(page, "location.hash.includes('at=') && location.hash")
    page.focus("#stage")
    for _ in range(3):
        page.keyboard.press("Shift+ArrowRight")
    moved = page.evaluate("lightTable.stage.view")
    drawn(page)
    # The address is written 250 ms after the last change. A later timer of 251 ms cannot end before it.
    page.evaluate("() => new Promise(done => setTimeout(done, 251))")
    assert page.evaluate("location.hash") != before
    again = opened(path, page.evaluate("location.hash"))  # a colleague sees the same
    assert again.evaluate("lightTable.stage.view") == pytest.approx(moved, abs=1)
