"""Crates of crate files, built on a cluster: workers build, and only the one who asked moves files into place."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import Executor
from typing import TypeAlias

from ..core.errors import CrateError, InputError
from ..settings.crate_file import Order
from ..settings.given import settings_from
from ..sources.find import find
from ..store.cache import Cache, opened
from ..work.cluster import Cluster, connected
from ..work.crew import Crew, crew
from ..work.jobs import Lost
from ..work.progress import Progress, silent
from .far import FarBuild, FarTask, asked_for_versions, build_far, far_task, versions, with_whole_paths
from .order import Built, Way, build_order, lost
from .pack import placed
from .unchanged import unchanged

LARGE = 1 << 28
"""Bytes of frames' files. Crates of as many are built here, and their frames read by all workers."""

Outcome: TypeAlias = "Built | CrateError"


def build_on_cluster(
    address: str, orders: Sequence[Order], way: Way, send: bool, memory: int = 0, progress: Progress = silent
) -> Iterator[Outcome]:
    """What was built of each order by the cluster at an address, or what is wrong with it, in order. With `send` the
    files that it is built from travel along; else workers read them where they are.

    Raises UsageError and InputError where there is no such cluster, or one that does not fit.
    """
    with connected(address) as cluster, crew(memory=memory) as executor, opened() as cache:
        cluster.refuse_others(versions(), asked_for_versions())
        waiting: dict[int, Outcome] = {}
        told = 0
        progress("crates", 0, len(orders))
        for done, (number, outcome) in enumerate(_as_they_come(cluster, orders, way, send, executor, cache), 1):
            progress("crates", done, len(orders))
            waiting[number] = outcome
            while told in waiting:
                yield waiting.pop(told)
                told += 1


def _as_they_come(
    cluster: Cluster, orders: Sequence[Order], way: Way, send: bool, executor: Crew, cache: Cache
) -> Iterator[tuple[int, Outcome]]:
    found: list[tuple[int, Outcome]] = []
    here: list[tuple[int, Executor | None]] = []

    def tasks() -> Iterator[tuple[int, FarTask]]:
        """What is to be built there; what is known without, or is to be built here, is put aside."""
        for number, order in enumerate(orders):
            try:
                if there := _there(order, way, executor, cache):
                    found.append((number, there))
                elif _is_bound_to_here(order, way):
                    here.append((number, None))
                elif not send and _is_large(order):
                    here.append((number, cluster.executor))
                else:
                    yield number, far_task(order, way, send)
            except CrateError as error:
                found.append((number, error))

    for number, build in cluster.each(build_far, tasks()):
        yield from _emptied(found)
        yield number, _in_place(orders[number], way, build)
    yield from _emptied(found)
    for number, readers in here:
        yield number, _built_here(readers, orders[number], way, executor, cache)


def _emptied(found: list[tuple[int, Outcome]]) -> Iterable[tuple[int, Outcome]]:
    there = found.copy()
    found.clear()
    return there


def _there(order: Order, way: Way, executor: Crew, cache: Cache) -> Built | None:
    if way.again:
        return None
    settings = settings_from({**order.given, **way.overriding})
    return unchanged(order.inputs, order.out, settings, cache, executor, way.program, order.skins)


def _is_bound_to_here(order: Order, way: Way) -> bool:
    """Whether a build needs the one before, which lies here, or writes nothing."""
    return way.keep_touches or way.dry_run or settings_from({**order.given, **way.overriding}).keep_places


def _is_large(order: Order) -> bool:
    try:
        return sum(file.length for file in find(order.inputs).found) >= LARGE
    except CrateError:  # perhaps only workers see it
        return False


def _in_place(order: Order, way: Way, build: FarBuild | CrateError | Lost) -> Outcome:
    if isinstance(build, Lost):
        return lost("worker")
    if isinstance(build, CrateError):
        return build
    try:
        return placed(order.out, build.packed, build.files, way.force, way.wait)
    except CrateError as error:
        return error


def _built_here(readers: Executor | None, order: Order, way: Way, executor: Crew, cache: Cache) -> Outcome:
    """A crate that is built here, its frames read by others if there are such."""
    executor.far = readers
    try:
        return build_order(with_whole_paths(order) if readers else order, way, executor, cache)
    except InputError as error:
        more = " (its frames are read by the cluster's workers, which must see them; or send them along)"
        return InputError(error.sentence.marked + more) if readers else error
    except CrateError as error:
        return error
    finally:
        executor.far = None
