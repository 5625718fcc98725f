"""Find out if a crate is up to date, without decoding pictures and without loading NumPy."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from ..core.crate.origin import Origin
from ..core.errors import CrateError
from ..format.regular import read_regular
from ..pipeline.context import Context
from ..pipeline.job import BuildJob, DiskState, name_rules, origin_of
from ..sources.find import Search, find
from ..storage.cache import Cache
from ..storage.previous_build import previous_build


@dataclass(frozen=True, slots=True)
class Unchanged:
    """A crate that is up to date: how many frames it has, and which files."""

    frames: int
    files: tuple[Path, ...]


def look_up(job: BuildJob, context: Context) -> Unchanged | DiskState | None:
    """Return the existing crate if the same inputs and settings made it, and all of its files are as they were
    written; otherwise what was found of it, which the build goes on from. None if that fails: the build says why."""
    limits = job.limits(context.limits)
    context = context._replace(limits=limits)
    with contextlib.suppress(CrateError, OSError):
        previous = previous_build(job.target, limits, context.cache)
        look = partial(find, own=previous.claimed, limits=limits, rules=name_rules(job.settings))
        found = {job.inputs: look(job.inputs)}
        for skin in job.variants[1:]:
            found |= {layer: look(layer) for layer in skin.layers if layer not in found}
        if not context.cache or not previous.built_from or previous.claimed != previous.own:
            return DiskState(previous, found)
        files = tuple(_origins(job, found, context.cache, context))
        origin = origin_of(job, files, context)
        if origin != previous.built_from:
            return DiskState(previous, found, files, origin)
        return Unchanged(len(previous.frames), tuple(map(Path, sorted(previous.own))))
    return None


def _origins(job: BuildJob, found: dict[tuple[str, ...], Search], cache: Cache, context: Context) -> list[Origin]:
    """Return what frames come from, in the order in which a build reads them. Files that the cache does not know are
    read, on all threads."""
    base, *skins = job.variants
    layers = [("", found[base.layers[0]])] + [
        (f"{skin.name}/{number}/", found[layer])
        for skin in skins
        for number, layer in enumerate(skin.layers or base.layers)
    ]
    files = [(begin, file) for begin, search in layers for file in search.found]
    known = {file.path: cache.sha256(file.path) for _, file in files}
    unknown = [path for path, sha256 in known.items() if not sha256]

    def read(path: str) -> str:
        return cache.noted(path, lambda: read_regular(path, context.limits, "file_bytes"))[1]

    known |= dict(zip(unknown, context.pool.map(read, unknown), strict=True))
    return [Origin(begin + file.name, file.animation or "", known[file.path]) for begin, file in files]
