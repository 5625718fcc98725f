"""One crate of a crate file, built as far as there is anything to do; and many of them at a time."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple, TypeAlias

from ..core.errors import CrateError, InputError
from ..settings.crate_file import Order
from ..settings.given import settings_from
from ..store.cache import Cache, opened
from ..work.crew import Crew, crew, processors
from ..work.progress import Progress, silent
from .unchanged import Unchanged, unchanged

if TYPE_CHECKING:
    from .pack import Packed

Built: TypeAlias = "Packed | Unchanged"


class Way(NamedTuple):
    """How crates are built: by which program, with what the command line says instead of the crate files, and what it
    says besides."""

    program: str
    overriding: Mapping[str, object] = {}
    again: bool = False
    dry_run: bool = False
    force: bool = False
    keep_touches: bool = False
    wait: bool = True


def build_order(
    order: Order,
    way: Way,
    executor: Crew,
    cache: Cache,
    progress: Progress = silent,
    waiting: Callable[[], None] = lambda: None,
) -> Built:
    """What was built, or what is there if there is nothing to do. Raises what `pack` raises."""
    settings = settings_from({**order.given, **way.overriding})
    if not way.again:
        there = unchanged(order.inputs, order.out, settings, cache, executor, way.program, order.skins)
        if there:
            return there
    from .pack import pack

    return pack(
        order.inputs,
        order.out,
        settings,
        executor,
        progress,
        way.program,
        dry_run=way.dry_run,
        force=way.force,
        keep_touches=way.keep_touches,
        waiting=waiting,
        wait=way.wait,
        cache=cache,
        skins=order.skins,
    )


class Task(NamedTuple):
    """An order that another process builds, with so many threads, and so much memory for its frames."""

    order: Order
    way: Way
    threads: int
    memory: int


def build_many(
    orders: Sequence[Order], way: Way, jobs: int, memory: int = 0, progress: Progress = silent
) -> Iterator[Built | CrateError]:
    """What was built of each order, or what is wrong with it, in order; so many `jobs` at a time, each in a process of
    its own. They share the threads and the memory that there are."""
    from ..work.jobs import Lost, in_processes
    from ..work.room import default_limit

    share = (memory or default_limit()) // jobs
    tasks = [Task(order, way, max(1, processors() // jobs), share) for order in orders]
    progress("crates", 0, len(tasks))
    for done, built in enumerate(in_processes(_built_apart, tasks, jobs), 1):
        progress("crates", done, len(tasks))
        yield lost("process") if isinstance(built, Lost) else built


def _built_apart(task: Task) -> Built | CrateError:
    try:
        with crew(task.threads, task.memory) as executor, opened() as cache:
            return build_order(task.order, task.way, executor, cache)
    except CrateError as error:
        return error
    except MemoryError:
        return InputError("its frames do not fit into this machine's memory; build it alone, or with fewer jobs")


def lost(who: str) -> CrateError:
    """What is said of a crate whose builder ended again and again."""
    return InputError(
        f"the {who} that built it was ended from outside, more than once; if memory was short, build it with fewer jobs"
    )
