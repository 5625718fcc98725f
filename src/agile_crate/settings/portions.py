"""The same build at another size: settings in pixels of the drawing are multiplied along with the scale."""

from __future__ import annotations

import dataclasses
from fractions import Fraction

from ..core.frame.options import Outline, PivotOptions
from ..core.model.geometry import Cells, Offset, Size
from ..core.rounding import half_up
from .table import PerAnimation, Settings


def at_portion(settings: Settings, portion: Fraction) -> Settings:
    """Return the settings for a crate of `portion` of the size: the scale, and with it shift, outline, pivots in
    pixels, canvas, cell and sheet size, each rounded to whole pixels where it must be. Gaps, margins, cushions and
    limits stay."""

    def shift(by: Offset | None) -> Offset | None:
        return None if by is None else Offset(half_up(by.x * portion), half_up(by.y * portion))

    def pivot(options: PivotOptions | None) -> PivotOptions | None:
        if options is None or options.unit != "px":
            return options
        return options._replace(x=options.x * portion, y=options.y * portion)

    def size(given: Size) -> Size:
        return Size(*(max(1, half_up(side * portion)) for side in given))

    def outline(line: Outline) -> Outline:
        return line._replace(width=max(1, half_up(line.width * portion)))

    cell = settings.cell and size(settings.cell)
    return dataclasses.replace(
        settings,
        portion=portion,
        also_scale=(),
        scale=settings.scale * portion,
        shift=PerAnimation(
            shift(settings.shift.everyone), tuple((name, shift(by)) for name, by in settings.shift.named)
        ),
        pivot=PerAnimation(
            pivot(settings.pivot.everyone), tuple((name, pivot(wish)) for name, wish in settings.pivot.named)
        ),
        outline=settings.outline and outline(settings.outline),
        canvas=size(settings.canvas) if isinstance(settings.canvas, Size) else settings.canvas,
        cell=cell,
        size=_sheet_size(settings, cell, settings.size and size(settings.size)),
    )


def _sheet_size(settings: Settings, cell: Size | None, size: Size | None) -> Size | None:
    """Return what holds the cells at another size of the build, or the scaled size, grown to what the rules allow."""
    if size is None:
        return None
    if cell and settings.columns and settings.rows:
        size = Cells(cell, settings.columns, settings.rows, settings.kept_margin, settings.kept_gap).extent
    return settings.sheet_rules._replace(exact=None).sheet_size(size)


def all_sizes(settings: Settings) -> tuple[Settings, ...]:
    """The settings of each crate of a build, the one at its own size first."""
    return (settings, *(at_portion(settings, portion) for portion in settings.also_scale))
