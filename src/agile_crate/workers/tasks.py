"""Large tasks that write files, in processes of their own, as many at a time as are wanted.

A process that is ended from outside costs no other task its result: what was under way then is tried once more, one
after the other, and what ends its process again is lost.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, BrokenExecutor, Future, wait
from typing import Any, TypeVar

from .. import interrupts
from ..platform import FORKS
from .processes import PATIENCE, Pool, end_here, follow_parent

A = TypeVar("A")
T = TypeVar("T")

AHEAD = 2
"""Tasks for each process that are under way at a time, so that none waits for the next one."""


class Lost:
    """In place of a result: whoever was to make it ended without one, again and again."""


def in_processes(work: Callable[[A], T], tasks: Sequence[A], count: int) -> Iterator[tuple[int, T | Lost]]:
    """What `work` makes of each task, as it comes, with the task's number, in `count` processes. Leaving early ends
    them, once they have taken back what they half wrote."""
    pool, under_way = _pool(count), dict[Future[T], int]()
    coming = iter(range(len(tasks)))
    try:
        while True:
            while len(under_way) < AHEAD * count and (number := next(coming, None)) is not None:
                under_way[pool.submit(_one, work, tasks[number])] = number
            if not under_way:
                return
            done, _ = wait(under_way, return_when=FIRST_COMPLETED)
            broken: list[int] = []
            for future in done:
                number = under_way.pop(future)
                try:
                    yield number, future.result()
                except BrokenExecutor:
                    broken.append(number)
            if broken:
                broken += under_way.values()
                under_way.clear()
                pool.end(PATIENCE)
                yield from ((number, _alone(work, tasks[number])) for number in sorted(broken))
                pool = _pool(count)
    finally:
        pool.end(PATIENCE)


def _alone(work: Callable[[A], T], task: A) -> T | Lost:
    pool = _pool(1)
    try:
        found: T = pool.submit(_one, work, task).result()
        return found
    except BrokenExecutor:
        return Lost()
    finally:
        pool.end(PATIENCE)


def _pool(count: int) -> Pool:
    return Pool(count, "fork" if FORKS else "spawn", _begin)


def _begin() -> None:
    interrupts.begin_anew()
    follow_parent(_end)


def _end(*_: Any) -> None:
    """Told to end, a process takes back what it half wrote."""
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
