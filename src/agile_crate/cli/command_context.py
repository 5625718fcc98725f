"""The context of a command, made from its options."""

from __future__ import annotations

import argparse
import contextlib
import sys
from collections.abc import Iterator
from contextlib import AbstractContextManager
from typing import TYPE_CHECKING

from ..workers.pool import Progress, silent
from .parser import chosen_limits, chosen_memory

if TYPE_CHECKING:
    from ..pipeline.context import Context


@contextlib.contextmanager
def context_for(arguments: argparse.Namespace, cached: bool = False) -> Iterator[Context]:
    """Yield the context of one command, with progress bars on a terminal. With `cached` it has the build cache, so that
    the crate records what it was built from. Raises UsageError."""
    from ..pipeline.context import with_cache

    with (
        without_progress(arguments) as plain,
        with_progress(arguments, plain) as shown,
        with_cache(shown) if cached else contextlib.nullcontext(shown) as context,
    ):
        yield context


def without_progress(arguments: argparse.Namespace) -> AbstractContextManager[Context]:
    """Yield the context of a command that prints between its steps."""
    from .. import GENERATOR
    from ..pipeline.context import working

    return working(
        chosen_limits(arguments), memory=chosen_memory(arguments), program=GENERATOR, on_wait=tell_of_waiting
    )


@contextlib.contextmanager
def with_progress(arguments: argparse.Namespace, context: Context) -> Iterator[Context]:
    """Yield the context with progress bars, for one step."""
    with progress_bars(arguments.quiet) as progress:
        yield context._replace(progress=progress)


def tell_of_waiting() -> None:
    """Say that another build holds the place."""
    print("agile-crate: waiting for another build of the same crate", file=sys.stderr)


@contextlib.contextmanager
def progress_bars(quiet: bool) -> Iterator[Progress]:
    """Return a progress function that draws one bar for each kind of work; silent in a pipe or with --quiet."""
    if quiet or not sys.stderr.isatty():
        yield silent
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeElapsedColumn

    with Progress(
        TextColumn("  {task.description:<8}"),
        BarColumn(),
        MofNCompleteColumn(),
        TimeElapsedColumn(),
        console=Console(stderr=True),
        transient=True,
    ) as bars:
        tasks = {}

        def tell(doing: str, done: int, total: int) -> None:
            if doing not in tasks:
                tasks[doing] = bars.add_task(doing, total=total)
            bars.update(tasks[doing], completed=done)

        yield tell
