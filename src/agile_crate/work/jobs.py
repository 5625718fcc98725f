"""Large tasks in processes of their own: as many at a time as there are processes, results in the order of the tasks.

A process that is ended from outside costs no other task its result: what was under way then is tried once more, one
after the other, and what ends its process again is lost.
"""

from __future__ import annotations

import multiprocessing
import sys
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, BrokenExecutor, Future, ProcessPoolExecutor, wait
from multiprocessing.process import BaseProcess
from typing import Any, TypeVar

from .processes import PATIENCE, begin_job, one_job

A = TypeVar("A")
T = TypeVar("T")


AHEAD = 2
"""Tasks for each process that are under way at a time, so that none waits for the next one."""


class Lost:
    """In place of a result: the process ended without one, twice."""


def in_processes(work: Callable[[A], T], tasks: Sequence[A], count: int) -> Iterator[T | Lost]:
    """What `work` makes of each task, in order, in `count` processes. Leaving early ends them, once they have taken
    back what they half wrote."""
    found: dict[int, T | Lost] = {}
    coming = iter(range(len(tasks)))
    told = 0
    pool = _Pool(count)
    try:
        while told < len(tasks):
            while len(pool.under_way) < AHEAD * count and (number := next(coming, None)) is not None:
                pool.begin(number, work, tasks[number])
            for number in pool.some_done(found):  # whoever was under way when a process ended
                found[number] = _alone(work, tasks[number])
            while told in found:
                yield found.pop(told)
                told += 1
    finally:
        pool.end()


def _alone(work: Callable[[A], T], task: A) -> T | Lost:
    found: dict[int, T | Lost] = {}
    pool = _Pool(1)
    try:
        pool.begin(0, work, task)
        lost = pool.some_done(found)
        return Lost() if lost else found[0]
    finally:
        pool.end()


class _Pool:
    """Processes, and what is under way in them."""

    def __init__(self, count: int) -> None:
        self._count = count
        self._processes: ProcessPoolExecutor | None = None
        self._children: list[BaseProcess] = []
        self.under_way: dict[Future[Any], int] = {}

    def begin(self, number: int, work: Callable[[A], T], task: A) -> None:
        before = multiprocessing.active_children()
        if self._processes is None:
            method = "fork" if sys.platform == "linux" else "spawn"
            context = multiprocessing.get_context(method)
            self._processes = ProcessPoolExecutor(self._count, context, initializer=begin_job)
        self.under_way[self._processes.submit(one_job, work, task)] = number
        self._children += [child for child in multiprocessing.active_children() if child not in before]

    def some_done(self, found: dict[int, Any]) -> list[int]:
        """Waits until something is done, and puts it where it is to be found; what was under way when a process was
        ended is returned instead. Raises what the work raised."""
        done, _ = wait(self.under_way, return_when=FIRST_COMPLETED)
        lost = []
        for future in done:
            number = self.under_way.pop(future)
            try:
                found[number] = future.result()
            except BrokenExecutor:
                lost.append(number)
        if lost:
            lost += self.under_way.values()
            self.end()
        return sorted(lost)

    def end(self) -> None:
        """Ends the processes; another one that begins finds new ones."""
        self.under_way.clear()
        if self._processes:
            self._processes.shutdown(wait=False, cancel_futures=True)
            self._processes = None
        for child in self._children:
            child.terminate()
        for child in self._children:
            child.join(PATIENCE)
            if child.is_alive():
                child.kill()
        self._children = []
