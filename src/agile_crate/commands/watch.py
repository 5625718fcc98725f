"""`watch`: rebuild the crates of a crate file whenever their inputs change."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from types import MappingProxyType
from typing import Literal

from ..core.errors import CrateError, InputError
from ..core.limits import Limits
from ..core.message import Message, message, some_files
from ..core.model.variant import all_layers, base_of
from ..crate_files.dependencies import metadata_of
from ..crate_files.read import CrateFile, chosen, metadata_paths, read_crate_file
from ..crate_files.spec import CrateSpec, in_crate_file
from ..crate_files.up_to_date import Unchanged, look_up
from ..pipeline.context import Context
from ..pipeline.job import BuildJob, DiskState
from ..settings.given import settings_from
from ..sources.find import find, fixed_part
from ..sources.watched import Watch, watching
from ..storage.previous_build import target_of
from .build import BuildOptions
from .light_table import LightTable
from .pack import Packed, pack

GRACE_S = 1.0
"""Seconds for an unreadable picture to be written to its end before it is reported."""


@dataclass(frozen=True, slots=True)
class Turn:
    """The outcome of one crate, or of the crate file (`crate` is empty then): built, up to date, failed, or left alone
    because some of its files were `edited` by hand."""

    crate: str
    outcome: Literal["built", "unchanged", "left", "failed"]
    packed: Packed | None = None
    unchanged: Unchanged | None = None
    error: CrateError | None = None
    edited: tuple[str, ...] = ()

    @property
    def trouble(self) -> Message | None:
        """The reason why the crate was not built, or None."""
        if self.edited:
            were = "was" if len(self.edited) == 1 else "were"
            return message("left alone, because {} {} edited by hand", some_files(self.edited), were)
        return self.error.message if self.error else None


@dataclass(frozen=True, slots=True)
class Builder:
    """The parts of a watch that rebuild crates.

    context   with the build cache
    options   of every build
    begin     is called with a crate's name before it is built
    end       is called with what came of it
    table     the light table that shows builds, or None
    """

    context: Context
    options: BuildOptions
    begin: Callable[[str], None]
    end: Callable[[Turn], None]
    table: LightTable | None = None


Read = Callable[[], tuple[CrateFile, list[CrateSpec]]]
"""Reads the crates that are watched, and the file that they are in. Raises InputError and UsageError."""


def crates_in(path: str, only: Sequence[str], limits: Limits) -> Read:
    """Return what reads the crates of a crate file, or some of them."""

    def read() -> tuple[CrateFile, list[CrateSpec]]:
        file = read_crate_file(path, limits)
        return file, [spec for _, specs in chosen([file], only) for spec in specs]

    return read


def crate_of(inputs: Sequence[str], out: str, given: Mapping[str, object]) -> Read:
    """Return what gives the one crate of a command line. Raises UsageError."""
    spec = CrateSpec(target_of(out).name, base_of(inputs), out, given, settings_from(given))
    return lambda: (CrateFile("", (spec,), ()), [spec])


def watch(read: Read, builder: Builder, ready: Callable[[], None]) -> None:
    """Build the crates that `read` gives, call `ready`, and build them again whenever something changes, forever.

    An error is reported once, and the next change tried. Raises InputError and UsageError only if the crate file is
    wrong from the start.
    """
    limits = builder.context.limits
    file, specs = read()
    wrong: Mapping[str, str] = {}
    with watching() as watched:

        def cover() -> None:
            watched.cover(_places(file, specs, limits, wrong), file.searched)

        cover()
        wrong = _build_all(specs, builder)
        cover()
        ready()
        while True:
            watched.next_burst()
            if builder.context.cache:
                builder.context.cache.refresh()
            try:
                file, specs = read()
            except CrateError as error:
                wrong = _file_wrong(specs, error, builder, wrong, watched)
                continue
            cover()
            wrong = _build_all(specs, builder, watched, wrong)
            cover()


def _file_wrong(
    specs: Iterable[CrateSpec], error: CrateError, builder: Builder, wrong: Mapping[str, str], watched: Watch
) -> Mapping[str, str]:
    """Report that the crate file cannot be read; all its crates are wrong by that."""
    sentence = in_crate_file(error.message)
    if wrong.get("") == sentence or watched.any_within(GRACE_S):
        return dict(wrong)
    for spec in specs:
        if builder.table:
            builder.table.failed(spec.name, sentence)
    builder.end(Turn("", "failed", error=error))
    return {spec.name: sentence for spec in specs} | {"": sentence}


def _places(file: CrateFile, specs: Iterable[CrateSpec], limits: Limits, wrong: Mapping[str, str]) -> Iterator[str]:
    """Yield the paths to watch: the crate file, its inputs and their folders, templates and palettes. For crates that
    are `wrong`, also the metadata, which changes when an edit is accepted or kept."""
    if file.path:
        yield file.path
    for spec in specs:
        for inputs in all_layers(spec.variants):
            yield from map(fixed_part, inputs)
            try:
                yield from {os.path.dirname(file.path) for file in find(inputs, frozenset(), limits).found}
            except CrateError:
                continue  # the build reports it
        yield from spec.settings.files
        if spec.name in wrong:
            yield from map(os.path.abspath, metadata_paths(spec))


def _build_all(
    specs: Iterable[CrateSpec],
    builder: Builder,
    watched: Watch | None = None,
    wrong: Mapping[str, str] = MappingProxyType({}),
) -> dict[str, str]:
    """Build what has to be built; return the crates that failed, with why. Crates that are up to date are reported only
    in the first round, and if they were `wrong`; an error that was reported is not reported again. A picture that
    cannot be read may still be written: if anything changes within a moment, all is left to the next round."""
    failed: dict[str, str] = {}
    for spec in specs:
        turn = _build(spec, builder)
        known, sentence = wrong.get(spec.name), ""
        if turn.trouble:
            sentence = failed[spec.name] = in_crate_file(turn.trouble)
            if watched and sentence != known and isinstance(turn.error, InputError) and watched.any_within(GRACE_S):
                return {**wrong, spec.name: ""}
            if builder.table and sentence != known:
                builder.table.failed(spec.name, sentence)
        is_news = sentence != known if turn.trouble else bool(turn.packed) or watched is None or known is not None
        if is_news:
            builder.end(turn)
    return failed


def _build(spec: CrateSpec, builder: Builder) -> Turn:
    """Build one crate, unless it is up to date."""
    try:
        job = builder.options.job(spec)
        state = look_up(job, builder.context)
        if builder.table and not job.settings.metadata:
            raise InputError("the page needs metadata, and this crate is built with {metadata:none}")
        data = Path(metadata_of(job.out, job.settings))
        if isinstance(state, Unchanged):
            if builder.table:
                builder.table.finished(spec.name, data)
            return Turn(spec.name, "unchanged", unchanged=state)
        edited = state.previous.texts.union(*state.previous.sheets.values()) if state else frozenset[str]()
        if edited and not (job.force or job.keep_edits):
            return Turn(spec.name, "left", edited=tuple(sorted(map(os.path.basename, edited))))
        if state and state.previous.edited and not job.force:  # they were accepted, or kept, so they are carried on
            job = job._replace(keep_edits=True)
        builder.begin(spec.name)
        if state:  # files may have been half written when they were looked up
            state = state._replace(found={})
        return _built(spec.name, job, state, builder, data)
    except CrateError as error:
        return Turn(spec.name, "failed", error=error)


def _built(name: str, job: BuildJob, state: DiskState | None, builder: Builder, data: Path) -> Turn:
    context, table = builder.context, builder.table
    if table:
        table.working(name)
        context = context._replace(on_plan=partial(table.show, name))
    packed = pack(job, context, state)
    if table:
        table.finished(name, data)
    return Turn(name, "built", packed)
