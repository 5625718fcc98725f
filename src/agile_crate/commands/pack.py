"""`pack`: gather → take → prepare → arrange → describe → draw → write, once for each size of the build.

Nothing here prints or exits. Work goes to the executor that is handed in; the progress function hears of it.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, nullcontext
from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from ..core.arrange.arrangement import Considered
from ..core.crate.check import check_crate
from ..core.crate.file_names import sized_name
from ..core.limits import within
from ..core.message import Sentence, some_files
from ..core.model.crate import Crate
from ..core.model.variant import with_layers
from ..core.names import is_address
from ..core.text import quoted
from ..pipeline.arrange import arranged
from ..pipeline.describe import Plan, plan_of
from ..pipeline.load import intake
from ..pipeline.write import written
from ..settings.portions import all_sizes
from ..settings.table import Settings
from ..storage.previous_build import (
    Before,
    build_before,
    refuse_bad_names,
    refuse_damaged,
    refuse_strangers,
    refuse_to_lose_work,
    target_of,
)
from ..storage.recovery import settled
from ..storage.staging import Staging, staged
from ..workers.pool import Crew
from ..workers.progress import Progress, silent

if TYPE_CHECKING:
    from ..core.model.variant import Skin
    from ..exports.template import Template
    from ..pipeline.kept_edits import TouchesBefore
    from ..storage.cache import Cache


class Built(NamedTuple):
    """One crate of a build, and what the user should know of it: what was done to frames, how they were arranged."""

    crate: Crate
    remarks: tuple[Sentence, ...]
    considered: tuple[Considered, ...]
    bound: int
    proven: bool


class Packed(NamedTuple):
    """The result of a build: the crate, the files it was written to (images first), and what the user should know.

    `also` are the crates of the other sizes that were asked for. `came` and `went` are the frames that the build before
    did not have, and those that this one no longer has; both are empty where there was none. `kept` are those of the
    files that were there already, to the byte.
    """

    crate: Crate
    files: tuple[Path, ...]
    removed: tuple[Path, ...]
    passed_over: Mapping[str, int]
    remarks: tuple[Sentence, ...]
    warnings: tuple[Sentence, ...]
    considered: tuple[Considered, ...]
    bound: int
    proven: bool
    also: tuple[Built, ...] = ()
    came: tuple[str, ...] = ()
    went: tuple[str, ...] = ()
    kept: tuple[Path, ...] = ()


def pack(
    inputs: Sequence[str],
    out: str,
    settings: Settings,
    executor: Crew,
    progress: Progress = silent,
    generator: str = "",
    dry_run: bool = False,
    force: bool = False,
    keep_touches: bool = False,
    waiting: Callable[[], None] = lambda: None,
    wait: bool = True,
    cache: Cache | None = None,
    skins: Sequence[Skin] = (),
    planned: Callable[[Sequence[Plan]], object] | None = None,
) -> Packed:
    """Builds a crate from the inputs at `out` (a path without ending). Raises the errors of `core.errors`.

    A dry run does everything but draw and write; its sheets have no checksum. `keep_touches` takes along what somebody
    painted on the sheets of the build before. Where another build of the same crate is under way it is waited for:
    `waiting` is called after a second; without `wait` that is an OutputError. With a `cache`, frames and sheets that it
    knows are not made again, and the crate records what it was built from; the files are the same otherwise. `skins`
    are the same frames in other art. `planned` sees what is about to be drawn and written.
    """
    target = target_of(out)
    with (
        within(dict(settings.limit)),
        _local([inputs, *(layer for skin in skins for layer in skin.layers)], executor) as local,
    ):
        inputs, skins = local[0], with_layers(skins, local[1:])
        build = partial(
            _build, target, inputs, settings, executor, progress, generator, force, keep_touches, cache, skins, planned
        )
        notes = settled(inputs, [target.parent / target.name])
        if dry_run:
            packed = build(None)
        else:
            with staged(target.parent, target.name, waiting, wait) as staging:
                packed = build(staging)
                notes += staging.notes
    return packed._replace(warnings=(*notes, *packed.warnings))


def _local(lists: Sequence[Sequence[str]], executor: Crew) -> AbstractContextManager[Sequence[Sequence[str]]]:
    """The same inputs, with a path in place of each address."""
    if not any(is_address(given) for inputs in lists for given in inputs):
        return nullcontext(lists)
    from ..sources.fetch import fetched

    return fetched(lists, executor)


def _build(
    target: Path,
    inputs: Sequence[str],
    settings: Settings,
    executor: Crew,
    progress: Progress,
    generator: str,
    force: bool,
    keep_touches: bool,
    cache: Cache | None,
    skins: Sequence[Skin],
    planned: Callable[[Sequence[Plan]], object] | None,
    staging: Staging | None,
) -> Packed:
    templates = _templates(settings)
    before = build_before(target, cache)
    names = {one.portion: sized_name(target.name, one.portion) for one in all_sizes(settings)} if keep_touches else {}
    if not force:
        refuse_to_lose_work(before, names.values())
    found: dict[Fraction, TouchesBefore] = {}
    if names:
        from ..pipeline.kept_edits import told_of_touches, touches_before

        found = {portion: touches_before(target.parent, name, before) for portion, name in names.items()}
    touches = {portion: one.by_frame for portion, one in found.items()}
    kept = (cache, generator) if cache else None
    taken_in = intake(
        inputs,
        before.claimed,
        settings,
        executor,
        progress,
        touches=touches,
        kept=kept,
        skins=skins,
        may_be_late=staging is not None,
    )
    origin, lost = "", list[str]()
    if cache:
        from ..crate_files.up_to_date import origin_of

        origin = origin_of(settings, target.name, taken_in.files, generator, skins)
    sequences, passed_over, warnings = taken_in.sequences, taken_in.passed_over, taken_in.warnings
    waiting = list(taken_in.sizes)
    if found:
        lost = [name for one in waiting for name in one.lost]
        warnings += tuple(told_of_touches(found.values(), lost, force))
    del taken_in
    plans: list[Plan] = []
    while waiting:
        prepared = waiting.pop(0)
        earlier = _previous_layout(target, prepared.settings, before)
        worn = [skin.pictures for skin in prepared.skins]
        result = arranged(sequences, prepared.pictures, prepared.settings, earlier, worn)
        del worn
        plans.append(plan_of(target.name, sequences, prepared, result, templates, generator))
        del prepared
    texts = tuple(name for plan in plans for name in plan.texts)
    texts_told = texts if len(texts) > 1 else ()
    crates = [plan.crate._replace(files=texts_told, built_from=origin) for plan in plans]
    plans = [plan._replace(crate=crate) for plan, crate in zip(plans, crates, strict=True)]
    if before.conflicts or before.damaged:
        from ..pipeline.previous_layout import told_of_damage

        warnings += tuple(told_of_damage(target, before, [(plan.settings, plan.crate) for plan in plans]))
    files = tuple(target.parent / name for name in _all_names(plans))
    carried = frozenset(file for one in found.values() for file in one.files if not one.strayed) if not lost else ()
    stale = _stale(files, before, force, carried)
    warnings += tuple(_left_behind(files, before, stale))
    built = [Built(plan.crate, plan.remarks, plan.considered, plan.bound, plan.proven) for plan in plans]
    warnings = tuple(dict.fromkeys((*warnings, *(warning for plan in plans for warning in plan.warnings))))
    for plan in plans:
        _prove(plan.crate)
    if planned:
        planned(plans)
    if staging:
        gone = [path.name for path in stale]
        crates = written(staging, plans, templates, executor, progress, gone, kept)
        built = [one._replace(crate=crate) for one, crate in zip(built, crates, strict=True)]
    first, *others = built
    packed = Packed(
        crate=first.crate,
        files=files,
        removed=stale,
        passed_over=passed_over,
        remarks=first.remarks,
        warnings=warnings,
        considered=first.considered,
        bound=first.bound,
        proven=first.proven,
        also=tuple(others),
        kept=tuple(path for path in files if staging and path.name not in staging.names),
    )
    return _beside(packed, before)


def placed(out: str, packed: Packed, contents: Mapping[str, bytes], force: bool = False, wait: bool = True) -> Packed:
    """What was packed elsewhere, put in place at `out`: its files' `contents` by their names. Raises OutputError."""
    target = target_of(out)
    files = tuple(target.parent / path.name for path in packed.files)
    with staged(target.parent, target.name, wait=wait) as staging:
        before = build_before(target)
        if not force:
            refuse_to_lose_work(before, ())
        stale = _stale(files, before, force, ())
        for path in files:
            staging.write(path.name, [contents[path.name]])
        staging.commit(remove=[path.name for path in stale])
        warnings = (*staging.notes, *packed.warnings)
    return _beside(packed._replace(files=files, removed=stale, kept=(), warnings=warnings), before)


