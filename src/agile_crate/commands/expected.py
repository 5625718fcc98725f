"""The expected frames of a crate, from their sources, and the expected crate, from its crate file."""

from __future__ import annotations

import dataclasses
import os
from collections.abc import Iterable, Iterator, Mapping, Sequence
from fractions import Fraction
from pathlib import Path
from typing import NamedTuple

from ..core.crate.edits import Edits
from ..core.crate.file_names import sized_name
from ..core.errors import InputError, UsageError
from ..core.limits import Limits
from ..core.message import a_file
from ..core.model.crate import Crate, Frame
from ..core.model.geometry import Box, Offset
from ..core.model.picture import Picture, Sequences
from ..core.model.variant import Variant, base_of
from ..core.rounding import plain
from ..core.text import few, quoted, shown
from ..crate_files.read import Comparison
from ..crate_files.spec import CrateSpec, as_key
from ..exports.formats import FORMATS
from ..exports.texts import further_texts, templates_of
from ..format.document import document_of, first_difference
from ..format.files import read_metadata, sha256_now
from ..format.seal import text_sha256
from ..pipeline.arrange import arranged_sizes
from ..pipeline.context import Context
from ..pipeline.describe import animations_of, plan_of
from ..pipeline.job import LoadRequest
from ..pipeline.load import Frames, load_frames, with_palette
from ..pipeline.prepare import Prepared
from ..settings.given import remembered, settings_from
from ..settings.portions import all_sizes, at_portion
from ..settings.table import Settings
from ..storage.previous_build import target_of


class Source(NamedTuple):
    """The expected frame: the picture that was packed, the one before trimming, the part of its canvas
    that trimming kept, and the alpha up to which it may lose what lies outside."""

    packed: Picture
    untrimmed: Picture
    kept: Box
    trim_alpha: int


class Sources(NamedTuple):
    """The expected frames.

    by_variant  the sources of the base (under an empty name) and of each skin, by the names of frames
    lost        the names of frames whose sources are not what they were when somebody painted on them
    otherwise   what the crate says of scale and animations that its settings and sources do not
    settings_differ   the metadata records other settings than the crate file
    mirrored    pairs of names: a mirrored frame, and the frame that it mirrors about its pivot
    is_joint    the crate has skins whose sources are unknown, so that boxes may hold more than the base keeps
    """

    by_variant: dict[str, dict[str, Source]]
    lost: tuple[str, ...]
    otherwise: list[str]
    settings_differ: bool = False
    mirrored: tuple[tuple[str, str], ...] = ()
    is_joint: bool = False


DIFFERS = "it differs from what its crate file makes of the sources"
"""The beginning of a sentence that names the first difference between the metadata and that of a new build."""

ROUNDING = 1e-5
"""Pixels. Pivots between pixels are floats, and may differ by so much."""

NO_SOURCES = Sources({}, (), [])


def sources_of(crate: Crate, data: Path, comparison: Comparison, edits: Edits, context: Context) -> Sources:
    """Load and prepare the sources of a crate's frames again. With the order of a crate file, its settings count, and
    the crate is compared with everything that they produce; otherwise the settings in the metadata count.

    Raises InputError and UsageError where sources, or settings, cannot be read.
    """
    settings, otherwise = _settings_for(crate, data.name, comparison, context.limits)
    settings_differ = bool(otherwise)
    variants = base_of(comparison.inputs)
    if comparison.spec:
        variants += comparison.spec.variants[1:]
    images = [image for sheet in crate.sheets for image in (sheet.image, *(skin.image for skin in sheet.skins))]
    # The outputs may lie among the frames, and are no sources; nothing else in the folder is believed to be an output.
    own = frozenset(str(data.parent / name) for name in [data.name, *images])
    if settings.font:
        places = [".", str(data.parent), *comparison.inputs]
        settings = dataclasses.replace(settings, font=comparison.font or _font(settings.font, places))
    context = context._replace(limits=context.limits._replace(**dict(settings.limit)))
    wanted = settings
    if settings.matched:
        # Boxes and pivots follow from all sizes; without a crate file at least those of the crate's own size are known.
        whole = comparison.spec.settings if comparison.spec else settings_from(crate.settings)
        wanted = dataclasses.replace(with_palette(whole, context.limits), font=settings.font)
    request = LoadRequest(variants, wanted, own, edits={settings.portion: edits}, for_proof=True)
    try:
        frames = load_frames(request, context)
    except UsageError as error:
        if comparison.spec:
            raise
        raise UsageError(
            "the sources do not match the settings in {} ({}); name the frames that were packed",
            shown(data.name),
            error.message,
        ) from None
    number = next(index for index, size in enumerate(frames.sizes) if size.settings.portion == settings.portion)
    prepared = frames.sizes[number]
    otherwise += _otherwise(crate, frames.sequences, prepared)
    if comparison.spec and not otherwise:
        otherwise += _departures(crate, data.parent, comparison.spec, frames, number, context.limits)
    if comparison.spec and number:
        otherwise += _unmatched(crate, data, settings.portion, context.limits)
    floor = prepared.settings.trim_alpha

    def by_name(variant: Variant) -> dict[str, Source]:
        pairs = zip(variant.pictures, variant.untrimmed, strict=True)
        least = 255 if variant.is_plain else floor
        return {packed.name: Source(packed, picture, kept, least) for packed, (picture, kept) in pairs}

    return Sources(
        {variant.name: by_name(variant) for variant in prepared.variants},
        prepared.lost,
        otherwise,
        settings_differ,
        tuple(_mirrored_pairs(frames.sequences, prepared.settings)),
        bool(floor) and comparison.spec is None and any(sheet.skins for sheet in crate.sheets),
    )


