"""Prepare crates for a page: read their images, texts and skins."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping, Sequence
from pathlib import Path
from types import MappingProxyType

from ..core.crate.changes import Change
from ..core.inspect.finding import Finding
from ..core.limits import Limits
from ..core.model.crate import Crate
from ..exports.formats import FORMATS
from ..exports.png import encode_png
from ..format.regular import read_regular
from ..pipeline.context import Context
from ..sources.sheets import sheet_bytes
from ..views.page_view import Against, PageCrate, inlined
from .load import Loaded


def page_crate(
    loaded: Loaded,
    context: Context,
    label: str = "",
    findings: Sequence[Finding] = (),
    skins: Mapping[str, Loaded] = MappingProxyType({}),
    before: tuple[str, Loaded, Sequence[Change]] | None = None,
) -> PageCrate:
    """Return a crate for a page that stands alone. `before` is a crate to compare with: its name, itself, and what
    changed since."""

    def images(loaded: Loaded) -> list[str]:
        if loaded.folder and loaded.crate.alpha == "straight":  # the very files that ship
            return [inlined(sheet_bytes(loaded.folder, sheet, context.limits)) for sheet in loaded.crate.sheets]
        sheets = (loaded.bands(index, sheet.size.h) for index, sheet in enumerate(loaded.crate.sheets))
        return [inlined(b"".join(encode_png(whole, context.pool))) for (whole,) in sheets]

    against = None
    if before:
        name, other, found = before
        against = Against(name, other.crate, images(other), found)
    texts = texts_beside(loaded.crate, loaded.folder, context.limits) if loaded.folder else ()
    skin_images = {name: images(skin) for name, skin in skins.items()}
    return PageCrate(loaded.crate, images(loaded), label, findings, skin_images, against, texts)


def texts_beside(crate: Crate, folder: Path, limits: Limits) -> list[tuple[str, str]]:
    """Return the text files that templates made of a crate, by name. Missing, very long and binary files are left out,
    and files that are not named after the crate."""
    found: list[tuple[str, str]] = []
    ours = {f"{crate.name}{ending}" for text_format in FORMATS.values() for ending in text_format.endings}
    for name in crate.files:
        if name in ours or not name.startswith(f"{crate.name}."):
            continue
        with contextlib.suppress(OSError, ValueError):
            found.append((name, read_regular(folder / name, limits, "text_bytes").decode("utf-8")))
    return found
