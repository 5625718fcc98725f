"""A project built again: nothing to do, on the same machine and on a fresh clone, and one frame changed. ``make bench``
runs it. Told beside a full build of the same frames without a crate file."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

from PIL import Image

from frames import folder_of

WORK = Path(__file__).parent.parent / "build" / "bench"
PROGRAM = Path(sys.executable).with_name("agile-crate")
TEXT = '[crate.post]\nfrom = "frames"\nout = "build/post"\n'


def main() -> None:
    project, clone = WORK / "project", WORK / "clone"
    for folder in (project, clone, WORK / "cache"):
        shutil.rmtree(folder, ignore_errors=True)
    shutil.copytree(folder_of("painted", 1000, WORK), project / "frames")
    (project / "post.crate.toml").write_text(TEXT, "utf-8")
    os.environ["AGILE_CRATE_CACHE"] = str(WORK / "cache")
    time.sleep(3)  # what has just changed is not known by its times
    full = taken(project, "pack", "frames", "--out", "plain/post", "--quiet")
    first = taken(project, "pack", "post.crate.toml", "--quiet")
    print(f"1,000 painted frames: {full:.1f} s without a crate file, {first:.1f} s with one for the first time")
    time.sleep(3)
    taken(project, "pack", "post.crate.toml", "--quiet")
    idle = min(taken(project, "pack", "post.crate.toml", "--quiet") for _ in range(3))
    help_ = min(taken(project, "pack", "--help") for _ in range(3))
    print(f"nothing to do: {idle:.2f} s, {idle - help_:.2f} s beyond --help, goal 0.3 s")
    check = min(taken(project, "pack", "post.crate.toml", "--check") for _ in range(3))
    print(f"--check, with nothing to do: {check:.2f} s, {check - help_:.2f} s beyond --help, goal 0.3 s")
    shutil.copytree(project, clone)
    os.environ["AGILE_CRATE_CACHE"] = str(WORK / "cache" / "of the clone")
    cold = taken(clone, "pack", "post.crate.toml", "--quiet")
    print(f"nothing to do on a fresh clone: {cold:.2f} s, {cold / full:.2f} of a full build, goal 0.25")
    os.environ["AGILE_CRATE_CACHE"] = str(WORK / "cache")
    changed = min(one_changed(project, number) for number in range(3))
    print(f"one frame changed: {changed:.2f} s, {changed / full:.2f} of a full build, goal 0.35")


def one_changed(project: Path, number: int) -> float:
    path = sorted((project / "frames").glob("*.png"))[500]
    with Image.open(path) as image:
        picture = image.convert("RGBA")
    picture.putpixel((250, 250), (1, 2, number, 255))
    picture.save(path)
    return taken(project, "pack", "post.crate.toml", "--quiet")


def taken(folder: Path, *arguments: str) -> float:
    """Seconds."""
    began = time.perf_counter()
    subprocess.run([PROGRAM, *arguments], cwd=folder, check=True, stdout=subprocess.DEVNULL)
    return time.perf_counter() - began


if __name__ == "__main__":
    main()
