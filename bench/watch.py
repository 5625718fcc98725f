"""From saving a frame to its pixels on the page: `watch --page` on 200 painted frames of 512×512, in a real browser."""

from __future__ import annotations

import shutil
import subprocess
import tempfile
import time
from statistics import median

import numpy as np
from PIL import Image

from page import FLAGS
from run import PROGRAM, WORK

SEEN = """color => new Promise(done => { const look = () => {
    const { data } = lightTable.pixelsOf(lightTable.stage.crate, lightTable.stage.show.frames[3]);
    if ([data[0], data[1], data[2]].join() === color) done(true); else requestAnimationFrame(look); }; look(); })"""


def main() -> None:
    from playwright.sync_api import sync_playwright

    folder = WORK / "watched"
    shutil.rmtree(folder, ignore_errors=True)
    (folder / "frames").mkdir(parents=True)
    chance = np.random.default_rng(5)
    soft = chance.integers(0, 256, (17, 17, 4), dtype=np.uint8)
    painted = np.asarray(Image.fromarray(soft).resize((560, 560), Image.Resampling.BICUBIC))
    for number in range(200):
        picture = painted[number // 8 : number // 8 + 512, number % 8 : number % 8 + 512]
        Image.fromarray(picture).save(folder / "frames" / f"a{number // 20:02d}_{number % 20:02d}.png")
    for layout in ("grid", "tight"):
        file = folder / f"{layout}.crate.toml"
        file.write_text(f'[crate.{layout}]\nfrom = "frames"\nout = "{layout}/all"\nlayout = "{layout}"\n', "utf-8")
        with tempfile.TemporaryDirectory() as profile, sync_playwright() as playwright:
            program = subprocess.Popen([PROGRAM, "watch", file, "--page"], stdout=subprocess.PIPE, text=True)
            assert program.stdout
            address = program.stdout.readline().removeprefix("the page: ").strip()
            while not program.stdout.readline().startswith("watching"):
                pass
            browser = playwright.chromium.launch_persistent_context(
                profile, executable_path="/usr/bin/chromium", args=list(FLAGS), viewport={"width": 1280, "height": 800}
            )
            page = browser.new_page()
            page.goto(address)
            while not page.evaluate("!!window.lightTable"):
                time.sleep(0.05)
            took = []
            for _ in range(6):
                color = [int(part) for part in chance.integers(0, 256, 3)]
                changed = painted[:512, :512].copy()
                changed[:64, :64] = (*color, 255)
                Image.fromarray(changed).save(folder / "new.png")
                begin = time.perf_counter()
                shutil.copyfile(folder / "new.png", folder / "frames" / "a00_03.png")
                page.evaluate(SEEN, ",".join(map(str, color)))
                took.append(time.perf_counter() - begin)
                if program.stdout.readline() == "":
                    raise SystemExit("the program ended")
            browser.close()
            program.terminate()
            program.wait()
        print(f"{'saved to seen, 200 frames of 512×512, ' + layout:44}{median(took[1:]):>9.3f}s (goal: below 1)")
        print("   ", " ".join(f"{one:.2f}" for one in took))


if __name__ == "__main__":
    main()
