"""``agile-crate demo``: write the demo frames and run the full example on them."""

from __future__ import annotations

import argparse
import contextlib
import io
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from ..core.text import counted, few
from ..demo import CRATE_FILE
from ..interrupts import has_arrived
from .parser import Parser, add_common
from .status import Status
from .streams import print_json


def declare(parser: Parser) -> None:
    parser.section("output").add(
        "folder",
        metavar="DIR",
        nargs="?",
        default="otter-post",
        help="output folder, created if missing (default otter-post)",
    )
    add_common(parser)


def run(arguments: argparse.Namespace) -> int:
    from ..commands.demo import frame_comes, frame_goes, write_frames

    folder = Path(arguments.folder)
    written = write_frames(folder)
    tour = _Tour(arguments)
    page = folder / "crate" / "otter.html"
    tour.say(
        f"The Otter Post: {written} frames in {folder / 'frames'}, others with planted errors in {folder / 'rough'}."
    )
    tour.say(f"At the end, open {page} in a browser to see the otter play.")
    crate_file = str(folder / CRATE_FILE)
    tour.run(["pack", crate_file])
    tour.run(["verify", crate_file])
    tour.run(["show", str(folder / "crate" / "otter.json"), "--out", str(page), "--force"])
    try:
        tour.say(f"\nAdded a frame: {frame_comes(folder)}")
        tour.run(["pack", crate_file])
    finally:
        frame_goes(folder)
    tour.say("\nRemoved it again:")
    tour.run(["pack", crate_file])
    if arguments.json and tour.status is Status.DONE:
        print_json({"command": "demo", "folder": str(folder), "commands": tour.commands})
    tour.say(f"\nNow open {page} in a browser.")
    return tour.status


class _Tour:
    """Command lines, run one after the other until one fails, with a line for each crate."""

    def __init__(self, arguments: argparse.Namespace) -> None:
        self.status = Status.DONE
        self.commands: list[list[str]] = []
        self._arguments = arguments

    def say(self, text: str) -> None:
        """Print a line, unless a command failed."""
        if self.status is Status.DONE and not (self._arguments.quiet or self._arguments.json):
            print(text)

    def run(self, line: list[str]) -> None:
        """Run a command, unless one before it failed. Raises KeyboardInterrupt if one came while files were moved."""
        from .main import main

        if self.status is not Status.DONE:
            return
        self.commands.append(["agile-crate", *line])
        self.say(f"\n$ agile-crate {' '.join(line)}")
        if self._arguments.verbose:
            self.status = Status(main([*line, "--verbose"]))
        else:
            with contextlib.redirect_stdout(io.TextIOWrapper(io.BytesIO(), "utf-8")) as printed:
                self.status = Status(main([*line, "--json", *["--debug"] * self._arguments.debug]))
                printed.seek(0)
                text = printed.read()
            for outcome in _lines(json.loads(text)) if self.status is Status.DONE else ():
                self.say(f"  {outcome}")
        if has_arrived():  # its files are in place, but more commands follow
            raise KeyboardInterrupt


def _lines(document: dict[str, Any]) -> Iterator[str]:
    """Yield a line for each crate, or file, in the JSON of a command."""
    from .verify import matching

    for crate in document.get("crates", ()):
        name = crate.get("crate") or Path(crate["data"]).stem
        if "ok" in crate:
            yield f"{name}: {matching(crate['same'], crate['frames'])}"
        elif crate["unchanged"]:
            yield f"{name}: up to date"
        else:
            sheets = counted(len(crate["sheets"]), "sheet")
            changes = [f"{change} {few(crate[change], 2)}" for change in ("added", "removed") if crate[change]]
            yield "; ".join([f"{name}: {counted(crate['frames'], 'frame')} on {sheets}", *changes])
    yield from (f"wrote {path}" for path in document.get("files", ()))
