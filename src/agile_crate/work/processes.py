"""Processes beside this one, forked from it, whose results come back through memory that both see.

What a result holds in arrays travels outside of its pickle (PEP 574), in a slot of one shared map without a name:
whoever ends, and however, leaves nothing behind. Only for systems on which a fork is safe.
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
from typing import Any, NamedTuple, TypeVar

from .. import interrupts

A = TypeVar("A")
T = TypeVar("T")

PATIENCE = 10
"""Seconds in which a process that is told to end takes back what it has half written."""

SLOT, SLOTS = 1 << 23, 24
"""Bytes of a slot, and how many there are; memory is taken only by what is written. A result that finds no slot, or
none large enough, travels by itself."""


class Carried(NamedTuple):
    """A result on its way: its pickle, and the lengths of the arrays that lie in its slot, one behind the other."""

    pickled: bytes
    lengths: tuple[int, ...]


class Processes(Executor):
    """`count` processes. Functions and arguments must pickle; arrays in results are read-only."""

    def __init__(self, count: int) -> None:
        self._map = mmap.mmap(-1, SLOT * SLOTS)
        self._free = list(range(SLOTS))
        self._children: list[BaseProcess] = []
        self._pool = ProcessPoolExecutor(
            count, multiprocessing.get_context("fork"), initializer=_begin, initargs=(self._map,)
        )

    def submit(self, fn: Callable[..., T], /, *args: Any, **kwargs: Any) -> Future[T]:
        slot = self._free.pop() if self._free else None
        result: Future[T] = Future()

        def arrived(inner: Future[Carried]) -> None:
            try:
                if result.set_running_or_notify_cancel():
                    result.set_result(self._unpacked(inner.result(), slot))
            except BaseException as error:
                result.set_exception(error)
            finally:
                if slot is not None:
                    self._free.append(slot)

        with warnings.catch_warnings():
            warnings.simplefilter("ignore", DeprecationWarning)  # threads of ours hold nothing that a child needs
            before = multiprocessing.active_children()
            inner = self._pool.submit(_carried, slot, fn, args, kwargs)
            self._children = self._children or [c for c in multiprocessing.active_children() if c not in before]
        inner.add_done_callback(arrived)
        return result

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
        """Ends the processes at once, whatever they are doing."""
        self._pool.shutdown(wait=False, cancel_futures=True)
        for child in self._children:
            child.terminate()


_shared: mmap.mmap


def _begin(shared: mmap.mmap) -> None:
    """What a process does first: it leaves signals to the one who asks, and ends when that one does."""
    global _shared
    _shared = shared
    _leave_signals_to_parent()
    signal.signal(signal.SIGTERM, signal.SIG_DFL)


def begin_job() -> None:
    """What a process does first that writes files: when it is told to end, it takes back what it half wrote."""
    _leave_signals_to_parent()
    interrupts.begin_anew()
    signal.signal(signal.SIGTERM, _end)


def one_job(work: Callable[[A], T], task: A) -> T:
    """A task in such a process."""
    try:
        return work(task)
    except KeyboardInterrupt:
        os._exit(1)
    finally:
        interrupts.begin_anew()


def _end(*_: object) -> None:
    if interrupts.is_idle():
        os._exit(1)
    interrupts.arrived()


def _leave_signals_to_parent() -> None:
    for name in ("SIGINT", "SIGHUP", "SIGBREAK"):
        if hasattr(signal, name):
            signal.signal(getattr(signal, name), signal.SIG_IGN)
    threading.Thread(target=_end_with_parent, daemon=True).start()


def _end_with_parent() -> None:
    parent = multiprocessing.parent_process()
    if parent:
        parent.join()
    os.kill(os.getpid(), signal.SIGTERM)
    threading.Event().wait(PATIENCE)
    os._exit(1)


def _carried(slot: int | None, fn: Callable[..., object], args: Any, kwargs: Any) -> Carried:
    """What a process makes of a task. Here pickles are read only of what this program itself wrote a moment ago."""
    result = fn(*args, **kwargs)
    if slot is None:
        return Carried(pickle.dumps(result, 5), ())
    buffers: list[pickle.PickleBuffer] = []
    pickled = pickle.dumps(result, 5, buffer_callback=buffers.append)
    raw = [buffer.raw() for buffer in buffers]
    if sum(map(len, raw)) > SLOT:
        return Carried(pickle.dumps(result, 5), ())
    at = slot * SLOT
    for one in raw:
        _shared[at : at + len(one)] = one
        at += len(one)
    return Carried(pickled, tuple(map(len, raw)))
