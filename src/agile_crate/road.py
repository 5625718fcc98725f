"""The road: gather → take → prepare → arrange → draw → describe → write. `proof` is the way back.

Nothing here prints or exits. Work goes to the executor that is handed in; the progress function is told of it.
"""

from __future__ import annotations

import dataclasses
import os
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING

from .arranging import arranged
from .core.arrangement import Considered
from .core.describe import described_animations, described_frames, described_sheets
from .core.file_names import sheet_names
from .core.model import Crate, Picture
from .core.rounding import plain
from .core.take import Sequences, check_names
from .core.text import counted, percent
from .core.timing import Hold, frame_times, pace
from .exports.formats import text_names
from .exports.template import Template, read_templates
from .intake import take_in
from .loaded import Loaded
from .outputs import build_before, refuse_bad_names, refuse_strangers, target_of
from .preparing import Prepared
from .settings import Settings
from .sources.find import OwnPlace
from .sources.gather import Progress, unheard
from .taking import each
from .writing import Plan, drawn_sheets, written

if TYPE_CHECKING:
    from .core.indexed import Words


@dataclass(frozen=True, slots=True)
class Built:
    """One crate of a build, and what the user should know of it: what was done to frames, how they were arranged."""

    crate: Crate
    remarks: tuple[str, ...]
    considered: tuple[Considered, ...]
    bound: int


@dataclass(frozen=True, slots=True)
class Packed:
    """The result of a build: the crate, the files it was written to (images first), and what the user should know.

    `also` are the crates of the other sizes that were asked for.
    """

    crate: Crate
    files: tuple[Path, ...]
    removed: tuple[Path, ...]
    fps: Mapping[str, Fraction]
    passed_over: Mapping[str, int]
    remarks: tuple[str, ...]
    warnings: tuple[str, ...]
    considered: tuple[Considered, ...]
    bound: int
    also: tuple[Built, ...] = ()


def pack(
    inputs: Sequence[str],
    out: str,
    settings: Settings,
    executor: Executor,
    progress: Progress = unheard,
    generator: str = "",
    dry_run: bool = False,
    force: bool = False,
) -> Packed:
    """Builds a crate from the inputs at `out` (a path without ending). Raises the errors of `core.errors`.

    A dry run does everything but draw and write; its sheets have no checksum.
    """
    target = target_of(out)
    templates = read_templates(settings.template)
    before = build_before(target)
    intake = take_in(inputs, OwnPlace(str(target.parent), before), settings, executor, progress)
    passed_over, warnings = intake.passed_over, [*intake.warnings]
    waiting = list(intake.sizes)
    del intake
    plans: list[Plan] = []
    built: list[Built] = []
    while waiting:
        plan, one = _planned(target.name, *waiting.pop(0), templates, generator, warnings)
        plans.append(plan)
        built.append(one)
    texts = tuple(name for plan in plans for name in plan.texts)
    if len(texts) > 1:
        plans = [dataclasses.replace(plan, crate=dataclasses.replace(plan.crate, files=texts)) for plan in plans]
    files = tuple(target.parent / name for name in _all_names(plans))
    refuse_bad_names(files)
    stale = tuple(sorted(Path(path) for path in before if Path(path) not in files and os.path.lexists(path)))
    if not force:
        refuse_strangers(files, before)
    times = plans[0].times
    crates = [plan.crate for plan in plans]
    if not dry_run:
        crates = written(target.parent, plans, templates, executor, progress, [path.name for path in stale])
    first, *others = [dataclasses.replace(one, crate=crate) for one, crate in zip(built, crates, strict=True)]
    return Packed(
        crate=first.crate,
        files=files,
        removed=stale,
        fps={name: pace(exact) for name, exact in times.items()},
        passed_over=passed_over,
        remarks=first.remarks,
        warnings=tuple(warnings),
        considered=first.considered,
        bound=first.bound,
        also=tuple(others),
    )


