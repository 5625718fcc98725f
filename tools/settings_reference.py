"""Prints docs/settings.md, made from the settings table. Run by ``make docs``; a test holds the file to it."""

from __future__ import annotations

from itertools import groupby

from agile_crate.cli.parser import SECTIONS
from agile_crate.cli.wording import option_name
from agile_crate.core.limits import ABOUT, Limits
from agile_crate.core.message import key_of
from agile_crate.core.text import bytes_shown
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
    return "".join(parts) + limits()


LIMITS = """
## limits

What is read of strangers' files is bounded. `--limit NAME=N`, of every command, is another bound; bytes may be written
as `2GB`, pixels as `9000x9000`. In a crate file: `limit = { frames = 2000000, file-bytes = "2GB" }`.

| limit | default | what it bounds |
|---|---|---|
"""


def limits() -> str:
    """The table of limits."""
    return LIMITS + "".join(
        f"| `{key_of(name)}` | {limit_shown(name, value)} | {ABOUT[name]} |\n"
        for name, value in Limits()._asdict().items()
    )


def limit_shown(name: str, value: int) -> str:
    """A limit's default with its unit, as one says it."""
    unit = name.rpartition("_")[2]
    return bytes_shown(value) if unit == "bytes" else f"{value:,}" + (f" {unit}" if "_" in name else "")


def default_shown(default: object) -> str:
    default = getattr(default, "everyone", default)
    if default in (None, False, ""):
        return ""
    return "x".join(map(str, default)) if isinstance(default, tuple) else str(default)


if __name__ == "__main__":
    print(reference(), end="")
