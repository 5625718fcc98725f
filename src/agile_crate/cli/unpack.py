"""``agile-crate unpack``: a bare sheet → frames."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path

from .parser import add_common, read_value
from .status import Status

USAGE = "SHEET --out DIR (--cell WxH | --columns N --rows N | --islands)"

DESCRIPTION = """\
Cuts a bare sheet that somebody else made into frames, written as DIR/SHEET_01.png and so on, in reading order.

The usual call:  agile-crate unpack harbour.png --cell 64x64 --out frames
"""

EXAMPLES = """\
examples (on what 'agile-crate demo' writes):
  agile-crate unpack otter-post/crate/otter.png --cell 96x96 --out cut/otter
  agile-crate unpack otter-post/crate/splash.png --columns 4 --rows 4 --out cut/splash
  agile-crate unpack otter-post/crate/harbour.png --islands --join 3 --out cut/harbour
"""


def declare(parser: argparse.ArgumentParser) -> None:
    group = parser.add_argument_group("what is cut, and where to")
    group.add_argument("sheet", metavar="SHEET", help="a picture of many frames")
    group.add_argument("--out", metavar="DIR", required=True, help="a folder, made if missing")
    group.add_argument("--force", action="store_true", help="overwrite files that are there")
    cells = parser.add_argument_group("how it is cut")
    cells.add_argument("--cell", metavar="WxH", help="by cells of this size")
    cells.add_argument("--columns", metavar="N", help="by so many columns and")
    cells.add_argument("--rows", metavar="N", help="so many rows")
    cells.add_argument("--margin", metavar="N", default="0", help="empty pixels along the sheet's edges")
    cells.add_argument("--gap", metavar="N", default="0", help="empty pixels between cells")
    cells.add_argument("--keep-empty", action="store_true", help="also write cells in which nothing is visible")
    cells.add_argument("--islands", action="store_true", help="by connected visible pixels")
    cells.add_argument("--join", metavar="N", default="1", help="islands less than N pixels apart are one (default 1)")
    add_common(parser)


def run(arguments: argparse.Namespace) -> int:
    from ..cutting import CutWish, cut_sheet
    from ..settings import read_setting
    from ..values import whole

    def number(name: str, least: int) -> int:
        given = getattr(arguments, name)
        return 0 if given is None else read_value(name, whole(least), given)

    wish = CutWish(
        cell=read_setting("cell", arguments.cell) if arguments.cell else None,
        columns=number("columns", 1),
        rows=number("rows", 1),
        margin=number("margin", 0),
        gap=number("gap", 0),
        keep_empty=arguments.keep_empty,
        islands=arguments.islands,
        join=number("join", 1),
    )
    from ..threads import workers

    with workers() as executor:
        cut = cut_sheet(arguments.sheet, Path(arguments.out), wish, executor, arguments.force)
    for doubt in cut.doubts:
        print(f"agile-crate: warning: {doubt}", file=sys.stderr)
    if arguments.json:
        files = [str(path) for path in cut.files]
        document = {"command": "unpack", "files": files, "rows": cut.rows, "warnings": cut.doubts}
        print(json.dumps(document, ensure_ascii=False, indent=2))
    elif not arguments.quiet:
        _print(arguments, cut.files, cut.rows)
    return Status.DONE


def _print(arguments: argparse.Namespace, files: tuple[Path, ...], rows: tuple[int, ...]) -> None:
    from ..core.text import counted, few, shown
    from .tables import print_note

    print(f"cut {counted(len(files), 'frame')} from {shown(arguments.sheet)}")
    print_note(f"{counted(len(rows), 'row')}: {few(map(str, rows), 12)}")
    if arguments.verbose:
        for path in files:
            print_note(f"wrote {shown(str(path))}")
    else:
        last = f" … {shown(files[-1].name)}" if len(files) > 1 else ""
        print_note(f"wrote {shown(str(files[0]))}{last}")
