"""The reasons why a crate is stale: how it differs from what a build would leave. Nothing is written."""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping
from pathlib import Path

from ..core.crate.edits import source_crc
from ..core.model.crate import Crate
from ..core.text import counted, few, shown
from ..crate_files.dependencies import metadata_of
from ..crate_files.read import Comparison
from ..crate_files.spec import CrateSpec
from ..format.files import read_metadata
from ..pipeline.context import Context
from ..storage.previous_build import PreviousBuild
from .expected import Source, sources_of


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
    sources = sources_of(crate, data, Comparison(spec.inputs, spec, spec.settings.font), {}, context)
    frames = sources.by_variant[""]
    yield from _frames(crate, frames, sources.settings_differ)
    # Added and removed frames make the document differ in many places; files that were named need no second sentence.
    named = tuple(f"{name} " for name, _ in files)
    if sources.settings_differ or frames.keys() == {frame.name for frame in crate.frames}:
        yield from (sentence for sentence in sources.otherwise if not sentence.startswith(named))


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