def _stale(files: Sequence[Path], before: Before, force: bool, carried: Collection[str]) -> tuple[Path, ...]:
    """The files of the build before that are none of these. Raises UsageError and OutputError where these cannot be
    written; from sheets in `carried`, all edits are in this build."""
    refuse_bad_names(files)
    if not force:
        refuse_damaged(files, before)
        refuse_strangers(files, before.own.union(before.proven, carried))
    return tuple(sorted(Path(path) for path in before.own.union(carried) if Path(path) not in files))


def _left_behind(files: Sequence[Path], before: Before, stale: Sequence[Path]) -> Iterator[Sentence]:
    """A warning of edited sheets of the build before that this build neither replaces nor removes."""
    edited = frozenset().union(*before.sheets.values())
    left = sorted(path for path in map(Path, edited) if path not in files and path not in stale)
    if left:
        names, verb = some_files([path.name for path in left]), "was" if len(left) == 1 else "were"
        yield Sentence(f"left in place: {names}, which {verb} changed since the last build")


def _beside(packed: Packed, before: Before) -> Packed:
    """The result with the frames that came and went since the build before."""
    there = [frame.name for frame in packed.crate.frames] if before.frames else []
    old, new = set(before.frames), set(there)
    return packed._replace(
        came=tuple(name for name in there if name not in old),
        went=tuple(name for name in before.frames if name not in new),
    )


def _all_names(plans: Sequence[Plan]) -> list[str]:
    """Images first, then the texts; the metadata of the crate itself comes last."""
    sheets = [sheet for plan in plans for sheet in plan.crate.sheets]
    images = [sheet.image for sheet in sheets] + [skin.image for sheet in sheets for skin in sheet.skins]
    return images + [name for plan in reversed(plans) for name in plan.texts]


def _previous_layout(target: Path, settings: Settings, before: Before) -> Crate | None:
    if not settings.keep_places:
        return None
    from ..pipeline.previous_layout import previous_layout

    return previous_layout(target, settings, before)


def _prove(crate: Crate) -> None:
    """What `verify` finds out without pixels, before any file is written: what does not hold is a fault of ours."""
    for problem in check_crate(crate):
        raise RuntimeError(f"the crate {quoted(crate.name)} does not hold together: {problem}; nothing was written")


def _templates(settings: Settings) -> tuple[Template, ...]:
    if not settings.template:
        return ()
    from ..exports.template import read_templates  # starts processes, and few builds have any

    return read_templates(settings.template, settings.set)
