"""``agile-crate pack``: frames → sheets and metadata."""

from __future__ import annotations

import argparse
import json
import sys
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, Any

from .parser import add_common, add_settings, chosen_settings
from .status import Status

if TYPE_CHECKING:
    from ..core.summary import AnimationSummary, SheetSummary
    from ..road import Packed

USAGE = "INPUT… --out PATH"

DESCRIPTION = """\
Packs animation frames into sprite sheets, with metadata that is right to the pixel.

The usual call:  agile-crate pack frames/otter --out build/otter
"""

EXAMPLES = """\
examples (on the frames that 'agile-crate demo' writes):
  agile-crate pack otter-post/frames/otter --out build/otter --columns 8
  agile-crate pack otter-post/frames/splash --out build/splash --layout strip --loop once
  agile-crate pack "otter-post/frames/otter/walk_*" --out build/walk --columns 3 --fps 8 --fps walk_up=6
  agile-crate pack otter-post/frames/otter --out build/otter --reversed surface=dive --mirrored swim_left=swim
"""


def declare(parser: argparse.ArgumentParser) -> None:
    group = parser.add_argument_group("what is packed, and where to")
    group.add_argument("inputs", metavar="INPUT", nargs="+", help="a folder, a file or a quoted pattern of frames")
    group.add_argument("--out", metavar="PATH", required=True, help="where to, without ending: build/otter")
    group.add_argument("--dry-run", action="store_true", help="say what would be written, and write nothing")
    group.add_argument("--force", action="store_true", help="overwrite files that are not from an earlier build")
    add_settings(parser)
    add_common(parser)


def run(arguments: argparse.Namespace) -> int:
    settings = chosen_settings(arguments)
    from .. import GENERATOR
    from ..core.summary import animation_summaries, sheet_summaries
    from ..road import pack
    from ..threads import workers
    from .progress import progress_bars

    with workers() as executor, progress_bars(arguments.quiet) as progress:
        packed = pack(
            arguments.inputs,
            arguments.out,
            settings,
            executor,
            progress,
            GENERATOR,
            dry_run=arguments.dry_run,
            force=arguments.force,
        )
    sheets, animations = sheet_summaries(packed.crate), animation_summaries(packed.crate, packed.fps)
    for warning in packed.warnings:
        print(f"agile-crate: warning: {warning}", file=sys.stderr)
    if arguments.json:
        print(json.dumps(_document(packed, sheets, animations, arguments.dry_run), ensure_ascii=False, indent=2))
    elif not arguments.quiet:
        _print_summary(packed, sheets, animations, arguments)
    return Status.DONE


def _print_summary(
    packed: Packed, sheets: list[SheetSummary], animations: list[AnimationSummary], arguments: argparse.Namespace
) -> None:
    from ..core.text import bytes_shown, counted, measured, shown
    from ..sources.find import passed_over_text
    from .tables import Column, print_note, print_table

    crate = packed.crate
    print(
        f"{'would pack' if arguments.dry_run else 'packed'} {counted(len(crate.frames), 'frame')}, "
        f"{counted(len(animations), 'animation')}, {counted(len(sheets), 'sheet')}\n"
    )
    print_table(
        [
            Column("sheet"),
            *(Column(heading, True) for heading in ("size", "columns × rows", "frames", "empty", "full", "GPU memory")),
        ],
        [
            [
                shown(sheet.image),
                measured(sheet.size),
                f"{sheet.columns} × {sheet.rows}",
                _span(*sheet.frames),
                str(sheet.empty_cells),
                f"{sheet.full:.0%}",
                bytes_shown(sheet.gpu_bytes),
            ]
            for sheet in sheets
        ],
    )
    first = sheets[0]
    order = "column by column" if first.down else "row by row"
    print(f"  cells {measured(first.cell)}, margin {first.margin}, gap {first.gap}, filled {order}\n")
    if animations:
        _print_animations(animations, several_sheets=len(sheets) > 1)
    stills = len(crate.frames) - sum(animation.frames for animation in animations)
    if stills:
        begin = len(crate.frames) - stills
        noun = "frame" if stills == 1 else "frames"
        print_note(f"{counted(stills, 'still')} of no animation: {noun} {_span(begin, len(crate.frames) - 1)}")
    for remark in packed.remarks:
        print_note(remark)
    if packed.passed_over:
        print_note(f"passed over: {passed_over_text(packed.passed_over)}")
    if arguments.verbose:
        for index, frame in enumerate(crate.frames):
            print(f"  {index} {shown(frame.name)}: sheet {frame.on_sheet}, box {list(frame.box)}")
    wrote, removed = ("would write", "would remove") if arguments.dry_run else ("wrote", "removed")
    for path in packed.files:
        print(f"  {wrote} {shown(_near(path))}")
    for path in packed.removed:
        print(f"  {removed} {shown(_near(path))}, a sheet of the build before")


def _print_animations(animations: list[AnimationSummary], several_sheets: bool) -> None:
    from ..core.text import shown
    from .tables import Column, print_table

    columns = [Column("animation")]
    columns += [Column(heading, True) for heading in ("first", "last", "frames", "fps", "seconds")] + [Column("loop")]
    rows = [
        [
            shown(animation.name),
            str(animation.first),
            str(animation.last),
            str(animation.frames),
            _rate(animation.fps),
            f"{animation.seconds:.3f}",
            animation.loop,
        ]
        for animation in animations
    ]
    if several_sheets:
        columns.append(Column("on sheet"))
        for row, animation in zip(rows, animations, strict=True):
            row.append(", ".join(str(sheet + 1) for sheet in animation.sheets))
    print_table(columns, rows)


def _span(first: int, last: int) -> str:
    return str(first) if first == last else f"{first}–{last}"


def _rate(fps: Fraction) -> str:
    return str(fps) if fps.denominator == 1 else f"{float(fps):.6g}"


def _near(path: Path) -> str:
    """The path as it is shortest to read: from here if it lies below, else whole."""
    here = Path.cwd()
    return str(path.relative_to(here) if path.is_relative_to(here) else path)


def _document(
    packed: Packed, sheets: list[SheetSummary], animations: list[AnimationSummary], dry_run: bool
) -> dict[str, Any]:
    """What ``--json`` prints; docs/commands.md describes it."""
    import dataclasses

    return {
        "command": "pack",
        "dry_run": dry_run,
        "files": [str(path) for path in packed.files],
        "removed": [str(path) for path in packed.removed],
        "frames": len(packed.crate.frames),
        "sheets": [dataclasses.asdict(sheet) for sheet in sheets],
        "animations": [dataclasses.asdict(animation) | {"fps": float(animation.fps)} for animation in animations],
        "passed_over": dict(packed.passed_over),
        "remarks": packed.remarks,
        "warnings": packed.warnings,
    }
