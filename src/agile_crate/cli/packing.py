"""A build in the terminal: the summary, or the document of ``--json``."""

from __future__ import annotations

import argparse
import re
from fractions import Fraction
from typing import TYPE_CHECKING, Any

from .wording import as_text, from_here

if TYPE_CHECKING:
    from ..commands.pack import Built, Packed
    from ..core.arrange.arrangement import Considered
    from ..core.crate.summary import AnimationSummary, SheetSummary
    from ..core.model.crate import Crate
    from ..core.model.geometry import Point

MOST_CONSIDERED = 24
"""Arrangements that --explain prints for a sheet; --verbose prints all."""


def print_summary(packed: Packed, arguments: argparse.Namespace) -> None:
    """Print what was packed, and how."""
    from ..core.arrange.layouts import LAYOUTS
    from ..core.crate.summary import animation_summaries, sheet_summaries
    from ..core.text import counted, few, number_list, shown
    from ..sources.find import skipped_text
    from .tables import print_note

    crate = packed.crate
    sheets, animations = sheet_summaries(crate), animation_summaries(crate, _rates(crate))
    print(
        f"{_verb(packed, arguments)} {counted(len(crate.frames), 'frame')}, "
        f"{counted(len(animations), 'animation')}, {counted(len(sheets), 'sheet')}\n"
    )
    _print_sheets(sheets, crate.adopted)
    layout = LAYOUTS.get(str(crate.settings.get("layout")))
    if animations:
        _print_animations(crate, animations, bool(layout and layout.numbers_rows))
    if stills := set(range(len(crate.frames))).difference(*(animation.frames for animation in crate.animations)):
        noun = "frame" if len(stills) == 1 else "frames"
        print_note(f"{counted(len(stills), 'still')} of no animation: {noun} {number_list(stills, '–')}")
    if crate.sheets[0].skins:
        names = few((f"{shown(skin.name)}{' (plain)' if skin.plain else ''}" for skin in crate.sheets[0].skins), 12)
        print_note(f"skins on matching sheets: {names}")
    for change in changes(packed):
        print_note(change)
    for remark in packed.remarks:
        print_note(as_text(remark))
    if packed.skipped:
        print_note(f"skipped: {skipped_text(packed.skipped)}")
    for other in packed.also:
        print_note(_also(other))
    if arguments.explain:
        _print_considered(packed, arguments.verbose)
    if arguments.verbose:
        for index, frame in enumerate(crate.frames):
            print(f"  {index} {shown(frame.name)}: sheet {frame.on_sheet}, box {list(frame.box)}")
    wrote, removed = ("would write", "would remove") if arguments.dry_run else ("wrote", "removed")
    for path in packed.files:
        print(f"  {'kept' if path in packed.kept else wrote} {shown(from_here(path))}")
    last = "adoption" if crate.adopted else "build"
    for path in packed.deleted:
        print(f"  {removed} {shown(from_here(path))}, a file of the last {last}")


def _verb(packed: Packed, arguments: argparse.Namespace) -> str:
    if packed.crate.adopted:
        return "adopted"
    return "would pack" if arguments.dry_run else "packed"


def print_next_step(packed: Packed) -> None:
    """Print the command that shows what was packed."""
    import shlex

    from ..core.text import shown

    data = next((path for path in reversed(packed.files) if path.suffix in (".json", ".xml")), None)
    if data is None:
        return
    page = data.with_suffix(".html")
    line = shlex.join(["agile-crate", "show", from_here(data), "--out", from_here(page)])
    print(f"\n  to view it: {shown(line)}")


def changes(packed: Packed) -> list[str]:
    """Return the lines on what changed since the last build: frames, and indices, boxes and cells that games hold."""
    from ..core.text import counted

    parts = changed_frames(packed, 4)
    lines = [f"since the last build: {', '.join(parts)}"] if parts else []
    if packed.grid_change:
        lines.append(as_text(packed.grid_change))
    places = ((packed.reindexed, "index"), (packed.moved, "box"))
    if moves := [f"{counted(count, 'frame')} with another {place}" for count, place in places if count]:
        lines.append(f"for games that keep indices or boxes: {', '.join(moves)}")
    return lines


def changed_frames(packed: Packed, most: int) -> list[str]:
    """Count the frames that were added, removed and changed since the last build, and name at most so many of each."""
    from ..core.text import counted, few, shown

    groups = ((packed.added, "added"), (packed.removed, "removed"), (packed.changed, "changed"))
    return [
        f"{counted(len(names), 'frame')} {verb} ({few(map(shown, names), most)})" for names, verb in groups if names
    ]


