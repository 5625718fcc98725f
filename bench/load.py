"""Measure large loads: many frames, large frames, a large sheet, many animations, long names.

Prints seconds and peak memory of each command, for docs/dev/reliability.md. `python bench/load.py 16,384 names`
measures the rows with these words in their names.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

import numpy as np
from PIL import Image

from frames import folder_of

HERE = Path(__file__).parent
WORK = HERE.parent / "build" / "bench"
PROGRAM = Path(sys.executable).with_name("agile-crate")


class Load(NamedTuple):
    """A row: what it is called, what lays its frames into a folder, and the words of `pack` beside."""

    name: str
    lay: Callable[[Path], None]
    options: str = ""
    after: str = "verify survey show unpack"


def linked(count: int, side: int, name: Callable[[int], str]) -> Callable[[Path], None]:
    def lay(folder: Path) -> None:
        drawn = sorted(folder_of("pixel_art", 500, WORK).glob("*.png")) if side == 64 else large(side)
        for number in range(count):
            path = folder / f"{name(number)}.png"
            path.parent.mkdir(parents=True, exist_ok=True)
            os.link(drawn[number % len(drawn)], path)

    return lay


def large(side: int) -> list[Path]:
    """A few painted frames of this side, kept between runs."""
    folder = WORK / f"large-{side}"
    folder.mkdir(parents=True, exist_ok=True)
    y, x = np.mgrid[:side, :side].astype(np.float32) / side
    for number in range(3):
        path = folder / f"{number}.png"
        if not path.is_file():
            inside = (x - 0.5) ** 2 + (y - 0.5 - number / 20) ** 2 < 0.16
            noise = np.random.default_rng(number).integers(0, 12, (side, side))
            pixels = np.stack((200 * x + noise, 180 * y + noise, 90 + noise * 4, 255 * inside), axis=2)
            Image.fromarray(np.where(inside[..., None], pixels, 0).astype(np.uint8)).save(path)
    return sorted(folder.glob("*.png"))


SWIM = "swim/{:06}".format

LOADS = (
    Load("20,000 frames of 64×64", linked(20_000, 64, SWIM)),
    Load("20,000 of them, tight", linked(20_000, 64, SWIM), "--layout tight --effort quick", "verify"),
    Load("100,000 frames of 64×64", linked(100_000, 64, SWIM), "", "verify"),
    Load("300 frames of 2048×2048", linked(300, 2048, SWIM), "--max-size 8192x8192", "verify"),
    Load("a sheet of 16,384²", linked(64, 2048, SWIM), "--max-size 16384x16384 --columns 8", "verify show"),
    Load(
        "500 animations of 20", linked(10_000, 64, lambda n: f"dive_{n // 20:03}/{n % 20:02}"),
        "--layout rows --max-size 16384x16384", "verify survey show",
    ),
    Load(
        "2,000 names of 200 letters", linked(2_000, 64, lambda n: f"swim/{'o' * 190}_{n:06}"), "--layout rows",
        "verify unpack",
    ),
)  # fmt: skip


def main() -> None:
    wanted = sys.argv[1:]
    WORK.mkdir(parents=True, exist_ok=True)
    for load in LOADS:
        if wanted and not any(word in load.name for word in wanted):
            continue
        with tempfile.TemporaryDirectory(dir=WORK) as made:
            folder = Path(made)
            load.lay(folder / "frames")
            data = folder / "out" / "o.json"
            commands = {
                "pack": ("pack", folder / "frames", "--out", data.with_suffix(""), *load.options.split()),
                "verify": ("verify", data, "--against", folder / "frames"),
                "survey": ("survey", folder / "frames"),
                "show": ("show", data, "--out", folder / "page.html"),
                "unpack": ("unpack", data, "--out", folder / "back"),
            }
            for name in ("pack", *load.after.split()):
                timed = [sys.executable, HERE / "timed.py", PROGRAM, *commands[name], "-q"]
                done = subprocess.run(timed, capture_output=True, text=True, check=False)
                seconds, kilobytes = map(float, done.stdout.split()[-2:])
                told = "" if done.returncode in (0, 1) else f"   exit {done.returncode}: {done.stderr.strip()[-200:]}"
                print(f"{load.name:28}{name:8}{seconds:8.1f} s{kilobytes / 1024:8.0f} MB{told}", flush=True)


if __name__ == "__main__":
    main()
