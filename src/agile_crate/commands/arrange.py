"""Arrange frames in memory: the crate and its sheets as arrays, by the same pipeline, without files."""

from __future__ import annotations

from collections.abc import Mapping

from ..core.errors import InputError, UsageError
from ..core.message import setting
from ..core.model.variant import base_of
from ..core.pixels import Pixels
from ..pipeline.arrange import arranged
from ..pipeline.context import Context
from ..pipeline.describe import plan_of
from ..pipeline.draw import SheetRows
from ..pipeline.job import LoadRequest
from ..pipeline.load import load_frames
from ..pipeline.write import finish_of
from ..settings.table import Settings
from .load import Loaded

WRITTEN = ("template", "also_scale", "set", "optimize", "font")
"""Settings that are about files alone."""


def arrange(frames: Mapping[str, Pixels], settings: Settings, context: Context) -> Loaded:
    """Select, prepare and arrange frames, arrays of shape (h, w, 4), uint8, straight alpha, by their names. The sheets
    are as they would be written, but never indexed. Raises UsageError, InputError and FitError."""
    for name in WRITTEN:
        if settings.given.get(name):
            raise UsageError("{} is for files; leave it out", setting(name))
    if not frames:
        raise InputError("there are no frames: give at least one array")
    loaded = load_frames(LoadRequest(base_of(()), settings, arrays=dict(frames)), context)
    (prepared,) = loaded.sizes
    plan = plan_of("crate", loaded.sequences, prepared, arranged(loaded.sequences, prepared), (), context.program)
    sheets = tuple(
        finish_of(plan, 0).apply(SheetRows(plan, 0, index, context)(range(sheet.size.h)))
        for index, sheet in enumerate(plan.crate.sheets)
    )
    return Loaded(plan.crate, sheets, None, (*loaded.warnings, *plan.warnings), context.limits)
