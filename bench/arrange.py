"""Measure the fill ratio and the speed of tight sheets against their goals. ``make bench`` runs it; it draws two plots,
too.

Time is told as seconds of `arrange` divided by the seconds that Pillow takes, in the same run and on one thread, to
decode as many PNGs of 64×64.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from pathlib import Path
from statistics import mean

import numpy as np
from PIL import Image

from agile_crate.core.arrange import tight
from agile_crate.core.arrange.blocks import Lot, arrange_blocks
from agile_crate.core.arrange.sheet_size import SheetLimits, SheetRules
from agile_crate.core.arrange.tight import COMPILED, arrange, bound, lowest
from agile_crate.core.model.geometry import Size
from boxes import cut, filling, sprites
from frames import folder_of

WORK = Path(__file__).parent.parent / "build" / "bench"
PICTURES = Path(__file__).parent.parent / "docs" / "pictures"
GAP = 2
LARGE = SheetRules(Size(16_384, 16_384))
EFFORTS = ("quick", "normal", "deep")
SQUARES = [60, 99, 154, 210, 300, 405, 513, 667, 836, 1035, 1265, 1512, 1794, 2139, 2491, 2890, 3344, 3822, 4352, 4928,
           5547, 6230, 6956, 7749, 8586, 9486]  # fmt: skip
"""The published least areas for the squares 1×1 to n×n, n = 5 … 30 (Huang and Korf, 2013)."""

BEFORE = {60: (0.43, 96.23), 300: (0.79, 98.16), 1000: (1.35, 98.86), 5000: (2.85, 99.43)}
"""Seconds and fullness of the version before this engine, at normal effort, on the machine of the plot and 3 sets."""


def main(efforts: list[str]) -> None:
    print(f"arranging {'compiled' if COMPILED else 'in plain Python'}")
    print(f"{'':44}" + "".join(f"{effort:>9}  goal " for effort in efforts))
    for count, goals in ((60, (95.5, 97, 98)), (300, (97.5, 98.6, 99.1)), (1000, (98.8, 99.3, 99.6)),
                         (5000, (99.5, 99.7, 99.85))):  # fmt: skip
        seeds = range(6 if count < 1000 else 3 if count < 5000 else 1)
        row(f"sprites, {count:,}: boxes with gap ÷ sheet", efforts, goals, lambda e, n=count, s=seeds: density(n, s, e))
    for count, goals in ((50, (0, 95, 98)), (200, (0, 97.5, 98.5)), (1000, (0, 99.4, 99.7))):
        row(f"cut squares, {count:,}: optimum ÷ height", efforts, goals, lambda e, n=count: of_optimum(n, e))
    row("squares 1 to n, n = 5 … 30: area ÷ optimum", efforts, (0, 101.2, 100.4), squares)
    row("95% of 1024×1024, 200 boxes: share that fits", efforts, (0, 90, 99), fitting)
    row("blocks: cells with gap ÷ sheet", efforts, (0, 0, 0), in_blocks)
    decode = seconds_to_decode()
    growth(decode)
    if "deep" in efforts:
        over_time()


def row(name: str, efforts: list[str], goals: tuple[float, ...], measure: Callable[[str], float]) -> None:
    parts = []
    for effort in efforts:
        goal = goals[EFFORTS.index(effort)]
        parts.append(f"{100 * measure(effort):>8.2f}% {goal or '–':>5}")
    print(f"{name:44}" + " ".join(parts), flush=True)


def density(count: int, seeds: range, effort: str) -> float:
    return mean(full(count, seed, effort) for seed in seeds)


def full(count: int, seed: int, effort: str) -> float:
    boxes = sprites(count, seed)
    size = arrange(boxes, SheetLimits(LARGE, gap=GAP, effort=effort)).size
    return bound(boxes, GAP) / (size.w * size.h)


def in_blocks(effort: str) -> float:
    """Also prints how full one cell size for all would be."""
    found, grids = [], []
    for count in (10, 40, 200 if effort != "deep" else 40):
        cells = sprites(count, count)
        lots = [Lot(3 + 7 * number % 15, Size(*cell)) for number, cell in enumerate(cells)]
        made = arrange_blocks(lots, SheetLimits(LARGE, gap=GAP, effort=effort))
        frames = [lot.cell for lot in lots for _ in range(lot.count)]
        covered = bound(frames, GAP)
        found.append(covered / sum(f.arranged.size.w * f.arranged.size.h for f in made.fillings))
        largest = max(w for w, _ in cells) + GAP, max(h for _, h in cells) + GAP
        grids.append(covered / (len(frames) * largest[0] * largest[1]))
    print(f"  {effort}: in cells of one size, at best {100 * mean(grids):.2f}%")
    return mean(found)


def of_optimum(count: int, effort: str) -> float:
    return mean(1000 / lowest(cut(count, seed), 1000, effort) for seed in range(3))


def squares(effort: str) -> float:
    found = []
    proven = 0
    for count, optimum in enumerate(SQUARES, 5):
        done = arrange([(side, side) for side in range(1, count + 1)], SheetLimits(aspect=None, effort=effort))
        found.append(done.size.w * done.size.h / optimum)
        proven = count if done.proven and proven in (0, count - 1) else proven
    print(f"  {effort}: proven up to n = {proven}")
    return mean(found)


def fitting(effort: str) -> float:
    limits = SheetLimits(SheetRules(exact=Size(1024, 1024)), effort=effort)
    return mean(arrange(filling(200, seed), limits) is not None for seed in range(20))


def growth(decode: float) -> None:
    """Time over the number of boxes, in a table and as a plot."""
    counts = [60, 100, 300, 1000, 2500, 5000, 10_000, 20_000]
    seconds = {effort: [timed(sprites(count, 0), effort) for count in counts] for effort in EFFORTS[:2]}
    for count, *goals in ((60, 1, 6), (300, 1, 4), (1000, 1, 3), (5000, 1, 2), (20_000, 1, 2)):
        taken = [seconds[effort][counts.index(count)] for effort in EFFORTS[:2]]
        quick, normal = (
            f"{s:.3f} s, {s / (decode * count):.2f}, goal {goal}" for s, goal in zip(taken, goals, strict=True)
        )
        print(f"time for {count:,} boxes ÷ decoding as many frames: quick {quick}; normal {normal}")
    lines = [
        (counts, seconds[effort], f"{effort} effort", style) for effort, style in (("quick", "s-"), ("normal", "o-"))
    ]
    lines.append((counts, [decode * count for count in counts], "decoding as many 64×64 PNGs", "--"))
    draw("growth.png", lines, "boxes", "seconds", "log")


def over_time() -> None:
    """Plot the fullness over the time spent: one curve per number of boxes, and the earlier results."""
    lines = []
    for count in (60, 300, 1000, 5000):
        found = []
        for effort in (500, 2_000, 8_000, 30_000, 120_000 if count < 5000 else 60_000):
            tight.EFFORTS["trial"] = (effort, 0)
            began = time.perf_counter()
            share = density(count, range(3 if count < 5000 else 1), "trial")
            found.append(((time.perf_counter() - began) / (3 if count < 5000 else 1), 100 * share))
        lines.append((*map(list, zip(*found, strict=True)), f"{count:,} boxes", "o-"))
        before = BEFORE[count]
        lines.append(([before[0]], [before[1]], f"{count:,}, the version before", "x"))
    draw("fullness.png", lines, "seconds", "% of the sheet", "linear")


def timed(boxes: list[tuple[int, int]], effort: str) -> float:
    began = time.perf_counter()
    arrange(boxes, SheetLimits(LARGE, gap=GAP, effort=effort))
    return time.perf_counter() - began


def seconds_to_decode() -> float:
    paths = sorted(folder_of("pixel_art", 2000, WORK).glob("*.png"))
    began = time.perf_counter()
    for path in paths:
        with Image.open(path) as image:
            np.asarray(image.convert("RGBA"))
    return (time.perf_counter() - began) / len(paths)


def draw(name: str, lines: list[tuple], across: str, up: str, scale: str) -> None:
    import matplotlib

    matplotlib.use("Agg")
    from matplotlib import pyplot

    figure, axes = pyplot.subplots(figsize=(8, 5), dpi=100)
    colors = iter(
        ("#2a6f97", "#c1553b", "#7a9e4a", "#8a5a9e") if scale == "linear" else ("#7a9e4a", "#2a6f97", "#b08060")
    )
    color = ""
    for xs, ys, label, style in lines:
        color = color if style == "x" else next(colors)
        axes.plot(xs, ys, style, color=color, label=label, markersize=9 if style == "x" else 5)
    axes.set_xscale("log")
    axes.set_yscale(scale)
    axes.set_xlabel(across)
    axes.set_ylabel(up)
    axes.grid(which="both", alpha=0.25)
    axes.legend(fontsize=8)
    figure.tight_layout()
    PICTURES.mkdir(parents=True, exist_ok=True)
    figure.savefig(PICTURES / name, metadata={"Software": None})


if __name__ == "__main__":
    main(sys.argv[1:] or ["quick", "normal", "deep"])
