"""Findings on the terminal, the worst first; a code with many findings gets a summary."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

from .wording import as_text

if TYPE_CHECKING:
    from ..core.inspect.finding import Finding

STYLES = {"error": "bold red", "warning": "bold yellow", "note": "bold blue"}

FEW = 2
"""The most findings of one code that are printed in full."""

PLACES = 4
"""Places, or frames of one place, that are named; the others are counted."""


def print_findings(findings: Sequence[Finding], in_full: bool, whole: bool) -> None:
    """Print findings, the worst first; each `in_full`, with the `whole` list of its frames."""
    from ..core.inspect.findings import by_code

    for group in by_code(findings):
        if in_full or len(group) <= FEW:
            for finding in group:
                _print_one(finding, whole)
        else:
            _print_many(group)
    if findings:
        print()


def _print_one(finding: Finding, whole: bool) -> None:
    from ..core.text import shown
    from .tables import print_heading, print_note

    names = _frames(finding, None if whole else PLACES)
    where = f", {names}" if names else ""
    print_heading(finding.severity, STYLES[finding.severity], f"{finding.code}: {shown(finding.sequence)}{where}")
    print_note(shown(as_text(finding.what)))
    print_note(f"→ {shown(as_text(finding.fix))}")


def _print_many(group: Sequence[Finding]) -> None:
    from ..core.inspect.finding import CODES
    from ..core.text import few, shown
    from .tables import print_heading, print_note

    first = group[0]
    print_heading(first.severity, STYLES[first.severity], f"{first.code}, {len(group):,} times: {CODES[first.code]}")
    print_note(few((_place(finding) for finding in group), PLACES))
    fixes = {as_text(finding.fix) for finding in group}
    print_note(f"→ {shown(fixes.pop())}" if len(fixes) == 1 else f"→ --code {first.code} shows each with its fix")


def _place(finding: Finding) -> str:
    from ..core.text import shown

    names = _frames(finding, 1)
    return f"{shown(finding.sequence)} ({names})" if names else shown(finding.sequence)


def _frames(finding: Finding, most: int | None) -> str:
    from ..core.text import few

    names: Iterable[str] = [name.rpartition("/")[2] for name in finding.frames]
    return few(names, len(finding.frames) if most is None else most)
