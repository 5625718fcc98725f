"""``agile-crate watch``: rebuild the crates of a crate file whenever something changes."""

from __future__ import annotations

import argparse
import shlex
import sys
import time
from typing import TYPE_CHECKING, TextIO

from ..core.errors import UsageError
from ..core.text import counted, few, shown
from ..interrupts import writing
from .parser import Parser, add_common, add_only, add_settings, chosen_limits, given_settings
from .status import Status, status_of
from .streams import print_json
from .wording import as_text, option_name

if TYPE_CHECKING:
    from ..commands.watch import Read, Turn

LEAST_MEMORY_BYTES = 1 << 30
"""Bytes of frames, decoded, that are held from build to build."""


def declare(parser: Parser) -> None:
    group = parser.section("input and output")
    group.add("inputs", metavar="INPUT", nargs="+", help="a crate file, or what pack takes")
    group.add("--out", metavar="PATH", help="output path without an ending (not for a crate file)")
    add_only(group, "watch")
    group.add("--page", action="store_true", help="serve a live page on this machine")
    group = parser.section("overwriting")
    group.add("--keep-edits", action="store_true", help="carry edits on the last build's sheets into new builds")
    group.add("--force", action="store_true", help="overwrite files that are not from an earlier build, and edits")
    add_settings(parser, are_listed=False)
    add_common(parser)


def run(arguments: argparse.Namespace) -> int:
    from .. import GENERATOR
    from ..commands.build import BuildOptions
    from ..commands.watch import Builder, watch
    from ..pipeline.context import with_cache
    from .command_context import without_progress

    read = _watched(arguments)
    names = [spec.name for spec in read()[1]]
    table = None
    begun = {"": time.perf_counter()}

    def begin(name: str) -> None:
        begun[name] = time.perf_counter()

    def end(turn: Turn) -> None:
        _tell(arguments, turn, time.perf_counter() - begun.get(turn.crate, begun[""]))

    def ready() -> None:
        if not (arguments.quiet or arguments.json):
            _say(f"watching {few(arguments.inputs)}: {few(map(shown, names), 8)}; Ctrl-C ends it")

    # Within `writing`, Ctrl-C arrives here as an exception, and the server and the pools are closed.
    with writing(), without_progress(arguments) as plain, with_cache(plain, LEAST_MEMORY_BYTES) as context:
        try:
            if arguments.page:
                from ..commands.light_table import LightTable

                table = LightTable(names, context)
                _tell_page(arguments, table.address)
            options = BuildOptions(GENERATOR, force=arguments.force, keep_edits=arguments.keep_edits)
            builder = Builder(context._replace(on_wait=lambda: None), options, begin, end, table)
            watch(read, builder, ready)
        except KeyboardInterrupt:
            if not (arguments.quiet or arguments.json):
                print(flush=True)
                _say("stopped watching; all files are complete")
        finally:
            if table:
                table.close()
    return Status.DONE


def _watched(arguments: argparse.Namespace) -> Read:
    """Return what reads the crates to watch. Raises UsageError."""
    from ..commands.watch import crate_of, crates_in
    from ..core.crate.file_names import is_crate_file

    first, *more = arguments.inputs
    given = given_settings(arguments)
    if not any(map(is_crate_file, arguments.inputs)):
        if arguments.out is None:
            raise UsageError("name the output with --out, such as --out build/otter")
        if arguments.only:
            raise UsageError("--only is for the crates of a crate file; leave it out, or name the crate file")
        return crate_of(arguments.inputs, arguments.out, given)
    wrong = [option_name(name) for name in given if name != "limit"] + ["--out"] * bool(arguments.out)
    if more or wrong:
        what = wrong[0] if wrong else shown(arguments.inputs[1])
        raise UsageError(f"watch takes one crate file, and {what} is not in it; leave it out, or add it to the file")
    return crates_in(first, arguments.only, chosen_limits(arguments))


def _tell_page(arguments: argparse.Namespace, address: str) -> None:
    if arguments.json:
        print_json({"command": "watch", "page": address}, indent=None)
    else:
        _say(f"the page: {address}")


def _say(line: str, to: TextIO | None = None) -> None:
    """Print a line with the time."""
    print(f"{time.strftime('%H:%M:%S')}  {line}", file=to, flush=True)


def _tell(arguments: argparse.Namespace, turn: Turn, seconds: float) -> None:
    """Print one line about a crate's build."""
    from ..crate_files.spec import in_crate_file
    from .tables import print_error

    spelled = as_text if arguments.out else in_crate_file
    begin = f"{shown(turn.crate)}: " if turn.crate else ""  # an error of the crate file names it
    if turn.error and arguments.json:
        error = turn.error.message
        file = "" if arguments.out else arguments.inputs[0]
        print_error(spelled(error), status_of(turn.error), error.files, True, file, turn.crate)
    elif turn.error:
        _say(f"{begin}error: {spelled(turn.error.message)}", sys.stderr)
    elif turn.trouble:
        data = [f"{arguments.out}.json"] if arguments.out else [arguments.inputs[0], "--only", turn.crate]
        line = shown(shlex.join(["agile-crate", "verify", *data, "--accept"]))
        _say(f"{begin}{spelled(turn.trouble)}; {line} accepts the edit", sys.stderr)
    if arguments.json:
        print_json(_document(turn, seconds), indent=None)
    for warning in turn.packed.warnings if turn.packed else ():
        _say(f"{begin}warning: {as_text(warning)}", sys.stderr)
    if not (turn.trouble or arguments.quiet or arguments.json):
        _say(f"{begin}{_line(turn, seconds)}")


def _line(turn: Turn, seconds: float) -> str:
    if turn.packed is None:
        assert turn.unchanged is not None
        return f"up to date ({counted(turn.unchanged.frames, 'frame')})"
    from .packing import changed_frames

    parts = changed_frames(turn.packed, 3)
    written = [path.name for path in turn.packed.files if path not in turn.packed.kept]
    parts = parts or [counted(len(turn.packed.crate.frames), "frame")]
    wrote = f"wrote {few(map(shown, written), 4)}" if written else "no file changed"
    return f"{', '.join(parts)}; {wrote} in {seconds:.2f} s"


def _document(turn: Turn, seconds: float) -> dict[str, object]:
    """Return what ``--json`` prints of a build, on one line; docs/programmers/command-line.md describes it."""
    from ..crate_files.spec import in_crate_file

    document: dict[str, object] = {"command": "watch", "crate": turn.crate, "outcome": turn.outcome}
    if turn.error:
        return document | {"error": in_crate_file(turn.error.message), "exit": int(status_of(turn.error))}
    if turn.edited:
        return document | {"edited": list(turn.edited)}
    if turn.packed is None:
        return document
    files = [str(path) for path in turn.packed.files if path not in turn.packed.kept]
    changes = {"changed": turn.packed.changed, "added": turn.packed.added, "removed": turn.packed.removed}
    return document | changes | {"files": files, "seconds": round(seconds, 3)}
