"""``agile-crate cache``: show or clear the build cache."""

from __future__ import annotations

import argparse

from .parser import Parser, add_common
from .status import Status
from .streams import print_json


def declare(parser: Parser) -> None:
    parser.section("action").add("--clear", action="store_true", help="delete the build cache")
    add_common(parser)


def run(arguments: argparse.Namespace) -> int:
    from ..core.text import bytes_shown, counted, shown
    from ..storage.cache import LARGEST_BYTES, clear, held, place

    folder = place()
    contents = held(folder) if folder else None
    if folder and arguments.clear:
        clear(folder)
    if arguments.json:
        document = {
            "command": "cache",
            "folder": str(folder) if folder else None,
            "entries": contents.entries if contents else 0,
            "bytes": contents.bytes if contents else 0,
            "limit": LARGEST_BYTES,
            "cleared": arguments.clear,
        }
        print_json(document)
    elif not arguments.quiet:
        if contents is None:
            print("the build cache is off (AGILE_CRATE_CACHE)")
        else:
            size = f"{counted(contents.entries, 'entry', 'entries')}, {bytes_shown(contents.bytes)}"
            outcome = "deleted" if arguments.clear else f"limit {bytes_shown(LARGEST_BYTES)}"
            print(f"{shown(str(folder))}: {size}; {outcome}")
    return Status.DONE
