"""Tables on the terminal, readable at 80 columns.

On a terminal rich draws them. In a pipe the columns are plain text: importing rich takes longer than packing a hundred
small frames, and programs that read a pipe need no folding or color.
"""

from __future__ import annotations

import sys
from collections.abc import Iterable, Sequence
from typing import NamedTuple, TextIO

from ..core.text import quoted, shown
from .streams import print_json
from .wording import as_text


class Column(NamedTuple):
    """A column's heading, and a flag for numbers, which are set to the right."""

    heading: str
    is_number: bool = False


def print_table(columns: Sequence[Column], rows: Sequence[Sequence[str]]) -> None:
    """Print a table on stdout, indented by two, followed by a blank line."""
    if sys.stdout.isatty():
        _print_rich(columns, rows)
    else:
        _print_plain(columns, rows)
    print()


def print_heading(word: str, style: str, rest: str) -> None:
    """Print a line whose first word has a rich style, where color is wanted."""
    if not sys.stdout.isatty():
        print(word, rest)
        return
    from rich.console import Console
    from rich.text import Text

    Console(highlight=False).print(Text.assemble((word, style), " ", rest))


def print_note(text: str) -> None:
    """Print a sentence indented by two; fold it between words on a terminal, and keep it on one line in a pipe."""
    print("  " + folded(text, sys.stdout, margin=2).replace("\n", "\n  "))


def print_warnings(warnings: Iterable[str]) -> None:
    """Print warnings on stderr, each on a line of its own."""
    for warning in warnings:
        print(f"agile-crate: warning: {as_text(warning)}", file=sys.stderr)


def print_error(
    sentence: str, status: int, files: Sequence[str] = (), as_json: bool = False, file: str = "", crate: str = ""
) -> None:
    """Print an error on stderr, folded to its width, after the crate's name if given. As JSON it is one line."""
    if as_json:
        of_crate = {"crate_file": file, "crate": crate} if crate else {}
        document = {"error": sentence, "exit": int(status), "files": list(files), **of_crate}
        print_json(document, sys.stderr, indent=None)
        return
    where = f"{shown(file)}, crate {quoted(crate)}: " if crate else ""
    print(folded(f"agile-crate: error: {where}{sentence}", sys.stderr), file=sys.stderr, flush=True)


def folded(text: str, stream: TextIO, margin: int = 0) -> str:
    """Fold text between words to a terminal's width, if the stream is a terminal; indent lines after the first."""
    if not stream.isatty():
        return text
    import shutil
    import textwrap

    width = max(20, min(100, shutil.get_terminal_size().columns) - 1 - margin)
    return "\n".join(
        textwrap.fill(line, width, subsequent_indent="  ", break_on_hyphens=False, drop_whitespace=True)
        for line in text.split("\n")
    )


def _print_plain(columns: Sequence[Column], rows: Sequence[Sequence[str]]) -> None:
    lines = [[column.heading for column in columns], *rows]
    widths = [max(len(line[index]) for line in lines) for index in range(len(columns))]
    for line in lines:
        cells = (
            text.rjust(width) if column.is_number else text.ljust(width)
            for column, text, width in zip(columns, line, widths, strict=True)
        )
        print("  " + "  ".join(cells).rstrip())


def _print_rich(columns: Sequence[Column], rows: Sequence[Sequence[str]]) -> None:
    from rich.console import Console
    from rich.padding import Padding
    from rich.table import Table
    from rich.text import Text

    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="bold cyan")
    for column in columns:
        table.add_column(column.heading, justify="right" if column.is_number else "left", overflow="fold")
    for row in rows:
        table.add_row(*map(Text, row))
    Console(highlight=False).print(Padding(table, (0, 0, 0, 2)))
