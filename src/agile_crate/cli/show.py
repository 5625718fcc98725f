"""``agile-crate show``: draw views of a crate."""

from __future__ import annotations

import argparse
import contextlib
import os
from collections.abc import Iterator
from typing import TYPE_CHECKING

from .parser import Parser, add_common, add_only
from .status import Status
from .streams import print_json
from .tables import print_warnings

if TYPE_CHECKING:
    from pathlib import Path

    from ..commands.show import Shown, ShowOptions
    from ..core.crate.changes import Change
    from ..pipeline.context import Context
    from .crate_choice import CrateErrors


def declare(parser: Parser) -> None:
    group = parser.section("input and output")
    group.add("data", metavar="DATA|INPUT", nargs="+", help="a crate's metadata (JSON or XML), frames, or a crate file")
    add_only(group, "show")
    group.add("--out", metavar="PATH", help="a .png, .html, .svg, .gif, .apng or .webp")
    group.add(
        "--as",
        dest="kind",
        choices=("sheet", "strip", "film", "page", "chart"),
        metavar="KIND",
        help="kind of view, if the ending does not decide: strip, chart",
    )
    group.add("--skin", metavar="NAME", default="", help="show this skin; a page offers all of them")
    group.add("--against", metavar="OLD", help="compare with another crate's metadata")
    group.add("--strict", action="store_true", help="with --against: exit code 1 if anything changed")
    group.add("--force", action="store_true", help="overwrite existing files")
    looks = parser.section("drawing")
    looks.add("--backdrop", metavar="COLOR", help="checker (the default), #rrggbb, or for films none")
    looks.add("--zoom", metavar="N", help="enlarge pixels N times; sheets also 1/N (default: chosen for sheets)")
    films = parser.section("films and strips")
    films.add(
        "--animation", metavar="NAME", action="append", default=[], help="show only this animation; can be repeated"
    )
    films.add("--each", action="store_true", help="write one file per animation")
    films.add("--fps", metavar="N", help="frames per second, instead of the crate's own times")
    films.add("--speed", metavar="N", help="play slower or faster: 50%% or 2")
    films.add("--onion", metavar="N", help="onion skin: N frames before (orange) and after (blue)")
    films.add("--pivots", action="store_true", help="mark pivots")
    films.add("--shapes", action="store_true", help="draw collision shapes")
    films.add(
        "--ground",
        choices=("line", "rosette"),
        metavar="GUIDE",
        help="draw the ground: a line, or a rosette of eight directions",
    )
    add_common(parser)


MOST_CHANGES = 40
"""Changes that are printed; --verbose prints all."""


def run(arguments: argparse.Namespace) -> int:
    from ..commands.show import OPTIONS, kind_of, show_options
    from ..core.errors import UsageError
    from ..crate_files.read import are_crate_files
    from .command_context import context_for
    from .crate_choice import CrateErrors

    if arguments.against:
        return _compare(arguments)
    if arguments.strict:
        raise UsageError("--strict is for --against; leave it out")
    if arguments.out is None:
        raise UsageError("name the output with --out: a .png, .html, .svg, .gif, .apng or .webp")
    kind = kind_of(arguments.out, arguments.kind)
    options = show_options(kind, {name: getattr(arguments, name) for name in OPTIONS})
    beside = _chart_files_in_cache() if kind == "chart" else contextlib.nullcontext()
    are_crates = are_crate_files(arguments.data, arguments.only)
    errors = CrateErrors(arguments.json)
    with context_for(arguments, cached=are_crates) as context, beside:
        shown_views = _show_crates if are_crates else _show
        files, warnings = shown_views(arguments, options, context, errors)
    print_warnings(warnings)
    if arguments.json:
        document = {"command": "show", "kind": kind, "files": [str(path) for path in files]}
        print_json(document | ({"errors": errors.found} if are_crates else {}))
    elif not arguments.quiet:
        from ..core.text import shown

        for path in files:
            print(f"wrote {shown(str(path))}")
    return errors.status


def _show(arguments: argparse.Namespace, options: ShowOptions, context: Context, _: CrateErrors) -> Shown:
    from ..commands.show import show

    return show(arguments.data, arguments.out, options, context, arguments.force)


def _show_crates(arguments: argparse.Namespace, options: ShowOptions, context: Context, errors: CrateErrors) -> Shown:
    from ..commands.show import Shown
    from ..commands.show_crates import show_crates
    from .crate_choice import crates_of, with_paths

    specs = with_paths(crates_of(arguments.data, arguments.only, context.limits, errors))
    if not specs:
        return Shown((), ())
    return show_crates(specs, arguments.out, options, context, errors.failed, arguments.force)


@contextlib.contextmanager
def _chart_files_in_cache() -> Iterator[None]:
    """Keep Matplotlib's list of fonts in our cache: it would make folders of its own in the user's home."""
    import tempfile

    from ..storage.cache import place

    folder = place()
    with contextlib.nullcontext(str(folder / "charts")) if folder else tempfile.TemporaryDirectory() as charts:
        os.environ.setdefault("MPLCONFIGDIR", charts)
        yield


def _compare(arguments: argparse.Namespace) -> int:
    import dataclasses

    from ..commands.show import FILM_ONLY, compare
    from ..core.errors import UsageError
    from .command_context import context_for

    given = [name for name in (*FILM_ONLY, "backdrop", "zoom", "kind") if getattr(arguments, name)]
    if len(arguments.data) > 1:
        raise UsageError("--against compares one crate with another; name only one DATA")
    if given:
        option = "as" if given[0] == "kind" else given[0]
        raise UsageError(f"--{option} is for a view of one crate; leave it out, or --against")
    if arguments.out is not None and not arguments.out.lower().endswith(".html"):
        raise UsageError(f"--out {arguments.out}: changes are written as .html")
    with context_for(arguments) as context:
        found, (files, warnings) = compare(
            arguments.data[0], arguments.against, arguments.out, context, arguments.force
        )
    print_warnings(warnings)
    if arguments.json:
        document = {
            "command": "show",
            "kind": "changes",
            "changes": [dataclasses.asdict(change) for change in found],
            "files": [str(path) for path in files],
        }
        print_json(document)
    elif not arguments.quiet:
        _print_changes(arguments, found, files)
    return Status.FOUND if found and arguments.strict else Status.DONE


def _print_changes(arguments: argparse.Namespace, found: list[Change], files: tuple[Path, ...]) -> None:
    from ..core.crate.changes import summary_of
    from ..core.text import shown
    from .tables import Column, print_note, print_table

    print(f"{shown(arguments.data[0])} against {shown(arguments.against)}: {summary_of(found)}")
    if found:
        print()
        limit = len(found) if arguments.verbose else MOST_CHANGES
        columns = [Column("change"), Column("of"), Column("what")]
        print_table(columns, [[change.kind, shown(change.name), change.what] for change in found[:limit]])
        if len(found) > limit:
            print_note(f"and {len(found) - limit:,} more (--verbose shows all)")
    for path in files:
        print(f"wrote {shown(str(path))}")
