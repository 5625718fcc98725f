"""Views beside plain Pillow: a sheet decoded and saved, a sheet read, films encoded. ``make bench`` runs it."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

from frames import folder_of
from run import HERE, PROGRAM, ROUNDS, WORK, report, timed


def main() -> None:
    large, small = folder_of("painted", 1000, WORK), folder_of("pixel_art", 2000, WORK)
    pack("large", large, "--frames", "1-64")
    pack("small", small, "--frames", "1-500")
    compare("annotated sheet, 4096×4096", "large", "look.png", "resave", 2.0)
    compare("light table of 500 frames", "small", "look.html", "read", 1.5)
    for ending in ("gif", "webp", "apng"):
        compare(f"film of 500 frames, {ending}", "small", f"look.{ending}", "film", 1.5)


def pack(name: str, folder: Path, *options: str) -> None:
    subprocess.run([PROGRAM, "pack", folder, "--out", WORK / name, "--quiet", "--force", *options], check=True)


def compare(title: str, crate: str, out: str, what: str, goal: float) -> None:
    """One view as a whole command, beside Pillow alone as a whole program."""
    ours = [PROGRAM, "show", WORK / f"{crate}.json", "--out", WORK / out, "--force", "--quiet"]
    subprocess.run(ours, check=True)  # the plain film program encodes what ours drew
    source = WORK / (out if what == "film" else f"{crate}.png")
    other = [sys.executable, HERE / "plain_view.py", what, source, WORK / f"plain-{out}"]
    pairs = [(timed(ours), timed(other)) for _ in range(ROUNDS)]
    report(title, [(a[0], b[0]) for a, b in pairs], "s", goal)


if __name__ == "__main__":
    main()
