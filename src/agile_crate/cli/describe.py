"""``agile-crate describe``: more text formats of an existing crate."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from ..core.crate.file_names import is_crate_file
from ..core.errors import CrateError, UsageError
from ..core.limits import Limits
from .parser import Parser, add_common, add_only, chosen_limits
from .streams import print_json
from .wording import from_here

if TYPE_CHECKING:
    from .crate_choice import CrateErrors


def declare(parser: Parser) -> None:
    group = parser.section("input and output")
    group.add("data", metavar="DATA", help="a crate's metadata, JSON or XML; or a crate file for all of its crates")
    add_only(group, "describe")
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
    from ..commands.describe import TextOptions, describe
    from ..commands.options import read_value
    from ..core.text import counted, shown
    from ..settings.readers import formats, template, variable
    from .crate_choice import CrateErrors

    limits, errors = chosen_limits(arguments), CrateErrors(arguments.json)
    given = TextOptions(
        [read_value("template", template, path) for path in arguments.template],
        read_value("metadata", formats, arguments.metadata) if arguments.metadata else (),
        tuple(read_value("set", variable, text) for text in arguments.set),
        arguments.compact,
        arguments.force,
    )
    paths = list(_data(arguments, limits, errors))
    described: list[dict[str, Any]] = []
    for file, crate, data in paths:
        try:
            files = describe(data, given, arguments.out, limits)
        except CrateError as error:
            if not file:
                raise
            errors.failed(file, crate, error)
            continue
        described.append({"file": file, "crate": crate, "data": data, "files": list(map(str, files))})
        if not (arguments.json or arguments.quiet):
            print(f"described {shown(data)} in {counted(len(files), 'file')}")
            for path in files:
                print(f"  wrote {shown(from_here(path))}")
    if arguments.json:
        is_crate = is_crate_file(arguments.data)
        document = {"crates": described, "errors": errors.found} if is_crate else {"files": described[0]["files"]}
        print_json({"command": "describe", **document})
    return errors.status


def _data(arguments: argparse.Namespace, limits: Limits, errors: CrateErrors) -> Iterator[tuple[str, str, str]]:
    """Yield metadata files, each with its crate file and its crate's name; both are empty without a crate file."""
    from ..crate_files.read import are_crate_files, metadata_paths
    from .crate_choice import crates_of

    if not are_crate_files([arguments.data], arguments.only):
        yield "", "", arguments.data
        return
    if arguments.out:
        raise UsageError("a crate file has its own outputs; omit --out")
    for file, specs in crates_of([arguments.data], arguments.only, limits, errors):
        for spec in specs:
            yield from ((file.path, spec.name, data) for data in metadata_paths(spec))
