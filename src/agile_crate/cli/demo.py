"""``agile-crate demo``: write the demo frames and run the full example on them."""

from __future__ import annotations

import argparse
import json
from collections.abc import Iterator
from pathlib import Path

from ..interrupts import has_arrived
from .parser import Parser, add_common
from .status import Status

USAGE = "[DIR]"

DESCRIPTION = """\
Writes the frames of the Otter Post to DIR/frames (a second set with planted faults to DIR/rough, templates to
DIR/templates), then packs them to DIR/crate, proves each crate and makes a page that plays one, showing every command
line that it runs.

The usual call:  agile-crate demo
"""

EXAMPLES = """\
examples:
  agile-crate demo
  agile-crate demo /tmp/otter-post
  agile-crate demo --quiet && agile-crate verify otter-post/crate/otter.json
"""


def declare(parser: Parser) -> None:
    parser.section("where to").add(
        "folder", metavar="DIR", nargs="?", default="otter-post", help="a folder, made if missing (default otter-post)"
    )
    add_common(parser)


def run(arguments: argparse.Namespace) -> int:
    from ..jobs.demo import write_frames
    from .main import main

    folder = Path(arguments.folder)
    written = write_frames(folder)
    told = not (arguments.quiet or arguments.json)
    if told:
        print(f"the demo frames are in {folder / 'frames'}: {written} pictures\n")
    status = Status.DONE
    lines = list(_command_lines(folder))
    for line in lines:
        if told:
            print(f"$ agile-crate {' '.join(line)}\n")
        status = Status(main([*line, *_passed_on(arguments)]))
        if has_arrived():  # its files were in place, but there is more to come
            raise KeyboardInterrupt
        if status is not Status.DONE:
            return status
        if told:
            print()
    if arguments.json:
        commands = [["agile-crate", *line] for line in lines]
        print(
            json.dumps({"command": "demo", "folder": str(folder), "commands": commands}, ensure_ascii=False, indent=2)
        )
    elif told:
        print(f"The results are in {folder / 'crate'}. The same frames with faults planted are in {folder / 'rough'}.")
        print(f"Open {folder / 'crate' / 'otter.html'} in a browser to see the otter play.")
    return status


def _command_lines(folder: Path) -> Iterator[list[str]]:
    from ..demo import EXAMPLE

    for name, options in EXAMPLE:
        frames, crate = str(folder / "frames" / name), str(folder / "crate" / name)
        yield ["pack", frames, "--out", crate, *(word.replace("{folder}", str(folder)) for word in options.split())]
        yield ["verify", f"{crate}.json", "--against", frames]
    yield ["show", str(folder / "crate" / "otter.json"), "--out", str(folder / "crate" / "otter.html"), "--force"]


def _passed_on(arguments: argparse.Namespace) -> list[str]:
    given = {"--quiet": arguments.quiet or arguments.json, "--verbose": arguments.verbose, "--debug": arguments.debug}
    return [option for option, is_given in given.items() if is_given]
