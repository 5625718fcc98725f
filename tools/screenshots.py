"""Takes the pictures in docs/screenshots from the demo data: terminal windows under Xvfb, and the sheets themselves.

Run by ``make screenshots``; needs Xvfb, xterm and ImageMagick's ``import``. Nothing in the pictures is edited.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PIL import Image, ImageDraw

SHOTS = Path(__file__).parents[1] / "docs" / "screenshots"
PROGRAM = Path(sys.executable).with_name("agile-crate")
DISPLAY = ":93"
WIDTH, HEIGHT = 1280, 860

TERMINALS = {
    "pack": ["pack otter-post/frames/otter --out build/otter --columns 8 --fps 10 --fps swim=16"],
    "draft": ["draft otter-post/rough --out rough.crate.toml && head -32 rough.crate.toml"],
    "unpack": ["unpack otter-post/crate/otter.json --out back/otter --film", "survey back/otter/*.apng"],
    "survey": ["survey otter-post/frames --notes"],
    "survey-rough": ["survey otter-post/rough"],
    "verify": [
        "verify build/otter.json --against otter-post/frames/otter",
        "verify build/otter.json --against tomorrow/otter",
    ],
    "errors": [
        "pack otter-post/frames/otter --out build/otter --columns 6 --rows 6",
        "pack otter-post/frames/otter --out build/otter --fps swin=24",
        "pack otter-post/frames --out build/all --cell 96x96",
        "pack otter-post/frame --out build/otter",
    ],
    "help": ["--help", "pack -h"],
    "project": ["pack otter-post/otter-post.crate.toml"],
}

COMING = ("walk_up/walk_up_02.png", "walk_up/walk_up_04.png")
"""The frame of the otter that comes before the picture of the project, and what it is a copy of."""


VIEWS = (
    ("otter-post/crate/harbor.json", "sheet-harbor.png"),
    ("build/all.json", "sheet-tight.png"),
    ("otter-post/crate/otter.json", "chart.png", "--as", "chart"),
    ("otter-post/crate/otter.json", "strip.png", "--as", "strip", "--animation", "swim", "--ground", "line"),
)

PAGE = """<!doctype html><meta charset="utf-8">
<link rel="stylesheet" href="otter.css"><link rel="stylesheet" href="otter@50.css">
<style>
  body {{ margin: 20px; background: #1b2230; color: #e6e9ef; font: 12px DejaVu Sans Mono, monospace }}
  section {{ display: flex; flex-wrap: wrap; gap: 6px; margin: 10px 0 18px }}
  section > div {{ outline: 1px solid #3a4660 }}
  figure {{ margin: 0; padding-bottom: 4px; text-align: center; width: 193px; background: #232c3d }}
</style>
&lt;div class="otter@50 frame-dive/dive_01"&gt; … at half the size, sharp on this screen
<section>{frames}</section>
&lt;div class="otter play-swim"&gt; and five others, playing
<section>{animations}</section>
"""


def main() -> None:
    SHOTS.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        os.environ["AGILE_CRATE_CACHE"] = f"{folder}/cache"
        subprocess.run([PROGRAM, "demo", "--quiet"], cwd=folder, check=True)
        redraw_some(Path(folder) / "otter-post" / "frames" / "otter", Path(folder) / "tomorrow" / "otter")
        server = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", f"{WIDTH}x{HEIGHT}x24"], stderr=subprocess.DEVNULL)
        try:
            time.sleep(1)
            for name, lines in TERMINALS.items():
                if name == "project":
                    for art in ("frames/otter", "skins/raincoat", "skins/scarf"):
                        otter = Path(folder) / "otter-post" / art
                        shutil.copy(otter / COMING[0], otter / COMING[1])
                shoot_terminal(name, lines, folder)
        finally:
            server.terminate()
        shoot_page(Path(folder) / "otter-post" / "crate")
        shoot_player(Path(folder))
        shoot_changes(Path(folder))
        shoot_survey(Path(folder))
        shoot_watch(Path(folder))
        on_checkerboard(Path(folder) / "otter-post" / "crate" / "otter.png").save(SHOTS / "sheet-otter.png")
        packed = "otter-post/frames/otter otter-post/frames/harbor --out build/all --layout tight --gap 2 --margin 2"
        subprocess.run([PROGRAM, "pack", *packed.split(), "-q"], cwd=folder, check=True)
        for data, out, *options in VIEWS:
            command = [PROGRAM, "show", data, "--out", SHOTS / out, "--force", "--quiet", *options]
            subprocess.run(command, cwd=folder, check=True)


def shoot_terminal(name: str, lines: list[str], folder: str) -> None:
    """A terminal window in which the commands were typed, one after the other."""
    script = "".join(
        f"printf '\\033[1;32m$\\033[0m agile-crate %s\\n' '{line}'; agile-crate {line}; echo\n" for line in lines
    )
    environment = os.environ | {"DISPLAY": DISPLAY, "PATH": f"{PROGRAM.parent}:{os.environ['PATH']}"}
    large = name not in ("survey-rough", "project", "help")
    window = subprocess.Popen(
        [
            *(
                "xterm",
                "-geometry",
                "116x39+0+0" if large else "212x66+0+0",
                "-fa",
                "DejaVu Sans Mono",
                "-fs",
                "13" if large else "7",
                "-bg",
                "#1b2230",
            ),
            *("-fg", "#e6e9ef", "-xrm", "XTerm*scrollBar: false", "-e", "sh", "-c", script + "sleep 60"),
        ],
        cwd=folder,
        env=environment,
    )
    time.sleep(4 if len(lines) < 3 else 6)
    subprocess.run(["import", "-window", "root", SHOTS / f"{name}.png"], env=environment, check=True)
    window.terminate()
    window.wait()


def shoot_page(crate: Path) -> None:
    """A page that shows frames and animations by the style sheet's classes alone, on a screen of two pixels to one."""
    frames = "".join(f'<div class="otter@50 frame-dive/dive_{number:02d}"></div>' for number in range(1, 11))
    animations = "".join(
        f'<figure><div class="otter play-{name}"></div><figcaption>otter play-{name}</figcaption></figure>'
        for name in ("swim", "dive", "idle", "walk_down", "walk_right", "walk_up")
    )
    (crate / "page.html").write_text(PAGE.format(frames=frames, animations=animations), "utf-8")
    shoot("css.png", (crate / "page.html").as_uri(), (640, 400), scale=2)
    (crate / "page.html").unlink()


def shoot_player(folder: Path) -> None:
    """The light table of the project: the otter's swim with its onion skins, its path and the ground."""
    command = (PROGRAM, "show", "otter-post/otter-post.crate.toml", "--out", "all.html", "--quiet")
    subprocess.run(command, cwd=folder, check=True)
    asked = """() => { Object.assign(lightTable.state, { boxes: true, form: "otter.lua" }); lightTable.show() }"""
    where = "#crate=otter&animation=swim&step=4&onion=1&guide=line&path=true&pivot=true"
    shoot("page.png", (folder / "all.html").as_uri() + where, then=asked)


def shoot_survey(folder: Path) -> None:
    """The page of a survey, at the frame that slipped, with the one before it and the one after."""
    command = (PROGRAM, "survey", "otter-post/rough", "--page", "rough.html", "--quiet")
    subprocess.run(command, cwd=folder, check=True)
    asked = """() => {
      const go = [...document.querySelectorAll(".go")].find((one) => one.dataset.animation === "idle_slip");
      go.closest("details").open = true;
      go.closest("details").scrollIntoView();
      go.click();
      lightTable.state.onion = 1;
      lightTable.state.guide = "line";
    }"""
    shoot("survey-page.png", (folder / "rough.html").as_uri(), then=asked)


def shoot_changes(folder: Path) -> None:
    """The changes of a day's work on some frames."""
    crate = folder / "changed" / "otter"
    options = ("--columns", "8", "--fps", "10", "--fps", "swim=12", "--quiet")
    subprocess.run([PROGRAM, "pack", "tomorrow/otter", "--out", crate, *options], cwd=folder, check=True)
    page = ("--out", "changed/c.html", "-q")
    compare = ("show", "changed/otter.json", "--against", "otter-post/crate/otter.json", *page)
    subprocess.run([PROGRAM, *compare], cwd=folder, check=True)
    where = "#animation=swim&step=5&compared=slider&against=before%3A"
    shoot("changes.png", (folder / "changed" / "c.html").as_uri() + where)


def shoot_watch(folder: Path) -> None:
    """The page of `watch`, a moment after a frame was saved."""
    command = [PROGRAM, "watch", "otter-post/otter-post.crate.toml", "--page"]
    watching = subprocess.Popen(command, cwd=folder, stdout=subprocess.PIPE, text=True)
    assert watching.stdout
    address = watching.stdout.readline().split()[-1]
    while "  watching " not in watching.stdout.readline():
        pass
    path = folder / "otter-post" / "frames" / "otter" / "swim" / "swim_04.png"
    with Image.open(path) as image:
        painted = image.convert("RGBA")
    ImageDraw.Draw(painted).ellipse((14, 58, 30, 70), fill=(250, 200, 40, 255))
    shoot("watch.png", f"{address}2/#animation=swim", before=lambda: painted.save(path), then=SEEN)
    watching.terminate()
    watching.wait()


SEEN = """() => new Promise((done) => { const look = () => document.documentElement.dataset.build
    ? setTimeout(() => { lightTable.setPlaying(false); lightTable.seekStep(3); lightTable.show(); done() }, 100)
    : requestAnimationFrame(look); look() })"""


def shoot(
    name: str,
    address: str,
    size: tuple[int, int] = (1280, 800),
    scale: int = 1,
    before: Callable[[], object] | None = None,
    then: str = "",
) -> None:
    """A page in the distribution's Chromium without a screen, after something was done and `then` was run on it."""
    from playwright.sync_api import sync_playwright

    with tempfile.TemporaryDirectory() as profile, sync_playwright() as playwright:
        browser = playwright.chromium.launch_persistent_context(
            profile,
            executable_path=shutil.which("chromium"),
            args=["--no-sandbox"],
            viewport={"width": size[0], "height": size[1]},
            device_scale_factor=scale,
        )
        shown = browser.new_page()
        shown.goto(address)
        while then and not shown.evaluate("!!window.lightTable"):
            time.sleep(0.05)
        if before:
            before()
        if then:
            shown.evaluate(then)
        shown.wait_for_timeout(100 if before else 500)
        shown.screenshot(path=SHOTS / name)
        browser.close()


def redraw_some(frames: Path, changed: Path) -> None:
    """The same frames a day later: one resealed, one moved by a pixel, one gone, one new."""
    shutil.copytree(frames, changed)
    resealed = Image.open(changed / "idle" / "idle_02.png")
    resealed.putpixel((48, 60), (200, 60, 60, 255))
    resealed.save(changed / "idle" / "idle_02.png")
    moved = Image.open(changed / "swim" / "swim_05.png")
    moved.transform(moved.size, Image.Transform.AFFINE, (1, 0, -1, 0, 1, 0)).save(changed / "swim" / "swim_05.png")
    (changed / "dive" / "dive_10.png").rename(changed / "dive" / "dive_11.png")


def on_checkerboard(path: Path) -> Image.Image:
    """A sheet as it lies on a checkerboard, scaled by a whole factor to fill most of a window."""
    sheet = Image.open(path).convert("RGBA")
    factor = max(1, min(WIDTH // sheet.width, HEIGHT // sheet.height))
    sheet = sheet.resize((sheet.width * factor, sheet.height * factor), Image.Resampling.NEAREST)
    board = Image.new("RGBA", sheet.size, "#ffffff")
    draw = ImageDraw.Draw(board)
    for y in range(0, sheet.height, 16):
        for x in range(y % 32, sheet.width, 32):
            draw.rectangle((x, y, x + 15, y + 15), "#d9dde4")
    board.alpha_composite(sheet)
    return board.convert("RGB")


if __name__ == "__main__":
    main()
