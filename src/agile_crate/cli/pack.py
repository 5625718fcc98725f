"""``agile-crate pack``: frames → sheets and metadata."""

from __future__ import annotations

import argparse

from ..core.errors import UsageError
from ..core.text import shown
from .packing import document_of, print_next_step, print_summary
from .parser import Parser, add_common, add_memory, add_only, add_settings, chosen_limits, chosen_settings
from .status import Status
from .streams import print_json
from .tables import print_warnings
from .wording import option_name


def declare(parser: Parser) -> None:
    group = parser.section("input and output")
    group.add("inputs", metavar="INPUT", nargs="+", help="a folder, file or quoted pattern of frames; or crate files")
    group.add("--out", metavar="PATH", help="output path without an ending: build/otter (not for crate files)")
    group.add("--dry-run", action="store_true", help="print what would be written, and write nothing")
    group.add("--draft", metavar="FILE", help="also save this command line as a crate file: otter.crate.toml")
    add_only(group, "build")
    group.add("--check", action="store_true", help="exit code 1 if a crate is stale, with the reasons; write nothing")
    group.add("--rebuild", action="store_true", help="build a crate file's crates even if nothing changed")
    group.add("--keep-edits", action="store_true", help="carry edits on the last build's sheets into this build")
    group.add("--force", action="store_true", help="overwrite edits, and files that are not from an earlier build")
    group = add_settings(parser)
    group.add("--explain", action="store_true", help="also print the sheet arrangements that were tried")
    group.add("--jobs", metavar="N", help="build N crates at a time, each in its own process")
    group.add("--cluster", metavar="ADDRESS", help="build the crates on a cluster; its scheduler: tcp://host:8786")
    group.add("--send-inputs", action="store_true", help="upload the frames to workers that cannot read them")
    group.add("--depfile", metavar="FILE", help="also write the list of input files for make or ninja")
    group.add("--no-wait", action="store_true", help="fail at once if another build of the same crate is running")
    add_memory(group)
    add_common(parser)


def run(arguments: argparse.Namespace) -> int:
    from ..core.crate.file_names import is_crate_file

    if any(map(is_crate_file, arguments.inputs)):
        from .crates import run_crates

        return run_crates(arguments)
    for name in ("only", "check", "rebuild", "jobs", "cluster", "send_inputs"):
        if getattr(arguments, name):
            raise UsageError(
                f"{option_name(name)} is for the crates of a crate file; leave it out, or name the crate file"
            )
    if arguments.out is None:
        raise UsageError("name the output with --out, such as --out build/otter")
    settings = chosen_settings(arguments)
    from ..commands.pack import pack
    from ..core.model.variant import base_of
    from ..pipeline.job import BuildJob
    from .command_context import context_for

    if arguments.draft:
        from ..commands.draft import check, draft_of

        check(arguments.draft, arguments.force)
    job = BuildJob(
        arguments.out,
        settings,
        base_of(arguments.inputs),
        arguments.force,
        arguments.keep_edits,
        arguments.dry_run,
        wait=not arguments.no_wait,
    )
    with context_for(arguments, cached=bool(arguments.draft)) as context:
        packed = pack(job, context)
    print_warnings(packed.warnings)
    if arguments.draft and not arguments.dry_run:
        draft_of(arguments.inputs, arguments.out, settings, arguments.draft)
    if arguments.depfile and not arguments.dry_run:
        from ..crate_files.dependencies import write_dependencies

        write_dependencies(arguments.depfile, [job], chosen_limits(arguments))
    if arguments.json:
        print_json(document_of(packed, arguments))
    elif not arguments.quiet:
        print_summary(packed, arguments)
        if arguments.draft:
            print(f"  {'would write' if arguments.dry_run else 'wrote'} {shown(arguments.draft)}")
        if not arguments.dry_run:
            print_next_step(packed)
    return Status.DONE
