"""``agile-crate schema``: print the JSON Schema or the XSD of the metadata, or the JSON Schema of crate files."""

from __future__ import annotations

import argparse
import sys

from .parser import Parser, add_common
from .status import Status
from .streams import print_json


def declare(parser: Parser) -> None:
    group = parser.section("schema")
    group.add("form", metavar="FORM", choices=("json", "xml", "crate"), help="json, xml or crate")
    add_common(parser)


def run(arguments: argparse.Namespace) -> int:
    from ..commands.schema import schema

    text = schema(arguments.form)
    if arguments.json:
        print_json({"command": "schema", "form": arguments.form, "schema": text})
    elif not arguments.quiet:
        sys.stdout.write(text)
    return Status.DONE
