"""``agile-crate survey``: look frames over before packing."""

from __future__ import annotations

import argparse
import json
import sys
from fractions import Fraction
from typing import TYPE_CHECKING, Any

from .parser import Parser, add_common
from .status import Status
from .wording import told

if TYPE_CHECKING:
    from ..core.look.findings import Finding
    from ..jobs.survey import SequenceSummary, Survey

USAGE = "INPUT…"

STYLES = {"fault": "bold red", "doubt": "bold yellow", "note": "bold blue"}

DESCRIPTION = """\
Looks frames over before packing: one table of sequences, and under it what was found, worst first, with the frames it
concerns and what mends it. docs/survey.md lists the codes.

The usual call:  agile-crate survey frames/otter
"""

EXAMPLES = """\
examples (on the frames that 'agile-crate demo' writes):
  agile-crate survey otter-post/frames
  agile-crate survey otter-post/rough --allow wobble --allow copies
  agile-crate survey otter-post/rough --page look/rough.html
  agile-crate survey otter-post/frames/otter --strict --quiet
"""


def declare(parser: Parser) -> None:
    group = parser.section("what is looked at")
    group.add("inputs", metavar="INPUT", nargs="+", help="a folder, file or quoted pattern of frames; or a crate file")
    group.add("--fps", metavar="N", help="frames a second, for the seconds in the table (default 12)")
    group.add("--scale", metavar="N", help="also look whether canvases come out even at 50%% or 0.5")
    group.add("--allow", metavar="CODE", action="append", default=[], help="leave out findings of this code")
    group.add("--page", metavar="FILE", help="also a page that plays every sequence, with what was found")
    group.add("--force", action="store_true", help="overwrite a page that is there")
    group.add("--strict", action="store_true", help="exit code 1 when there is any fault")
    add_common(parser)


def run(arguments: argparse.Namespace) -> int:
    from ..settings import readers
    from .parser import read_value

    fps: Fraction | None = read_value("fps", readers.fps, arguments.fps) if arguments.fps else None
    from ..core.text import shown
    from ..jobs.crate_file import frames_of
    from ..jobs.survey import survey
    from ..jobs.workers import workers
    from .progress import progress_bars

    scale = read_value("scale", readers.scale, arguments.scale) if arguments.scale else Fraction(1)
    with workers() as executor, progress_bars(arguments.quiet) as progress:
        inputs = frames_of(arguments.inputs)
        looked = survey(inputs, executor, progress, fps, arguments.allow, scale)
        page = None
        if arguments.page:
            from dataclasses import replace

            from ..core.sentence import Sentence
            from ..jobs.show import show_frames

            findings = [replace(one, remedy=Sentence(told(one.remedy))) for one in looked.findings]
            page = show_frames(inputs, findings, arguments.page, executor, progress, arguments.force)
    for warning in looked.warnings:
        print(f"agile-crate: warning: {told(warning)}", file=sys.stderr)
    if arguments.json:
        print(json.dumps(_document(looked), ensure_ascii=False, indent=2))
    elif not arguments.quiet:
        _print(looked, arguments.verbose)
        if page:
            print(f"wrote {shown(str(page))}")
    return Status.FOUND if arguments.strict and looked.faults else Status.DONE


def _print(looked: Survey, verbose: bool) -> None:
    from ..core.text import bytes_shown, counted
    from ..sources.find import passed_over_text
    from .tables import Column, print_note, print_table

    frames = sum(sequence.frames for sequence in looked.sequences)
    print(f"{counted(frames, 'frame')} in {counted(len(looked.sequences), 'sequence')}\n")
    headings = ("frames", "canvas", "seconds", "trimmed", "empty", "unique")
    columns = [Column("sequence"), *(Column(heading, True) for heading in headings), Column("alpha")]
    print_table(columns, [_row(sequence) for sequence in looked.sequences])
    print_note(
        f"as separate textures {bytes_shown(looked.gpu_bytes)} of GPU memory; "
        f"by area they fit {looked.square}×{looked.square}"
    )
    if looked.passed_over:
        print_note(f"passed over: {passed_over_text(looked.passed_over)}")
    print()
    for finding in looked.findings:
        _print_finding(finding, verbose)
    if looked.findings:
        print()
    sums = [(sum(f.severity == severity for f in looked.findings), severity) for severity in ("fault", "doubt", "note")]
    print(", ".join(counted(count, severity) for count, severity in sums))


def _row(sequence: SequenceSummary) -> list[str]:
    from ..core.text import measured, shown

    return [
        "(stills)" if sequence.name is None else shown(sequence.name),
        str(sequence.frames),
        measured(sequence.canvas),
        f"{sequence.seconds:.3f}" if sequence.seconds else "",
        measured(sequence.trimmed),
        f"{sequence.empty:.0%}",
        str(sequence.unique),
        sequence.alpha,
    ]


def _print_finding(finding: Finding, verbose: bool) -> None:
    from ..core.text import few, shown
    from .tables import print_heading, print_note

    names = [name.rpartition("/")[2] for name in finding.frames]
    where = f", {few(names, len(names) if verbose else 4)}" if names else ""
    print_heading(finding.severity, STYLES[finding.severity], f"{finding.code}: {shown(finding.sequence)}{where}")
    print_note(shown(finding.what))
    print_note(f"→ {shown(told(finding.remedy))}")


def _document(looked: Survey) -> dict[str, Any]:
    """What ``--json`` prints; docs/commands.md describes it."""
    import dataclasses

    return {
        "command": "survey",
        "faults": looked.faults,
        "sequences": [dataclasses.asdict(sequence) for sequence in looked.sequences],
        "findings": [_as_values(finding) for finding in looked.findings],
        "gpu_bytes": looked.gpu_bytes,
        "square": looked.square,
        "passed_over": dict(looked.passed_over),
    }


def _as_values(finding: Finding) -> dict[str, Any]:
    import dataclasses

    values = dataclasses.asdict(finding)
    return values | {"mend": told(values.pop("remedy"))}