def _settings_for(crate: Crate, data: str, comparison: Comparison, limits: Limits) -> tuple[Settings, list[str]]:
    """Return the settings for a comparison, and sentences on settings that the metadata records differently."""
    spec = comparison.spec
    if spec is None:
        return _settings_of(crate, data), []
    name = target_of(spec.out).name
    sizes = {sized_name(name, size.portion): size for size in all_sizes(spec.settings)}
    if crate.name not in sizes:
        names = few(map(quoted, sizes))
        return _settings_of(crate, data), [f"its name is {quoted(crate.name)}, and the crate file asks for {names}"]
    settings = dataclasses.replace(with_palette(sizes[crate.name], limits), also_scale=())
    return settings, list(_other_settings(crate.settings, remembered(settings)))


def _unmatched(crate: Crate, data: Path, portion: Fraction, limits: Limits) -> Iterator[str]:
    """Yield the first frame whose lengths are not the exact portion of those at the build's own size, whose metadata is
    next to it."""
    own = data.with_name(f"{crate.name.rpartition('@')[0]}{data.suffix}")
    if not own.is_file():
        yield f"{shown(own.name)} is missing, and the sizes are to match"
        return
    by_name = {frame.name: frame for frame in read_metadata(own, limits).frames}
    for frame in crate.frames:
        full = by_name.get(frame.name)
        if full is None or not _are_alike(_lengths(frame, 1), _lengths(full, portion)):
            yield f"frame {quoted(frame.name)} is not an exact multiple of the one in {shown(own.name)}"
            return


def _are_alike(lengths: Sequence[Fraction], others: Sequence[Fraction]) -> bool:
    """Return True if lengths are equal. Pivots between pixels may differ by their rounding."""
    return all(abs(a - b) < ROUNDING for a, b in zip(lengths, others, strict=True))


def _lengths(frame: Frame, portion: Fraction | int) -> list[Fraction]:
    return [Fraction(side) * portion for side in (*frame.box, *frame.canvas, *frame.offset, *frame.pivot)]


def _other_settings(found: Mapping[str, object], wanted: Mapping[str, object]) -> Iterator[str]:
    for name in sorted({*found, *wanted}):
        if found.get(name) != wanted.get(name):
            key = as_key(name, "")
            built = f"with {_as_key(name, found[name])}" if name in found else f"without {key}"
            request = f"asks for {_as_key(name, wanted[name])}" if name in wanted else f"has no {key}"
            yield f"built {built}, and the crate file {request}"


def _as_key(name: str, value: object) -> str:
    if value is True:
        return f"{as_key(name, '')} = true"
    return as_key(name, ", ".join(map(str, value)) if isinstance(value, (list, tuple)) else str(value))


def _departures(
    crate: Crate, folder: Path, spec: CrateSpec, frames: Frames, number: int, limits: Limits
) -> Iterator[str]:
    """Yield where the crate differs from a new build of the same spec: names, sheets, places, files.

    Places are compared only if they follow from the sources alone: not with `keep_places`, and not if frames carry
    edits by hand.
    """
    prepared = frames.sizes[number]
    settings, result = prepared.settings, arranged_sizes(frames.sequences, frames.sizes)[number]
    templates = templates_of(settings.template, settings.set, limits)
    plan = plan_of(target_of(spec.out).name, frames.sequences, prepared, result, templates)
    depends = settings.keep_places or any(frame.edited for frame in crate.frames)
    made, found = (_without_digests(either, depends) for either in (plan.crate, crate))
    if place := first_difference(document_of(made), document_of(found)):
        yield f"{DIFFERS}: {place}"
        return
    yield from (f"{shown(name)} is missing" for name in plan.texts if not (folder / name).is_file())
    larger = _has_larger(settings, spec)
    others = [name for name in settings.metadata if not FORMATS[name].is_metadata]
    formats = [name for name in others if not (larger and FORMATS[name].uses_larger)]
    for name, text in further_texts(crate._replace(file_sha256={}), crate.name, formats, templates, settings.compact):
        if sha256_now(folder / name, limits) not in ("", text_sha256(text)):
            yield f"{shown(name)} differs from what its crate file makes of the crate"


