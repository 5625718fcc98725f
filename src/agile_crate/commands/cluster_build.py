"""Crates of crate files, built on a cluster: workers build, and only this process moves files into place."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from concurrent.futures import BrokenExecutor, Future
from typing import NamedTuple

from ..core.errors import CrateError, InputError
from ..core.limits import Limits
from ..crate_files.spec import CrateSpec
from ..crate_files.up_to_date import Unchanged, look_up
from ..pipeline.context import Context, with_cache, working
from ..pipeline.job import BuildJob
from ..sources.find import find
from ..workers.cluster import Cluster, connected
from ..workers.pool import Progress, silent
from .build import BuildOptions, Outcome, build_spec, lost
from .pack import put_in_place
from .remote_build import RemoteBuild, build_remotely, remote_task, versions, versions_of_worker

LARGE_CRATE_BYTES = 1 << 28
"""Of frames' files. Crates of as many are built here, and their frames read by all workers."""


class ClusterBuild(NamedTuple):
    """A cluster that builds crates. With `send`, a crate's input files are uploaded; otherwise workers read them in
    place. `memory` is for frames that are read here."""

    cluster: Cluster
    options: BuildOptions
    limits: Limits
    send: bool
    memory: int
    context: Context

    def submit(self, spec: CrateSpec) -> Future[RemoteBuild | Outcome]:
        """Begin a crate: on a worker, unless its outcome is known, or it is to be built here."""
        try:
            job = self.options.job(spec)
            state = None if self.options.rebuild else look_up(job, self.context)
            if isinstance(state, Unchanged):
                return _known(state)
            if self._is_bound_to_here(job) or (not self.send and _is_large(spec, self.limits)):
                return _known(self._built_here(spec, job))
            return self.cluster.submit(build_remotely, remote_task(spec, self.options, self.limits, self.send))
        except CrateError as error:
            return _known(error)

    def receive(self, spec: CrateSpec, future: Future[RemoteBuild | Outcome]) -> Outcome:
        """Put in place what a worker built, as soon as it arrives: its files are in memory until then."""
        try:
            built = future.result()
            if isinstance(built, RemoteBuild):
                return put_in_place(self.options.job(spec), built.packed, built.files, self.limits)
            return built
        except BrokenExecutor:
            return lost("worker")
        except CrateError as error:
            return error

    def _is_bound_to_here(self, job: BuildJob) -> bool:
        """Return True for a build that needs the previous one, which lies here, or that writes nothing."""
        return job.keep_edits or job.dry_run or job.settings.keep_places

    def _built_here(self, spec: CrateSpec, job: BuildJob) -> Outcome:
        """Build a crate here; if it is large, all workers read its frames."""
        readers = None if self._is_bound_to_here(job) else self.cluster.executor
        with working(self.limits, memory=self.memory, readers=readers) as plain, with_cache(plain) as context:
            context = context._replace(program=self.options.program)
            outcome = build_spec(spec.moved(os.path.abspath) if readers else spec, self.options, context)
        if readers and isinstance(outcome, InputError):
            return InputError("{}; the cluster's workers must see it, or use --send-inputs", outcome.message)
        return outcome


def build_on_cluster(
    address: str,
    specs: Sequence[CrateSpec],
    options: BuildOptions,
    limits: Limits,
    send: bool,
    memory: int = 0,
    progress: Progress = silent,
) -> Iterator[Outcome]:
    """Yield what came of each crate, in order, by the cluster at an address.

    Raises UsageError and InputError if the cluster does not exist or does not fit.
    """
    with connected(address) as cluster, working(limits, memory=memory) as plain, with_cache(plain) as context:
        cluster.refuse_others(versions(), versions_of_worker())
        build = ClusterBuild(cluster, options, limits, send, memory, context._replace(program=options.program))
        done = 0
        progress("crates", 0, len(specs))

        def receive(spec: CrateSpec, future: Future[RemoteBuild | Outcome]) -> Outcome:
            nonlocal done
            outcome = build.receive(spec, future)
            done += 1
            progress("crates", done, len(specs))
            return outcome

        yield from cluster.map(specs, build.submit, receive)


def _known(outcome: Outcome) -> Future[RemoteBuild | Outcome]:
    future: Future[RemoteBuild | Outcome] = Future()
    future.set_result(outcome)
    return future


def _is_large(spec: CrateSpec, limits: Limits) -> bool:
    try:
        return sum(file.length for file in find(spec.inputs, frozenset(), limits).found) >= LARGE_CRATE_BYTES
    except CrateError:  # perhaps only workers see it
        return False
