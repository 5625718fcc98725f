"""Crates of crate files, built as far as there is anything to do: one after the other, or many at a time."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, nullcontext
from typing import TYPE_CHECKING, NamedTuple, TypeAlias, TypeVar

from ..core.errors import CrateError, InputError
from ..crate_files.spec import Order
from ..crate_files.up_to_date import Unchanged, unchanged
from ..platform import processors
from ..settings.given import settings_from
from ..settings.table import Settings
from ..storage.cache import Cache, opened
from ..workers.ordered import in_order
from ..workers.pool import Crew, crew
from ..workers.progress import Progress, silent

if TYPE_CHECKING:
    from .pack import Packed

T = TypeVar("T")

Outcome: TypeAlias = "Packed | Unchanged | CrateError"
"""What was built, or what is there if there was nothing to do, or what is wrong."""


BUILDERS = 4
"""Processes for each processor, at most: more only take memory from each other."""


class Request(NamedTuple):
    """What is asked for beside the crate files: by which program, with which settings instead of theirs, and how."""

    program: str
    overriding: Mapping[str, object] = {}
    again: bool = False
    dry_run: bool = False
    force: bool = False
    keep_touches: bool = False
    wait: bool = True

    def settings(self, order: Order) -> Settings:
        """The settings of an order. Raises UsageError."""
        return settings_from({**order.given, **self.overriding})


def there_already(order: Order, request: Request, executor: Crew, cache: Cache) -> Unchanged | None:
    """What is there, if there is nothing to do. Raises UsageError."""
    settings = request.settings(order)
    if request.again:
        return None
    return unchanged(order.inputs, order.out, settings, cache, executor, request.program, order.skins)


def build_order(
    order: Order,
    request: Request,
    executor: Crew,
    cache: Cache,
    progress: Progress = silent,
    waiting: Callable[[], None] = lambda: None,
) -> Outcome:
    """What came of an order."""
    try:
        if there := there_already(order, request, executor, cache):
            return there
        from .pack import pack

        return pack(
            order.inputs,
            order.out,
            request.settings(order),
            executor,
            progress,
            request.program,
            dry_run=request.dry_run,
            force=request.force,
            keep_touches=request.keep_touches,
            waiting=waiting,
            wait=request.wait,
            cache=cache,
            skins=order.skins,
        )
    except CrateError as error:
        return error


def build_in_turn(
    orders: Sequence[Order],
    request: Request,
    memory: int = 0,
    watched: Callable[[], AbstractContextManager[Progress]] = lambda: nullcontext(silent),
    waiting: Callable[[], None] = lambda: None,
) -> Iterator[Outcome]:
    """What came of each order, one after the other. `watched` gives the progress function of each."""
    with crew(memory=memory) as executor, opened() as cache:
        for order in orders:
            with watched() as progress:
                outcome = build_order(order, request, executor, cache, progress, waiting)
            yield outcome


class Task(NamedTuple):
    """An order that another process builds, with so many threads, and so much memory for its frames."""

    order: Order
    request: Request
    threads: int
    memory: int


def build_many(
    orders: Sequence[Order], request: Request, jobs: int, memory: int = 0, progress: Progress = silent
) -> Iterator[Outcome]:
    """What came of each order, in order; so many `jobs` at a time, each in a process of its own, but never more than
    there are orders, or than BUILDERS for each processor. They share the threads and the memory that there are."""
    from ..storage.pixel_store import default_limit
    from ..workers.processes import may_start
    from ..workers.tasks import Lost, in_processes

    jobs = min(jobs, len(orders), BUILDERS * processors())
    if jobs < 2 or not may_start():
        yield from build_in_turn(orders, request, memory, lambda: nullcontext(progress))
        return
    share = (memory or default_limit()) // jobs
    tasks = [Task(order, request, max(1, processors() // jobs), share) for order in orders]
    for built in in_order(counted(in_processes(_built_apart, tasks, jobs), len(tasks), progress)):
        yield lost("process") if isinstance(built, Lost) else built


def counted(items: Iterator[T], total: int, progress: Progress) -> Iterator[T]:
    """Crates as they come, of so many; the progress function hears of each."""
    progress("crates", 0, total)
    for done, item in enumerate(items, 1):
        progress("crates", done, total)
        yield item


def _built_apart(task: Task) -> Outcome:
    try:
        with crew(task.threads, task.memory) as executor, opened() as cache:
            return build_order(task.order, task.request, executor, cache)
    except MemoryError:
        return InputError("its frames do not fit into this machine's memory; build it alone, or with fewer jobs")


def lost(who: str) -> CrateError:
    """What is said of a crate whose builder ended again and again."""
    return InputError(
        f"the {who} that built it was ended from outside, more than once; if memory was short, build it with fewer jobs"
    )
