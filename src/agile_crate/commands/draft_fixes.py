"""The fixes of a survey's findings that a drafted crate file can have at once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from ..core.inspect.finding import Finding
from ..crate_files.lines import key_line
from ..settings.table import options


class Fix(NamedTuple):
    """Lines of a crate file that fix some findings: for the whole crate, or for one animation."""

    findings: list[Finding]
    lines: list[str]
    animation: str = ""


def fix_plan(findings: Sequence[Finding]) -> tuple[list[Fix], list[Finding]]:
    """Return the fixes that a crate file can have at once, and the findings that none of them fixes."""
    wanted_by_all = _values(findings)
    fixable = [finding for finding in findings if _is_fixed(finding, wanted_by_all)]
    others = [finding for finding in findings if not _is_fixed(finding, wanted_by_all)]
    values = _values(fixable)  # of those alone: a finding that stays open wants nothing of the file
    for_all: dict[str, Fix] = {}
    for_one: dict[str, Fix] = {}
    written: set[tuple[str, str]] = set()
    for finding in fixable:
        wanted = _fixing(finding)
        first, value = wanted[0]
        animation, _, own = value.rpartition("=")
        if animation and options()[first][0].per_animation:
            fix = for_one.setdefault(animation, Fix([], [], animation))
            lines = [key_line(first, own)]
        else:
            fix = for_all.setdefault(first, Fix([], []))
            lines = [_line(name, values[name]) for name, _ in wanted]
        fix.findings.append(finding)
        fix.lines.extend(line for line in lines if (line, fix.animation) not in written)
        written.update((line, fix.animation) for line in lines)
    return [*for_all.values(), *for_one.values()], others


def _is_fixed(finding: Finding, values: Mapping[str, Sequence[str]]) -> bool:
    """Return True if settings of these values fix a finding."""
    wanted = _given(finding, _fixing(finding))
    return bool(wanted) and all(_holds(values[name], value) for name, value in wanted)


def _values(findings: Sequence[Finding]) -> dict[str, list[str]]:
    """Return the values of each setting that all fixes together want: all of a list, the largest number, otherwise the
    first; of a setting for one animation, the first for each."""
    values: dict[str, dict[str, None]] = {}
    for finding in findings:
        for name, value in _given(finding, _fixing(finding)):
            values.setdefault(name, {})[value] = None
    return {name: _agreed(name, list(wanted)) for name, wanted in values.items()}


def _agreed(name: str, values: list[str]) -> list[str]:
    option, _ = options()[name]
    if option.many:
        return values
    if option.per_animation:
        first: dict[str, str] = {}
        for value in values:
            first.setdefault(value.rpartition("=")[0], value)
        return list(first.values())
    return [max(values, key=int)] if all(map(str.isdecimal, values)) else values[:1]


def _holds(agreed: Sequence[str], value: str) -> bool:
    """Return True if the agreed values of a setting do what a value wants."""
    return value in agreed or all(map(str.isdecimal, (*agreed, value)))


def _given(finding: Finding, wanted: Sequence[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return wanted settings with all their values: `exclude` without a name excludes the frames of the finding."""
    return [
        (name, value) for name, given in wanted for value in ([given] if given or name != "exclude" else finding.frames)
    ]


def _fixing(finding: Finding) -> list[tuple[str, str]]:
    """Return the settings and values that fix a finding, or nothing if settings alone cannot.

    A value in capitals is one that only the user knows.
    """
    return [(name, value) for name, value in finding.fix.settings if name in options() and _is_whole(name, value)]


def _is_whole(name: str, value: str) -> bool:
    is_given = bool(value) and not value.rpartition("=")[2].isupper()
    return name == "exclude" or options()[name][0].read is None or is_given


def _line(name: str, values: Sequence[str]) -> str:
    """Return the key of a setting with its values."""
    option, _ = options()[name]
    if option.read is None:
        return key_line(name, True)
    return key_line(name, list(values) if option.many or option.per_animation else values[0])
