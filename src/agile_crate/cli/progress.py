"""Progress bars on stderr, only where somebody watches."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Iterator

from ..workers.progress import Progress, silent


@contextlib.contextmanager
def progress_bars(quiet: bool) -> Iterator[Progress]:
    """A progress function that draws one bar for each thing that is being done; silent in a pipe or when quiet."""
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
