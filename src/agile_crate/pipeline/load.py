"""The first half of the pipeline: gather → select → prepare. A build and its proof both use it, with one request."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterator, Mapping, Sequence
from fractions import Fraction
from functools import cache, partial
from typing import TYPE_CHECKING, NamedTuple

from ..core.crate.origin import Origin
from ..core.frame.likeness import alike
from ..core.frame.visible import on_canvas, visible_box
from ..core.limits import Limits
from ..core.message import Message
from ..core.model.picture import Picture, SequenceFrame, Sequences
from ..core.model.variant import Variant, Variants
from ..core.motion.strays import stray_warning, strays
from ..core.motion.take import Likeness, is_of_use
from ..settings.portions import all_sizes
from ..settings.table import Settings
from ..sources.read_options import ReadOptions
from .context import Context
from .gather import Gathered, gather, gather_arrays, gather_parts
from .job import LoadRequest
from .prepare import Prepared, as_stored, decoding_of, needs_no_pixels, prepare
from .select import each, pictures_of, resolved, select_frames

if TYPE_CHECKING:
    from ..core.motion.take import Likeness


class Frames(NamedTuple):
    """Frames that are ready to be arranged, or to be compared.

    sequences  in crate order
    sizes      the pictures for each size of the build
    skipped    counts files that are no frames, by kind
    warnings   for the user
    files      which the frames came from, if frames are cached
    """

    sequences: Sequences
    sizes: tuple[Prepared, ...]
    skipped: Mapping[str, int]
    warnings: tuple[Message, ...]
    files: tuple[Origin, ...] = ()


def load_frames(request: LoadRequest, context: Context) -> Frames:
    """Load, select and prepare frames. Raises InputError, UsageError and FitError."""
    if not request.parts:  # they may lie in the pixel store
        context.pixels.begin_anew()
    settings = with_palette(request.settings, context.limits)
    # Steps know settings alone, and some obey limits.
    settings = dataclasses.replace(settings, limit=tuple(context.limits._asdict().items()))
    sizes = (*_deciding(settings), *all_sizes(settings))
    extra = len(sizes) - len(all_sizes(settings))  # decoded to tell duplicates, and not built
    gathered = _gather_variants(request, sizes, context)
    variants = request.variants
    duplicates = partial(_likeness, gathered=gathered, variants=variants, settings=sizes[0], context=context)
    sequences, remarkable, remarks = select_frames(gathered[0].sequences, settings, duplicates)
    each("shift", settings.shift, sequences)
    each("pivot", settings.pivot, sequences)
    warnings = (
        *(warning for layer in gathered for warning in layer.warnings),
        *_strays(gathered[0], sequences),
        *remarkable,
    )
    loaded = Frames(sequences, (), gathered[0].skipped, warnings, tuple(_files(gathered)))
    found = gathered[0].remarks
    by_size = [_at_size(variants, gathered, sequences, number) for number in range(extra, len(sizes))]
    del gathered, duplicates  # each size's pixels go as soon as it is prepared
    # The sizes share drawings, but no pixels: each list is popped, so that what one size no longer needs is freed
    # before the next one is scaled and trimmed.
    prepared: list[Prepared] = []
    for size in sizes[extra:]:
        edits = request.edits.get(size.portion, {})
        prepared.append(
            prepare(by_size.pop(0), sequences, resolved(size, sequences), context, request.for_proof, edits)
        )
    if settings.unit > 1 or (settings.matched and len(prepared) > 1):
        from .match import matched

        prepared = list(matched(prepared, settings.unit))
    prepared[0] = prepared[0]._replace(remarks=(*found, *remarks, *prepared[0].remarks))
    return loaded._replace(sizes=tuple(prepared))


def _gather_variants(request: LoadRequest, sizes: Sequence[Settings], context: Context) -> list[Gathered]:
    """Return what the inputs of each variant hold; a skin's drawings in the order of the base's."""
    settings, skins = request.settings, request.variants[1:]
    decoding, options = decoding_of(sizes), read_options(settings, context.limits)
    if request.arrays:
        return [gather_arrays(request.arrays, decoding, context)]
    if request.parts:
        return [gather_parts(request.parts, context)]
    # Deferred pixels are read while sheets are drawn. That needs frames that nobody looks at before: no step, no skin
    # that is held against them, no edit that is laid over them. The cache holds pixels, so it wants them now.
    has_edits = any(request.edits.values())
    may_defer = request.may_defer and len(sizes) == 1 and needs_no_pixels(sizes[0])
    may_defer &= not (context.cache or skins or has_edits)
    is_used = partial(is_of_use, include=settings.include, exclude=settings.exclude)
    inputs = request.variants[0].layers[0]
    if not skins:
        return [gather(request.files_of(inputs, context.limits), decoding, options, context, may_defer, is_used)]
    from .skins import gather_skin

    # A skin must have every frame of the base, so nothing of the base is left out as unused.
    base = gather(request.files_of(inputs, context.limits), decoding, options, context)
    return [base, *(gather_skin(skin, base, request, decoding, options, context) for skin in skins)]


def _files(gathered: Sequence[Gathered]) -> list[Origin]:
    return [file for layer in gathered for file in layer.files]


def _at_size(variants: Variants, gathered: Sequence[Gathered], sequences: Sequences, number: int) -> list[Variant]:
    """Return the variants with their pictures of one size, in crate order."""
    return [
        variant._replace(pictures=pictures_of(sequences, [drawing[number] for drawing in layer.drawings]))
        for variant, layer in zip(variants, gathered, strict=True)
    ]


def _strays(gathered: Gathered, selected: Sequences) -> Iterator[Message]:
    """Yield a warning of each frame that seems to be missing in an animation, unless it is left out or renamed."""

    @cache
    def drawings() -> dict[str, Picture]:
        return {frame.name: gathered.drawings[frame.drawing][0] for s in gathered.sequences for frame in s.frames}

    def fits(*names: str) -> bool:
        from ..core.inspect.miniature import is_between, miniature, sketch_of

        drawn = [drawings()[name] for name in names]
        if any(picture.file for picture in drawn):  # its pixels were not read yet
            return False
        whole = (on_canvas(picture.pixels, picture.offset, picture.canvas) for picture in drawn)
        return is_between(*(sketch_of(miniature(pixels, visible_box(pixels))) for pixels in whole))

    names = {frame.name for sequence in selected for frame in sequence.frames}
    yield from (stray_warning(stray) for stray in strays(gathered.sequences, fits) if stray.frame in names)


def _likeness(
    sequences: Sequences, gathered: Sequence[Gathered], variants: Variants, settings: Settings, context: Context
) -> Likeness:
    """Return what tells whether two frames of these sequences show the same in every variant: scaled, cleared, and in
    the colors of the palette. Pictures and settings are those of the build's own size, which decides for all."""
    numbers = [frame.drawing for sequence in sequences for frame in sequence.frames]
    stored: list[dict[int, Picture]] = [
        dict(zip(numbers, as_stored(variant, sequences, settings, context), strict=True))
        for variant in _at_size(variants, gathered, sequences, 0)
    ]

    def same(a: SequenceFrame, b: SequenceFrame) -> bool:
        return all(alike(pictures[a.drawing], pictures[b.drawing], settings.tolerance) for pictures in stored)

    return same


def _deciding(settings: Settings) -> tuple[Settings, ...]:
    """Return the settings of the build's own size if these are for another one and duplicates are dropped: which
    frames a build has is decided at its own size, in the proof of another size as well."""
    if settings.portion == 1 or not (settings.drop_duplicates or settings.drop_closing):
        return ()
    return (dataclasses.replace(settings, portion=Fraction(1), scale=settings.scale / settings.portion),)


def read_options(settings: Settings, limits: Limits) -> ReadOptions:
    """Return how files are read. Raises InputError for a font that cannot be read."""
    if settings.font:
        from ..sources.vector import font_family

        font_family(settings.font, limits)
    return ReadOptions(
        settings.layers, settings.to_srgb, settings.vector_size, settings.font, settings.exposure, limits
    )


def with_palette(settings: Settings, limits: Limits) -> Settings:
    """Return settings with the palette's colors in place of its file, so that a proof does not need the file."""
    if not isinstance(settings.palette, str) or not settings.palette:
        return settings
    from ..sources.palette_file import read_palette

    colors = read_palette(settings.palette, limits)
    given = {**settings.given, "palette": ",".join(color.hex for color in colors)}
    return dataclasses.replace(settings, palette=colors, given=given)
