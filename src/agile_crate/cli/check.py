"""``agile-crate pack --check``: list stale crates with the reasons. A dry run prints the same reasons."""

from __future__ import annotations

import argparse
from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING, Any

from ..core.errors import CrateError, UsageError
from ..core.text import counted, shown
from .parser import chosen_memory
from .status import Status
from .streams import print_json
from .wording import option_name

if TYPE_CHECKING:
    from ..commands.build import BuildOptions
    from ..commands.check import Checked
    from ..core.limits import Limits
    from ..crate_files.spec import CrateSpec
    from .crate_choice import CrateErrors

REFUSED = (
    "dry_run", "rebuild", "force", "keep_edits", "jobs", "cluster", "send_inputs", "depfile", "no_wait", "explain",
)  # fmt: skip
"""Options that would do nothing with `--check`."""

Pairs = Iterable[tuple[str, "CrateSpec"]]
"""Crates, each with the path of its file."""


def checked_crates(
    pairs: Pairs, options: BuildOptions, limits: Limits, arguments: argparse.Namespace
) -> Iterator[tuple[str, str, Checked | CrateError]]:
    """Yield the file and the name of each crate, with the result of its check."""
    from ..commands.check import check_spec
    from ..pipeline.context import with_cache, working
    from .command_context import progress_bars

    with (
        working(limits, memory=chosen_memory(arguments), program=options.program) as means,
        with_cache(means) as context,
    ):
        for file, spec in pairs:
            with progress_bars(arguments.quiet) as progress:
                checked = check_spec(spec, options, context._replace(progress=progress))
            yield file, spec.name, checked


def check_crates(
    pairs: Pairs, options: BuildOptions, limits: Limits, arguments: argparse.Namespace, errors: CrateErrors
) -> int:
    """Check crates and print a line for each. Return the exit code: of the first error, or FOUND for a stale crate."""
    for name in REFUSED:
        if getattr(arguments, name):
            raise UsageError(f"--check builds nothing; leave out {option_name(name)}")
    crates: list[dict[str, Any]] = []
    for file, name, checked in checked_crates(pairs, options, limits, arguments):
        if isinstance(checked, CrateError):
            errors.failed(file, name, checked)
            continue
        entry = {"file": file, "crate": name, "frames": checked.frames, "reasons": list(checked.reasons)}
        crates.append({**entry, "up_to_date": not checked.reasons})
        if checked.reasons and not arguments.json:
            print(f"{shown(name)}: stale: {'; '.join(checked.reasons)}")
        elif not (arguments.json or arguments.quiet):
            print(f"{shown(name)}: up to date ({counted(checked.frames, 'frame')})")
    if arguments.json:
        print_json({"command": "pack", "check": True, "crates": crates, "errors": errors.found})
    return errors.status or (Status.FOUND if any(not entry["up_to_date"] for entry in crates) else Status.DONE)
