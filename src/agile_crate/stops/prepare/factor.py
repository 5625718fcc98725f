"""By how much frames are scaled, and how."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction

from ...core.frame.canvas import largest
from ...core.frame.wishes import Scaling
from ...core.model.geometry import Size
from ...settings.table import Settings


def scaling_of(settings: Settings, factor: Fraction | int) -> Scaling:
    """The scaling by a factor, as the settings want it done."""
    return Scaling(Fraction(factor), settings.resample == "smooth", settings.align)


def factor_of(settings: Settings, canvases: Iterable[Size]) -> Fraction:
    """By how much frames are scaled in all. `canvases` are those before fitting."""
    if not settings.fit:
        return settings.scale
    most = largest(canvases)
    return min(Fraction(settings.fit.w, most.w), Fraction(settings.fit.h, most.h)) * settings.portion
