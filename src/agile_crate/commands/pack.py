"""`pack`: load → arrange → describe → draw → write, once for each size of the build.

Nothing here prints or exits. Work goes to the context's pool, and its progress function is called as work is done.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from ..core.arrange.arrangement import Considered
from ..core.crate.check import check_crate
from ..core.crate.file_names import sized_name
from ..core.limits import Limits
from ..core.message import Message, message, some_files
from ..core.model.crate import Crate
from ..core.model.variant import all_layers, with_layers
from ..core.names import is_address
from ..core.text import few, measured, quoted
from ..exports.texts import templates_of
from ..format.files import Look, looks_of
from ..pipeline.arrange import arranged_sizes
from ..pipeline.context import Context
from ..pipeline.describe import Plan, plan_of
from ..pipeline.job import BuildJob, DiskState, LoadRequest, origin_of
from ..pipeline.load import Frames, load_frames
from ..pipeline.write import write_plans
from ..settings.portions import all_sizes
from ..storage.previous_build import (
    PreviousBuild,
    check_damaged,
    check_no_edits,
    check_no_foreign_files,
    check_output_names,
    previous_build,
)
from ..storage.recovery import recover_interrupted
from ..storage.staging import Staging, staged

if TYPE_CHECKING:
    from ..exports.template import Template
    from ..pipeline.kept_edits import PreviousEdits
    from ..pipeline.prepare import Prepared


@dataclass(frozen=True, slots=True)
class Built:
    """One crate of a build, with its remarks for the user."""

    crate: Crate = field(hash=False)
    remarks: tuple[Message, ...]
    considered: tuple[Considered, ...]
    bound: int
    proven: bool


@dataclass(frozen=True, slots=True)
class Packed:
    """The result of a build.

    crate        at its own size
    files        that it was written to, images first
    deleted      files of the previous build that this one no longer has
    skipped  counts files that are no frames, by kind
    remarks, warnings   for the user
    considered, bound, proven   how frames were arranged
    also         the crates of the other sizes
    added, removed, changed   frames since the previous build; empty without one
    reindexed, moved   counts of other frames with another index, and with another box, since the previous build
    grid_change    a sentence on a grid with other columns, rows or cells; None if it is the same
    kept         existing files that stayed, byte for byte
    """

    crate: Crate = field(hash=False)
    files: tuple[Path, ...]
    deleted: tuple[Path, ...]
    skipped: Mapping[str, int] = field(hash=False)
    remarks: tuple[Message, ...]
    warnings: tuple[Message, ...]
    considered: tuple[Considered, ...]
    bound: int
    proven: bool
    also: tuple[Built, ...] = ()
    added: tuple[str, ...] = ()
    removed: tuple[str, ...] = ()
    changed: tuple[str, ...] = ()
    reindexed: int = 0
    moved: int = 0
    grid_change: Message | None = None
    kept: tuple[Path, ...] = ()


def pack(job: BuildJob, context: Context, state: DiskState | None = None) -> Packed:
    """Build a crate. `state` is the known state of the disk, which is not read again.

    With the build cache, frames and sheets that it holds are not made again, and the crate records what it was built
    from; the files are the same otherwise. Raises the errors of `core.errors`; then nothing is written.
    """
    context = context._replace(limits=job.limits(context.limits))
    target = job.target
    with _local_inputs(job, context) as job:
        notes = recover_interrupted(job.inputs, [target])
        if job.dry_run:
            packed = _build(job, context, state, None)
        else:
            with staged(target.parent, target.name, context.on_wait, job.wait) as staging:
                packed = _build(job, context, state, staging)
                notes += staging.notes
    return replace(packed, warnings=(*notes, *packed.warnings))


@contextmanager
def _local_inputs(job: BuildJob, context: Context) -> Iterator[BuildJob]:
    """Yield the same job with a path in place of each address."""
    layers = all_layers(job.variants)
    if not any(is_address(given) for inputs in layers for given in inputs):
        yield job
        return
    from ..sources.fetch import fetched

    with fetched(layers, context.pool, context.limits) as local:
        yield job._replace(variants=with_layers(job.variants, local))


def _build(job: BuildJob, context: Context, state: DiskState | None, staging: Staging | None) -> Packed:
    """Walk the pipeline, and write to the staging area; None is a dry run."""
    templates = templates_of(job.settings.template, job.settings.set, context.limits)
    # The state is from before the lock: another build may have finished since, and then it is looked up again.
    if state is None or not state.previous.is_current():
        state = DiskState(previous_build(job.target, context.limits, context.cache))
    previous = state.previous
    edits = _previous_edits(job, previous, context)
    if not job.force:
        check_no_edits(previous, edits.crates)
    request = LoadRequest(
        job.variants, job.settings, previous.claimed, state.found, edits.by_portion, may_defer=staging is not None
    )
    # Whatever can be refused is refused before this, and before anything is drawn: frames take long, sheets longer.
    frames = load_frames(request, context)
    lost = [name for size in frames.sizes for name in size.lost]
    warnings = [*frames.warnings, *edits.report(lost, job.force)]
    origin = _origin(job, frames, state, context)
    skipped, plans = frames.skipped, _plans(job, frames, previous, templates, context)
    del frames  # the pixels of one size can go as soon as its sheets are written
    plans = _with_texts(plans, origin)
    output = _output(job, plans, previous, frozenset() if lost else edits.carried)
    warnings += [*_damage(job, plans, previous, context), *output.left]
    warnings += [warning for plan in plans for warning in plan.warnings]
    for plan in plans:
        _check(plan.crate)
    built = [Built(plan.crate, plan.remarks, plan.considered, plan.bound, plan.proven) for plan in plans]
    context.on_plan(plans)
    if staging:
        crates = write_plans(staging, plans, templates, context, [path.name for path in output.stale])
        built = [replace(size, crate=crate) for size, crate in zip(built, crates, strict=True)]
    first, *others = built
    packed = Packed(
        crate=first.crate,
        files=output.files,
        deleted=output.stale,
        skipped=skipped,
        remarks=first.remarks,
        warnings=tuple(dict.fromkeys(warnings)),
        considered=first.considered,
        bound=first.bound,
        proven=first.proven,
        also=tuple(others),
        kept=tuple(path for path in output.files if staging and path.name not in staging.names),
    )
    return _since(packed, previous)


def _previous_edits(job: BuildJob, previous: PreviousBuild, context: Context) -> PreviousEdits:
    from ..pipeline.kept_edits import NO_EDITS, previous_edits

    if not job.keep_edits:
        return NO_EDITS
    names = {one.portion: sized_name(job.target.name, one.portion) for one in all_sizes(job.settings)}
    return previous_edits(job.target.parent, names, previous, context.limits)


def _origin(job: BuildJob, frames: Frames, state: DiskState, context: Context) -> str:
    """Return the digest of what the build is made from; none is recorded without the build cache."""
    if not context.cache:
        return ""
    if state.files == frames.files:
        return state.origin
    return origin_of(job, frames.files, context)


def _plans(
    job: BuildJob, frames: Frames, previous: PreviousBuild, templates: Sequence[Template], context: Context
) -> list[Plan]:
    def layout(prepared: Prepared) -> Crate | None:
        return _previous_layout(job, frames, prepared, previous, context)

    results = arranged_sizes(frames.sequences, frames.sizes, layout)
    return [
        plan_of(job.target.name, frames.sequences, prepared, result, templates, context.program)
        for prepared, result in zip(frames.sizes, results, strict=True)
    ]


def _with_texts(plans: Sequence[Plan], origin: str) -> list[Plan]:
    """Return the plans with crates that name the build's origin and, if it has several, all text files."""
    texts = tuple(name for plan in plans for name in plan.texts)
    files = texts if len(texts) > 1 else ()
    return [plan._replace(crate=plan.crate._replace(files=files, built_from=origin)) for plan in plans]


