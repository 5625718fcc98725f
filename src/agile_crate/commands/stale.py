"""The reasons why a crate is stale. Nothing is written."""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Iterator, Mapping
from pathlib import Path

from ..core.crate.edits import source_crc
from ..core.crate.skins import skins_of
from ..core.model.crate import Crate
from ..core.text import counted, few, quoted, shown
from ..crate_files.dependencies import metadata_of
from ..crate_files.read import Comparison
from ..crate_files.spec import CrateSpec, as_key
from ..format.files import read_metadata
from ..pipeline.context import Context
from ..settings.table import Settings
from ..storage.previous_build import PreviousBuild
from .expected import DIFFERS, Source, sources_of


def reasons(spec: CrateSpec, previous: PreviousBuild, context: Context) -> Iterator[str]:
    """Yield why a crate is stale, the simplest reasons first: its files, the program, its settings, its frames."""
    data = Path(metadata_of(os.path.abspath(spec.out), spec.settings))
    if previous.conflicts:
        yield f"conflict markers from a merge in {few(map(shown, previous.conflicts))}"
        return
    if not data.is_file():
        yield f"{shown(data.name)} is missing" if previous.proven or previous.claimed else "it was never built"
        return
    files = [(shown(os.path.basename(path)), os.path.isfile(path)) for path in sorted(previous.claimed - previous.own)]
    yield from (f"{name} {'was edited' if exists else 'is missing'}" for name, exists in files)
    crate = read_metadata(data, context.limits)
    if crate.generator != context.program:
        yield f"{crate.generator or 'another program'} built it, and this is {context.program}"
    if not crate.built_from:
        yield "it was built without a record of its inputs"
    comparison = Comparison(spec.inputs, spec, spec.settings.font)
    sources = sources_of(crate, data, comparison, {}, context)
    frames = list(_frames(crate, sources.by_variant[""], sources.settings_differ))
    yield from frames
    # These changes also change the document in other places, which need no sentence of their own.
    if named_so := [*_spacing(crate, spec.settings), *_skin_names(crate, spec)]:
        yield from named_so
        return
    named = (*(f"{name} " for name, _ in files), *([DIFFERS] if frames else []))
    yield from (sentence for sentence in sources.otherwise if not sentence.startswith(named))
    if not files and not sources.settings_differ:
        yield from _changed_skins(crate, str(data), comparison, context)


def _spacing(crate: Crate, settings: Settings) -> Iterator[str]:
    """Yield changed keys of the arrangement, as far as sheets show them. The metadata does not record these keys."""
    for name, built, wanted in (
        ("gap", {sheet.gap for sheet in crate.sheets}, settings.kept_gap),
        ("margin", {sheet.margin for sheet in crate.sheets}, settings.kept_margin),
        ("edge_repeat", {sheet.edge_repeat for sheet in crate.sheets}, settings.edge_repeat),
        ("columns", {sheet.cells.columns for sheet in crate.sheets[:1] if sheet.cells}, settings.columns),
        ("rows", {sheet.cells.rows for sheet in crate.sheets[:1] if sheet.cells}, settings.rows),
    ):
        is_chosen = name not in ("columns", "rows") or wanted
        if is_chosen and built and built != {wanted}:
            (found, *_) = sorted(built)
            yield f"built with {as_key(name, str(found))}, and the crate file asks for {as_key(name, str(wanted))}"


def _skin_names(crate: Crate, spec: CrateSpec) -> Iterator[str]:
    """Yield the skins that were added and removed."""
    built, wanted = skins_of(crate), [skin.name for skin in spec.variants[1:]]
    for names, verb in (
        ([name for name in wanted if name not in built], "added"),
        ([name for name in built if name not in wanted], "removed"),
    ):
        if names:
            yield f"{counted(len(names), 'skin')} {verb} ({few(map(shown, names), 4)})"


def _changed_skins(crate: Crate, data: str, comparison: Comparison, context: Context) -> Iterator[str]:
    """Yield the skins whose frames changed."""
    if not skins_of(crate):
        return
    from .verify import verify  # reads the sheets of all skins

    changed: dict[str, list[str]] = defaultdict(list)
    for difference in verify(data, comparison, context).differences:
        if difference.skin:
            changed[difference.skin].append(difference.frame)
    for name, frames in changed.items():
        yield f"skin {quoted(name)}: {counted(len(frames), 'frame')} changed ({few(map(shown, frames), 4)})"


def _frames(crate: Crate, sources: Mapping[str, Source], settings_differ: bool) -> Iterator[str]:
    """Yield the frames that were added and removed, and, if the settings are the same, those that changed."""
    names = {frame.name for frame in crate.frames}
    added = [name for name in sources if name not in names]
    removed = [frame.name for frame in crate.frames if frame.name not in sources]
    changed = [
        frame.name
        for frame in crate.frames
        if not settings_differ and frame.crc and (source := sources.get(frame.name))
        if source.packed.canvas != frame.canvas or source_crc(crate, frame, source.packed) != frame.crc
    ]
    for found, verb in ((added, "added"), (removed, "removed"), (changed, "changed")):
        if found:
            yield f"{counted(len(found), 'frame')} {verb} ({few(map(shown, found), 4)})"
