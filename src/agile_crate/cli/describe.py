"""``agile-crate describe``: more text formats of an existing crate."""

from __future__ import annotations

import argparse

from .parser import Parser, add_common, chosen_limits
from .status import Status
from .streams import print_json
from .wording import from_here


def declare(parser: Parser) -> None:
    group = parser.section("input and output")
    group.add("data", metavar="DATA", help="a crate's metadata, JSON or XML")
    group.add(
        "--template",
        metavar="FILE",
        action="append",
        default=[],
        help="write a text from a template such as engine.lua.j2",
    )
    group.add("--metadata", metavar="FORMAT,…", help="formats to write: json, xml, css, csv")
    group.add("--set", metavar="NAME=VALUE", action="append", default=[], help="set a variable for templates")
    group.add("--compact", action="store_true", help="write JSON on one line")
    group.add("--out", metavar="PATH", default="", help="output path without an ending (default: next to DATA)")
    group.add("--force", action="store_true", help="overwrite files that differ")
    add_common(parser)


def run(arguments: argparse.Namespace) -> int:
    from ..commands.describe import describe
    from ..commands.options import read_value
    from ..core.text import counted, shown
    from ..settings.readers import formats, template, variable

    files = describe(
        arguments.data,
        [read_value("template", template, path) for path in arguments.template],
        read_value("metadata", formats, arguments.metadata) if arguments.metadata else (),
        tuple(read_value("set", variable, text) for text in arguments.set),
        arguments.out,
        arguments.compact,
        arguments.force,
        limits=chosen_limits(arguments),
    )
    if arguments.json:
        print_json({"command": "describe", "files": list(map(str, files))})
    elif not arguments.quiet:
        print(f"described {shown(arguments.data)} in {counted(len(files), 'file')}")
        for path in files:
            print(f"  wrote {shown(from_here(path))}")
    return Status.DONE
