"""Tasks on other machines, by Dask's scheduler and workers (the `distributed` library, in the extra `cluster`).

A task whose worker dies, or is silent while others respond, goes to another worker. Results return to this process; no
worker puts files in place.
"""

from __future__ import annotations

import contextlib
import logging
import socket
from collections.abc import Callable, Iterable, Iterator, Mapping
from concurrent.futures import BrokenExecutor, CancelledError, Executor, Future
from typing import Any, NamedTuple, TypeVar

from ..core.errors import InputError, UsageError, reason
from ..core.message import message
from ..core.text import few, shown
from ..platform import machine_memory
from .ordered import following, ordered_map

A = TypeVar("A")
R = TypeVar("R")
T = TypeVar("T")

CONNECT_TIMEOUT_S = 10
"""Seconds."""

LOOKS_EVERY_S, SILENT_AFTER_S = 2, 30
"""Seconds: how often silence is looked for, and how long a worker may be silent while others are heard."""

LONGEST_GREETING = 1 << 20
"""Bytes."""

COUNTS_EVERY = 10
"""Results after which workers are counted again."""

AHEAD = 2
"""Tasks for each worker that are under way at a time, so that none waits for the next one."""


class Cluster:
    """A scheduler that is connected, and its workers. Made by `connected`."""

    def __init__(self, client: Any, address: str) -> None:
        self._client = client
        self.address = address
        self._under_way: dict[Future[Any], _Attempt] = {}

    @property
    def workers(self) -> dict[str, Any]:
        """Return what the scheduler knows of each worker, by its address."""
        found: dict[str, Any] = self._client.scheduler_info(n_workers=-1)["workers"]
        return found

    @property
    def executor(self) -> Executor:
        """The workers as an executor of the standard library."""
        return _Readers(self._client.get_executor(pure=False))

    def refuse_others(self, wanted: Mapping[str, str], versions_here: Callable[[], Mapping[str, str]]) -> None:
        """Raise InputError if a worker has other package versions than those `wanted`."""
        answers = self._client.run(versions_here, on_error="return")
        versions = {worker: found for worker, found in answers.items() if not isinstance(found, OSError)}  # others went
        if not versions:
            raise InputError(
                f"the scheduler at {self.address} has no workers; start one with 'dask worker {self.address}'"
            )
        for worker, found in sorted(versions.items()):
            if not isinstance(found, Mapping):
                raise InputError(f"the worker {worker} cannot be asked what it runs: {_short(found)}")
            odd = [f"{name} {found.get(name) or '(none)'}" for name in wanted if found.get(name) != wanted[name]]
            if odd:
                here = few(f"{name} {wanted[name]}" for name in wanted if found.get(name) != wanted[name])
                raise InputError(
                    f"the worker {worker} has {few(odd)}, and here it is {here}; install the same on both, so that "
                    "the files are the same"
                )

    def map(
        self, tasks: Iterable[A], submit: Callable[[A], Future[R]], receive: Callable[[A, Future[R]], T]
    ) -> Iterator[T]:
        """Yield what becomes of each task, in order. Tasks are taken as workers become free: see `ordered_map`."""
        asked, workers = 0, 0

        def under_way() -> int:
            """Workers come and go, but asking the scheduler each time would take longer than a small task."""
            nonlocal asked, workers
            if asked % COUNTS_EVERY == 0:
                workers = len(self.workers)
            asked += 1
            return AHEAD * max(1, workers)

        return ordered_map(tasks, submit, receive, under_way, idle=(LOOKS_EVERY_S, self._leave_the_silent))

    def submit(self, work: Callable[[A], R], task: A) -> Future[R]:
        """Begin a task. It goes to another worker if its own dies, or is silent; if workers die again and again, the
        future raises BrokenExecutor."""
        outer: Future[R] = Future()
        outer.add_done_callback(self._given_up)
        self._begin(outer, work, task)
        return outer

    def _begin(self, outer: Future[Any], work: Callable[[Any], Any], task: Any, **where: Any) -> None:
        remote = self._client.submit(work, task, pure=False, **where)
        self._under_way[outer] = _Attempt(remote, work, task)
        remote.add_done_callback(lambda remote: self._arrived(outer, remote))

    def _arrived(self, outer: Future[Any], remote: Any) -> None:
        if outer not in self._under_way or self._under_way[outer].remote is not remote:
            return  # it was given to another worker, or given up
        try:
            result = _or_broken(remote)
        except BaseException as error:
            outer.set_exception(error)
        else:
            outer.set_result(result)

    def _given_up(self, outer: Future[Any]) -> None:
        """Forget a task that is done; cancel one that nobody waits for any more."""
        found = self._under_way.pop(outer, None)
        if found and outer.cancelled():
            _cancel(found.remote)

    def _leave_the_silent(self) -> None:
        """Give what silent workers should do to others."""
        workers = self.workers
        if not workers:
            raise InputError(f"the scheduler at {self.address} has lost all its workers; start one, and build again")
        last_seen = {worker: float(state.get("last_seen") or 0) for worker, state in workers.items()}
        silent = {worker for worker, last in last_seen.items() if max(last_seen.values()) - last > SILENT_AFTER_S}
        stuck = {key for worker in silent for key in self._client.processing().get(worker, ())}
        others = sorted(set(workers) - silent)
        for outer, (remote, work, task) in list(self._under_way.items()):
            if remote.key in stuck:
                self._begin(outer, work, task, workers=others, allow_other_workers=True)
                _cancel(remote)


