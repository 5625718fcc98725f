"""``agile-crate draft``: a crate file for folders of frames."""

from __future__ import annotations

import argparse

from .parser import Parser, add_common
from .status import Status
from .streams import print_json

USAGE = "INPUT… --out FILE"

DESCRIPTION = """\
Looks folders of frames over and writes a crate file for them: a text file that says what is packed, where to, and how,
to be kept with the frames. It lists what was found, chooses a layout that suits, and has each finding of the survey
beside the key that mends it.

The usual call:  agile-crate draft frames/otter --out otter.crate.toml
"""

EXAMPLES = """\
examples (on the frames that 'agile-crate demo' writes):
  agile-crate draft otter-post/frames/otter otter-post/frames/harbour --out post.crate.toml
  agile-crate draft otter-post/rough --out rough.crate.toml
  agile-crate pack post.crate.toml
"""


def declare(parser: Parser) -> None:
    group = parser.section("what is looked over, and where to")
    group.add("inputs", metavar="INPUT", nargs="+", help="a folder, a file or a quoted pattern of frames; each a crate")
    group.add("--out", metavar="FILE", required=True, help="the crate file, such as otter.crate.toml")
    group.add("--force", action="store_true", help="overwrite a file that is there")
    add_common(parser)


def run(arguments: argparse.Namespace) -> int:
    from ..commands.draft import draft
    from ..core.text import counted, shown
    from .means import means_for

    with means_for(arguments) as context:
        drafted = draft(arguments.inputs, arguments.out, context, arguments.force)
    if arguments.json:
        document = {"command": "draft", "file": str(drafted.path), "crates": dict(drafted.crates)}
        print_json(document)
    elif not arguments.quiet:
        for name, findings in drafted.crates.items():
            told = f", {counted(findings, 'finding')} of the survey beside the keys that mend them" if findings else ""
            print(f"  {shown(name)}{told}")
        print(f"wrote {shown(arguments.out)}; build it with: agile-crate pack {shown(arguments.out)}")
    return Status.DONE
