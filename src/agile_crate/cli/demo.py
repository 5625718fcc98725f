"""``agile-crate demo``: write the demo frames and run the full example on them."""

from __future__ import annotations

import argparse
from collections.abc import Iterable, Iterator
from pathlib import Path

from ..demo import CRATE_FILE, CRATES
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
    from .main import main

    folder = Path(arguments.folder)
    written = write_frames(folder)
    prints = not (arguments.quiet or arguments.json)
    lines: list[list[str]] = []

    def say(text: str) -> None:
        if prints:
            print(text)

    def run_all(some: Iterable[list[str]]) -> Status:
        for line in some:
            lines.append(line)
            say(f"$ agile-crate {' '.join(line)}\n")
            status = Status(main([*line, *_passed_on(arguments)]))
            if has_arrived():  # its files were in place, but there is more to come
                raise KeyboardInterrupt
            if status is not Status.DONE:
                return status
            say("")
        return Status.DONE

    say(f"the demo frames are in {folder / 'frames'}: {written} pictures\n")
    build = ["pack", str(folder / CRATE_FILE)]
    if (status := run_all([build, *_looks(folder)])) is not Status.DONE:
        return status
    say(f"A frame comes, {frame_comes(folder)}; what it changes is built again:\n")
    try:
        status = run_all([build])
    finally:
        frame_goes(folder)
    say("And it goes:\n")
    if status is not Status.DONE or (status := run_all([build])) is not Status.DONE:
        return status
    if arguments.json:
        commands = [["agile-crate", *line] for line in lines]
        print_json({"command": "demo", "folder": str(folder), "commands": commands})
    say(f"The results are in {folder / 'crate'}. The same frames with faults planted are in {folder / 'rough'}.")
    say(f"Open {folder / 'crate' / 'otter.html'} in a browser to see the otter play.")
    return status


def _looks(folder: Path) -> Iterator[list[str]]:
    for name in CRATES:
        yield ["verify", str(folder / "crate" / f"{name}.json"), "--against", str(folder / CRATE_FILE)]
    yield ["show", str(folder / "crate" / "otter.json"), "--out", str(folder / "crate" / "otter.html"), "--force"]


def _passed_on(arguments: argparse.Namespace) -> list[str]:
    given = {"--quiet": arguments.quiet or arguments.json, "--verbose": arguments.verbose, "--debug": arguments.debug}
    return [option for option, is_given in given.items() if is_given]
