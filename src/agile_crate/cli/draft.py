"""``agile-crate draft``: a crate file for folders of frames."""

from __future__ import annotations

import argparse

from .parser import Parser, add_common
from .status import Status
from .streams import print_json


def declare(parser: Parser) -> None:
    group = parser.section("input and output")
    group.add(
        "inputs",
        metavar="INPUT",
        nargs="+",
        help="a folder, file or quoted pattern of frames, or a folder of folders that are alike",
    )
    group.add("--out", metavar="FILE", required=True, help="the crate file to write, such as otter.crate.toml")
    group.add("--force", action="store_true", help="overwrite an existing file")
    add_common(parser)


def run(arguments: argparse.Namespace) -> int:
    import shlex

    from ..commands.draft import draft
    from ..core.text import counted, few, shown
    from .command_context import context_for

    with context_for(arguments) as context:
        drafted = draft(arguments.inputs, arguments.out, context, arguments.force)
    if arguments.json:
        crates = {name: crate._asdict() for name, crate in drafted.crates.items()}
        print_json({"command": "draft", "file": str(drafted.path), "crates": crates})
    elif not arguments.quiet:
        for name, crate in drafted.crates.items():
            print(f"{shown(name)}: layout {crate.layout}. {crate.reason}")
            if crate.skins:
                verb = "seems to be a skin" if len(crate.skins) == 1 else "seem to be skins"
                print(f"{shown(name)}: {few(map(shown, crate.skins))} {verb}, by the names of the frames")
            if crate.findings:
                fixable = {0: "none has", 1: "1 has"}.get(crate.fixes, f"{crate.fixes:,} have")
                fixes = f"{fixable} a suggested fix in the file{', commented out' * bool(crate.fixes)}"
                print(f"{shown(name)}: {counted(crate.findings, 'finding')}; {fixes}")
        line = shlex.join(["agile-crate", "pack", arguments.out])
        print(f"wrote {shown(arguments.out)}; build it with: {shown(line)}")
    return Status.DONE
