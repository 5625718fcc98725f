"""Whether a crate is what a build would make of it: then there is nothing to do. Loads no picture, and no NumPy."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterable, Sequence
from concurrent.futures import Executor
from pathlib import Path
from typing import NamedTuple

from ..core.crate.origin import Origin, built_from
from ..core.errors import CrateError
from ..core.limits import within
from ..core.model.variant import Skin
from ..format.regular import read_regular
from ..settings.given import typed
from ..settings.table import Settings
from ..sources.find import find
from ..storage.cache import Cache
from ..storage.previous_build import build_before, target_of


class Unchanged(NamedTuple):
    """What is there and as it should be: how many frames, and which files."""

    frames: int
    files: tuple[Path, ...]


def unchanged(
    inputs: Sequence[str],
    out: str,
    settings: Settings,
    cache: Cache,
    executor: Executor,
    program: str,
    skins: Sequence[Skin] = (),
) -> Unchanged | None:
    """The crate that is there, if the same inputs and settings made it, and all of its files are as they were written;
    else None."""
    with within(dict(settings.limit)), contextlib.suppress(CrateError, OSError):  # a build says what is wrong
        target = target_of(out)
        before = build_before(target, cache)
        if not before.built_from or before.claimed != before.own:
            return None
        found = find(inputs, before.claimed).found
        worn = [
            (f"{skin.name}/{number}/", file)
            for skin in skins
            for number, layer in enumerate(skin.layers or (tuple(inputs),))
            for file in find(layer, before.claimed).found
        ]
        everything = [("", file) for file in found] + worn
        known = {file.path: cache.sha256(file.path) for _, file in everything}
        waiting = [path for path, sha256 in known.items() if not sha256]
        known |= dict(zip(waiting, executor.map(lambda path: _read(path, cache), waiting), strict=True))
        files = [Origin(begin + file.name, file.animation or "", known[file.path]) for begin, file in everything]
        if origin_of(settings, target.name, files, program, skins) != before.built_from:
            return None
        return Unchanged(len(before.frames), tuple(map(Path, sorted(before.own))))
    return None


def _read(path: str, cache: Cache) -> str:
    return cache.noted(path, lambda: read_regular(path, "file_bytes"))[1]


def origin_of(settings: Settings, name: str, files: Iterable[Origin], program: str, skins: Sequence[Skin] = ()) -> str:
    """The digest of a build. Templates, fonts and palettes count by what is in them."""
    told = typed(settings) | ({"skin": [skin.told for skin in skins]} if skins else {})
    more = [Origin(os.path.basename(path), "text", _sha256(path)) for path in settings.files]
    without = {"palette": "", "template": "", "font": ""} if more else {}
    return built_from(program, name, {**told, **without}, [*files, *more])


def _sha256(path: str) -> str:
    import hashlib

    return hashlib.sha256(read_regular(path, "file_bytes")).hexdigest()
