"""The skins of a build: for each frame of the base the same one in other art, read, laid together, and of its size."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from collections.abc import Set as AbstractSet
from fractions import Fraction
from functools import partial
from typing import NamedTuple

from ..core.crate.origin import Origin
from ..core.errors import InputError
from ..core.frame.decode import FirstLook, scaled_picture
from ..core.frame.layers import drawn_over_each_other, has_color, laid_over_each_other, recolored
from ..core.frame.options import Scaling
from ..core.message import Sentence
from ..core.model.picture import Picture, Vector
from ..core.model.variant import Skin
from ..core.text import few, measured, quoted
from ..settings.table import Settings
from ..storage.cache import Cache
from ..storage.frame_cache import keeping
from ..workers.pool import Crew
from ..workers.progress import Progress
from .gather import gather
from .reading import reading_of

Drawings = tuple[tuple[Picture, ...], ...]
"""All drawings that were read, each once for each size of the build."""


class Worn(NamedTuple):
    """A skin's drawings, in the order of the base's, and which files they came from, if frames are kept."""

    skin: Skin
    drawings: Drawings
    files: tuple[Origin, ...]
    warnings: tuple[Sentence, ...] = ()


def worn(
    skin: Skin,
    base: Drawings,
    inputs: Sequence[str],
    own: AbstractSet[str],
    settings: Settings,
    first: FirstLook,
    executor: Crew,
    progress: Progress,
    kept: tuple[Cache, str] | None,
) -> Worn:
    """A skin for drawings of the base, whose `inputs` are taken where the skin names none.

    Raises InputError for frames that are missing, or of another size than the base's.
    """
    look = FirstLook(None if skin.plain else first.color_key, (Scaling(Fraction(1)),), keeps_vectors=True)
    reading = reading_of(settings)._replace(to_srgb=settings.to_srgb and not skin.plain)
    layers: list[dict[str, Picture]] = []
    files: list[Origin] = []
    for number, layer in enumerate(skin.layers or (tuple(inputs),)):
        keeps = keeping(*kept, look, reading) if kept else None
        gathered = gather(layer, own, executor, progress, look, reading, keeps)
        layers.append({drawing[0].name: drawing[0] for drawing in gathered.drawings})
        files += [Origin(f"{skin.name}/{number}/{file.name}", file.animation, file.sha256) for file in gathered.files]
    names = [drawing[0].name for drawing in base]
    _refuse_missing(skin, names, layers)
    make = partial(_made, skin=skin, layers=layers, first=first)
    drawings = tuple(executor.map(make, base))
    _refuse_other_sizes(skin, base, drawings)
    return Worn(skin, drawings, tuple(files), tuple(_idle(skin, layers)))


def _idle(skin: Skin, layers: Sequence[dict[str, Picture]]) -> Iterator[Sentence]:
    """A warning of colours that are nowhere."""
    pictures = [picture.pixels for layer in layers for picture in layer.values()]
    idle = [old for old, _ in skin.exchange if not any(has_color(pixels, old) for pixels in pictures)]
    if idle:
        verb = "is" if len(idle) == 1 else "are"
        told = few(color.hex for color in idle)
        yield Sentence(f"the skin {quoted(skin.name)} exchanges {told}, which {verb} in no frame, exactly so")


def _refuse_missing(skin: Skin, names: Sequence[str], layers: Sequence[dict[str, Picture]]) -> None:
    if skin.may_miss:
        return
    for number, layer in enumerate(layers, 1):
        if missing := [name for name in names if name not in layer]:
            which = f"layer {number} of the skin" if len(layers) > 1 else "the skin"
            raise InputError(
                f"{which} {quoted(skin.name)} has no {few(map(quoted, missing))}, which the base has; draw what is "
                'missing, or write missing = "base"'
            )


def _made(
    drawing: tuple[Picture, ...], skin: Skin, layers: Sequence[dict[str, Picture]], first: FirstLook
) -> tuple[Picture, ...]:
    """One drawing of the skin, at all sizes."""
    name = drawing[0].name
    if name not in layers[0]:
        return drawing
    pictures = [layer[name] for layer in layers if name in layer]
    for other in pictures[1:]:
        if other.canvas != pictures[0].canvas:
            raise InputError(
                f"the skin {quoted(skin.name)}: {quoted(name)} is {measured(other.canvas)} on one layer, and "
                f"{measured(pictures[0].canvas)} on the lowest; bring them to one canvas"
            )
    made = laid_over_each_other(pictures)
    if skin.exchange:
        made = made._replace(pixels=recolored(made.pixels, skin.exchange))
    drawings = [picture.vector for picture in pictures if picture.vector]
    if len(drawings) == len(pictures):
        vector = Vector(made.canvas, partial(drawn_over_each_other, drawings, skin.exchange))
        made = made._replace(vector=vector)
    scaled = (scaled_picture(made, scaling) for scaling in first.scalings)
    return tuple(one if first.keeps_vectors else one._replace(vector=None) for one in scaled)


def _refuse_other_sizes(skin: Skin, base: Drawings, drawings: Drawings) -> None:
    pairs = ((mine[0], its[0]) for mine, its in zip(drawings, base, strict=True))
    other = next(((mine, its) for mine, its in pairs if mine.canvas != its.canvas), None)
    if other:
        mine, its = other
        raise InputError(
            f"the skin {quoted(skin.name)}: {quoted(mine.name)} is {measured(mine.canvas)}, and the base's is "
            f"{measured(its.canvas)}; bring both to one canvas"
        )