class _Output(NamedTuple):
    """The files to write, the files to delete, and warnings of edited sheets that stay."""

    files: tuple[Path, ...]
    stale: tuple[Path, ...]
    left: tuple[Message, ...] = ()


def _output(job: BuildJob, plans: Sequence[Plan], previous: PreviousBuild, carried: Collection[str]) -> _Output:
    files = tuple(job.target.parent / name for name in _all_names(plans))
    stale = _stale(files, previous, job.force, carried)
    if not job.settings.metadata:  # sheets prove by their seals that they may go
        stale = tuple(sorted({*stale, *map(Path, previous.proven)}.difference(files)))
    return _Output(files, stale, tuple(_left_behind(files, previous, stale)))


def _damage(job: BuildJob, plans: Sequence[Plan], previous: PreviousBuild, context: Context) -> Iterator[Message]:
    if previous.conflicts or previous.damaged or previous.proven:
        from ..pipeline.previous_layout import report_damage

        made = [(plan.settings, plan.crate) for plan in plans]
        yield from report_damage(job.target, previous, made, context.limits)


def put_in_place(job: BuildJob, packed: Packed, contents: Mapping[str, bytes], limits: Limits) -> Packed:
    """Write the files of a crate that was packed elsewhere: their `contents` by their names. Raises OutputError."""
    target = job.target
    files = tuple(target.parent / path.name for path in packed.files)
    with staged(target.parent, target.name, wait=job.wait) as staging:
        previous = previous_build(target, limits)
        if not job.force:
            check_no_edits(previous, ())
        stale = _stale(files, previous, job.force, ())
        for path in files:
            staging.write(path.name, [contents[path.name]])
        staging.commit(remove=[path.name for path in stale])
        warnings = (*staging.notes, *packed.warnings)
    return _since(replace(packed, files=files, deleted=stale, kept=(), warnings=warnings), previous)