def _also(built: Built) -> str:
    """Return a line about one of the other sizes."""
    from ..core.text import few, measured, shown

    crate = built.crate
    sheets = few((f"{shown(sheet.image)} {measured(sheet.size)}" for sheet in crate.sheets), 3)
    cells = crate.sheets[0].cells
    return f"also at {crate.settings['also_scale']}: {sheets}" + (f", cells {measured(cells.size)}" if cells else "")


def _print_sheets(sheets: list[SheetSummary], are_adopted: bool) -> None:
    from ..core.text import bytes_shown, counted, measured, shown
    from .tables import Column, print_note, print_table

    first = sheets[0]
    cell = first.cell
    columns = [Column("sheet"), Column("size", True)]
    columns += [Column("columns × rows", True)] if cell else []
    other = "blocks" if first.blocks else "boxes"
    parts = "empty cells" if cell else other
    columns += [Column(heading, True) for heading in ("frames", parts, "area used", "GPU memory")]
    table = []
    for sheet in sheets:
        row = [shown(sheet.image), measured(sheet.size)]
        if sheet.cell:
            frames = _span(*(sheet.frames or (0, 0)))
            row += [f"{sheet.columns} × {sheet.rows}", frames, str(sheet.empty_cells)]
        else:
            row += [str(sheet.count), str(len(sheet.blocks) or sheet.boxes)]
        table.append([*row, f"{sheet.fill_ratio:.0%}", bytes_shown(sheet.gpu_bytes)])
    print_table(columns, table)
    spacing = f"margin {first.margin}, gap {first.gap}"
    if first.edge_repeat:
        spacing += f", edges repeated by {counted(first.edge_repeat, 'pixel')}"
    if cell:
        order = "column by column" if first.down else "row by row"
        print(f"  cells {measured(cell)}, {spacing}, filled {order}\n")
    else:
        how = "blocks, each filled row by row" if first.blocks else "packed tightly; draw each box at its offset"
        print_note("boxes as they lie on the sheet" if are_adopted else f"{how}; {spacing}")
        print()
    if any(sheet.blocks for sheet in sheets):
        _print_blocks(sheets)


def _print_blocks(sheets: list[SheetSummary]) -> None:
    """Print the blocks of animations, for engines that cut cells. Stills have their boxes in the metadata."""
    from ..core.text import measured, shown
    from .tables import Column, print_table

    columns = [Column("block")]
    columns += [Column(heading, True) for heading in ("frames", "x,y", "cell", "columns × rows", "pivot in cell")]
    rows = []
    for number, sheet in enumerate(sheets, 1):
        for block in sheet.blocks:
            if not block.is_still:
                place, shape = f"{block.origin.x},{block.origin.y}", f"{block.columns} × {block.rows}"
                row = [shown(block.name), _span(*block.frames), place, measured(block.cell), shape, _pivot(block.pivot)]
                rows.append([*row, str(number)] if len(sheets) > 1 else row)
    columns += [Column("on sheet", True)] if len(sheets) > 1 else []
    if rows:
        print_table(columns, rows)


def _print_considered(packed: Packed, every: bool) -> None:
    """Print the arrangements that were tried: each success that was the best so far, and some of the others."""
    from ..core.text import measured
    from .tables import Column, print_heading, print_note, print_table

    for number, sheet in enumerate(packed.crate.sheets):
        tried = [attempt for attempt in packed.considered if attempt.sheet == number]
        print_heading("considered", "bold", f"for {sheet.image}")
        shown = tried if every else _telling(tried)
        columns = [Column("way"), Column("size", True), Column("full", True), Column("verdict")]
        print_table(
            columns,
            [[attempt.way, measured(attempt.size), f"{attempt.fill_ratio:.2%}", attempt.verdict] for attempt in shown],
        )
        if len(shown) < len(tried):
            print_note(f"and {len(tried) - len(shown):,} more (--verbose shows all)")
    print_note(
        f"bound: what is stored covers {packed.bound:,} pixels with its gaps; "
        "no sheets with less room than that inside can hold it"
    )
    if packed.proven:
        print_note("proven: no smaller sheet that the settings allow can hold what is on it")


