"""Write a crate file for surveyed folders, or for a command line."""

from __future__ import annotations

import math
import os
import textwrap
from collections.abc import Collection, Iterator, Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from ..core.crate.file_names import CRATE_FILE_ENDING, is_crate_file
from ..core.errors import UsageError
from ..core.inspect.finding import NOTE, Finding
from ..core.message import Message, setting
from ..core.text import counted, few, measured, shown
from ..crate_files.lines import animation_head, commented, crate_lines, key_line
from ..crate_files.spec import in_crate_file
from ..pipeline.context import Context
from ..settings.given import typed
from ..settings.table import Settings, options
from ..storage.staging import refuse_existing, write_alone
from .survey import Survey, survey

SMALL_CANVAS_SIDE = 64
"""Pixels. Canvases up to so large are most often pixel art, which stays on its canvas."""

MOST_EMPTY = 0.5
"""A grid is suggested where no more than this share of the canvases is empty."""

LISTED = 60
"""Animations that are listed by name."""

FULLY_LISTED = 3
"""The most findings with one fix that are listed; the rest is counted."""

WIDTH = 100
"""Characters of a comment's line."""

HEAD = """\
# A crate file of Agile Crate. To build it:
#
#     agile-crate pack {name}
#
# Paths are relative to this file. Every option of `agile-crate pack --help` is a key here, without its dashes:
# --max-size 1024x1024 is max-size = [1024, 1024]. Lines that start with # are comments; remove the # to apply one.
"""


class DraftedCrate(NamedTuple):
    """A crate of a draft. `fixes` counts the findings for which the file has a setting, commented out; `layout` is the
    layout the draft chose, and `reason` the sentence that says why."""

    findings: int
    fixes: int
    layout: str
    reason: str


class Draft(NamedTuple):
    """A crate file that was written, and its crates by name."""

    path: Path
    crates: Mapping[str, DraftedCrate]


def draft(inputs: Sequence[str], out: str, context: Context, force: bool = False) -> Draft:
    """Survey the inputs and write a crate file with one crate for each.

    Raises UsageError, InputError and OutputError.
    """
    check(out, force)
    parts = [HEAD.format(name=os.path.basename(out))]
    crates: dict[str, DraftedCrate] = {}
    for given in inputs:
        if is_crate_file(given):
            raise UsageError(f"{shown(given)} is a crate file already; name the folders that hold frames")
        name = _name_of(given, crates)
        looked = survey([given], context)
        chosen, reason = _layout(looked)
        fixes = sum(bool(_fixing(finding)) for finding in looked.findings)
        crates[name] = DraftedCrate(len(looked.findings), fixes, chosen["layout"], reason)
        lines = [
            *_about(looked),
            *crate_lines(name, [_from(given, out)], f"build/{name}", {}),
            *_folded(reason),
            *(key_line(field, value) for field, value in chosen.items()),
            "# fps = 12  # the frame rate, if the files have none",
            *_fixes(name, given, looked.findings),
        ]
        parts.append("\n".join([*lines, ""]))
    return Draft(write_alone(out, "\n".join(parts)), crates)


def draft_of(inputs: Sequence[str], target: str, settings: Settings, out: str) -> Path:
    """Write a crate file that builds the same as a command line, over an existing file (`check` looks before)."""
    name = os.path.splitext(os.path.basename(target))[0]
    settings_here = {key: _relative_setting(key, value, out) for key, value in typed(settings).items()}
    lines = crate_lines(name, [_from(path, out) for path in inputs], _from(target, out), settings_here)
    return write_alone(out, "\n".join([HEAD.format(name=os.path.basename(out)), *lines, ""]))


def check(out: str, force: bool = False) -> None:
    """Raise UsageError for a name that no crate file has, and OutputError for an existing file."""
    path = Path(os.path.abspath(out))
    if not force:
        refuse_existing(path.parent, [path.name])
    if not is_crate_file(out):
        raise UsageError(
            "{}: a crate file's name ends in {}, such as otter.crate.toml", setting("out", out), CRATE_FILE_ENDING
        )


def _from(path: str, out: str) -> str:
    """Return a path as the crate file at `out` writes it: with /, and relative to its folder if possible."""
    folder = os.path.dirname(os.path.abspath(out))
    try:
        return os.path.relpath(path, folder).replace(os.sep, "/")
    except ValueError:  # another drive
        return os.path.abspath(path)


def _relative_setting(key: str, value: object, out: str) -> object:
    """Return a setting as the crate file writes it: with paths relative to the file."""
    if not options()[key][0].kind.is_path:
        return value
    if isinstance(value, list):
        return [_from(path, out) for path in value]
    return value if str(value).startswith("#") else _from(str(value), out)


def _name_of(given: str, others: Collection[str]) -> str:
    """Return a crate's name: that of its folder or file, with a number if it is taken."""
    base = os.path.basename(os.path.abspath(given))
    stem = base if os.path.isdir(given) else os.path.splitext(base)[0]
    plain = "".join(letter if letter.isalnum() or letter in "_-" else "_" for letter in stem).strip("_") or "crate"
    names = (plain if number == 1 else f"{plain}-{number}" for number in range(1, len(others) + 2))
    return next(name for name in names if name not in others)