def _has_larger(settings: Settings, spec: CrateSpec) -> bool:
    """Return True if the build has larger sizes: a style sheet names their sheets, which are not read here."""
    return any(size.portion > settings.portion for size in all_sizes(spec.settings))


def _without_digests(crate: Crate, without_places: bool) -> Crate:
    """Return the crate without digests, and on request without sheets and places."""
    sheets = tuple(
        sheet._replace(sha256="", skins=tuple(skin._replace(sha256="") for skin in sheet.skins))
        for sheet in crate.sheets
    )
    frames = tuple(frame._replace(crc="", edited=False) for frame in crate.frames)
    if without_places:
        sheets = ()
        nowhere = Box(0, 0, 0, 0)
        frames = tuple(
            frame._replace(on_sheet=0, box=nowhere, turned=False, mirror="", offset=Offset(0, 0)) for frame in frames
        )
    return crate._replace(
        sheets=sheets, frames=frames, generator="", files=(), file_sha256={}, built_from="", settings={}
    )


def _mirrored_pairs(sequences: Sequences, settings: Settings) -> Iterator[tuple[str, str]]:
    """Yield each frame of a mirrored animation with the frame that it mirrors, unless it has its own shift or pivot."""
    by_name = {sequence.name: sequence for sequence in sequences}
    for sequence in sequences:
        if sequence.making != "mirrored" or sequence.origin not in by_name:
            continue
        shift, pivot = settings.shift.of(sequence.origin), settings.pivot.of(sequence.origin)
        mirrored = shift and Offset(-shift.x, shift.y), pivot and pivot.mirrored
        if mirrored == (settings.shift.of(sequence.name), settings.pivot.of(sequence.name)):
            frames = sequence.frames, by_name[sequence.origin].frames
            yield from ((mirror.name, original.name) for mirror, original in zip(*frames, strict=True))


def _otherwise(crate: Crate, sequences: Sequences, prepared: Prepared) -> Iterator[str]:
    """Yield where the crate's scale, or its animations, are not what settings and sources make them. Animations may
    name fewer frames, or others, only if sources are missing, which is reported elsewhere."""
    if crate.scale != (scale := plain(prepared.factor)):
        yield f"scale is {crate.scale}, and its settings make it {scale}"
    names = [frame.name for sequence in sequences for frame in sequence.frames]
    if {frame.name for frame in crate.frames} != set(names):
        return
    wanted = animations_of(sequences, prepared.settings)
    if [animation.name for animation in crate.animations] != [animation.name for animation in wanted]:
        listed = (few(quoted(animation.name) for animation in some) or "none" for some in (crate.animations, wanted))
        yield "the animations are {}, and should be {}".format(*listed)
        return
    for found, made in zip(crate.animations, wanted, strict=True):
        frames = [crate.frames[index].name for index in found.frames if index < len(crate.frames)]
        pairs = (
            ("frames", frames, [names[index] for index in made.frames]),
            *((key, getattr(found, key), getattr(made, key)) for key in ("durations", "loop", "times", "fps", "beats")),
        )
        wrong = [key for key, is_, should in pairs if is_ != should]
        if wrong:
            yield f"animation {quoted(found.name)} has other {few(wrong)} than its settings and sources make"


def _settings_of(crate: Crate, data: str) -> Settings:
    """The settings by which the crate's frames were taken, as its metadata records them."""
    try:
        settings = settings_from(crate.settings)
        if isinstance(settings.palette, str) and settings.palette:
            raise UsageError("palette: only colors are recorded, such as #201830,#f0f0f0")
        return at_portion(settings, settings.also_scale[0]) if settings.also_scale else settings
    except UsageError as error:
        raise InputError("{}: settings: {}", a_file(data), str(error)) from None


def _font(name: str, places: Iterable[str]) -> str:
    """Find a font by its name in folders, or next to files. Raises InputError."""
    for place in places:
        for folder in (place, os.path.dirname(place)):
            if os.path.isfile(path := os.path.join(folder, name)):
                return path
    raise InputError("the font {} is not next to the frames; name its path with {font}", quoted(name))
