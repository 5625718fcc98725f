"""The first half of the road: gather → take → prepare. A build and its proof both walk it, with the same settings."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping, Sequence
from collections.abc import Set as AbstractSet
from concurrent.futures import Executor
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from types import MappingProxyType

from ..core.crate.origin import Origin
from ..core.crate.touches import Touches
from ..core.frame.first_look import seen
from ..core.model.picture import Sequences
from ..core.sentence import Sentence
from ..settings.portions import all_sizes
from ..settings.table import Settings
from ..sources.gather import Progress, gather
from ..sources.kept import keeping
from ..store.cache import Cache
from .prepare import Prepared, first_look, prepare
from .take import each, pictures_of, taken, with_copies


@dataclass(frozen=True, slots=True)
class Intake:
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
    executor: Executor,
    progress: Progress,
    for_proof: bool = False,
    touches: Mapping[Fraction, Touches] = MappingProxyType({}),
    kept: tuple[Cache, str] | None = None,
) -> Intake:
    """Inputs as frames that are ready to be arranged, or, `for_proof`, to be compared with what came back. `touches`
    are those of each size, by its portion. `kept` is where frames are kept from build to build, and the program's
    version.

    Raises InputError, UsageError and FitError.
    """
    sizes = all_sizes(_with_palette(settings))
    at_first, is_flat = first_look(sizes), settings.layers == "flat"
    keeps = keeping(*kept, at_first, is_flat, settings.to_srgb) if kept else None
    look = partial(seen, look=at_first)
    gathered = gather(inputs, own, executor, progress, look, is_flat, settings.to_srgb, keeps)
    sequences, remarkable = taken(gathered.sequences, settings)
    each("shift", settings.shift, sequences)
    each("pivot", settings.pivot, sequences)
    sizes = tuple(with_copies(one, sequences) if any(s.origin for s in sequences) else one for one in sizes)
    waiting = [pictures_of(sequences, drawings) for drawings in zip(*gathered.drawings, strict=True)]
    passed_over, warnings, files = gathered.passed_over, (*gathered.warnings, *remarkable), gathered.files
    del gathered
    prepared = tuple(
        prepare(waiting.pop(0), sequences, one, executor, for_proof, touches.get(one.portion, {})) for one in sizes
    )
    return Intake(sequences, prepared, passed_over, warnings, files)


def _with_palette(settings: Settings) -> Settings:
    """Settings with the palette's colours in place of its file, so that a proof does not need the file."""
    if not isinstance(settings.palette, str) or not settings.palette:
        return settings
    from ..sources.palette_file import read_palette

    colors = read_palette(settings.palette)
    given = {**settings.given, "palette": ",".join(color.hex for color in colors)}
    return dataclasses.replace(settings, palette=colors, given=given)