def _about(looked: Survey) -> Iterator[str]:
    frames = sum(sequence.frames for sequence in looked.sequences)
    animations = [sequence for sequence in looked.sequences if sequence.name is not None]
    yield f"# {counted(frames, 'frame')}, {counted(len(animations), 'animation')}:"
    width = max((len(shown(summary.name or "")) for summary in animations), default=0)
    for summary in animations[:LISTED]:
        yield f"#   {shown(summary.name or ''):{width}}  {counted(summary.frames, 'frame')}, {measured(summary.canvas)}"
    if len(animations) > LISTED:
        yield f"#   and {len(animations) - LISTED:,} more"
    yield from (
        f"#   {counted(summary.frames, 'still')}, {measured(summary.canvas)}"
        for summary in looked.sequences
        if summary.name is None
    )


def _layout(looked: Survey) -> tuple[dict[str, str], str]:
    """Return the suitable layout's settings, and a sentence that says why."""
    areas = [math.prod((summary.frames, *summary.canvas)) for summary in looked.sequences]
    ratios = [summary.empty_ratio for summary in looked.sequences]
    empty = sum(area * ratio for area, ratio in zip(areas, ratios, strict=True)) / sum(areas)
    canvases = {summary.canvas for summary in looked.sequences}
    if max(map(max, canvases)) <= SMALL_CANVAS_SIDE and len(canvases) == 1:
        return {"layout": "grid"}, f"All canvases are small, {measured(canvases.pop())}: a grid of cells."
    if empty <= MOST_EMPTY and len(canvases) == 1:
        reason = f"All canvases have one size, and only {empty:.0%} of their area is empty: a grid of cells."
        return {"layout": "grid"}, reason
    return {"layout": "tight", "gap": "2"}, (
        f"{empty:.0%} of the canvas area is empty: a tight sheet needs the least memory. "
        'For an engine that cuts sheets into cells, choose "blocks" or "grid".'
    )


def _fixes(crate: str, given: str, findings: Sequence[Finding]) -> Iterator[str]:
    """Yield the findings with their suggested fixes, commented out: first for the crate, then for one animation."""
    for_all: dict[str, list[Finding]] = {}
    for_one: dict[str, dict[str, list[Finding]]] = {}
    values: dict[str, list[str]] = {}
    with_it: dict[str, list[str]] = {}
    others: list[Finding] = []
    for finding in findings:
        wanted = _fixing(finding)
        if not wanted:
            others.append(finding)
            continue
        (first, value), *more = wanted
        animation, _, own = value.rpartition("=")
        if animation and options()[first][0].per_animation:
            for_one.setdefault(animation, {}).setdefault(key_line(first, own), []).append(finding)
            continue
        for_all.setdefault(first, []).append(finding)
        for name, value in wanted:
            own_values = [value] if value or name != "exclude" else finding.frames
            values.setdefault(name, []).extend(own_values)
        with_it.setdefault(first, []).extend(name for name, _ in more)
    written: set[str] = set()
    for first, findings in for_all.items():
        names = [name for name in dict.fromkeys((first, *with_it[first])) if name not in written]
        written.update(names)
        yield from ("", *_listed(findings))
        yield from commented([_line(name, list(dict.fromkeys(values[name]))) for name in names])
    serious = [finding for finding in others if finding.severity != NOTE]
    if serious:
        yield from ("", *_listed(serious, len(serious)))
    if notes := len(others) - len(serious):
        yield from ("", f"# {counted(notes, 'more note')}: agile-crate survey {shown(given)} --notes")
    for animation, lines in for_one.items():
        yield from ("", *_listed([line for own_values in lines.values() for line in own_values]))
        yield from commented([animation_head(crate, animation), *lines])


def _fixing(finding: Finding) -> list[tuple[str, str]]:
    """Return the settings and values that fix a finding, or nothing if settings alone cannot.

    A value in capitals is one that only the user knows.
    """
    return [(name, value) for name, value in finding.fix.settings if name in options() and _is_whole(name, value)]


def _is_whole(name: str, value: str) -> bool:
    is_given = bool(value) and not value.rpartition("=")[2].isupper()
    return name == "exclude" or options()[name][0].read is None or is_given


def _line(name: str, values: Sequence[str]) -> str:
    """Return one key for several findings: all items of a list, the largest number, otherwise the first value."""
    option, _ = options()[name]
    if option.read is None:
        return key_line(name, True)
    if option.many:
        return key_line(name, list(values))
    return key_line(name, max(values, key=int) if all(map(str.isdecimal, values)) else values[0])


def _listed(findings: Sequence[Finding], most: int = FULLY_LISTED) -> Iterator[str]:
    for finding in findings[:most]:
        frames = f" ({few(name.rpartition('/')[2] for name in finding.frames)})" if finding.frames else ""
        comment = f"{finding.severity}: {shown(finding.sequence)}{frames}: {finding.what}"
        if most != FULLY_LISTED:
            comment += f"; {in_crate_file(Message(finding.fix))}"
        yield from _folded(comment)
    if len(findings) > most:
        yield f"# and {len(findings) - most:,} more of this kind"


def _folded(text: str) -> list[str]:
    """Fold a comment between words."""
    return textwrap.wrap(text, WIDTH, initial_indent="# ", subsequent_indent="#     ", break_on_hyphens=False)
