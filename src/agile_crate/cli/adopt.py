"""``agile-crate adopt``: metadata for a sheet that was made elsewhere."""

from __future__ import annotations

import argparse

from .parser import Parser, add_common, add_settings
from .status import Status
from .streams import print_json
from .tables import print_warnings
from .unpack import declare_cutting


def declare(parser: Parser) -> None:
    from ..settings.adopted import ADOPTED

    group = parser.section("input and output")
    group.add("sheet", metavar="SHEET", help="a sheet image; its metadata is written next to it")
    group.add("--force", action="store_true", help="overwrite existing metadata of another origin")
    declare_cutting(parser)
    add_settings(parser, names=ADOPTED)
    add_common(parser)
    parser.set_defaults(dry_run=False, explain=False)  # what `packing` asks of a build


def run(arguments: argparse.Namespace) -> int:
    from ..commands.adopt import adopt, adopt_options
    from ..commands.cut import READERS
    from ..settings.adopted import ADOPTED
    from .command_context import context_for
    from .packing import document_of, print_next_step, print_summary

    given = {name: getattr(arguments, name) for name in (*READERS, *ADOPTED)}
    options, settings = adopt_options({name: value for name, value in given.items() if value})
    with context_for(arguments) as context:
        adopted = adopt(arguments.sheet, options, settings, context, arguments.force)
    print_warnings(adopted.warnings)
    if arguments.json:
        print_json(document_of(adopted, arguments) | {"command": "adopt"})
    elif not arguments.quiet:
        print_summary(adopted, arguments)
        print_next_step(adopted)
    return Status.DONE
