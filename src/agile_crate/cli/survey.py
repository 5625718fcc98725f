"""``agile-crate survey``: check frames before packing."""

from __future__ import annotations

import argparse
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from .parser import Parser, add_common, add_only
from .status import Status
from .streams import print_json
from .tables import print_heading, print_warnings
from .wording import as_text

if TYPE_CHECKING:
    from ..commands.inspection import SequenceSummary
    from ..commands.survey import Survey, SurveyOptions
    from ..commands.survey_crates import SurveyedCrate
    from ..core.inspect.finding import Finding
    from ..pipeline.context import Context
    from .crate_choice import CrateErrors

ROWS = 40
"""Sequences in the table; the others are counted."""


def declare(parser: Parser) -> None:
    group = parser.section("input")
    group.add("inputs", metavar="INPUT", nargs="+", help="a folder, file or quoted pattern of frames; or a crate file")
    add_only(group, "survey")
    group.add("--fps", metavar="N", help="frames per second, for the seconds in the table (default 12)")
    group.add("--scale", metavar="N", help="also check that canvases scale evenly by 50%% or 0.5")
    group = parser.section("findings")
    group.add("--notes", action="store_true", help="also print notes")
    group.add(
        "--code", metavar="CODE", action="append", default=[], help="print only findings of this code, each in full"
    )
    group.add("--ignore", metavar="CODE", action="append", default=[], help="leave out findings of this code")
    group.add("--baseline", metavar="FILE", help="leave out findings that --write-baseline saved")
    group.add("--strict", action="store_true", help="exit code 1 if the survey finds an error")
    group = parser.section("output")
    group.add("--page", metavar="FILE", help="write a page that plays every sequence, with its findings")
    group.add("--sarif", metavar="FILE", help="write the findings as SARIF, for code hosts")
    group.add("--write-baseline", metavar="FILE", help="save the current findings; later surveys can leave them out")
    group.add("--force", action="store_true", help="overwrite existing files")
    add_common(parser)


def run(arguments: argparse.Namespace) -> int:
    from ..commands.survey import SurveyOptions
    from ..commands.survey_files import SurveyFiles, read_baseline, refuse_existing_files, write_survey_files
    from ..core.text import shown
    from ..crate_files.read import are_crate_files
    from .command_context import context_for
    from .crate_choice import CrateErrors

    files = SurveyFiles(arguments.page, arguments.sarif, arguments.write_baseline)
    errors = CrateErrors(arguments.json)
    with context_for(arguments) as context:
        given = {name: value for name in ("fps", "scale") if (value := getattr(arguments, name))}
        refuse_existing_files(files, arguments.force, context.limits)
        fine = read_baseline(arguments.baseline, context.limits) if arguments.baseline else frozenset()
        wanted = SurveyOptions(arguments.ignore, arguments.code, fine, keep_frames=bool(files.page))
        are_crates = are_crate_files(arguments.inputs, arguments.only)
        look = _crates if are_crates else _frames
        surveys = look(arguments, given, wanted, context, errors)
        written = write_survey_files(surveys, files, as_text, context, arguments.force) if surveys else []
    for crate in surveys:
        print_warnings(crate.survey.warnings)
    if arguments.json:
        print_json(_document(surveys, are_crates, errors))
    elif not arguments.quiet:
        for crate in surveys:
            if are_crates:
                print_heading(shown(crate.label), "bold", f"({shown(crate.file)})")
            _print_table(crate.survey, arguments.verbose)
            _print_findings(crate.survey, arguments)
            if are_crates:
                print()
        for path in written:
            print(f"wrote {shown(str(path))}")
    found = arguments.strict and any(crate.survey.error_count for crate in surveys)
    return errors.status or (Status.FOUND if found else Status.DONE)


def _frames(
    arguments: argparse.Namespace, given: Mapping[str, str], wanted: SurveyOptions, context: Context, _: CrateErrors
) -> list[SurveyedCrate]:
    from ..commands.survey import survey
    from ..commands.survey_crates import SurveyedCrate
    from ..settings.given import settings_from

    settings = settings_from(given)
    return [SurveyedCrate("", "", "", settings, survey(arguments.inputs, context, wanted, settings))]


