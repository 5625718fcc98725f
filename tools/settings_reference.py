"""Print docs/settings.md, made from the settings table. `make docs` runs it, and a test compares the file."""

from __future__ import annotations

from agile_crate.cli.wording import option_name
from agile_crate.core.limits import ABOUT, Limits
from agile_crate.core.message import key_of
from agile_crate.core.text import bytes_shown
from agile_crate.settings.groups import GROUPS
from agile_crate.settings.table import Option, options

HEAD = """\
# Settings

Made from the settings table in `src/agile_crate/settings/table.py` by `make docs`; do not edit by hand.

Every setting is an option of `agile-crate pack`, a key of [crate files](crate-file.md), and, with underscores, a
keyword of `agile_crate.pack` (`--max-size 2048x2048`, `max_size="2048x2048"`). Settings with *NAME=* can be repeated:
`--fps swim=24 --fps 12` sets 24 for the animation `swim` and 12 for all others.
"""

COLUMNS = "| option | value | default | meaning |\n|---|---|---|---|\n"


def reference() -> str:
    table = options()
    parts = [HEAD]
    for title, names in GROUPS.items():
        parts.append(f"\n## {title}\n\n{COLUMNS}")
        parts += [row(name, *table[name]) for name in names]
    return "".join(parts) + limits()


def row(name: str, option: Option, default: object) -> str:
    """A setting's line of the table."""
    value = ("*NAME=* " if option.per_animation else "") + (option.metavar.replace("|", " \\| ") or "(a switch)")
    choices = f" ({', '.join(option.choices)})" if option.metavar == "PLACE" else ""
    return f"| `{option_name(name)}` | {value} | {default_shown(default)} | {option.help}{choices} |\n"


LIMITS = """
## limits

Untrusted files are read within limits. Every command has `--limit NAME=N` to change one; write bytes as `2GB`, pixels
as `9000x9000`. In a crate file: `limit = { frames = 2000000, file-bytes = "2GB" }`.

| limit | default | meaning |
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
