"""Speed and memory beside what anybody would write, each with its goal. Run by ``make bench``.

Whole programs are timed from outside, ours and the plain one in turn, and the median of the pairwise ratios is
shown: on a shared machine the ratio says more than the seconds. Inputs are kept in build/bench between runs.
"""

from __future__ import annotations

import compileall
import io
import subprocess
import sys
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from statistics import median

import numpy as np
from PIL import Image

import agile_crate
from agile_crate.exports.png import encode_png
from frames import folder_of, painted, pixel_art, proportions

HERE = Path(__file__).parent
WORK = HERE.parent / "build" / "bench"
PROGRAM = Path(sys.executable).with_name("agile-crate")
ROUNDS = 5
ROUNDS_OF_LARGE = 3


def main() -> None:
    compileall.compile_dir(agile_crate.__path__[0], quiet=1)  # as pip leaves it; an editable checkout may have none
    print(f"{'':44}{'ours':>10}{'plain':>10}{'ratio':>8}  goal")
    for name, draw, side, cells in (("painted", painted, 512, 8), ("pixel art", pixel_art, 64, 32)):
        compare_writers(name, draw, side, cells)
    for name, draw, count, side, columns, rows, goal in (
        ("1,000 painted frames of 512×512", "painted", 1000, 512, 8, 8, 0.6),
        ("2,000 frames of 64×64 on one sheet", "pixel_art", 2000, 64, 50, 40, 0.5),
        ("20,000 frames of 64×64", "pixel_art", 20_000, 64, 50, 40, 0.45),
        ("100 frames of 64×64", "pixel_art", 100, 64, 10, 10, 1.35),
    ):
        compare_programs(name, folder_of(draw, count, WORK), side, columns, rows, goal)
    for count, goal in ((500, 1.0), (5000, 0.6)):
        compare_tight(f"{count:,} sprites, tight", folder_of("sprite", count, WORK), goal)
    folder = folder_of("painted", 1000, WORK)
    look = [PROGRAM, "survey", folder, "--quiet"]
    pairs = [(timed(look), timed([sys.executable, HERE / "decode.py", folder])) for _ in range(ROUNDS)]
    report("survey of 1,000 painted frames", [(a[0], b[0]) for a, b in pairs], "s", 1.6)
    print(f"{'  peak memory':44}{median(a[1] for a, _ in pairs):>8.0f}MB")
    compare_proof(folder)
    compare_sizes(folder)
    compare_preparing()
    seconds = median(timed([PROGRAM, "--help"])[0] for _ in range(9))
    print(f"{'agile-crate --help':44}{seconds:>9.3f}s{'':18}  0.120 s")


def compare_writers(name: str, draw: Callable[[int], Image.Image], side: int, cells: int) -> None:
    """One sheet, written by our encoder on two threads and by Pillow's default."""
    sheet = np.zeros((side * cells, side * cells, 4), np.uint8)
    for index in range(cells * cells):
        x, y = index % cells * side, index // cells * side
        sheet[y : y + side, x : x + side] = np.asarray(draw(index))
    with ThreadPoolExecutor(2) as executor:
        pairs = [(clocked(lambda: ours(sheet, executor)), clocked(lambda: plain(sheet))) for _ in range(ROUNDS)]
    title = f"write {name} {side * cells}×{side * cells}"
    report(title, [(a[0], b[0]) for a, b in pairs], "s", 0.15)
    report(f"{title}, size", [(a[1] / 1e6, b[1] / 1e6) for a, b in pairs], "MB", 1.12)


def ours(sheet: np.ndarray, executor: ThreadPoolExecutor) -> int:
    return sum(map(len, encode_png(sheet, executor)))


def plain(sheet: np.ndarray) -> int:
    stream = io.BytesIO()
    Image.fromarray(sheet).save(stream, "PNG")
    return stream.tell()


def clocked(work: Callable[[], int]) -> tuple[float, int]:
    began = time.perf_counter()
    size = work()
    return time.perf_counter() - began, size


def compare_programs(name: str, folder: Path, side: int, columns: int, rows: int, goal: float) -> None:
    """The whole command beside the plain program, on the same frames and the same sheets."""
    count = len(list(folder.glob("*.png")))
    command = [PROGRAM, "pack", folder, "--out", WORK / "ours", "--columns", columns, "--force"]
    other = [sys.executable, HERE / "plain.py", folder, WORK / "plain", side, columns, rows]
    rounds = ROUNDS_OF_LARGE if count * side * side > 1 << 24 else ROUNDS
    pairs = [(timed(command), timed(other)) for _ in range(rounds)]
    report(name, [(a[0], b[0]) for a, b in pairs], "s", goal)
    raw = count * side * side * 4 / 2**20
    print(f"{'  peak memory':44}{median(a[1] for a, _ in pairs):>8.0f}MB{'':18}  {raw + 300:.0f} MB")


