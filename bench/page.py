"""The player page in a browser: how long it takes to open, and how many pictures a second it draws."""

from __future__ import annotations

import subprocess
import tempfile

import numpy as np
from PIL import Image

from run import PROGRAM, WORK

FLAGS = ("--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update")
COUNT = """() => new Promise(done => { let n = 0; const end = performance.now() + 2000;
    const count = () => { n++; performance.now() < end ? requestAnimationFrame(count) : done(n / 2) }; count() })"""


def main() -> None:
    from playwright.sync_api import sync_playwright

    folder, chance = WORK / "many", np.random.default_rng(5)
    folder.mkdir(parents=True, exist_ok=True)
    for number in range(0 if any(folder.iterdir()) else 3000):
        picture = Image.fromarray(chance.integers(0, 256, (24, 24, 4), dtype=np.uint8))
        picture.save(folder / f"a{number // 10:03d}_{number % 10}.png")
    subprocess.run([PROGRAM, "pack", folder, "--out", WORK / "many-crate", "--quiet", "--force"], check=True)
    page_file = WORK / "many.html"
    subprocess.run([PROGRAM, "show", WORK / "many-crate.json", "--out", page_file, "--force", "--quiet"], check=True)
    with tempfile.TemporaryDirectory() as profile, sync_playwright() as playwright:
        browser = playwright.chromium.launch_persistent_context(
            profile, executable_path="/usr/bin/chromium", args=list(FLAGS)
        )
        page = browser.new_page()
        page.goto(page_file.as_uri())
        opened = page.evaluate("performance.timing.loadEventEnd - performance.timing.navigationStart")
        page.click("#all")
        drawn = page.evaluate(COUNT)
        browser.close()
    print(f"{'page of 3,000 frames, 300 animations: opens':44}{opened / 1000:>9.3f}s")
    print(f"{'  all animations at once':44}{drawn:>10.0f} pictures a second (goal: above 20)")


if __name__ == "__main__":
    main()
