"""Arrangement: give prepared frames their places on sheets."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ..core.arrange.layout import Arranged, LayoutRequest
from ..core.arrange.layouts import LAYOUTS
from ..core.model.crate import Crate
from ..core.model.picture import Sequences
from .prepare import Prepared


def arranged_sizes(
    sequences: Sequences, sizes: Sequence[Prepared], layout: Callable[[Prepared], Crate | None] = lambda _: None
) -> list[Arranged]:
    """Arrange all sizes of a build, matched sizes together. `layout` returns the previous crate of a size, for
    `keep_places`. Raises FitError."""
    settings = sizes[0].settings
    if not settings.matched:
        return [arranged(sequences, prepared, layout(prepared)) for prepared in sizes]
    from .match import arranged_together

    return arranged_together(sequences, sizes, settings.unit, layout(sizes[0]))


def arranged(sequences: Sequences, prepared: Prepared, previous: Crate | None = None) -> Arranged:
    """Arrange prepared frames on sheets by the layout of their settings. `previous` is the previous crate, whose places
    frames may have to keep. Raises FitError."""
    settings = prepared.settings
    skins = [skin.pictures for skin in prepared.variants[1:]]
    request = LayoutRequest(sequences, prepared.pictures, skins, settings.layout_options, previous)
    return LAYOUTS[settings.layout].arrange(request)
