"""The first half of the road: gather → take → prepare. A build and its proof both walk it, with the same settings."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping, Sequence
from collections.abc import Set as AbstractSet
from fractions import Fraction
from functools import partial
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple

from ..core.crate.origin import Origin
from ..core.message import Sentence
from ..core.model.picture import Sequences
from ..core.motion.take import is_of_use
from ..settings.portions import all_sizes
from ..settings.table import Settings
from ..workers.pool import Crew
from ..workers.progress import Progress
from .gather import gather
from .prepare import Prepared, first_look, needs_no_pixels, prepare
from .prepare import Worn as WornOnTheWay
from .reading import reading_of
from .select import each, pictures_of, settled, taken

if TYPE_CHECKING:
    from ..core.crate.edits import Touches
    from ..core.model.variant import Skin
    from ..core.motion.take import Likeness
    from ..storage.cache import Cache
    from .skins import Drawings, Worn


class Intake(NamedTuple):
    """Frames ready to be arranged: the sequences, their pictures for each size of the build, and what was passed over
    on the way; which files they came from, if frames are kept. Settings are those that were given, the palette's file
    read."""

    sequences: Sequences
    sizes: tuple[Prepared, ...]
    passed_over: Mapping[str, int]
    warnings: tuple[Sentence, ...]
    files: tuple[Origin, ...] = ()


def intake(
    inputs: Sequence[str],
    own: AbstractSet[str],
    settings: Settings,
    executor: Crew,
    progress: Progress,
    for_proof: bool = False,
    touches: Mapping[Fraction, Touches] = MappingProxyType({}),
    kept: tuple[Cache, str] | None = None,
    skins: Sequence[Skin] = (),
    may_be_late: bool = False,
) -> Intake:
    """Inputs as frames that are ready to be arranged, or, `for_proof`, to be compared with what came back. `touches`
    are those of each size, by its portion. `kept` is where frames are kept from build to build, and the program's
    version. `skins` are the same frames in other art. Where pixels `may_be_late`, they are left to be read when they
    are drawn, if they are many and nothing asks for them before that.

    Raises InputError, UsageError and FitError.
    """
    executor.room.begin_anew()
    sizes = all_sizes(with_palette(settings))
    deciding = _deciding(sizes[0])
    at_first, reading = first_look((*deciding, *sizes)), reading_of(settings)
    keeps = None
    if kept:
        from ..storage.frame_cache import keeping

        keeps = keeping(*kept, at_first, reading)
    may_be_late &= len(sizes) == 1 and not (kept or skins or touches) and needs_no_pixels(sizes[0])
    wanted = None if skins else partial(is_of_use, include=settings.include, exclude=settings.exclude)  # they need all
    gathered = gather(inputs, own, executor, progress, at_first, reading, keeps, may_be_late, wanted)
    wardrobe: list[Worn] = []
    if skins:
        from .skins import worn

        how = (inputs, own, settings, at_first, executor, progress, kept)
        wardrobe = [worn(skin, gathered.drawings, *how) for skin in skins]
    told_apart = partial(
        _likeness, drawings=gathered.drawings, skins=wardrobe, settings=(*deciding, *sizes)[0], executor=executor
    )
    sequences, remarkable, remarks = taken(gathered.sequences, settings, told_apart)
    each("shift", settings.shift, sequences)
    each("pivot", settings.pivot, sequences)
    sizes = tuple(settled(one, sequences) for one in sizes)
    by_size = list(zip(*gathered.drawings, strict=True))[len(deciding) :]
    waiting = [pictures_of(sequences, drawings) for drawings in by_size]
    clothes = [[] for _ in sizes] if not wardrobe else _by_size(sequences, wardrobe)[len(deciding) :]
    idle = (warning for one in wardrobe for warning in one.warnings)
    passed_over, warnings = gathered.passed_over, (*gathered.warnings, *remarkable, *idle)
    files = (*gathered.files, *(file for one in wardrobe for file in one.files))
    del gathered, wardrobe, told_apart, by_size
    prepared = tuple(
        prepare(waiting.pop(0), sequences, one, executor, for_proof, touches.get(one.portion, {}), clothes.pop(0))
        for one in sizes
    )
    prepared = (prepared[0]._replace(remarks=(*remarks, *prepared[0].remarks)), *prepared[1:])
    return Intake(sequences, prepared, passed_over, warnings, files)


def _likeness(
    sequences: Sequences, drawings: Drawings, skins: Sequence[Worn], settings: Settings, executor: Crew
) -> Likeness:
    """Loaded where copies are to be told."""
    from .duplicates import likeness

    return likeness(sequences, drawings, skins, settings, executor)


def _deciding(settings: Settings) -> tuple[Settings, ...]:
    """The settings of the build's own size, if copies are to be told and these are for another one: which frames there
    are is decided at that size, by the proof of another one as well."""
    if settings.portion == 1 or not (settings.drop_copies or settings.drop_closing):
        return ()
    return (dataclasses.replace(settings, portion=Fraction(1), scale=settings.scale / settings.portion),)


def _by_size(sequences: Sequences, wardrobe: Sequence[Worn]) -> list[list[WornOnTheWay]]:
    """The skins' pictures for each size of the build, in crate order."""
    sizes = zip(
        *([pictures_of(sequences, d) for d in zip(*one.drawings, strict=True)] for one in wardrobe), strict=True
    )
    return [
        [WornOnTheWay(one.skin.name, one.skin.plain, pictures) for one, pictures in zip(wardrobe, size, strict=True)]
        for size in sizes
    ]


def with_palette(settings: Settings) -> Settings:
    """Settings with the palette's colours in place of its file, so that a proof does not need the file."""
    if not isinstance(settings.palette, str) or not settings.palette:
        return settings
    from ..sources.palette_file import read_palette

    colors = read_palette(settings.palette)
    given = {**settings.given, "palette": ",".join(color.hex for color in colors)}
    return dataclasses.replace(settings, palette=colors, given=given)