def compare_tight(name: str, folder: Path, goal: float) -> None:
    """Tight sheets beside the plain program, which pastes frames in cells of the largest one's size."""
    frames = len(list(folder.glob("*.png")))
    side = 8 + max(map(max, proportions()[:frames]))
    command = [PROGRAM, "pack", folder, "--out", WORK / "tight", "--layout", "tight", "--gap", "2", "--force"]
    other = [sys.executable, HERE / "plain.py", folder, WORK / "cells", side, 4096 // side, 4096 // side]
    pairs = [(timed(command), timed(other)) for _ in range(ROUNDS)]
    report(name, [(a[0], b[0]) for a, b in pairs], "s", goal)


def compare_proof(folder: Path) -> None:
    """`verify` against the sources, beside decoding and comparing alone."""
    subprocess.run([PROGRAM, "pack", folder, "--out", WORK / "proof", "--quiet", "--force"], check=True)
    data = WORK / "proof.json"
    ours = [PROGRAM, "verify", data, "--against", folder, "--quiet"]
    other = [sys.executable, HERE / "compare.py", data, folder]
    pairs = [(timed(ours), timed(other)) for _ in range(ROUNDS_OF_LARGE)]
    report("verify 1,000 painted frames", [(a[0], b[0]) for a, b in pairs], "s", 1.3)
    print(f"{'  peak memory':44}{median(a[1] for a, _ in pairs):>8.0f}MB")


def compare_sizes(folder: Path) -> None:
    """Two sizes in one run, beside one."""
    ours = [PROGRAM, "pack", folder, "--out", WORK / "sizes", "--also-scale", "50%", "--quiet", "--force"]
    other = [PROGRAM, "pack", folder, "--out", WORK / "size", "--quiet", "--force"]
    pairs = [(timed(ours), timed(other)) for _ in range(ROUNDS_OF_LARGE)]
    report("1,000 painted frames at two sizes and at one", [(a[0], b[0]) for a, b in pairs], "s", 1.6)
    print(f"{'  peak memory':44}{median(a[1] for a, _ in pairs):>8.0f}MB")


def compare_preparing() -> None:
    """Frames taken in and prepared, nothing written, beside Pillow alone on as many threads."""
    colors = ",".join(f"#{(37 * n) % 256:02x}{(91 * n) % 256:02x}{(53 * n) % 256:02x}" for n in range(32))
    for name, draw, count, given, what, goal in (
        ("1,000 painted frames halved and trimmed", "painted", 1000, ["scale=50%", "trim=frame"], "shrink", 1.3),
        ("2,000 pixel-art frames in a palette", "pixel_art", 2000, [f"palette={colors}"], "decode", 1.5),
    ):
        folder = folder_of(draw, count, WORK)
        ours = [sys.executable, HERE / "intake.py", folder, *given]
        other = [sys.executable, HERE / "prepare.py", what, folder]
        pairs = [(timed(ours), timed(other)) for _ in range(ROUNDS)]
        report(name, [(a[0], b[0]) for a, b in pairs], "s", goal)
        print(f"{'  peak memory':44}{median(a[1] for a, _ in pairs):>8.0f}MB")


def timed(command: list[object]) -> tuple[float, float]:
    """The seconds and the peak memory in MB of a whole program."""
    words = [sys.executable, "-S", "-E", HERE / "timed.py", *command]
    said = subprocess.run([str(word) for word in words], stdout=subprocess.PIPE, text=True, check=True).stdout
    seconds, kilobytes = said.split()
    return float(seconds), int(kilobytes) / 1024


def report(name: str, pairs: list[tuple[float, float]], unit: str, goal: float) -> None:
    ratio = median(a / b for a, b in pairs)
    a, b = (median(side) for side in zip(*pairs, strict=True))
    print(f"{name:44}{a:>{10 - len(unit)}.3f}{unit}{b:>{10 - len(unit)}.3f}{unit}{ratio:>8.2f}  {goal:.2f}")


if __name__ == "__main__":
    main()
