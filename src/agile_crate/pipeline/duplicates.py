"""Which frames show the same, as they will be stored."""

from __future__ import annotations

from collections.abc import Sequence

from ..core.frame import likeness as core
from ..core.model.picture import Exposure, Picture, Sequences
from ..core.motion.take import Likeness
from ..settings.table import Settings
from ..workers.pool import Crew
from .prepare import as_stored
from .select import pictures_of
from .skins import Drawings, Worn


def likeness(
    sequences: Sequences, drawings: Drawings, skins: Sequence[Worn], settings: Settings, executor: Crew
) -> Likeness:
    """What says whether two frames of these sequences show the same, in the base and in every skin: scaled, cleared,
    and in the colours of the palette. Drawings and settings are those of the build's own size, which decides for
    all."""

    numbers = [frame.drawing for sequence in sequences for frame in sequence.frames]

    def stored(which: Drawings, plain: bool = False) -> dict[int, Picture]:
        pictures = pictures_of(sequences, [drawing[0] for drawing in which])
        return dict(zip(numbers, as_stored(pictures, sequences, settings, executor, plain), strict=True))

    wardrobe = [stored(drawings), *(stored(skin.drawings, skin.skin.plain) for skin in skins)]

    def alike(a: Exposure, b: Exposure) -> bool:
        return all(core.alike(pictures[a.drawing], pictures[b.drawing], settings.alike) for pictures in wardrobe)

    return alike
