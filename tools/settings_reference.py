"""Prints docs/settings.md, made from the settings table. Run by ``make docs``; a test holds the file to it."""

from __future__ import annotations

from itertools import groupby

from agile_crate.cli.parser import SECTIONS
from agile_crate.cli.wording import option_name
from agile_crate.settings.table import options

HEAD = """\
# Settings

Made from the settings table in `src/agile_crate/settings/table.py` by `make docs`; do not edit by hand.

Every setting is an option of `agile-crate pack`, a key of [crate files](crate-file.md), and a keyword of
`agile_crate.pack` with underscores
(`--max-size 2048x2048`, `max_size="2048x2048"`). Where *NAME=* stands, the setting may be given several times:
`--fps swim=24 --fps 12` sets 24 for the animation `swim` and 12 for all others.
"""

COLUMNS = "| option | value | default | meaning |\n|---|---|---|---|\n"


def reference() -> str:
    parts = [HEAD]
    for section, entries in groupby(options().items(), key=lambda entry: entry[1][0].section):
        parts.append(
            f"\n## {SECTIONS[section].split(' (')[0]}\n\n| option | value | default | meaning |\n|---|---|---|---|\n"
        )
        for name, (option, default) in entries:
            value = ("*NAME=* " if option.per_animation else "") + (
                option.metavar.replace("|", " \\| ") or "(a switch)"
            )
            choices = f" ({', '.join(option.choices)})" if option.metavar == "PLACE" else ""
            parts.append(f"| `{option_name(name)}` | {value} | {default_shown(default)} | {option.help}{choices} |\n")
    return "".join(parts)


def default_shown(default: object) -> str:
    default = getattr(default, "everyone", default)
    if default in (None, False, ""):
        return ""
    return "x".join(map(str, default)) if isinstance(default, tuple) else str(default)


if __name__ == "__main__":
    print(reference(), end="")
