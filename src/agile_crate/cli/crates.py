"""``agile-crate pack`` on crate files: crate after crate, errors collected, the others still built."""

from __future__ import annotations

import argparse
import contextlib
import sys
from dataclasses import dataclass, field
from functools import partial
from typing import TYPE_CHECKING, Any

from ..core.crate.file_names import is_crate_file
from ..core.errors import CrateError, InputError, UsageError
from ..core.text import counted, few, shown
from ..crate_files.read import CrateFile, chosen, read_crate_file, refuse_one_place_for_two
from ..crate_files.spec import Order, as_key
from ..settings.given import settings_from
from .packing import document_of, print_summary, print_warnings
from .parser import chosen_jobs, chosen_memory, given_settings
from .status import Status, status_of
from .streams import print_json
from .tables import print_error, print_heading, print_note
from .wording import as_option

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence

    from ..commands.build import Outcome
    from ..commands.pack import Packed
    from ..crate_files.dependencies import Build
    from ..crate_files.up_to_date import Unchanged


@dataclass
class _Run:
    """What has come of a run so far: documents of crates that were built, and what went wrong elsewhere."""

    as_json: bool = False
    crates: list[dict[str, Any]] = field(default_factory=list)
    errors: list[dict[str, Any]] = field(default_factory=list)
    builds: list[Build] = field(default_factory=list)

    def failed(self, file: str, crate: str, error: CrateError) -> None:
        """Tells an error, and goes on. A crate's own settings are spelled as its file spells them."""
        told = error.sentence.spelled(as_key)
        status = int(status_of(error))
        self.errors.append({"file": file, "crate": crate, "error": told, "exit": status})
        print_error(told, status, error.sentence.files, self.as_json, file, crate)

    def noted(self, order: Order, overriding: Mapping[str, object]) -> None:
        """Notes what an order is built from; where its settings are wrong, that is told when it is built."""
        with contextlib.suppress(UsageError):
            settings = settings_from({**order.given, **overriding})
            self.builds += [(inputs, order.out, settings) for inputs in order.all_inputs]

    @property
    def status(self) -> int:
        return int(self.errors[0]["exit"]) if self.errors else Status.DONE


def run_crates(arguments: argparse.Namespace) -> int:
    """Builds what crate files say. The exit code is that of the first error."""
    others = [given for given in arguments.inputs if not is_crate_file(given)]
    if others:
        raise UsageError(f"{few(others)} beside a crate file: name either crate files, or frames with --out")
    if arguments.out is not None:
        raise UsageError("a crate file says itself where to; leave --out out")
    if arguments.draft is not None:
        raise UsageError("--draft writes a crate file, and one is given already; leave it out")
    overriding = given_settings(arguments)
    run = _Run(arguments.json)
    files: list[CrateFile] = []
    for path in dict.fromkeys(arguments.inputs):
        try:
            files.append(read_crate_file(path))
        except InputError as error:
            run.failed(path, "", error)
    refuse_one_place_for_two(files)
    asked = chosen(files, arguments.only)
    pairs = [(file.path, order) for file, orders in asked for order in orders]
    for _, order in pairs if arguments.depfile else ():
        run.noted(order, overriding)
    for warning in (warning for file, _ in asked for warning in file.warnings):
        print(f"agile-crate: warning: {warning}", file=sys.stderr)
    outcomes = _outcomes([order for _, order in pairs], overriding, arguments)
    for (file, order), built in zip(pairs, outcomes, strict=True):
        if isinstance(built, CrateError):
            run.failed(file, order.name, built)
        else:
            _tell(file, order, built, overriding, arguments, run)
    if arguments.depfile and not (run.errors or arguments.dry_run):
        from ..crate_files.dependencies import tell_depfile

        tell_depfile(arguments.depfile, run.builds, [file.path for file, _ in asked])
    if arguments.json:
        document = {"command": "pack", "crates": run.crates, "errors": run.errors}
        print_json(document)
    return run.status


def _outcomes(
    orders: Sequence[Order], overriding: Mapping[str, object], given: argparse.Namespace
) -> Iterable[Outcome]:
    """What came of each order, in order."""
    from .. import GENERATOR
    from ..commands.build import Request, build_in_turn, build_many
    from .packing import told_of_waiting
    from .progress import progress_bars

    request = Request(
        GENERATOR, overriding, given.again, given.dry_run, given.force, given.keep_touches, wait=not given.no_wait
    )
    jobs, memory = chosen_jobs(given), chosen_memory(given)
    if given.send_inputs and not given.cluster:
        raise UsageError("--send-inputs is for a cluster's workers; say which with --cluster")
    if given.cluster and jobs > 1:
        raise UsageError("--jobs is for this machine, and --cluster for others; leave one of them out")
    if given.cluster:
        from ..commands.cluster_build import build_on_cluster

        return _together(
            given.quiet, partial(build_on_cluster, given.cluster, orders, request, given.send_inputs, memory)
        )
    if jobs > 1 and len(orders) > 1:
        return _together(given.quiet, partial(build_many, orders, request, jobs, memory))
    return build_in_turn(orders, request, memory, partial(progress_bars, given.quiet), told_of_waiting)


def _together(quiet: bool, build: Callable[..., Iterator[Outcome]]) -> Iterator[Outcome]:
    """What came of crates that are built at a time. Where a bar is drawn, nothing is told until that is gone."""
    from ..interrupts import writing
    from ..workers.progress import silent
    from .progress import progress_bars

    drawn: list[Outcome] = []
    with writing(), progress_bars(quiet) as progress:  # Ctrl-C arrives here
        if progress is silent:
            yield from build(progress=progress)
        else:
            drawn += build(progress=progress)
    yield from drawn


def _tell(
    file: str,
    order: Order,
    built: Packed | Unchanged,
    overriding: Mapping[str, object],
    arguments: argparse.Namespace,
    run: _Run,
) -> None:
    """What is said of a crate."""
    from ..crate_files.up_to_date import Unchanged

    remarks = _overridden(order, overriding)
    told = not (arguments.json or arguments.quiet)
    is_there = isinstance(built, Unchanged)
    begin: dict[str, Any] = {"file": file, "crate": order.name, "unchanged": is_there}
    if isinstance(built, Unchanged):
        kept = [str(path) for path in built.files]
        run.crates.append(begin | {"frames": built.frames, "kept": kept, "remarks": remarks})
        if told:
            told_of = f"{counted(built.frames, 'frame')} and {counted(len(kept), 'file')}"
            print(f"{shown(order.name)}: nothing to do, {told_of} as they should be")
        return
    print_warnings(built)
    if arguments.json:
        whole = document_of(built, arguments)
        whole["remarks"] += remarks
        run.crates.append(begin | whole)
    elif told:
        print_heading(shown(order.name), "bold", f"({shown(file)})")
        for remark in remarks:
            print_note(remark)
        print_summary(built, arguments)
        print()


def _overridden(order: Order, overriding: Mapping[str, object]) -> list[str]:
    """What the command line says instead of the crate file."""
    told = []
    for name, value in overriding.items():
        texts = value if isinstance(value, list) else ["" if value is True else value]
        typed = " ".join(as_option(name, str(text)) for text in texts)
        own = f", not {as_key(name, _shown(order.given[name]))}" if name in order.given else ""
        told.append(f"{typed} from the command line{own}")
    return told


def _shown(given: object) -> str:
    if isinstance(given, bool):
        return str(given).lower()
    return ", ".join(map(str, given)) if isinstance(given, list) else str(given)
