"""``agile-crate unpack``: get the frames of a crate, or cut a sheet."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from .parser import Parser, add_common
from .status import Status
from .streams import print_json
from .tables import print_warnings
from .wording import as_text

if TYPE_CHECKING:
    from ..commands.cut import Cut


def declare(parser: Parser) -> None:
    group = parser.section("input and output")
    group.add("source", metavar="DATA|SHEET", help="a crate's metadata (JSON or XML), or a sheet image")
    group.add("--out", metavar="DIR", required=True, help="output folder, created if missing")
    group.add("--skin", metavar="NAME", default="", help="unpack the frames of this skin of a crate")
    group.add("--film", action="store_true", help="also write each animation of a crate as an animated PNG")
    group.add("--dry-run", action="store_true", help="print what would be written, and write no frame")
    group.add("--force", action="store_true", help="overwrite existing files")
    declare_cutting(parser)
    add_common(parser)


def declare_cutting(parser: Parser) -> None:
    """Add the options that cut a sheet without metadata."""
    cells = parser.section("cutting a sheet without metadata")
    cells.add("--cell", metavar="WxH", help="cut cells of this size")
    cells.add("--columns", metavar="N", help="cut N columns (with --rows)")
    cells.add("--rows", metavar="N", help="cut N rows (with --columns)")
    cells.add("--margin", metavar="N", help="empty pixels along the sheet's edges (default 0)")
    cells.add("--gap", metavar="N", help="empty pixels between cells (default 0)")
    cells.add("--keep-empty", action="store_true", help="also write empty cells")
    cells.add("--islands", action="store_true", help="cut islands: connected visible pixels")
    cells.add("--join", metavar="N", help="join islands less than N pixels apart (default 1)")
    cells.add("--split-touching", action="store_true", help="split figures that touch where they are thinnest")
    cells.add("--boxes", metavar="FILE", help="cut the boxes of a CSV table: name,x,y,w,h")
    cells.add("--boxes-out", metavar="FILE", help="also write the boxes that were cut as such a table")
    cells.add("--name-rows", metavar="NAME,…", help="name the rows: DIR/NAME/NAME_01.png")
    cells.add("--color-key", metavar="COLOR", help="make a color transparent: #ff00ff, corner, corner:12")


CUTTING = (
    "cell", "columns", "rows", "margin", "gap", "keep_empty", "islands", "join", "split_touching", "boxes", "boxes_out",
    "name_rows", "color_key",
)  # fmt: skip
"""Options for sheets without metadata."""


def run(arguments: argparse.Namespace) -> int:
    from ..core.errors import UsageError
    from ..format.files import looks_like_metadata

    given = [name for name in CUTTING if getattr(arguments, name)]
    if looks_like_metadata(arguments.source):
        if given:
            raise UsageError(
                f"--{given[0].replace('_', '-')} cuts bare sheets, and {arguments.source} is a crate's metadata, "
                "which knows its frames; leave it out"
            )
        return _unpack(arguments)
    if arguments.skin:
        raise UsageError("--skin is for a crate, whose metadata knows its skins; name the metadata")
    if arguments.film:
        raise UsageError("--film is for a crate, whose metadata holds the timing; name the metadata, or pack first")
    return _cut(arguments)


def _unpack(arguments: argparse.Namespace) -> int:
    from ..commands.unpack import unpack
    from ..core.text import counted, shown
    from .command_context import context_for
    from .tables import print_note

    with context_for(arguments) as context:
        done = unpack(
            arguments.source,
            Path(arguments.out),
            context,
            film=arguments.film,
            force=arguments.force,
            dry_run=arguments.dry_run,
            skin=arguments.skin,
        )
    files = (*done.frames, *done.films)
    print_warnings(done.warnings)
    if arguments.json:
        document = {
            "command": "unpack",
            "dry_run": arguments.dry_run,
            "files": [str(path) for path in done.frames],
            "films": [str(path) for path in done.films],
            "warnings": list(map(as_text, done.warnings)),
        }
        print_json(document)
    elif not arguments.quiet:
        films = f" and {counted(len(done.films), 'film')}" if arguments.film else ""
        verb = "would unpack" if arguments.dry_run else "unpacked"
        print(f"{verb} {counted(len(done.frames), 'frame')}{films} from {shown(arguments.source)}")
        if done.crate.alpha == "premultiplied":
            print_note("divided colors by their alpha; premultiplying had rounded them")
        if done.crate.background:
            print_note(f"the sheets were flattened on {done.crate.background}, and so are the frames")
        _print_files(files, arguments.verbose, arguments.dry_run)
    return Status.DONE


def _cut(arguments: argparse.Namespace) -> int:
    from ..commands.cut import READERS, cut_options, cut_sheet
    from .command_context import context_for

    options = cut_options({name: getattr(arguments, name) for name in READERS})
    with context_for(arguments) as context:
        cut = cut_sheet(arguments.source, Path(arguments.out), options, context, arguments.force, arguments.dry_run)
    print_warnings(cut.warnings)
    if arguments.json:
        files = [str(path) for path in cut.files]
        document = {
            "command": "unpack",
            "dry_run": arguments.dry_run,
            "files": files,
            "rows": cut.rows,
            "parted": [pair._asdict() for pair in cut.parted],
            "warnings": list(map(as_text, cut.warnings)),
        }
        print_json(document)
    elif not arguments.quiet:
        _print_cut(arguments, cut)
    return Status.DONE


def _print_cut(arguments: argparse.Namespace, cut: Cut) -> None:
    from ..core.text import counted, few, shown
    from .tables import print_note

    verb = "would cut" if arguments.dry_run else "cut"
    print(f"{verb} {counted(len(cut.files), 'frame')} from {shown(arguments.source)}")
    print_note(f"{counted(len(cut.rows), 'row')}: {few(map(str, cut.rows), 12)}")
    for pair in cut.parted:
        where = f"from {pair.begin.x},{pair.begin.y} to {pair.end.x},{pair.end.y}"
        box = f"{pair.box.x},{pair.box.y}, {pair.box.w}×{pair.box.h}"
        print_note(f"split {where}, where {counted(pair.crossed, 'pixel')} touched, in the box {box}: please check")
    _print_files(cut.files, arguments.verbose, arguments.dry_run)
    if arguments.boxes_out:
        print_note(f"wrote {shown(arguments.boxes_out)}")


def _print_files(files: tuple[Path, ...], every: bool, dry_run: bool) -> None:
    from ..core.text import shown
    from .tables import print_note

    wrote = "would write" if dry_run else "wrote"
    if every:
        for path in files:
            print_note(f"{wrote} {shown(str(path))}")
    elif files:
        last = f" … {shown(files[-1].name)}" if len(files) > 1 else ""
        print_note(f"{wrote} {shown(str(files[0]))}{last}")
