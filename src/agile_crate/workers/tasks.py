"""Large tasks that write files, in processes of their own, several at a time.

If a process is killed, no other task loses its result. Tasks that were running then are tried once more, one at a time;
a task that ends its process again is lost.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import BrokenExecutor, Future
from typing import Any, TypeVar

from .. import interrupts
from ..platform import FORKS
from .ordered import ordered_map
from .processes import TERMINATE_TIMEOUT_S, Pool, end_here, follow_parent

A = TypeVar("A")
T = TypeVar("T")

AHEAD = 2
"""Tasks for each process that are under way at a time, so that none waits for the next one."""


def in_processes(
    work: Callable[[A], T], tasks: Sequence[A], count: int, lost: Callable[[], T], received: Callable[[int], None]
) -> Iterator[T]:
    """Yield what `work` makes of each task, in order, in `count` processes; `lost` makes the result of a task whose
    process ends again and again, and `received` is called with how many are done. Leaving early ends the processes,
    once they have taken back what they half wrote."""
    pool = _pool(count)
    done = 0

    def submit(task: A) -> Future[T]:
        nonlocal pool
        try:
            return pool.submit(_one, work, task)
        except BrokenExecutor:
            pool.end(TERMINATE_TIMEOUT_S)
            pool = _pool(count)
            return pool.submit(_one, work, task)

    def receive(task: A, future: Future[T]) -> T:
        nonlocal done
        try:
            result = future.result()
        except BrokenExecutor:
            result = _alone(work, task, lost)
        done += 1
        received(done)
        return result

    try:
        yield from ordered_map(tasks, submit, receive, lambda: AHEAD * count)
    finally:
        pool.end(TERMINATE_TIMEOUT_S)


def _alone(work: Callable[[A], T], task: A, lost: Callable[[], T]) -> T:
    """Try a lost task once more, in a process of its own: whichever task ended the process costs no other its
    result."""
    pool = _pool(1)
    try:
        found: T = pool.submit(_one, work, task).result()
        return found
    except BrokenExecutor:
        return lost()
    finally:
        pool.end(TERMINATE_TIMEOUT_S)


def _pool(count: int) -> Pool:
    return Pool(count, "fork" if FORKS else "spawn", _begin)


def _begin() -> None:
    interrupts.begin_anew()
    follow_parent(_end)


def _end(*_: Any) -> None:
    """Undo this process's partial files when it is terminated."""
    if interrupts.is_idle():
        end_here()
    interrupts.arrived()


def _one(work: Callable[[A], T], task: A) -> T:
    try:
        return work(task)
    except KeyboardInterrupt:
        end_here()
    finally:
        interrupts.begin_anew()