def _telling(tried: list[Considered]) -> list[Considered]:
    """Select the attempts to show: each success that was the smallest so far, and the last failures before the
    result."""
    best = min((attempt.size.w * attempt.size.h for attempt in tried if attempt.verdict == "taken"), default=0)
    successes: list[Considered] = []
    for attempt in tried:
        area = attempt.size.w * attempt.size.h
        if attempt.verdict in ("larger", "taken") and (
            not successes or area < successes[-1].size.w * successes[-1].size.h
        ):
            successes.append(attempt)
    if len(tried) <= MOST_CONSIDERED:
        return tried
    failures = sorted(
        (attempt for attempt in tried if attempt not in successes),
        key=lambda attempt: abs(attempt.size.w * attempt.size.h - best),
    )
    shown = {id(attempt) for attempt in [*successes[-MOST_CONSIDERED // 2 :], *failures[: MOST_CONSIDERED // 2]]}
    return [attempt for attempt in tried if id(attempt) in shown]


def _print_animations(crate: Crate, animations: list[AnimationSummary], with_rows: bool) -> None:
    from ..core.text import shown
    from .tables import Column, print_note, print_table

    numbers = ("first", "last", "frames", "fps", "seconds", "pivot")
    columns = [Column("animation"), *(Column(heading, True) for heading in numbers), Column("loop")]
    rows = [
        [
            shown(animation.name),
            str(animation.first),
            str(animation.last),
            str(animation.frames),
            _rate(animation.fps) + (" + holds" if animation.holds else ""),
            f"{animation.seconds:.3f}",
            _pivot(animation.pivot),
            animation.loop,
        ]
        for animation in animations
    ]
    if with_rows:
        columns.insert(1, Column("row", True))
        for row, animation in zip(rows, animations, strict=True):
            row.insert(1, _span(*animation.rows) if animation.rows else "")
    if re.search("bottom-(left|right):", str(crate.settings.get("pivot"))):
        columns.insert(-1, Column("from bottom left", True))
        for row, animation in zip(rows, animations, strict=True):
            row.insert(-1, _pivot(animation.pivot_from_bottom))
    if len(crate.sheets) > 1:
        columns.append(Column("on sheet"))
        for row, animation in zip(rows, animations, strict=True):
            row.append(", ".join(str(sheet + 1) for sheet in animation.sheets))
    print_table(columns, rows)
    print_note("pivots count from the top left of the canvas, in pixels")


def _pivot(pivot: Point | None) -> str:
    return f"{pivot.x:g},{pivot.y:g}" if pivot else "differs"


def _span(first: int, last: int) -> str:
    return str(first) if first == last else f"{first}–{last}"


def _rates(crate: Crate) -> list[Fraction]:
    """Return the frames per second that a crate was packed with."""
    from ..settings.given import settings_from

    fps = settings_from({"fps": crate.settings.get("fps", [])}).fps
    return [rate for rate in (fps.everyone, *(rate for _, rate in fps.named)) if rate]


def _rate(fps: Fraction) -> str:
    return str(fps) if fps.denominator == 1 else f"{float(fps):.6g}"


def document_of(packed: Packed, arguments: argparse.Namespace) -> dict[str, Any]:
    """Return what ``--json`` prints of a crate; docs/programmers/command-line.md describes it."""
    import dataclasses

    from ..core.crate.summary import animation_summaries, sheet_summaries

    sheets, animations = sheet_summaries(packed.crate), animation_summaries(packed.crate, _rates(packed.crate))
    also = [
        {
            "scale": entry.crate.settings["also_scale"],
            "sheets": [dataclasses.asdict(sheet) for sheet in sheet_summaries(entry.crate)],
            "remarks": list(map(as_text, entry.remarks)),
        }
        for entry in packed.also
    ]
    tried = {
        "considered": [dataclasses.asdict(entry) for entry in packed.considered],
        "bound": packed.bound,
        "proven": packed.proven,
    }
    return {
        "command": "pack",
        "dry_run": arguments.dry_run,
        "files": [str(path) for path in packed.files],
        "deleted": [str(path) for path in packed.deleted],
        "kept": [str(path) for path in packed.kept],
        "frames": len(packed.crate.frames),
        "sheets": [dataclasses.asdict(sheet) for sheet in sheets],
        "animations": [dataclasses.asdict(animation) | {"fps": float(animation.fps)} for animation in animations],
        "skipped": dict(packed.skipped),
        "added": list(packed.added),
        "removed": list(packed.removed),
        "changed": list(packed.changed),
        "reindexed": packed.reindexed,
        "moved": packed.moved,
        "grid_change": as_text(packed.grid_change) if packed.grid_change else None,
        "remarks": list(map(as_text, packed.remarks)),
        "warnings": list(map(as_text, packed.warnings)),
        "also": also,
    } | (tried if arguments.explain else {})
