"""`watch`: it builds when something changes, waits for what is being written, survives errors, and its page plays
along."""

import json
import shutil
import threading
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from conftest import Run, art, decode, metadata, save, tree
from page.table import until
from watching import PATIENCE, Watching, timeless

CRATES = """\
[crate.otter]
from = "frames/otter"
out = "build/otter"
columns = 2

[crate.gull]
from = "frames/gull"
out = "build/gull"
"""


@pytest.fixture
def project(tmp_path: Path) -> Path:
    for name in ("otter", "gull"):
        for number in (1, 2, 3):
            save(tmp_path / "frames" / name / f"swim_{number}.png", art(12, 10, number))
    (tmp_path / "p.crate.toml").write_text(CRATES, "utf-8")
    return tmp_path


@pytest.fixture
def watch(project: Path) -> Iterator[Callable[..., Watching]]:
    running: list[Watching] = []

    def start(*options: str) -> Watching:
        running.append(Watching(project, "p.crate.toml", *options))
        return running[-1]

    yield start
    for one in running:
        if one.program.poll() is None:
            one.program.kill()
            one.program.wait()
        one.reader.join()
        one.program.stdout.close()


def test_a_line_for_each_build_and_only_for_builds(project: Path, watch: Callable[..., Watching]) -> None:
    one = watch()
    assert "  otter: 3 frames; wrote otter.png and otter.json in " in one.line()
    assert "  gull: " in one.line()
    assert timeless(one.line()) == "watching p.crate.toml: otter and gull; Ctrl-C ends it"
    save(project / "frames" / "otter" / "swim_2.png", art(12, 10, 9))
    said = one.line()
    assert "  otter: 1 frame changed (swim_2); wrote otter.png and otter.json in " in said
    assert metadata(project / "build" / "otter.json")["frames"][1]["name"] == "swim_2"
    save(project / "frames" / "gull" / "swim_4.png", art(12, 10, 4))
    assert "  gull: 1 frame added (swim_4); wrote gull.png and gull.json in " in one.line()
    (project / "frames" / "gull" / "swim_4.png").unlink()
    assert "  gull: 1 frame removed (swim_4); wrote gull.png and gull.json in " in one.line()
    (project / "frames" / "gull" / "notes.txt").write_text("nothing to build", "utf-8")
    (project / "elsewhere.txt").write_text("nothing to build", "utf-8")
    save(project / "frames" / "otter" / "swim_3.png", art(12, 10, 8))
    assert "  otter: 1 frame changed (swim_3)" in one.line()
    assert one.rest() == []
    assert one.end() == 0
    assert [timeless(line) for line in one.rest() if line] == ["stopped watching; all files are complete"]
    assert not [name for name in tree(project) if ".agile-crate-" in name]


def test_a_burst_is_one_build(project: Path, watch: Callable[..., Watching]) -> None:
    one = watch("--only", "otter")
    assert timeless(one.line("watching")) == "watching p.crate.toml: otter; Ctrl-C ends it"
    for number in range(1, 31):
        save(project / "frames" / "otter" / f"swim_{number}.png", art(12, 10, number + 50))
    assert (
        "otter: 27 frames added (swim_4, swim_5, swim_6 and 24 more), 3 frames changed (swim_1, swim_2 and swim_3)"
        in one.line()
    )
    assert len(metadata(project / "build" / "otter.json")["frames"]) == 30


