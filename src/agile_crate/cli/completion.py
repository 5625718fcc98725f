"""Shell completion with argcomplete: options, files with suitable endings, and the animations of a crate."""

from __future__ import annotations

import argparse
from collections.abc import Iterable
from importlib import import_module
from typing import Any

from .parser import Parser

ENDINGS = {
    ("show", "data"): ("json", "xml"),
    ("show", "against"): ("json", "xml"),
    ("verify", "data"): ("json", "xml"),
    ("unpack", "source"): ("json", "xml", "png"),
    ("pack", "template"): ("j2",),
    ("pack", "palette"): ("hex", "txt", "png"),
}
"""Endings of the files that a command's words usually name; other words complete to any file."""


def complete(commands: Iterable[str]) -> None:
    """Answer the shell's completion request from the environment, and leave the program."""
    import argcomplete
    from argcomplete.completers import FilesCompleter

    parser = Parser(prog="agile-crate")
    parser.add_argument("--help", action="store_true")
    parser.add_argument("--version", action="store_true")
    under = parser.add_subparsers(parser_class=Parser)
    for name in commands:
        command = under.add_parser(name)
        import_module(f"{__package__}.{name}").declare(command)
        for action in command.actions:
            if endings := ENDINGS.get((name, action.dest)):
                action.completer = FilesCompleter(endings)  # type: ignore[attr-defined]
            elif (name, action.dest) == ("show", "animation"):
                action.completer = animations  # type: ignore[attr-defined]
    argcomplete.autocomplete(parser, always_complete_options="long")


def animations(parsed_args: argparse.Namespace, **_: Any) -> list[str]:
    """The names of the animations of the crate that the line names so far; none if it cannot be read."""
    from ..core.errors import CrateError
    from ..core.limits import Limits
    from ..format.files import read_metadata

    try:
        return [animation.name for animation in read_metadata(parsed_args.data[0], Limits()).animations]
    except (CrateError, TypeError, IndexError):
        return []
