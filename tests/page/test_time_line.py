"""Time: rates, scrubbing, parts, both ways."""

from pathlib import Path

from conftest import art, save

from .table import Open, Run, blur, drawn, now, slide, state, steps_at, until


def test_it_plays_at_its_own_rate_and_at_others(path: Path, opened: Open) -> None:
    page = opened(path, "#animation=dive&step=1")
    assert page.get_attribute("#play", "aria-label") == "Play"
    assert now(page) == "step 1 of 5 · 5 dive_1 · 1 beat at 10 fps"
    assert steps_at(page, *(0, 99, 100, 399, 400, 699, 700)) == [1, 1, 2, 2, 3, 5, 1]  # held, again
    page.click("summary:has-text('FPS')")
    page.uncheck("[data-sets=again]")
    assert steps_at(page, *(699, 700, 1e6)) == [5, 5, 5]  # shown once, it stays on its last frame
    page.fill("#fps", "1")
    assert steps_at(page, *(990, 1000, 2500)) == [1, 2, 3]
    page.fill("#fps", "")
    assert steps_at(page, 250) == [2]
    page.keyboard.press("Escape")
    blur(page)
    begin = page.evaluate("lightTable.state.time = 0")
    page.keyboard.press("Space")
    assert page.get_attribute("#play", "aria-label") == "Pause"
    until(page, "lightTable.state.time > 300")
    page.click("#play")
    stopped = state(page, "time")
    drawn(page)
    assert state(page, "time") == stopped > begin
    slide(page, "#speed", 25)
    assert (state(page, "speed"), page.text_content("#speed-value")) == (0.25, "25%")
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


def test_rates_read_as_they_were_meant(run: Run, tmp_path: Path, opened: Open) -> None:
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


def test_the_time_line_is_scrubbed_and_plays_parts(path: Path, opened: Open) -> None:
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
    assert state(page, "range") == [1, 4]
    page.focus("#last")
    page.keyboard.press("ArrowLeft")
    assert state(page, "range") == [1, 3]
    assert [page.get_attribute(end, "aria-valuenow") for end in ("#first", "#last")] == ["2", "4"]
    assert steps_at(page, *(0, 299, 300, 499, 500, 1000)) == [2, 2, 3, 4, 2, 2]  # the range loops
    page.click("#whole")
    assert state(page, "range") is None
    blur(page)
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("[")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("]")
    assert state(page, "range") == [1, 2]
    page.keyboard.press("\\")
    assert state(page, "range") is None
    page.click("#until")
    assert state(page, "range") == [0, 2]
    page.click("#from")
    assert state(page, "range") == [2, 2]


def test_a_range_of_back_and_forth_turns_at_its_ends(path: Path, opened: Open) -> None:
    page = opened(path, "#animation=swim&range=2-4&step=2")
    steps = page.evaluate("lightTable.line.turn.map(one => one.step + 1)")
    assert steps == [1, 2, 3, 4, 5, 4, 3, 2]  # both ways are seen
    assert steps_at(page, *range(0, 600, 100)) == [2, 3, 4, 3, 2, 3]
    page.mouse.move(0, 0)
    box = page.locator("#line").bounding_box()
    scale = page.evaluate("lightTable.line.scale")
    page.mouse.click(box["x"] + 1 + 650 * scale, box["y"] + 40)  # on the way back
    assert state(page, "time") == 300
    assert "step 3 of 5" in now(page)
