"""Measure how time and memory grow with the number of frames, and draw docs/pictures/growth.png.

Frames are links to the few that `frames.py` draws: what is in them twice is read and packed twice.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path

import matplotlib

matplotlib.use("Agg")
from matplotlib import pyplot as plt

from frames import folder_of

HERE = Path(__file__).parent
WORK = HERE.parent / "build" / "bench"
PROGRAM = Path(sys.executable).with_name("agile-crate")
PICTURE = HERE.parent / "docs" / "pictures" / "growth.png"

LOADS = (
    ("pixel art, 64×64", "pixel_art", 2000, 64, (1_000, 3_000, 10_000, 30_000, 100_000)),
    ("painted, 512×512", "painted", 1000, 512, (100, 300, 1_000, 3_000)),
)


def main() -> None:
    figure, (times, memories) = plt.subplots(1, 2, figsize=(11, 4.4), layout="constrained")
    for (name, draw, there, side, counts), color in zip(LOADS, ("#2a6f97", "#c1592e"), strict=True):
        drawn = sorted(folder_of(draw, there, WORK).glob("*.png"))
        found = [(count, *measured(drawn, count)) for count in counts]
        for count, seconds, peak in found:
            raw = count * side * side * 4 / 2**20
            print(f"{name:20}{count:9,}{seconds:9.1f} s{peak:9.0f} MB, frames decoded {raw:9.0f} MB", flush=True)
        times.plot([f[0] for f in found], [f[1] for f in found], "o-", color=color, label=name)
        memories.plot([f[0] for f in found], [f[2] for f in found], "o-", color=color, label=name)
        raws = [count * side * side * 4 / 2**20 for count in counts]
        memories.plot(counts, raws, ":", color=color, label=f"{name}: all frames, decoded")
    for axes, what in ((times, "seconds"), (memories, "peak memory, MB")):
        axes.set(xscale="log", yscale="log", xlabel="frames", ylabel=what)
        axes.grid(alpha=0.3, which="both")
        axes.legend(fontsize=8)
    figure.savefig(PICTURE, dpi=110, metadata={"Software": None})


def measured(drawn: list[Path], count: int) -> tuple[float, float]:
    """Measure the seconds and megabytes of packing frames as a grid."""
    with tempfile.TemporaryDirectory(dir=WORK) as folder:
        frames = Path(folder, "swim")
        frames.mkdir()
        for number in range(count):
            os.link(drawn[number % len(drawn)], frames / f"{number:06}.png")
        command = [PROGRAM, "pack", frames, "--out", Path(folder, "out", "swim"), "-q"]
        said = subprocess.run([sys.executable, HERE / "timed.py", *command], capture_output=True, text=True, check=True)
        seconds, kilobytes = map(float, said.stdout.split())
        return seconds, kilobytes / 1024


if __name__ == "__main__":
    main()
