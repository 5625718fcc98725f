"""Settings that cannot stand together."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from .core.text import measured

if TYPE_CHECKING:
    from .settings import Settings


def contradictions(settings: Settings) -> Iterator[str]:
    """Sentences on settings that exclude each other, or that do nothing without another."""
    if settings.scale != 1 and settings.fit:
        yield "--scale and --fit both say how large frames become; leave one of them out"
    if settings.palette and settings.colors:
        yield "--palette and --colors both say which colours there are; leave one of them out"
    if settings.dither and not (settings.palette or settings.colors):
        yield "--dither mixes the colours of a palette; give --palette or --colors with it"
    if (settings.shape_points or settings.shape_of != "frame") and not settings.shape:
        asked = "--shape-points" if settings.shape_points else "--shape-of"
        yield f"{asked} says more about a shape; give --shape with it"
    if settings.layout == "strip" and (settings.columns or settings.rows):
        asked = "--columns" if settings.columns else "--rows"
        yield f"--layout strip is one row by itself; leave {asked} out, or leave the layout at grid"
    if settings.pow2 and settings.multiple & (settings.multiple - 1):
        yield f"--pow2 and --multiple {settings.multiple} cannot both hold; leave one of them out"
    size = settings.size
    if size is None:
        return
    rules: Sequence[tuple[bool, str]] = (
        (settings.pow2 and bool(size.w & (size.w - 1) or size.h & (size.h - 1)), "--pow2"),
        (settings.square and size.w != size.h, "--square"),
        (bool(size.w % settings.multiple or size.h % settings.multiple), f"--multiple {settings.multiple}"),
    )
    for broken, rule in rules:
        if broken:
            yield f"--size {measured(size)} and {rule} cannot both hold; leave one of them out"