class _Attempt(NamedTuple):
    """A task on a worker, with its input, so that another worker can start it again."""

    remote: Any
    work: Callable[[Any], Any]
    task: Any


def _cancel(remote: Any) -> None:
    with contextlib.suppress(Exception):
        remote.cancel(force=True)


@contextlib.contextmanager
def connected(address: str) -> Iterator[Cluster]:
    """The cluster at a scheduler's address. Raises UsageError and InputError."""
    try:
        from distributed import Client, __version__
        from distributed.comm import CommClosedError
    except ImportError:
        raise UsageError(
            message("{cluster} needs the engine that runs it: pip install 'agile-crate[cluster]'")
        ) from None
    _refuse_others_than_schedulers(address)
    logging.getLogger("distributed").setLevel(logging.CRITICAL + 1)  # what matters we say ourselves
    # Create the client before it connects, so that a failed one can be closed at once. The garbage collector would
    # close it at any time, and deadlocks if that happens while the next client starts.
    client = Client.__new__(Client)
    try:
        client.__init__(address, timeout=CONNECT_TIMEOUT_S)
    except Exception as error:  # any answer, or none
        with contextlib.suppress(Exception):
            client.close(timeout=2)
        raise _no_scheduler(address, error) from None
    try:
        scheduler = client.get_versions()["scheduler"]["packages"]["distributed"]
        if scheduler != __version__:
            raise InputError(
                f"the scheduler at {shown(address)} runs distributed {scheduler}, and here it is {__version__}; "
                "install the same on both"
            )
        yield Cluster(client, address)
    except (CancelledError, CommClosedError):
        raise InputError(
            f"the scheduler at {shown(address)} does not answer any more; crates that are in place are whole, start it "
            "again and build the others"
        ) from None
    finally:
        with contextlib.suppress(Exception):
            client.close(timeout=2)


def _refuse_others_than_schedulers(address: str) -> None:
    """Raise InputError if the server is not a scheduler. The library would read another server's answer as a very long
    message, and wait for its end. A scheduler sends first, and begins with a small number."""
    scheme, _, rest = address.rpartition("://")
    host, _, port = rest.rpartition(":")
    if scheme not in ("", "tcp") or not (host and port.isascii() and port.isdigit()):
        return  # the library names the fault, and others are encrypted
    try:
        with socket.create_connection((host.strip("[]"), int(port)), CONNECT_TIMEOUT_S) as connection:
            connection.settimeout(CONNECT_TIMEOUT_S)
            greeting = connection.recv(8, socket.MSG_WAITALL)
    except OSError as error:
        raise _no_scheduler(address, reason(error)) from None
    except OverflowError:
        raise _no_scheduler(address, "there is no such port") from None
    if len(greeting) < 8 or int.from_bytes(greeting, "little") >= LONGEST_GREETING:
        raise _no_scheduler(address, "something else does")


def _no_scheduler(address: str, why: object) -> InputError:
    return InputError(f"no scheduler answers at {shown(address)}: {_short(why)}; check host and port, and that it runs")


class Worker(NamedTuple):
    """A worker: its threads, its bytes of memory, and its folder, which is emptied when the worker restarts."""

    address: str
    threads: int
    memory: int
    folder: str


def this_worker() -> Worker:
    """Return the worker that runs this code."""
    from distributed import get_worker

    worker = get_worker()
    memory = worker.memory_manager.memory_limit or machine_memory()
    return Worker(worker.address, worker.state.nthreads, memory, worker.local_directory)


class _Readers(Executor):
    """A client's executor that reports lost tasks as other broken executors do."""

    def __init__(self, inner: Executor) -> None:
        self._inner = inner

    def submit(self, fn: Callable[..., T], /, *args: Any, **kwargs: Any) -> Future[T]:
        return following(self._inner.submit(fn, *args, **kwargs), _or_broken)


def _or_broken(inner: Any) -> Any:
    """Return the result of a future, of the library's or the standard library's. Raises BrokenExecutor if its workers
    died."""
    from distributed import KilledWorker

    try:
        return inner.result()
    except KilledWorker as error:
        raise BrokenExecutor(str(error)) from None


def _short(error: object) -> str:
    return " ".join(str(error).split())[:160] or type(error).__name__
