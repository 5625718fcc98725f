"""How many threads to use, and stopping them at once."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator
from concurrent.futures import Executor, ThreadPoolExecutor


@contextlib.contextmanager
def workers() -> Iterator[Executor]:
    """A pool with a thread for each processor that this process may use. Leaving it drops what has not begun."""
    executor = ThreadPoolExecutor(_processors())
    try:
        yield executor
    finally:
        executor.shutdown(wait=False, cancel_futures=True)


def _processors() -> int:
    if hasattr(os, "sched_getaffinity"):  # Linux: also respects containers and taskset
        return len(os.sched_getaffinity(0))
    return os.cpu_count() or 1
