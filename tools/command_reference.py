"""Print docs/programmers/commands.md, made from the parser. `make docs` runs it, and a test compares the file."""

from __future__ import annotations

import argparse
from importlib import import_module

from agile_crate.cli.main import COMMANDS, help_of
from agile_crate.cli.parser import Parser
from agile_crate.cli.unpack import CUTTING
from agile_crate.cli.wording import option_name
from agile_crate.settings.table import options

HEAD = """\
# Command reference

Made from the parser by `make docs`; do not edit by hand. [The command line](command-line.md) covers options of all
commands, exit codes and JSON.
"""

SETTINGS = {
    "pack": "All [settings](../settings.md) are options, too.\n\n",
    "watch": "With folders, all [settings](../settings.md) are options, too.\n\n",
    "adopt": "The options of `unpack` for cutting, and [settings](../settings.md) of names, times and pivots.\n\n",
}

COMMON = {"-h", "--help", "--json", "-q", "--quiet", "-v", "--verbose", "--debug", "--limit"}


def reference() -> str:
    return HEAD + "".join(section(name) for name in COMMANDS)


def section(name: str) -> str:
    """A command's part of the page."""
    parser = Parser(prog=f"agile-crate {name}")
    import_module(f"agile_crate.cli.{name}").declare(parser)
    usage = f"agile-crate {name} {help_of(name)[0]}".strip()
    rows = "".join(map(row, own_actions(parser)))
    settings = SETTINGS.get(name, "")
    return f"\n## {name}\n\n`{usage}`: {COMMANDS[name]}.\n\n{settings}| argument | effect |\n|---|---|\n{rows}"


def own_actions(parser: Parser) -> list[argparse.Action]:
    """The arguments of a command that are neither settings nor in every command."""
    has_settings = {"--fps", "--pivot"} <= parser.options
    settings = {option_name(name) for name in (*options(), *CUTTING)} if has_settings else set()
    return [one for one in parser.actions if not set(one.option_strings) & (COMMON | settings)]


def row(action: argparse.Action) -> str:
    value = action.metavar or ("|".join(action.choices) if action.choices else "")
    spelled = " ".join([*action.option_strings, str(value)] if action.option_strings else [str(value)]).strip()
    meaning = str(action.help).replace("%%", "%").replace("|", "\\|")
    return f"| `{spelled}` | {meaning} |\n".replace("DATA|", "DATA\\|")


if __name__ == "__main__":
    print(reference(), end="")
