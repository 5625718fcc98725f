"""Processes beside this one, forked from it, whose results come back through memory that both see.

What a result holds in arrays travels outside of its pickle (PEP 574), in a slot of one shared map without a name, so
that nothing is left behind however a process ends. Only for systems on which a fork is safe.
"""

from __future__ import annotations

import mmap
import multiprocessing
import os
import pickle
import signal
import threading
import warnings
from collections.abc import Callable
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from multiprocessing.process import BaseProcess
from typing import Any, Literal, NamedTuple, NoReturn, TypeVar

from ..platform import let_signals_come, signals_wait
from .ordered import following

T = TypeVar("T")

TERMINATE_TIMEOUT_S = 10
"""Seconds for a process that must end to remove unfinished files."""

SLOT, SLOTS = 1 << 23, 24
"""Bytes of a slot, and the number of slots; only written parts take memory. A result that finds no slot, or
none large enough, travels by itself."""


def may_start() -> bool:
    """Return True if this process may start others: a worker of `multiprocessing.Pool` may not."""
    return not multiprocessing.current_process().daemon


class Pool:
    """The standard library's pool of processes, with a way to end it at once. Each process runs `first`, which sets up
    signals; they are held until then (see `follow_parent`)."""

    def __init__(
        self, count: int, method: Literal["fork", "spawn"], first: Callable[..., None], *given: object
    ) -> None:
        context = multiprocessing.get_context(method)
        self._inner = ProcessPoolExecutor(count, context, initializer=first, initargs=given)
        self._children: list[BaseProcess] = []

    def submit(self, work: Callable[..., T], *arguments: Any) -> Future[T]:
        before = multiprocessing.active_children()
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", DeprecationWarning)  # threads of ours hold nothing that a child needs
            with signals_wait():
                future = self._inner.submit(work, *arguments)
        self._children += [child for child in multiprocessing.active_children() if child not in before]
        return future

    def end(self, patience: float = 0) -> None:
        """End the processes, whatever they are doing; those that take longer than `patience` seconds by force."""
        self._inner.shutdown(wait=False, cancel_futures=True)
        for child in self._children:
            (child.terminate if patience else child.kill)()
        for child in self._children if patience else ():
            child.join(patience)
            if child.is_alive():
                child.kill()


class Carried(NamedTuple):
    """A result in transit: its pickle, and the lengths of the arrays in its slot, in order."""

    pickled: bytes
    lengths: tuple[int, ...]


class Processes(Executor):
    """`count` processes. Functions and arguments must pickle; arrays in results are read-only."""

    def __init__(self, count: int) -> None:
        self._map = mmap.mmap(-1, SLOT * SLOTS)
        self._free = list(range(SLOTS))
        self._pool = Pool(count, "fork", _begin, self._map)

    def submit(self, fn: Callable[..., T], /, *args: Any, **kwargs: Any) -> Future[T]:
        slot = self._free.pop() if self._free else None

        def unpacked(inner: Future[Carried]) -> Any:
            try:
                return self._unpacked(inner.result(), slot)
            finally:
                if slot is not None:
                    self._free.append(slot)

        return following(self._pool.submit(_carried, slot, fn, args, kwargs), unpacked)

    def _unpacked(self, carried: Carried, slot: int | None) -> Any:
        if slot is None or not carried.lengths:
            return pickle.loads(carried.pickled)
        start = slot * SLOT
        held = memoryview(self._map[start : start + sum(carried.lengths)])  # a copy, so that the slot is free again
        buffers, at = [], 0
        for length in carried.lengths:
            buffers.append(held[at : at + length])
            at += length
        return pickle.loads(carried.pickled, buffers=buffers)

    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:  # noqa: ARG002
        """End the processes at once, whatever they are doing."""
        self._pool.end()


_shared: mmap.mmap


def _begin(shared: mmap.mmap) -> None:
    global _shared
    _shared = shared
    follow_parent(signal.SIG_DFL)


def end_here(*_: object) -> NoReturn:
    """End this process at once."""
    os._exit(1)


def follow_parent(is_terminated: Callable[..., object] | signal.Handlers) -> None:
    """Set up a worker process: it ignores interruptions, ends with its parent, and ends cleanly on request."""
    for name in ("SIGINT", "SIGHUP", "SIGBREAK"):
        if hasattr(signal, name):
            signal.signal(getattr(signal, name), signal.SIG_IGN)
    signal.signal(signal.SIGTERM, is_terminated)
    let_signals_come()
    threading.Thread(target=_end_with_parent, daemon=True).start()


def _end_with_parent() -> None:
    parent = multiprocessing.parent_process()
    if parent:
        parent.join()
    os.kill(os.getpid(), signal.SIGTERM)
    threading.Event().wait(TERMINATE_TIMEOUT_S)
    end_here()


def _carried(slot: int | None, fn: Callable[..., object], args: Any, kwargs: Any) -> Carried:
    """Return what a process makes of a task. Here pickles are read only of what this program itself wrote a moment
    ago."""
    result = fn(*args, **kwargs)
    if slot is None:
        return Carried(pickle.dumps(result, 5), ())
    buffers: list[pickle.PickleBuffer] = []
    pickled = pickle.dumps(result, 5, buffer_callback=buffers.append)
    raw = [buffer.raw() for buffer in buffers]
    if sum(map(len, raw)) > SLOT:
        return Carried(pickle.dumps(result, 5), ())
    at = slot * SLOT
    for buffer in raw:
        _shared[at : at + len(buffer)] = buffer
        at += len(buffer)
    return Carried(pickled, tuple(map(len, raw)))
