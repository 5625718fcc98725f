"""Write a crate file for surveyed folders, or for a command line."""

from __future__ import annotations

import math
import os
import shlex
import textwrap
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from ..core.crate.file_names import CRATE_FILE_ENDING, is_crate_file
from ..core.errors import UsageError
from ..core.inspect.finding import NOTE, Finding
from ..core.message import Message, setting
from ..core.names import natural_key
from ..core.text import counted, few, measured, shown
from ..crate_files.lines import animation_head, commented, crate_head, crate_lines, key_line, skin_head, toml
from ..crate_files.proposal import Proposal, ProposedCrate, proposals_for
from ..crate_files.read import folders_like
from ..crate_files.spec import in_crate_file
from ..pipeline.context import Context
from ..settings.given import typed
from ..settings.table import Settings, options
from ..sources.find import searched
from ..storage.staging import refuse_existing, write_alone
from .draft_fixes import fix_plan
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

FPS_LINE = "# fps = 12  # the frame rate, if the files have none"

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
    layout the draft chose, and `reason` the sentence on it; `skins` are the folders drafted as skins."""

    findings: int
    fixes: int
    layout: str
    reason: str
    skins: tuple[str, ...] = ()


class Draft(NamedTuple):
    """A crate file that was written, and its crates by name."""

    path: Path
    crates: Mapping[str, DraftedCrate]


def draft(inputs: Sequence[str], out: str, context: Context, force: bool = False) -> Draft:
    """Survey the inputs and write a crate file: one crate for each input, or for each folder in it if those are alike.

    Raises UsageError, InputError and OutputError.
    """
    check(out, force)
    parts = [_head(out)]
    crates: dict[str, DraftedCrate] = {}
    names = _names_of(inputs)
    for given, name in zip(inputs, names, strict=True):
        if is_crate_file(given):
            raise UsageError(f"{shown(given)} is a crate file already; name the folders that hold frames")
        for proposal in _proposals(given, name, context):
            if any(crate.name in crates for crate in proposal.crates):
                proposal = Proposal(proposal.crates)  # each gets a name of its own
            surveys = {_free(crate.name, crates): (crate, survey([crate.folder], context)) for crate in proposal.crates}
            crates |= {name: _drafted(crate, looked) for name, (crate, looked) in surveys.items()}
            parts += ("\n".join([*lines, ""]) for lines in _tables(given, proposal, surveys, out))
    return Draft(write_alone(out, "\n".join(parts)), crates)


Surveys = Mapping[str, tuple[ProposedCrate, Survey]]
"""Crates of a proposal by their names, each with its survey."""


def _proposals(given: str, name: str, context: Context) -> list[Proposal]:
    """Return the crates that an input seems to be."""
    if not os.path.isdir(given):
        return [Proposal((ProposedCrate(name, given),))]
    found = searched([given], frozenset(), context.limits).found
    return proposals_for(given.rstrip("/" + os.sep) or given, name, [file.name for file in found])


def _drafted(crate: ProposedCrate, looked: Survey) -> DraftedCrate:
    chosen, reason = _layout(looked)
    fixes = sum(len(fix.findings) for fix in fix_plan(looked.findings)[0])
    skins = tuple(skin for skin, _ in crate.skins)
    return DraftedCrate(len(looked.findings), fixes, chosen["layout"], reason, skins)


def _tables(given: str, proposal: Proposal, surveys: Surveys, out: str) -> Iterator[Iterator[str]]:
    """Yield the lines of each table of a proposal: of one for each crate, after that of a pattern if it has one."""
    layouts = [_layout(looked) for _, looked in surveys.values()]
    names = [chosen["layout"] for chosen, _ in layouts]
    shared = list(_pixel_lines(looked for _, looked in surveys.values()))
    usual = layouts[names.index(max(names, key=names.count))]
    if proposal.pattern:
        yield _each_lines(given, proposal, surveys, [*_layout_lines(*usual), *shared], out)
    for (name, (crate, looked)), layout in zip(surveys.items(), layouts, strict=True):
        if proposal.pattern:
            own = [] if layout[0] == usual[0] else list(_layout_lines(*layout))
            own += [] if shared else _pixel_lines([looked])
            yield _own_lines(name, crate, looked, own)
        else:
            yield _crate_lines(name, crate, looked, layout, out)


def _each_lines(given: str, proposal: Proposal, surveys: Surveys, shared: Iterable[str], out: str) -> Iterator[str]:
    """Yield the table of a pattern. It leaves out the folders that hold no frames now."""
    matching = {name for name, _ in folders_like(".", proposal.pattern)}
    others = sorted(matching.difference(crate.name for crate in proposal.crates), key=natural_key)
    yield f"# {counted(len(surveys), 'folder')} of {shown(given)} are alike: one crate for each, and for each new one."
    yield f"[each.{toml(_from(proposal.pattern, out))}]"
    yield 'out = "build/{name}"'
    if others:
        yield f"except = {toml(others)}"
    if proposal.skins:
        yield f"skins = {toml(_from(proposal.skins, out))}  # folders with the frames of the base, in other art"
    yield from shared
    yield FPS_LINE


def _pixel_lines(surveys: Iterable[Survey]) -> Iterator[str]:
    """Yield the settings that keep hard-edged art of few colors so when it is scaled."""
    sequences = [sequence for looked in surveys for sequence in looked.sequences]
    if not all(sequence.hard_edged_colors for sequence in sequences):
        return
    yield from _folded("Hard-edged art of few colors: scaled by whole factors, it keeps its pixels.")
    yield key_line("resample", "pixel")
    if (side := math.gcd(*(sequence.pixel_size for sequence in sequences))) > 1:
        yield f"# scale = {toml(f'1/{side}')}  # every pixel is drawn {side}×{side} large"


def _layout_lines(chosen: Mapping[str, str], reason: str) -> Iterator[str]:
    yield from _folded(reason)
    yield from (key_line(field, value) for field, value in chosen.items())


def _own_lines(name: str, crate: ProposedCrate, looked: Survey, layout: Sequence[str]) -> Iterator[str]:
    """Yield the lines of a crate that the table of a pattern makes."""
    yield crate_head(name)
    yield from _about(looked)
    yield from layout
    yield from _fixes(name, crate.folder, looked.findings)


def _crate_lines(
    name: str, crate: ProposedCrate, looked: Survey, layout: tuple[dict[str, str], str], out: str
) -> Iterator[str]:
    yield from _about(looked)
    yield from crate_lines(name, [_from(crate.folder, out)], f"build/{name}", {})
    yield from _layout_lines(*layout)
    yield from _pixel_lines([looked])
    yield FPS_LINE
    yield from _fixes(name, crate.folder, looked.findings)
    for skin, folder in crate.skins:
        yield ""
        yield "# It has the base's frames in other art. If it is an animation instead, remove this table."
        yield skin_head(name, skin)
        yield f"from = {toml(_from(folder, out))}"


def draft_of(inputs: Sequence[str], target: str, settings: Settings, out: str) -> Path:
    """Write a crate file that builds the same as a command line, over an existing file (`check` looks before)."""
    name = os.path.splitext(os.path.basename(target))[0]
    settings_here = {key: _relative_setting(key, value, out) for key, value in typed(settings).items()}
    lines = crate_lines(name, [_from(path, out) for path in inputs], _from(target, out), settings_here)
    return write_alone(out, "\n".join([_head(out), *lines, ""]))


def _head(out: str) -> str:
    return HEAD.format(name=shown(shlex.quote(os.path.basename(out))))


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


def _names_of(inputs: Sequence[str]) -> list[str]:
    """Return a name for each input: that of its folder or file, or of the folder above if several have one name."""
    paths = [os.path.abspath(given) for given in inputs]
    parts = [
        (path if os.path.isdir(path) else os.path.splitext(path)[0]).replace(os.sep, "/").split("/")[::-1]
        for path in paths
    ]
    names: list[str] = []
    for own in parts:
        others = [other for other in parts if other is not own]
        depth = next((at for at, part in enumerate(own) if all(other[at : at + 1] != [part] for other in others)), 0)
        names.append(_plain(own[depth]))
    return names


def _plain(name: str) -> str:
    return "".join(letter if letter.isalnum() or letter in "_-" else "_" for letter in name).strip("_") or "crate"


def _free(name: str, others: Collection[str]) -> str:
    """Return a crate's name, with a number if another crate has it."""
    names = (name if number == 1 else f"{name}-{number}" for number in range(1, len(others) + 2))
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
    fixes, others = fix_plan(findings)
    for fix in (fix for fix in fixes if not fix.animation):
        yield from ("", *_listed(fix.findings), *commented(fix.lines))
    serious = [finding for finding in others if finding.severity != NOTE]
    if serious:
        yield from ("", *_listed(serious, len(serious)))
    if notes := len(others) - len(serious):
        line = shlex.join(["agile-crate", "survey", given, "--notes"])
        yield from ("", f"# {counted(notes, 'more note')}: {shown(line)}")
    for fix in (fix for fix in fixes if fix.animation):
        yield from ("", *_listed(fix.findings), *commented([animation_head(crate, fix.animation), *fix.lines]))


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
