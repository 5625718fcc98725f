"""Build the crates of crate files that are not up to date, one after the other or several at a time."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, nullcontext
from typing import TYPE_CHECKING, NamedTuple, TypeAlias

from ..core.errors import CrateError, InputError
from ..core.limits import Limits
from ..crate_files.read import specs_of
from ..crate_files.spec import CrateSpec
from ..crate_files.up_to_date import Unchanged, look_up
from ..pipeline.context import Context, with_cache, working
from ..pipeline.job import BuildJob
from ..platform import processors
from ..storage.pixel_store import default_limit
from ..workers.pool import Progress, silent

if TYPE_CHECKING:
    from .pack import Packed

Outcome: TypeAlias = "Packed | Unchanged | CrateError"
"""The outcome of a build: the result, "up to date", or the error."""

BUILDERS_PER_PROCESSOR = 4
"""Processes at most: more only take memory from each other."""


class BuildOptions(NamedTuple):
    """Options for building the crates of crate files.

    program     the name and version that metadata records
    overriding  settings in place of the file's, by field name
    rebuild     also build crates that are up to date
    dry_run, force, keep_edits, wait   as in `BuildJob`
    """

    program: str
    overriding: Mapping[str, object] = {}
    rebuild: bool = False
    dry_run: bool = False
    force: bool = False
    keep_edits: bool = False
    wait: bool = True

    def job(self, spec: CrateSpec) -> BuildJob:
        """Return the build of a spec. Raises UsageError for settings that contradict each other."""
        spec = spec.overridden(self.overriding)
        return BuildJob(spec.out, spec.settings, spec.variants, self.force, self.keep_edits, self.dry_run, self.wait)


def build(
    path: str, only: Sequence[str], options: BuildOptions, limits: Limits, jobs: int = 1
) -> dict[str, Packed | None]:
    """Build the crates of a file, so many at a time; return them by their names, None if nothing was to be done.

    Raises what `pack` raises at the first crate that cannot be built, and InputError for a crate file that cannot be
    read.
    """
    specs = [spec for _, spec in specs_of([path], only, limits)]
    outcomes = build_many(specs, options, limits, jobs) if jobs > 1 else build_in_turn(specs, options, limits)
    found: dict[str, Packed | None] = {}
    for spec, outcome in zip(specs, outcomes, strict=True):
        if isinstance(outcome, CrateError):
            raise outcome
        found[spec.name] = None if isinstance(outcome, Unchanged) else outcome
    return found


def build_spec(spec: CrateSpec, options: BuildOptions, context: Context) -> Outcome:
    """Build one crate, unless it is up to date."""
    try:
        job = options.job(spec)
        state = None if options.rebuild else look_up(job, context)
        if isinstance(state, Unchanged):
            return state
        from .pack import pack

        return pack(job, context, state)
    except CrateError as error:
        return error


def build_in_turn(
    specs: Iterable[CrateSpec],
    options: BuildOptions,
    limits: Limits,
    memory: int = 0,
    watched: Callable[[], AbstractContextManager[Progress]] = lambda: nullcontext(silent),
    on_wait: Callable[[], None] = lambda: None,
) -> Iterator[Outcome]:
    """Yield what came of each crate, one after the other. `watched` gives the progress function of each."""
    with working(limits, memory=memory) as means, with_cache(means) as context:
        context = context._replace(program=options.program, on_wait=on_wait)
        for spec in specs:
            with watched() as progress:
                outcome = build_spec(spec, options, context._replace(progress=progress))
            yield outcome


class CrateTask(NamedTuple):
    """A crate that another process builds, with its threads and its memory for frames."""

    spec: CrateSpec
    options: BuildOptions
    limits: Limits
    threads: int
    memory: int


def build_many(
    specs: Sequence[CrateSpec],
    options: BuildOptions,
    limits: Limits,
    jobs: int,
    memory: int = 0,
    progress: Progress = silent,
) -> Iterator[Outcome]:
    """Yield what came of each crate, in order; so many are built at a time, each in a process of its own.

    The number of processes is at most that of the crates, and at most what BUILDERS_PER_PROCESSOR allows. They share
    the machine's threads and memory.
    """
    from ..workers.processes import may_start
    from ..workers.tasks import in_processes

    jobs = min(jobs, len(specs), BUILDERS_PER_PROCESSOR * processors())
    if jobs < 2 or not may_start():
        yield from build_in_turn(specs, options, limits, memory, lambda: nullcontext(progress))
        return
    share = (memory or default_limit()) // jobs
    threads = max(1, processors() // jobs)
    tasks = [CrateTask(spec, options, limits, threads, share) for spec in specs]
    progress("crates", 0, len(tasks))
    yield from in_processes(
        _built_apart, tasks, jobs, lambda: lost("process"), lambda done: progress("crates", done, len(tasks))
    )


def _built_apart(task: CrateTask) -> Outcome:
    try:
        with working(task.limits, task.threads, task.memory) as means, with_cache(means) as context:
            return build_spec(task.spec, task.options, context._replace(program=task.options.program))
    except MemoryError:
        return InputError("its frames do not fit into this machine's memory; build it alone, or with fewer jobs")


def lost(builder: str) -> CrateError:
    """Return the error for a crate whose builder ended again and again."""
    return InputError(
        f"the {builder} that built it was stopped repeatedly; if memory was short, build it with fewer jobs"
    )
