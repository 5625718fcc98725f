"""What a command works with, as its options ask for it."""

from __future__ import annotations

import argparse
import contextlib
import sys
from collections.abc import Iterator
from contextlib import AbstractContextManager
from typing import TYPE_CHECKING

from .parser import chosen_limits, chosen_memory

if TYPE_CHECKING:
    from ..pipeline.context import Context


@contextlib.contextmanager
def means_for(arguments: argparse.Namespace) -> Iterator[Context]:
    """Yield the context of one command, with progress bars on a terminal. Raises UsageError."""
    with without_progress(arguments) as means, with_progress(arguments, means) as context:
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
    from .progress import progress_bars

    with progress_bars(arguments.quiet) as progress:
        yield context._replace(progress=progress)


def tell_of_waiting() -> None:
    """Say that another build holds the place."""
    print("agile-crate: waiting for another build of the same crate", file=sys.stderr)