def _stale(files: Sequence[Path], previous: PreviousBuild, force: bool, carried: Collection[str]) -> tuple[Path, ...]:
    """Return the files of the previous build that this one does not write. Raises UsageError and OutputError if the new
    files cannot be written; edits on the sheets in `carried` are part of this build."""
    check_output_names(files)
    if not force:
        check_damaged(files, previous)
        check_no_foreign_files(files, previous.own.union(previous.proven, carried))
    return tuple(sorted(Path(path) for path in previous.own.union(carried) if Path(path) not in files))


def _left_behind(files: Sequence[Path], previous: PreviousBuild, stale: Sequence[Path]) -> Iterator[Message]:
    """Return a warning of edited sheets of the previous build that this build neither replaces nor deletes."""
    edited = frozenset().union(*previous.sheets.values())
    left = sorted(path for path in map(Path, edited) if path not in files and path not in stale)
    if left:
        names, verb = some_files([path.name for path in left]), "was" if len(left) == 1 else "were"
        yield message("left in place: {}, which {} changed since the last build", names, verb)


def _since(packed: Packed, previous: PreviousBuild) -> Packed:
    """Return the result with the frames that were added, removed and changed since the previous build."""
    if not previous.frames:
        return packed
    old, new = previous.frames, looks_of(packed.crate)
    is_drawn = bool(packed.crate.frames[0].crc)  # a dry run knows no pixels
    both = [name for name in new if name in old]
    # A CRC covers the pixels that trimming keeps. If the trimming changed, every CRC did.
    is_comparable = is_drawn and all(old[name].trimming == new[name].trimming for name in both)
    remark = message("{layout} or {trim} changed since the last build, so changed frames are not counted")
    return replace(
        packed,
        remarks=(*packed.remarks, remark) if is_drawn and not is_comparable else packed.remarks,
        added=tuple(name for name in new if name not in old),
        removed=tuple(name for name in old if name not in new),
        changed=tuple(name for name in both if is_comparable and old[name].picture != new[name].picture),
        reindexed=len(_reindexed(old, new)),
        moved=sum(1 for name in both if old[name].place != new[name].place),
        grid_change=_grid_change(old, new),
    )


def _reindexed(old: Mapping[str, Look], new: Mapping[str, Look]) -> list[str]:
    """Return the frames of both builds whose index changed."""
    indices = {name: index for index, name in enumerate(old)}
    return [name for index, name in enumerate(new) if indices.get(name, index) != index]


def _grid_change(old: Mapping[str, Look], new: Mapping[str, Look]) -> Message | None:
    """Return a sentence if the grid has other columns, rows or cells. Games that cut cells depend on them."""
    before, now = ({look.grid for look in looks.values() if look.grid} for looks in (old, new))
    if before == now or not before:
        return None
    return message("the grid changed: {} became {}", _grids(before), _grids(now) if now else "a layout without cells")


def _grids(grids: Collection[tuple[int, ...]]) -> str:
    return few(f"{columns} × {rows} cells of {measured((w, h))}" for columns, rows, w, h in sorted(grids))


def _all_names(plans: Sequence[Plan]) -> list[str]:
    """Images first, then the texts; the metadata of the crate itself comes last."""
    sheets = [sheet for plan in plans for sheet in plan.crate.sheets]
    images = [sheet.image for sheet in sheets] + [skin.image for sheet in sheets for skin in sheet.skins]
    return images + [name for plan in reversed(plans) for name in plan.texts]


def _previous_layout(
    job: BuildJob, frames: Frames, prepared: Prepared, previous: PreviousBuild, context: Context
) -> Crate | None:
    if not prepared.settings.keep_places:
        return None
    from ..pipeline.match import is_divisible
    from ..pipeline.previous_layout import previous_layout, with_new_names

    layout = previous_layout(job.target, prepared.settings, previous, context.limits)
    if layout and prepared.settings.unit > 1 and not is_divisible(layout, prepared.settings.unit):
        return None  # it was built before its sizes were matched; the summary counts the frames that move
    names = [frame.name for sequence in frames.sequences for frame in sequence.frames]
    return layout and with_new_names(layout, names, prepared.pictures)


def _check(crate: Crate) -> None:
    """Check all that `verify` checks without pixels, before any file is written. A problem is a bug of ours."""
    for problem in check_crate(crate):
        raise RuntimeError(f"the crate {quoted(crate.name)} does not hold together: {problem}; nothing was written")
