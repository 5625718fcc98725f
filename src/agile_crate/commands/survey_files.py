"""Files that a survey writes on request: the light table, SARIF, the baseline."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

from ..core.errors import InputError, UsageError, reason
from ..core.inspect.baseline import baseline_keys, baseline_text
from ..core.inspect.finding import CODES, Finding
from ..core.limits import Limits
from ..core.message import Message, a_file
from ..exports.sarif import Result, sarif_text
from ..format.regular import read_regular
from ..pipeline.context import Context
from ..storage.staging import refuse_existing, write_alone
from .survey_crates import SurveyedCrate


class SurveyFiles(NamedTuple):
    """Paths of the files to write, if any."""

    page: str | None = None
    sarif: str | None = None
    write_baseline: str | None = None

    @property
    def wanted(self) -> Iterator[tuple[str, str]]:
        """Return the given output options, with their paths."""
        return ((name, path) for name, path in self._asdict().items() if path)


def refuse_existing_files(files: SurveyFiles, force: bool, limits: Limits) -> None:
    """Raise OutputError for an existing file, and UsageError for two at one path. A baseline may always be replaced,
    since each survey updates it."""
    paths = [os.path.abspath(path) for _, path in files.wanted]
    if len(set(paths)) < len(paths):
        raise UsageError("two files would be written to one place; give each its own name")
    for name, path in files.wanted:
        if not (force or (name == "write_baseline" and _is_baseline(path, limits))):
            refuse_existing(Path(path).parent, [Path(path).name], name)


def read_baseline(path: str, limits: Limits) -> frozenset[str]:
    """Return the keys of a baseline's findings. Raises InputError."""
    try:
        return baseline_keys(read_regular(path, limits, "text_bytes").decode("utf-8"))
    except OSError as error:
        raise InputError("{} cannot be read: {}", a_file(path), reason(error)) from None
    except ValueError:
        raise InputError("{} is not a baseline; {write_baseline} writes one", a_file(path)) from None


def _is_baseline(path: str, limits: Limits) -> bool:
    try:
        read_baseline(path, limits)
    except InputError:
        return False
    return True


def write_survey_files(
    surveys: Sequence[SurveyedCrate], files: SurveyFiles, spell: Callable[[Message], str], context: Context, force: bool
) -> list[Path]:
    """Write the requested files of surveys; `spell` spells the fixes for their readers. Raises OutputError and
    UsageError."""
    written: list[Path] = []
    if files.page:
        from .show import FramesPage, show_frames

        pages = [
            FramesPage(crate.label, crate.survey.parts, _spelled(crate.survey.findings, spell), crate.settings)
            for crate in surveys
        ]
        written.append(show_frames(pages, files.page, context, force))
    if files.sarif:
        results = (_result(one, crate, spell) for crate in surveys for one in crate.survey.findings)
        write_alone(files.sarif, sarif_text(results, CODES, context.program.rpartition(" ")[2]))
        written.append(Path(files.sarif))
    if files.write_baseline:
        looked = [crate.survey for crate in surveys]
        fine = {survey.known[one].key: one for survey in looked for one in (*survey.findings, *survey.baselined)}
        write_alone(files.write_baseline, baseline_text(fine))
        written.append(Path(files.write_baseline))
    return written


def _spelled(findings: Sequence[Finding], spell: Callable[[Message], str]) -> list[Finding]:
    return [replace(finding, fix=Message(spell(finding.fix))) for finding in findings]


def _result(one: Finding, crate: SurveyedCrate, spell: Callable[[Message], str]) -> Result:
    known = crate.survey.known[one]
    place = f"{crate.label}, {one.sequence}" if crate.label else one.sequence
    sentence = f"{place}: {spell(Message(one.what))} → {spell(one.fix)}"
    return Result(one.code, one.severity, sentence, known.files, known.key)
