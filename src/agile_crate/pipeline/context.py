"""The context that every command works in."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor
from typing import TYPE_CHECKING, Any, NamedTuple

from ..core.limits import USUAL, Limits
from ..storage.pixel_store import PixelStore, default_limit
from ..workers.pool import Progress, WorkerPool, silent

if TYPE_CHECKING:
    from ..storage.cache import Cache


def _ignore(*_: object) -> None:
    """Do nothing: the default hook."""


class Context(NamedTuple):
    """The means of a command.

    pool      does the work
    pixels    holds decoded pixels until they are drawn
    limits    the most that is read of any input
    cache     keeps frames and sheets from build to build; None keeps nothing
    program   the name and version that metadata records
    progress  is called as work is done
    on_wait   is called when another build of the same crate has been under way for a second
    on_plan   sees the plans that are about to be drawn and written
    """

    pool: WorkerPool
    pixels: PixelStore
    limits: Limits = USUAL
    cache: Cache | None = None
    program: str = ""
    progress: Progress = silent
    on_wait: Callable[[], None] = _ignore
    on_plan: Callable[[Sequence[Any]], object] = _ignore


@contextlib.contextmanager
def working(
    limits: Limits = USUAL,
    threads: int = 0,
    memory: int = 0,
    readers: Executor | None = None,
    program: str = "",
    on_wait: Callable[[], None] = _ignore,
) -> Iterator[Context]:
    """Yield the means of one command: so many `threads` (by default one for each processor), and `memory` in bytes for
    decoded pixels (by default a third of the machine's). With `readers` others decode the files."""
    with contextlib.closing(PixelStore(memory or default_limit())) as pixels, WorkerPool(threads, readers) as pool:
        yield Context(pool, pixels, limits, program=program, on_wait=on_wait)


@contextlib.contextmanager
def with_cache(context: Context, memory: int = 0) -> Iterator[Context]:
    """Yield the context with the build cache, which may hold so many bytes of `memory` for builds in a row."""
    from ..storage.cache import opened  # loads SQLite, which builds of frames do without

    with opened(memory=memory) as cache:
        yield context._replace(cache=cache)