def _crates(
    arguments: argparse.Namespace, given: Mapping[str, str], wanted: SurveyOptions, context: Context,
    errors: CrateErrors,
) -> list[SurveyedCrate]:  # fmt: skip
    from ..commands.survey_crates import survey_crates
    from .crate_choice import crates_of, with_paths

    specs = with_paths(crates_of(arguments.inputs, arguments.only, context.limits, errors))
    return list(survey_crates(specs, context, errors.failed, wanted, given))


def _print_table(looked: Survey, verbose: bool) -> None:
    from ..core.text import bytes_shown, counted
    from ..sources.find import skipped_text
    from .tables import Column, print_note, print_table

    frames = sum(sequence.frames for sequence in looked.sequences)
    print(f"{counted(frames, 'frame')} in {counted(len(looked.sequences), 'sequence')}\n")
    headings = ("frames", "canvas", "seconds", "trimmed", "empty", "unique")
    columns = [Column("sequence"), *(Column(heading, True) for heading in headings), Column("alpha")]
    listed = looked.sequences if verbose or len(looked.sequences) <= ROWS else looked.sequences[: ROWS - 1]
    print_table(columns, [_row(sequence) for sequence in listed])
    if rest := looked.sequences[len(listed) :]:
        more = counted(sum(sequence.frames for sequence in rest), "frame")
        print_note(f"and {len(rest):,} more sequences with {more}; --verbose lists them all")
    print_note(
        f"as separate textures {bytes_shown(looked.gpu_bytes)} of GPU memory; "
        f"by area they fit {looked.square}×{looked.square}"
    )
    if looked.skipped:
        print_note(f"skipped: {skipped_text(looked.skipped)}")
    print()


def _row(sequence: SequenceSummary) -> list[str]:
    from ..core.text import measured, shown

    return [
        "(stills)" if sequence.name is None else shown(sequence.name),
        str(sequence.frames),
        measured(sequence.canvas),
        f"{sequence.seconds:.3f}" if sequence.seconds else "",
        measured(sequence.trimmed),
        f"{sequence.empty_ratio:.0%}",
        str(sequence.unique),
        sequence.alpha,
    ]


def _print_findings(looked: Survey, arguments: argparse.Namespace) -> None:
    from ..core.inspect.finding import NOTE, SEVERITIES
    from ..core.text import counted
    from .findings import print_findings

    with_notes = arguments.notes or arguments.verbose or bool(arguments.code)
    is_reported = [finding for finding in looked.findings if with_notes or finding.severity != NOTE]
    print_findings(is_reported, in_full=arguments.verbose or bool(arguments.code), whole=arguments.verbose)
    sums = {severity: sum(f.severity == severity for f in looked.findings) for severity in SEVERITIES}
    problems = [counted(count, severity) for severity, count in sums.items() if count and severity != NOTE]
    parts = [", ".join(problems) or "no problems"]
    if sums[NOTE]:
        parts.append(counted(sums[NOTE], "note") + ("" if with_notes else " (show them with --notes)"))
    if looked.baselined:
        parts.append(f"{len(looked.baselined):,} in the baseline")
    if looked.settled:
        parts.append(f"{looked.settled:,} fixed by the crate's settings")
    print("; ".join(parts))


def _document(surveys: list[SurveyedCrate], are_crates: bool, errors: CrateErrors) -> dict[str, Any]:
    """Return what ``--json`` prints; docs/programmers/command-line.md describes it."""
    if not are_crates:
        return {"command": "survey", **_figures(surveys[0].survey)}
    return {
        "command": "survey",
        "error_count": sum(crate.survey.error_count for crate in surveys),
        "crates": [
            {"file": crate.file, "crate": crate.crate, "skin": crate.skin, **_figures(crate.survey)}
            for crate in surveys
        ],
        "errors": errors.found,
    }


def _figures(looked: Survey) -> dict[str, Any]:
    import dataclasses

    return {
        "error_count": looked.error_count,
        "sequences": [dataclasses.asdict(sequence) for sequence in looked.sequences],
        "findings": [_as_values(finding) for finding in looked.findings],
        "baselined": len(looked.baselined),
        "settled": looked.settled,
        "gpu_bytes": looked.gpu_bytes,
        "square": looked.square,
        "skipped": dict(looked.skipped),
    }


def _as_values(finding: Finding) -> dict[str, Any]:
    import dataclasses

    return dataclasses.asdict(finding) | {"fix": as_text(finding.fix)}
