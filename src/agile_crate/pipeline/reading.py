"""How files are to be read, by the settings."""

from __future__ import annotations

from ..settings.table import Settings
from ..sources.read_options import Reading


def reading_of(settings: Settings) -> Reading:
    """Raises InputError for a font that cannot be read."""
    if settings.font:
        from ..sources.vector import font_family

        font_family(settings.font)
    return Reading(settings.layers, settings.to_srgb, settings.vector_size, settings.font, settings.exposure)
