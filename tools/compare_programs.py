"""Compare two versions of the program on many command lines: every file byte for byte, every output, every exit code.

    python tools/compare_programs.py OLD NEW [--only TEXT] [--messages]

OLD and NEW are checkouts (their `src` is run by this Python). Each scenario of `scenarios.txt` runs in a fresh folder
with the demo frames and a few odd ones. Differences are printed; --messages also prints those of outputs alone.
"""

from __future__ import annotations

import argparse
import os
import re
import shlex
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import NamedTuple

import numpy as np
from PIL import Image

LINES = Path(__file__).with_name("scenarios.txt")
DEMO = Path("src", "agile_crate", "demo")

CRATE_FILE = """
[defaults]
fps = 12
metadata = ["json", "xml"]

[crate.otter]
from = ["frames/otter"]
out = "out/otter"
layout = "tight"
gap = 2
also-scale = ["50%"]
mirrored = { dive_left = "dive" }
max-size = [512, 512]

[crate.otter.animation.swim]
fps = 16
hold = { 1 = 2, last = "200ms" }
loop = "once"

[crate.otter.skin.raincoat]
from = ["skins/raincoat"]
missing = "base"
[crate.otter.skin.dusk]
recolor = { "#8a5a3c" = "#2255aa" }

[crate.sea]
from = ["frames/sea"]
out = "out/sea"
edge-repeat = 2
scale = 0.5
"""


class Outcome(NamedTuple):
    """The result of one scenario: each line's exit code, stdout and stderr; each file's bytes by its path."""

    said: list[tuple[int, str, str]]
    files: dict[str, bytes]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("old", type=Path)
    parser.add_argument("new", type=Path)
    parser.add_argument("--only", default="")
    parser.add_argument("--messages", action="store_true")
    given = parser.parse_args()
    wanted = [lines for lines in scenarios() if given.only in "; ".join(lines)]
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        pairs = pool.map(lambda lines: (lines, outcome(given.old, lines), outcome(given.new, lines)), wanted)
        differing = [lines for lines, old, new in pairs if not report(lines, old, new, given.messages)]
    print(f"{len(wanted)} scenarios, {len(differing)} with other files or exit codes")
    sys.exit(bool(differing))


def scenarios() -> Iterator[list[str]]:
    """Return groups of command lines; an indented line runs in the folder of the line before."""
    group: list[str] = []
    for line in LINES.read_text("utf-8").splitlines():
        if not line.strip() or line.startswith("#"):
            continue
        if group and not line.startswith(" "):
            yield group
            group = []
        group.append(line.strip())
    yield group


def outcome(checkout: Path, lines: list[str]) -> Outcome:
    """Run lines in a fresh folder. A line that begins with ! is a shell's: it edits files between commands."""
    with tempfile.TemporaryDirectory(prefix="compare-") as folder:
        work = Path(folder, "work")
        prepare(work)
        environment = os.environ | {
            "PYTHONPATH": str((checkout / "src").resolve()),
            "AGILE_CRATE_CACHE": str(Path(folder, "cache")),
            "COLUMNS": "100",
        }
        said: list[tuple[int, str, str]] = []
        for line in lines:
            command = line[1:] if line.startswith("!") else f"{shlex.quote(sys.executable)} -m agile_crate {line}"
            done = subprocess.run(command, shell=True, cwd=work, env=environment, capture_output=True, timeout=300)
            told = [steady(stream.decode("utf-8", "replace"), folder) for stream in (done.stdout, done.stderr)]
            said.append((done.returncode, *told))
        paths = sorted(path for path in work.rglob("*") if path.is_file())
        return Outcome(said, {str(path.relative_to(work)): path.read_bytes() for path in paths})


def prepare(work: Path) -> None:
    """The demo's frames, and odd ones beside them."""
    shutil.copytree(Path(__file__).parents[1] / DEMO, work, ignore=shutil.ignore_patterns("*.py", "__pycache__"))
    (work / "post.crate.toml").write_text(CRATE_FILE, "utf-8")
    odd = work / "odd names"
    odd.mkdir()
    rng = np.random.default_rng(5)
    for number in range(1, 7):
        pixels = np.zeros((20 + number, 24, 4), np.uint8)
        pixels[4:-3, 3 + number : 14 + number] = rng.integers(0, 256, (13 + number, 11, 4), np.uint8)
        Image.fromarray(pixels).save(odd / f"otter runs {number:02}.png")
    Image.fromarray(np.full((9, 9, 4), 255, np.uint8)).save(odd / "parcel.png")
    Image.fromarray(np.full((9, 9, 3), (255, 0, 255), np.uint8)).save(odd / "keyed.png")
    frames = [Image.fromarray(rng.integers(0, 256, (12, 12, 3), np.uint8)) for _ in range(4)]
    frames[0].save(odd / "blink.gif", save_all=True, append_images=frames[1:], duration=[40, 80, 40, 120], loop=0)
    damaged = work / "damaged"
    damaged.mkdir()
    whole = (odd / "parcel.png").read_bytes()
    (damaged / "cut_01.png").write_bytes(whole[: len(whole) // 2])
    (damaged / "cut_02.png").write_bytes(whole)
    (damaged / "notes.txt").write_text("no picture", "utf-8")


def steady(text: str, folder: str) -> str:
    """Output without what differs by the run: the folder, and times."""
    return re.sub(r"\d+\.\d+ ?s\b|\d\d:\d\d:\d\d", "T", text.replace(folder, "FOLDER"))


def report(lines: list[str], old: Outcome, new: Outcome, messages: bool) -> bool:
    """Print what differs; return True if files and exit codes are the same."""
    told: list[str] = []
    for line, before, after in zip(lines, old.said, new.said, strict=True):
        if before[0] != after[0]:
            told.append(f"  {line}: exit {before[0]}, now {after[0]}\n{after[2]}")
    for path in sorted(old.files.keys() | new.files.keys()):
        if old.files.get(path) != new.files.get(path):
            told.append(f"  {path}: {size(old.files.get(path))}, now {size(new.files.get(path))}")
    shown = list(told)
    for line, before, after in zip(lines, old.said, new.said, strict=True):
        for was, now in zip(before[1:], after[1:], strict=True):
            if messages and was != now:
                shown.append(f"  {line}\n    - {was.strip()}\n    + {now.strip()}")
    if shown:
        print("; ".join(lines), *shown, sep="\n", flush=True)
    return not told


def size(data: bytes | None) -> str:
    return "missing" if data is None else f"{len(data):,} bytes"


if __name__ == "__main__":
    main()