def test_what_is_half_written_is_waited_for(project: Path, watch: Callable[..., Watching]) -> None:
    one = watch("--only", "otter")
    one.line("watching")
    noise = np.random.default_rng(3).integers(0, 256, (200, 200, 4), np.uint8)
    path, whole = project / "frames" / "otter" / "swim_2.png", save(project / "whole.png", noise).read_bytes()
    with path.open("wb") as file:
        for begin in range(0, len(whole), len(whole) // 5):
            file.write(whole[begin : begin + len(whole) // 5])
            file.flush()
            threading.Event().wait(0.25)  # longer than a burst's quiet
    assert "otter: 1 frame changed (swim_2)" in one.line()
    assert one.rest() == []
    assert np.array_equal(decode(path), noise)


def test_errors_are_told_and_survived(project: Path, watch: Callable[..., Watching]) -> None:
    one = watch()
    one.line("watching")
    path = project / "frames" / "otter" / "swim_2.png"
    whole, before = path.read_bytes(), tree(project / "build")
    path.write_bytes(whole[:40])
    told = timeless(one.line())
    assert told == "otter: error: frames/otter/swim_2.png is cut short; export it again or remove it"
    assert tree(project / "build") == before
    save(project / "frames" / "gull" / "swim_1.png", art(12, 10, 77))
    assert "gull: 1 frame changed (swim_1)" in one.line()  # the other one is built, and nothing said twice
    path.write_bytes(whole)
    assert one.line().endswith("  otter: up to date (3 frames)")
    (project / "p.crate.toml").write_text(CRATES.replace("columns = 2", "columns = 'two'"), "utf-8")
    assert (
        timeless(one.line())
        == "error: p.crate.toml, line 4, column 1: 'columns' is to be a whole number from 1 to 16384, not a text"
    )
    (project / "p.crate.toml").write_text(CRATES.replace("columns = 2", "columns = 3"), "utf-8")
    assert "  otter: 3 frames; wrote otter.png and otter.json in " in one.line()
    shutil.move(project / "frames" / "gull", project / "away")
    assert one.line("gull: error").endswith("frames/gull does not exist; check the path")
    shutil.move(project / "away", project / "frames" / "gull")
    assert one.line().endswith("  gull: up to date (3 frames)")
    assert one.end() == 0


def test_lines_for_programs(project: Path, watch: Callable[..., Watching]) -> None:
    one = watch("--json", "--only", "otter")
    first = json.loads(one.line())
    told = {key: first[key] for key in ("command", "crate", "outcome", "added")}
    assert told == {"command": "watch", "crate": "otter", "outcome": "built", "added": []}
    assert [Path(path).name for path in first["files"]] == ["otter.png", "otter.json"]
    (project / "frames" / "otter" / "swim_2.png").write_bytes(b"no picture")
    error = json.loads(one.line('"error"'))
    assert (error["exit"], error["files"], error["crate"]) == (3, ["frames/otter/swim_2.png"], "otter")
    failed = json.loads(one.line())
    assert (failed["outcome"], failed["exit"]) == ("failed", 3)
    assert one.end() == 0
    assert one.rest() == []


def test_a_page_of_what_was_never_built_waits_for_it(project: Path, watch: Callable[..., Watching]) -> None:
    path = project / "frames" / "otter" / "swim_2.png"
    whole = path.read_bytes()
    path.write_bytes(b"<b>no picture")
    (project / "frames" / "otter").rename(project / "frames" / "<i>otter")
    (project / "p.crate.toml").write_text(CRATES.replace("frames/otter", "frames/<i>otter"), "utf-8")
    one = watch("--page")
    address = timeless(one.line()).removeprefix("the page: ")
    one.line("watching")

    def page() -> str:
        with urllib.request.urlopen(address, timeout=PATIENCE) as answer:
            return str(answer.read().decode())

    said = page()
    assert "frames/&lt;i&gt;otter/swim_2.png is not a picture" in said
    assert 'http-equiv="refresh"' in said
    (project / "frames" / "<i>otter" / "swim_2.png").write_bytes(whole)
    one.line("otter: 3 frames")
    assert "lightTable" in page()
    one.end()


STAGE = """() => { const table = lightTable, index = table.stage.show.frames[table.stepNow()];
    return [...table.pixelsOf(table.stage.crate, index).data] }"""


def assert_seen(page: Any, path: Path) -> None:
    """The step that is shown has the pixels of a file."""
    source, found = decode(path), np.array(page.evaluate(STAGE), np.uint8).reshape(10, 12, 4)
    solid = source[..., 3] == 255
    assert np.array_equal(found[..., 3], source[..., 3])
    assert np.array_equal(found[solid], source[solid])


def test_the_page_plays_along(project: Path, watch: Callable[..., Watching], browser: Any) -> None:
    text = CRATES + '\n[crate.otter.skin.coat]\nfrom = "coat"\n'
    for number in (1, 2, 3):
        save(project / "coat" / f"swim_{number}.png", art(12, 10, number + 20))
    (project / "p.crate.toml").write_text(text, "utf-8")
    one = watch("--page")
    address = timeless(one.line()).removeprefix("the page: ")
    one.line("watching")
    heard: list[str] = []
    page = browser.new_page()
    page.on("console", lambda message: heard.append(message.text))
    page.on("pageerror", lambda error: heard.append(str(error)))
    ours = (address[: address.index("/", 8)], "data:")
    page.on("request", lambda asked: None if asked.url.startswith(ours) else heard.append(asked.url))
    page.goto(f"{address}#animation=swim&step=2&zoom=3")
    until(page, "!!window.lightTable")
    source = save(project / "new.png", art(12, 10, 33))
    shutil.copy(source, project / "frames" / "otter" / "swim_2.png")
    build = until(page, "document.documentElement.dataset.build")
    assert_seen(page, source)
    kept = "[lightTable.stage.show.name, lightTable.stepNow(), lightTable.state.zoom, lightTable.state.playing]"
    assert page.evaluate(kept) == ["swim", 1, 3, False]
    assert page.text_content("#news") == "changed: swim_2"
    until(page, "document.getElementById('live').textContent === 'live'")
    one.line("otter: 1 frame changed (swim_2)")

    page.evaluate("lightTable.setPlaying(true)")
    page.select_option("#skin", "coat")
    until(page, "lightTable.stage.crate.skin === 'coat'")
    shutil.copy(save(project / "new.png", art(12, 10, 44)), project / "coat" / "swim_3.png")
    until(page, "build => document.documentElement.dataset.build > build", build)
    assert page.evaluate("[lightTable.stage.crate.skin, lightTable.state.playing]") == ["coat", True]
    page.evaluate("() => { lightTable.setPlaying(false); lightTable.seekStep(2); lightTable.show() }")
    assert_seen(page, project / "new.png")
    one.line("otter: ")

    (project / "coat" / "swim_3.png").write_bytes(b"no picture")
    until(page, "!document.getElementById('alarm').hidden")
    assert "swim_3.png is not a picture" in page.text_content("#alarm")
    again = browser.new_page()
    again.goto(address)
    until(again, "!!window.lightTable")
    assert "swim_3.png is not a picture" in again.text_content("#alarm")  # who comes later reads it too
    again.close()
    shutil.copy(project / "new.png", project / "coat" / "swim_3.png")
    until(page, "document.getElementById('alarm').hidden")

    save(project / "frames" / "otter" / "swim_4.png", art(12, 10, 4))
    save(project / "coat" / "swim_4.png", art(12, 10, 5))
    until(page, "lightTable.stage.show.frames.length === 4")
    page.click("nav a:has-text('gull')")
    until(page, "!!window.lightTable && document.title === 'gull'")
    page.goto(address)
    until(page, "!!window.lightTable")
    assert one.end() == 0
    until(page, "document.getElementById('live').textContent.startsWith('waiting')")
    page.close()
    assert [said for said in heard if "ERR_" not in said and "GL Driver" not in said] == []


def test_a_new_folder_is_a_new_crate(project: Path, watch: Callable[..., Watching]) -> None:
    (project / "p.crate.toml").write_text(
        '[each."frames/*"]\nout = "build/{name}"\nskins = "coats/{name}-*"\n', "utf-8"
    )
    watching = watch()
    watching.line("watching p.crate.toml: gull and otter")
    for number in (1, 2, 3):
        save(project / "new" / f"fly_{number}.png", art(9, 9, number))
    (project / "new").rename(project / "frames" / "buoy")
    watching.line("buoy: 3 frames")
    shutil.copytree(project / "frames/otter", project / "coats/otter-rain")
    watching.line("otter: 3 frames; wrote otter-rain.png")
    assert watching.end() == 0
    assert sorted(path.name for path in (project / "build").glob("*.png")) == ["buoy.png", "gull.png", "otter-rain.png", "otter.png"]  # fmt: skip


def test_a_new_crate_whose_folder_comes_step_by_step(project: Path, watch: Callable[..., Watching]) -> None:
    shutil.copytree(project / "frames/otter", project / "art/otter/base")
    (project / "p.crate.toml").write_text('[each."art/*/base"]\nout = "build/{name}"\n', "utf-8")
    watching = watch()
    watching.line("watching p.crate.toml: otter")
    (project / "art/buoy/base").mkdir(parents=True)
    assert "buoy: error: no pictures were found in art/buoy/base" in watching.line()
    save(project / "art/buoy/base/bob_1.png", art(9, 9, 1))
    watching.line("buoy: 1 frame")
    assert watching.end() == 0


def test_an_edited_sheet_is_left_alone_until_the_edit_is_accepted(
    run: Run, project: Path, watch: Callable[..., Watching]
) -> None:
    one = watch()
    one.line("watching")
    sheet = project / "build/otter.png"
    pixels = decode(sheet).copy()
    pixels[2:4, 2:4] = (255, 0, 0, 255)
    save(sheet, pixels)
    save(project / "frames/otter/swim_2.png", art(12, 10, 40))
    save(project / "frames/gull/swim_2.png", art(12, 10, 41))
    left = timeless(one.line())
    assert left == (
        "otter: left alone, because otter.png was edited by hand; "
        "agile-crate verify p.crate.toml --only otter --accept accepts the edit"
    )
    assert "gull: 1 frame changed" in one.line()
    save(project / "frames/gull/swim_3.png", art(12, 10, 42))
    assert "gull: 1 frame changed" in one.line()  # and not a word on otter
    assert (decode(sheet) == pixels).all()
    assert run("verify", "p.crate.toml", "--only", "otter", "--accept").returncode == 1  # a frame has changed since
    assert timeless(one.line()).startswith("otter: 1 frame changed (swim_2); wrote otter.png and otter.json in ")
    after = decode(sheet)
    assert (after[2:4, 2:4] == (255, 0, 0, 255)).all()  # the accepted edit is carried
    save(project / "frames/otter/swim_3.png", art(12, 10, 43))
    one.line("otter: 1 frame changed (swim_3)")
    assert (decode(sheet)[2:4, 2:4] == (255, 0, 0, 255)).all()
    assert one.end() == 0


def test_an_edit_that_is_there_at_the_start_and_is_kept(
    run: Run, project: Path, watch: Callable[..., Watching]
) -> None:
    assert run("pack", "p.crate.toml").returncode == 0
    sheet = project / "build/gull.png"
    pixels = decode(sheet).copy()
    pixels[1, 1] = (0, 255, 0, 255)
    save(sheet, pixels)
    one = watch("--json")
    assert json.loads(one.line('"otter"'))["outcome"] == "unchanged"
    left = json.loads(one.line('"gull"'))
    assert (left["outcome"], left["edited"]) == ("left", ["gull.png"])
    assert run("pack", "p.crate.toml", "--only", "gull", "--keep-edits").returncode == 0
    assert json.loads(one.line('"gull"'))["outcome"] == "unchanged"
    save(project / "frames/gull/swim_3.png", art(12, 10, 42))
    assert json.loads(one.line('"gull"'))["changed"] == ["swim_3"]
    assert tuple(decode(sheet)[1, 1]) == (0, 255, 0, 255)


def test_one_page_tells_of_all_crates(project: Path, watch: Callable[..., Watching], browser: Any) -> None:
    one = watch("--page")
    address = timeless(one.line()).removeprefix("the page: ")
    one.line("watching")
    page = browser.new_page()
    page.goto(address)
    until(page, "!!window.lightTable")
    links = page.locator("nav[aria-label=Crates] a")
    assert (page.text_content("h1"), links.all_text_contents()) == ("otter", ["otter", "gull"])
    save(project / "frames" / "gull" / "swim_2.png", art(12, 10, 33))
    until(page, "document.querySelector('nav a[data-is=built]')?.title === 'changed: swim_2'")
    (project / "frames" / "gull" / "swim_2.png").write_bytes(b"no picture")
    until(page, "document.querySelector('nav a[data-is=failed]')?.title.startsWith('frames/gull/swim_2.png is not')")
    links.nth(1).click()
    page.locator("h1", has_text="gull").wait_for()
    until(page, "!!window.lightTable")
    assert "is not a picture" in str(page.text_content("#alarm"))
    page.close()
