"""Options of reading picture files."""

from __future__ import annotations

from typing import NamedTuple

from ..core.limits import USUAL, Limits
from ..core.model.geometry import Size

LAYERS_APART = ("separate", "all")
"""Values of the setting `layers` for which each layer is a frame."""


class ReadOptions(NamedTuple):
    """Reading options that files do not contain.

    layers       ``separate``, ``all`` or ``flat``; by default each layer of a layered document is a frame, and a
                 drawing in vectors or a render is one
    to_srgb      convert other colors
    vector_size  for drawings that have no size of their own
    font         the file of the font for text in drawings
    exposure     of rendered light, in stops
    limits       the most that is read of a file
    """

    layers: str = ""
    to_srgb: bool = False
    vector_size: Size | None = None
    font: str = ""
    exposure: float = 0
    limits: Limits = USUAL


PLAIN = ReadOptions()
"""The default options."""
