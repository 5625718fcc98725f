"""The workers of one command: threads of this process, and on request processes next to it, or a cluster's workers.

All of them are an `Executor` of the standard library: errors come back to whoever asked. What may leave this process is
a function of a module, with values that pickle.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from typing import TYPE_CHECKING, Any, TypeVar

from ..platform import FORKS, processors
from .ordered import InlineExecutor

if TYPE_CHECKING:
    from .processes import Processes

T = TypeVar("T")


class WorkerPool(Executor):
    """Threads that share this process's memory. For many small tasks it uses processes on request: the interpreter's
    lock makes two threads slower than one.

    `count` is by default one for each processor that this process may use. `readers` are others, on a cluster, who
    decode all files. Leaving its context drops what has not begun.
    """

    def __init__(self, count: int = 0, readers: Executor | None = None) -> None:
        self.count = count or processors()
        self.readers = readers
        self._threads: Executor = ThreadPoolExecutor(self.count) if self.count > 1 else InlineExecutor()
        self._processes: Processes | None = None

    def submit(self, fn: Callable[..., T], /, *args: Any, **kwargs: Any) -> Future[T]:
        return self._threads.submit(fn, *args, **kwargs)

    def small_frames_pool(self, pays: bool) -> Executor:
        """Return who does small tasks: processes if that `pays`, and they can be had; otherwise this thread."""
        if not pays or self.count == 1 or not FORKS:  # elsewhere a process takes long to start
            return InlineExecutor()
        if self._processes is None:
            from .processes import Processes, may_start

            if not may_start():
                return InlineExecutor()
            self._processes = Processes(self.count)
        return self._processes

    def __exit__(self, *_: object) -> None:
        self.shutdown(wait=False, cancel_futures=True)

    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:
        self._threads.shutdown(wait, cancel_futures=cancel_futures)
        if self._processes:
            self._processes.shutdown()


Progress = Callable[[str, int, int], None]
"""Called with the current step, the amount done, and the total."""


def silent(doing: str, done: int, total: int) -> None:
    """Progress that nobody watches."""