def packed_in_memory(inputs: Sequence[str], settings: Settings, executor: Executor, progress: Progress) -> Loaded:
    """A crate of the inputs as `pack` would make it, with its sheets, of which nothing is written. For views of frames
    that have not been packed yet. Raises the errors of `core.errors`."""
    ((settings, prepared),) = take_in(inputs, None, settings, executor, progress).sizes
    plan, _ = _planned("frames", settings, prepared, (), "", [])
    return Loaded(plan.crate, tuple(sheet for _, sheet in drawn_sheets(plan)), None)


def _all_names(plans: Sequence[Plan]) -> list[str]:
    """Images first, then the texts; the metadata of the crate itself comes last."""
    images = [sheet.image for plan in plans for sheet in plan.crate.sheets]
    return images + [name for plan in reversed(plans) for name in plan.texts]


def _planned(
    stem: str,
    settings: Settings,
    prepared: Prepared,
    templates: Sequence[Template],
    generator: str,
    warnings: list[str],
) -> tuple[Plan, Built]:
    """One crate of the build, arranged and described, ready to be written."""
    sequences = prepared.sequences
    pictures = [picture for sequence in sequences for picture in sequence.pictures]
    times = _times(sequences, settings)
    arrangement, told = arranged(sequences, settings)
    name = stem if settings.portion == 1 else f"{stem}@{percent(settings.portion)[:-1]}"
    counts = Counter(spot.on_sheet for spot in arrangement.spots)
    images = sheet_names(
        name,
        arrangement.sheets,
        [counts[index] for index in range(len(arrangement.sheets))],
        settings.portion,
        settings.file_name,
    )
    crate = Crate(
        name=name,
        sheets=described_sheets(images, arrangement.sheets),
        frames=described_frames(pictures, arrangement.spots),
        animations=described_animations(sequences, times, each("loop", settings.loop, sequences)),
        scale=plain(prepared.factor),
        alpha="premultiplied" if settings.premultiply else "straight",
        generator=generator,
        settings=settings.remembered,
        background=settings.background.hex if settings.background else "",
    )
    drawn = [spot.drawn for spot in arrangement.spots]
    palette, of_palette = _palette(pictures, drawn, settings, warnings)
    plan = Plan(crate, pictures, drawn, settings, times, tuple(text_names(name, settings, templates)), palette)
    remarks = (*prepared.remarks, *told, *of_palette, *_finish(settings))
    return plan, Built(crate, remarks, arrangement.considered, arrangement.bound)


def _finish(settings: Settings) -> Iterator[str]:
    """What is done to the sheets' pixels as a whole."""
    if settings.premultiply:
        yield "colours multiplied by their alpha: the game must blend them as premultiplied"
    if settings.background:
        yield f"flattened on {settings.background.hex}: the image has no alpha"


def _palette(
    pictures: Sequence[Picture], drawn: Sequence[bool], settings: Settings, warnings: list[str]
) -> tuple[Words | None, tuple[str, ...]]:
    """The colours of an indexed image, where a palette was asked for and alpha does not make too many of them."""
    if not (settings.colors or settings.palette):
        return None, ()
    from .core.indexed import MOST_COLORS, few_colors

    found = few_colors(picture.pixels for picture, wanted in zip(pictures, drawn, strict=True) if wanted)
    if found is None:
        warnings.append(
            f"soft edges and the empty colour counted in, there are more than {MOST_COLORS} colours, so the image "
            "is not indexed; --hard-alpha 128 makes edges hard, --colors 255 leaves room for the empty one"
        )
        return None, ()
    return found, (f"indexed image of {counted(len(found), 'colour')}, the empty one counted in",)


def _times(sequences: Sequences, settings: Settings) -> dict[str, tuple[Fraction, ...]]:
    """The exact milliseconds of each frame of each animation."""
    fps = each("fps", settings.fps, sequences)
    total = each("duration", settings.duration, sequences)
    check_names("--hold", (name for name, *_ in settings.hold), sequences)
    holds: dict[str, dict[int, Hold]] = defaultdict(dict)
    for name, position, hold in settings.hold:
        holds[name][position] = hold
    animations = {sequence.name: sequence for sequence in sequences if sequence.name is not None}
    return {name: frame_times(s, fps[name], total[name], holds[name]) for name, s in animations.items()}
