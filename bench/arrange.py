"""How good the tight arrangement is, and how fast, beside its goals. ``make bench`` runs it; it draws a plot as well.

Time is told as seconds of `arrange` divided by the seconds that Pillow takes, in the same run and on one thread, to
decode as many PNGs of 64×64.
"""

from __future__ import annotations

import sys
import time
from pathlib import Path
from statistics import mean

import numpy as np
from PIL import Image

from agile_crate.core.arrange.sheet_size import SheetRules
from agile_crate.core.arrange.tight import Limits, arrange, bound, lowest
from agile_crate.core.model.geometry import Size
from boxes import cut, filling, sprites
from frames import folder_of

WORK = Path(__file__).parent.parent / "build" / "bench"
PLOT = Path(__file__).parent.parent / "docs" / "pictures" / "growth.png"
GAP = 2
SQUARES = {10: 405, 15: 1265, 20: 2890, 25: 5547}
"""The published least areas for the squares 1×1 to n×n (Huang and Korf, "Optimal rectangle packing", 2012)."""


def main(efforts: list[str]) -> None:
    print(f"{'':52}" + "".join(f"{effort:>9}  goal " for effort in efforts))
    for count, goals in ((60, (95, 96)), (300, (97.5, 98.5)), (1000, (99, 99.4)), (5000, (99.6, 99.8))):
        seeds = range(3 if count < 5000 else 1)
        row(f"sprites, {count:,}: boxes with gap ÷ sheet", efforts, goals, lambda e, n=count, s=seeds: density(n, s, e))
    for count, goals in ((50, (92, 96)), (200, (96, 98)), (1000, (99, 99.4))):
        row(f"cut squares, {count:,}: optimum ÷ height", efforts, goals, lambda e, n=count: of_optimum(n, e))
    row("squares 1 to n: area ÷ optimum", efforts, (103, 101), squares)
    row("95% of 1024×1024, 200 boxes: share that fits", efforts, (90, 99), fitting)
    growth()


def row(name: str, efforts: list[str], goals: tuple[float, float], measure: object) -> None:
    parts = []
    for effort in efforts:
        goal = goals[effort == "deep"]
        parts.append(f"{100 * measure(effort):>8.2f}% {goal:>5g}")  # type: ignore[operator]
    print(f"{name:52}" + " ".join(parts), flush=True)


def density(count: int, seeds: range, effort: str) -> float:
    found = []
    for seed in seeds:
        boxes = sprites(count, seed)
        size = arrange(boxes, Limits(gap=GAP, effort=effort)).size
        found.append(bound(boxes, GAP) / (size.w * size.h))
    return mean(found)


def of_optimum(count: int, effort: str) -> float:
    return mean(1000 / lowest(cut(count, seed), 1000, effort) for seed in range(3))


def squares(effort: str) -> float:
    found = []
    for count, optimum in SQUARES.items():
        size = arrange([(side, side) for side in range(1, count + 1)], Limits(aspect=None, effort=effort)).size
        found.append(size.w * size.h / optimum)
    return mean(found)


def fitting(effort: str) -> float:
    limits = Limits(SheetRules(exact=Size(1024, 1024)), effort=effort)
    return mean(arrange(filling(200, seed), limits) is not None for seed in range(20))


def growth() -> None:
    """Time over the number of boxes, in a table and as a plot."""
    decode = seconds_to_decode()
    counts, seconds = [100, 300, 1000, 2500, 5000, 10_000, 20_000], []
    for count in counts:
        boxes = sprites(count, 0)
        began = time.perf_counter()
        arrange(boxes, Limits(SheetRules(Size(16_384, 16_384)), gap=GAP))
        seconds.append(time.perf_counter() - began)
    for count, goal in ((1000, 4), (5000, 3), (20_000, 3)):
        taken = seconds[counts.index(count)]
        print(
            f"time for {count:,} boxes ÷ decoding as many: {taken:.2f} s, {taken / (decode * count):.2f}, goal {goal}"
        )
    try:
        draw(counts, seconds, decode)
    except ImportError:
        print("no plot: Matplotlib is not installed")


def seconds_to_decode() -> float:
    paths = sorted(folder_of("pixel_art", 2000, WORK).glob("*.png"))
    began = time.perf_counter()
    for path in paths:
        with Image.open(path) as image:
            np.asarray(image.convert("RGBA"))
    return (time.perf_counter() - began) / len(paths)


def draw(counts: list[int], seconds: list[float], decode: float) -> None:
    import matplotlib

    matplotlib.use("Agg")
    from matplotlib import pyplot

    figure, axes = pyplot.subplots(figsize=(8, 5), dpi=100)
    axes.loglog(counts, seconds, "o-", color="#2a6f97", label="steady effort")
    axes.loglog(
        counts, [decode * count for count in counts], "--", color="#b08060", label="decoding as many 64×64 PNGs"
    )
    axes.set_xlabel("boxes")
    axes.set_ylabel("seconds")
    axes.grid(which="both", alpha=0.25)
    axes.legend()
    figure.tight_layout()
    PLOT.parent.mkdir(parents=True, exist_ok=True)
    figure.savefig(PLOT, metadata={"Software": None})


if __name__ == "__main__":
    main(sys.argv[1:] or ["steady", "deep"])
