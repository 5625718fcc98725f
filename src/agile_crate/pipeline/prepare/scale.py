"""The step that scales to fit, and checks that every frame has pixels left."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction

from ...core.errors import FitError, UsageError
from ...core.frame.decode import LARGEST_CANVAS
from ...core.frame.options import Scaling
from ...core.frame.scale import is_whole, scaled_canvas
from ...core.message import Message, message
from ...core.model.geometry import Size
from ...core.text import few, measured, quoted
from ...settings.table import Settings
from .factor import Drawing, art_together, drawing_of, factor_of, made_of_size, scaling_of
from .step import Decision, Lineup, Step, alike


def decide(facts: Iterable[Drawing], lineup: Lineup, settings: Settings) -> Decision[Scaling]:
    drawings = list(facts)
    canvases = [drawing.canvas for drawing in drawings]
    factor = factor_of(settings, drawings, lineup)
    if factor == 1:
        return Decision()
    if settings.scales_late:
        canvases = [scaled_canvas(canvas, factor) for canvas in canvases]
    _refuse_lost(factor, canvases, lineup)
    percent = f"{float(factor * 100):.6g}%"
    shown = few(map(measured, dict.fromkeys(canvases)), 3)
    uneven = message(
        "{resample:pixel} keeps pixels even at whole factors only, and this is {}: some rows and columns "
        "are lost, or doubled, and others are not",
        percent,
    )
    return Decision(
        alike(scaling_of(settings, factor), lineup) if settings.scales_late else (),
        (Message(f"scaled to {percent}: canvases of {shown}"),),
        (uneven,) if settings.resample == "pixel" and not is_whole(factor) else (),
    )


def _refuse_lost(factor: Fraction, canvases: list[Size], lineup: Lineup) -> None:
    by = f"scaled by {float(factor):.4g}"
    other = message("{scale} or {fit}")
    vanished = [quoted(name) for name, canvas in zip(lineup.names, canvases, strict=True) if min(canvas) < 1]
    if vanished:
        raise UsageError("{}, nothing is left of {}; choose a larger {}", by, few(vanished), other)
    grown = next((pair for pair in zip(lineup.names, canvases, strict=True) if max(pair[1]) > LARGEST_CANVAS), None)
    if grown:
        raise FitError(
            "{}, {} would be {}, and no canvas may be longer than {} pixels; choose a smaller {}",
            by,
            quoted(grown[0]),
            measured(grown[1]),
            LARGEST_CANVAS,
            other,
        )


def scales_late(settings: Settings) -> bool:
    """Return True if frames are scaled here, and not at first sight."""
    return settings.scales_late


STEP = Step(drawing_of, decide, made_of_size, scales_late, art_together, is_shared=True, scales=True)
