"""One bounded, ordered map over any executor: threads, processes, or a cluster's workers."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, BrokenExecutor, Executor, Future, wait
from typing import Any, Generic, TypeVar

A = TypeVar("A")
R = TypeVar("R")
T = TypeVar("T")

AHEAD, BYTES_AHEAD = 16, 1 << 27
"""The number of tasks done ahead of the use of their results, and the bytes these may take, except two of them."""


class InlineExecutor(Executor):
    """An executor that runs every task at once, on the calling thread."""

    def submit(self, fn: Callable[..., T], /, *args: Any, **kwargs: Any) -> Future[T]:
        future: Future[T] = Future()
        try:
            future.set_result(fn(*args, **kwargs))
        except Exception as error:
            future.set_exception(error)
        return future


class _Slot(Generic[A, R, T]):
    """A started task: its future until the result arrives, then the result."""

    __slots__ = ("future", "result", "task")

    def __init__(self, task: A, future: Future[R]) -> None:
        self.task = task
        self.future: Future[R] | None = future
        self.result: list[T] = []


def ordered_map(
    tasks: Iterable[A],
    submit: Callable[[A], Future[R]],
    receive: Callable[[A, Future[R]], T],
    under_way: Callable[[], int] = lambda: AHEAD,
    held: Callable[[], int] | None = None,
    idle: tuple[float, Callable[[], None]] | None = None,
) -> Iterator[T]:
    """Yield what becomes of each task, in order, whatever the order in which results arrive.

    `submit` begins a task. `receive` is called on this thread as soon as the task is done, and makes the result; it
    also decides what to do with a task that was lost with its worker. No more tasks are begun than may be `under_way`,
    and, if given, no more are begun or wait to be yielded than may be `held`. `idle` are seconds, and the function
    called whenever they pass without a result. Leaving early cancels the others.
    """
    coming = iter(tasks)
    slots: deque[_Slot[A, R, T]] = deque()
    is_open = True
    try:
        while True:
            waiting = [slot for slot in slots if slot.future]
            while is_open and len(waiting) < under_way() and (held is None or len(slots) < max(1, held())):
                for task in coming:
                    slots.append(_Slot(task, submit(task)))
                    waiting.append(slots[-1])
                    break
                else:
                    is_open = False
            if not slots:
                return
            if slots[0].future:
                futures = [slot.future for slot in waiting if slot.future]
                while not any(future.done() for future in futures):
                    done, _ = wait(futures, idle[0] if idle else None, FIRST_COMPLETED)
                    if idle and not done:
                        idle[1]()
                for slot in waiting:
                    if slot.future and slot.future.done():
                        slot.result = [receive(slot.task, slot.future)]
                        slot.future = None  # so that the pixels of a result are held once
            if not slots[0].future:
                yield slots.popleft().result.pop()
    finally:
        for slot in slots:
            if slot.future:
                slot.future.cancel()


def in_turn(
    executor: Executor, work: Callable[..., T], tasks: Iterable[Sequence[Any]], size: Callable[[], int] = lambda: 0
) -> Iterator[T]:
    """Yield what `work` makes of the arguments of each task, in order. Few are done ahead of those that were taken;
    fewer if `size`, asked again and again, says that a result takes many bytes. Tasks lost with a killed
    process run on this thread."""

    def submit(task: Sequence[Any]) -> Future[T]:
        try:
            return executor.submit(work, *task)
        except BrokenExecutor:
            return InlineExecutor().submit(work, *task)

    def receive(task: Sequence[Any], future: Future[T]) -> T:
        try:
            return future.result()
        except BrokenExecutor:
            return work(*task)

    return ordered_map(tasks, submit, receive, held=lambda: min(AHEAD, max(2, BYTES_AHEAD // max(1, size()))))


def following(inner: Future[Any], result: Callable[[Future[Any]], T]) -> Future[T]:
    """Return a future that has what `result` makes of another one as soon as that is done."""
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
