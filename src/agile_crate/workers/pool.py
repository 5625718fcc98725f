"""Who does the work of a run: the threads of this process, this one alone, or processes beside it, where they pay.

What is asked of any of them is an `Executor` of the standard library: results come in the order of the asking, errors
come back to the one who asks. Whatever may leave this process is a function of a module and values that pickle.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from functools import cached_property
from typing import TYPE_CHECKING, Any, TypeVar

from ..core.limits import in_force, with_limits
from ..platform import FORKS, processors
from .ordered import Here

if TYPE_CHECKING:
    from ..storage.pixel_store import Room
    from .processes import Processes

T = TypeVar("T")


class Crew(Executor):
    """Threads that share this process's memory, and on request others who do not, for what is small and very much:
    there the interpreter's lock makes two threads slower than one."""

    def __init__(self, count: int, memory: int, readers: Executor | None = None) -> None:
        self.count = count
        self.readers = readers
        """Others, on a cluster, who read all files."""
        self._memory = memory
        self._threads: Executor = ThreadPoolExecutor(count) if count > 1 else Here()
        self._processes: Processes | None = None

    @cached_property
    def room(self) -> Room:
        """Where pixels wait."""
        from ..storage.pixel_store import Room, default_limit

        return Room(self._memory or default_limit())

    def submit(self, fn: Callable[..., T], /, *args: Any, **kwargs: Any) -> Future[T]:
        return self._threads.submit(with_limits, in_force(), fn, *args, **kwargs)

    def beside(self, pays: bool) -> Executor:
        """Those who do small things: processes beside this one if that `pays`, and can be had; else this thread."""
        if not pays or self.count == 1 or not FORKS:  # elsewhere a process starts from nothing
            return Here()
        if self._processes is None:
            from .processes import Processes, may_start

            if not may_start():
                return Here()
            self._processes = Processes(self.count)
        return self._processes

    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:
        self._threads.shutdown(wait, cancel_futures=cancel_futures)
        if self._processes:
            self._processes.shutdown()
        if "room" in vars(self):
            self.room.close()


@contextlib.contextmanager
def crew(count: int = 0, memory: int = 0, readers: Executor | None = None) -> Iterator[Crew]:
    """As many as there are processors for this process, or `count`, with room for so many bytes of pixels, or a third
    of the machine's memory; files may be left to other `readers`. Leaving it drops what has not begun."""
    executor = Crew(count or processors(), memory, readers)
    try:
        yield executor
    finally:
        executor.shutdown(wait=False, cancel_futures=True)
