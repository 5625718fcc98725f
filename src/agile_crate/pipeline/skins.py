"""The skins of a build: each drawing of the base in other art, with its layers merged."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction
from functools import partial

from ..core.crate.origin import Origin
from ..core.errors import InputError
from ..core.frame.decode import Decoding, on_multiple, scaled_picture
from ..core.frame.layers import drawn_over_each_other, laid_over_each_other
from ..core.frame.options import Scaling
from ..core.message import Message
from ..core.model.picture import Picture, Vector
from ..core.model.variant import Variant
from ..core.names import Matching, matched
from ..core.text import counted, few, measured, quoted, shown
from ..sources.read_options import ReadOptions
from .context import Context
from .gather import Gathered, gather
from .job import LoadRequest

Drawings = tuple[tuple[Picture, ...], ...]


def gather_skin(
    skin: Variant, base: Gathered, request: LoadRequest, decoding: Decoding, options: ReadOptions, context: Context
) -> Gathered:
    """Return the drawings of a skin in the order of the base's, whose inputs it takes if it has no layers.

    Raises InputError for frames that are missing, or of another size than the base's.
    """
    key = None if skin.is_plain else decoding.color_key
    as_drawn = Decoding(key, (Scaling(Fraction(1)),), keeps_vectors=True, region=decoding.region)
    options = options._replace(to_srgb=options.to_srgb and not skin.is_plain)
    layers: list[dict[str, Picture]] = []
    files: list[Origin] = []
    warnings: list[Message] = []
    names = [drawing[0].name for drawing in base.drawings]
    sources = skin.layers or request.variants[0].layers
    for number, layer in enumerate(sources):
        gathered = gather(request.files_of(layer, context.limits), as_drawn, options, context)
        pictures = {drawing[0].name: drawing[0] for drawing in gathered.drawings}
        found = matched(names, pictures)
        label = (
            f"layer {number + 1} of the skin {quoted(skin.name)}"
            if len(sources) > 1
            else f"the skin {quoted(skin.name)}"
        )
        warnings += _mismatches(label, found, skin.may_miss)
        layers.append({name: pictures[own] for name, own in found.pairs.items()})
        files += [Origin(f"{skin.name}/{number}/{file.name}", file.animation, file.sha256) for file in gathered.files]
    make = partial(_made, skin=skin, layers=layers, decoding=decoding)
    drawings = tuple(context.pool.map(make, base.drawings))
    _refuse_other_sizes(skin, base.drawings, drawings)
    return base._replace(drawings=drawings, warnings=tuple(warnings), files=tuple(files))


def _mismatches(label: str, found: Matching, may_miss: bool) -> Iterator[Message]:
    """Yield a warning for each kind of mismatch between a skin's frames and the base's. Raises InputError for missing
    frames, unless they may be missing."""
    if found.missing and not may_miss:
        raise InputError(
            f"{label} lacks {few(map(quoted, found.missing))}, which the base has; draw the missing frames, or write "
            'missing = "base"'
        )
    if found.missing:
        count = counted(len(found.missing), "frame")
        yield Message(f"{label} lacks {count}, which the base shows instead: {few(map(shown, found.missing), 4)}")
    if found.extra:
        count = counted(len(found.extra), "frame")
        yield Message(f"{label} has {count} that the base lacks; not packed: {few(map(shown, found.extra), 4)}")
    if found.renumbered:
        pairs = few((f"{shown(own)} for {shown(name)}" for name, own in found.renumbered), 4)
        yield Message(f"{label} has other digits in its numbers than the base; matched by number: {pairs}")


def _made(
    drawing: tuple[Picture, ...], skin: Variant, layers: Sequence[dict[str, Picture]], decoding: Decoding
) -> tuple[Picture, ...]:
    """Make one drawing of the skin, at all sizes."""
    name = drawing[0].name
    if name not in layers[0]:
        return drawing
    pictures = [layer[name]._replace(name=name) for layer in layers if name in layer]
    for other in pictures[1:]:
        if other.canvas != pictures[0].canvas:
            raise InputError(
                f"the skin {quoted(skin.name)}: {quoted(name)} is {measured(other.canvas)} on one layer, and "
                f"{measured(pictures[0].canvas)} on the lowest; bring them to one canvas"
            )
    made = on_multiple(laid_over_each_other(pictures), decoding)
    drawings = [picture.vector for picture in pictures if picture.vector]
    if len(drawings) == len(pictures):
        vector = Vector(made.canvas, partial(drawn_over_each_other, drawings))
        made = made._replace(vector=vector)
    scaled = (scaled_picture(made, scaling) for scaling in decoding.scalings)
    return tuple(picture if decoding.keeps_vectors else picture._replace(vector=None) for picture in scaled)


def _refuse_other_sizes(skin: Variant, base: Drawings, drawings: Drawings) -> None:
    pairs = ((picture[0], original[0]) for picture, original in zip(drawings, base, strict=True))
    other = next(((picture, original) for picture, original in pairs if picture.canvas != original.canvas), None)
    if other:
        picture, original = other
        raise InputError(
            f"the skin {quoted(skin.name)}: {quoted(picture.name)} is {measured(picture.canvas)}, and the base's is "
            f"{measured(original.canvas)}; bring both to one canvas"
        )
