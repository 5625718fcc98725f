"""Crates of crate files, built on a cluster: workers build, and only the one who asked moves files into place."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence

from ..core.errors import CrateError, InputError
from ..crate_files.spec import Order
from ..sources.find import find
from ..storage.cache import opened
from ..workers.cluster import Cluster, connected
from ..workers.ordered import in_order
from ..workers.pool import crew
from ..workers.progress import Progress, silent
from ..workers.tasks import Lost
from .build import Outcome, Request, build_order, counted, lost, there_already
from .pack import placed
from .remote_build import FarBuild, FarTask, asked_for_versions, build_far, far_task, versions

LARGE = 1 << 28
"""Bytes of frames' files. Crates of as many are built here, and their frames read by all workers."""


def build_on_cluster(
    address: str, orders: Sequence[Order], request: Request, send: bool, memory: int = 0, progress: Progress = silent
) -> Iterator[Outcome]:
    """What came of each order, in order, by the cluster at an address. With `send` the files that it is built from
    travel along; else workers read them where they are.

    Raises UsageError and InputError where there is no such cluster, or one that does not fit.
    """
    with connected(address) as cluster:
        cluster.refuse_others(versions(), asked_for_versions())
        yield from in_order(counted(_as_they_come(cluster, orders, request, send, memory), len(orders), progress))


def _as_they_come(
    cluster: Cluster, orders: Sequence[Order], request: Request, send: bool, memory: int
) -> Iterator[tuple[int, Outcome]]:
    known: list[tuple[int, Outcome]] = []
    here: list[int] = []
    with crew(memory=memory) as executor, opened() as cache:

        def tasks() -> Iterator[tuple[int, FarTask]]:
            """What is to be built there; what is known without, or is to be built here, is put aside."""
            for number, order in enumerate(orders):
                try:
                    if there := there_already(order, request, executor, cache):
                        known.append((number, there))
                    elif _is_bound_to_here(order, request) or (not send and _is_large(order)):
                        here.append(number)
                    else:
                        yield number, far_task(order, request, send)
                except CrateError as error:
                    known.append((number, error))

        for number, build in cluster.each(build_far, tasks()):
            yield number, _in_place(orders[number], request, build)
        yield from known
    for number in here:
        yield number, _built_here(cluster, orders[number], request, memory)


def _is_bound_to_here(order: Order, request: Request) -> bool:
    """Whether a build needs the one before, which lies here, or writes nothing."""
    return request.keep_touches or request.dry_run or request.settings(order).keep_places


def _is_large(order: Order) -> bool:
    try:
        return sum(file.length for file in find(order.inputs).found) >= LARGE
    except CrateError:  # perhaps only workers see it
        return False


def _in_place(order: Order, request: Request, build: FarBuild | CrateError | Lost) -> Outcome:
    if isinstance(build, Lost):
        return lost("worker")
    if isinstance(build, CrateError):
        return build
    try:
        return placed(order.out, build.packed, build.files, request.force, request.wait)
    except CrateError as error:
        return error


def _built_here(cluster: Cluster, order: Order, request: Request, memory: int) -> Outcome:
    """A crate that is built here, its frames read by all workers where it is large."""
    readers = None if _is_bound_to_here(order, request) else cluster.executor
    with crew(memory=memory, readers=readers) as executor, opened() as cache:
        outcome = build_order(order.moved(os.path.abspath) if readers else order, request, executor, cache)
    if readers and isinstance(outcome, InputError):
        more = " (its frames are read by the cluster's workers, which must see them; or send them along)"
        return InputError(outcome.sentence.marked + more)
    return outcome
