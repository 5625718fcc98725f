"""Results of work that others do: in the order of the asking, few at a time, whoever is lost meanwhile."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import BrokenExecutor, Executor, Future
from typing import Any, TypeVar

T = TypeVar("T")

AHEAD, BYTES_AHEAD = 16, 1 << 27
"""Tasks that are done ahead of what is done with their results, and what these may take, but for two of them."""


class Here(Executor):
    """Everything at once, on the thread that asks."""

    def submit(self, fn: Callable[..., T], /, *args: Any, **kwargs: Any) -> Future[T]:
        future: Future[T] = Future()
        try:
            future.set_result(fn(*args, **kwargs))
        except Exception as error:
            future.set_exception(error)
        return future


def following(inner: Future[Any], result: Callable[[Future[Any]], T]) -> Future[T]:
    """A future that has what `result` makes of another one as soon as that is done."""
    outer: Future[T] = Future()

    def arrived(inner: Future[Any]) -> None:
        if not outer.set_running_or_notify_cancel():
            return
        try:
            outer.set_result(result(inner))
        except BaseException as error:
            outer.set_exception(error)

    inner.add_done_callback(arrived)
    return outer


def in_order(numbered: Iterable[tuple[int, T]]) -> Iterator[T]:
    """Results that come with their numbers from 0, in that order."""
    waiting: dict[int, T] = {}
    told = 0
    for number, result in numbered:
        waiting[number] = result
        while told in waiting:
            yield waiting.pop(told)
            told += 1


def in_turn(
    executor: Executor, work: Callable[..., T], tasks: Iterable[Sequence[Any]], size: Callable[[], int] = lambda: 0
) -> Iterator[T]:
    """What `work` makes of the arguments of each task, in order. Few are done ahead of those that were taken; fewer
    where `size`, asked again and again, says that a result takes many bytes. What is lost with a process that somebody
    ended is done here."""
    waiting: deque[tuple[Sequence[Any], Future[T]]] = deque()

    def next_one() -> T:
        task, future = waiting.popleft()
        try:
            return future.result()
        except BrokenExecutor:
            return work(*task)

    try:
        for task in tasks:
            try:
                future = executor.submit(work, *task)
            except BrokenExecutor:
                executor = Here()
                future = executor.submit(work, *task)
            waiting.append((task, future))
            while len(waiting) > min(AHEAD, max(2, BYTES_AHEAD // max(1, size()))):
                yield next_one()
        while waiting:
            yield next_one()
    finally:
        for _, future in waiting:
            future.cancel()
