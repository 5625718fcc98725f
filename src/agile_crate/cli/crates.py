"""``agile-crate pack`` on crate files: crate after crate, errors collected, the others still built."""

from __future__ import annotations

import argparse
import contextlib
import json
import sys
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from ..core.crate.file_names import is_crate_file
from ..core.errors import CrateError, InputError, UsageError
from ..core.text import counted, few, shown
from ..jobs.crate_file import CrateFile, chosen, read_crate_file, refuse_one_place_for_two
from ..settings.crate_file import Order, as_key
from ..settings.given import settings_from
from .packing import document_of, print_summary, print_warnings
from .parser import chosen_jobs, chosen_memory, given_settings
from .status import Status, status_of
from .tables import print_error, print_heading, print_note
from .wording import as_option

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence

    from ..jobs.needed import Build
    from ..jobs.order import Built


@dataclass
class _Run:
    """What has come of a run so far: documents of crates that were built, and what went wrong elsewhere."""

    crates: list[dict[str, Any]] = field(default_factory=list)
    errors: list[dict[str, Any]] = field(default_factory=list)
    builds: list[Build] = field(default_factory=list)

    def failed(self, file: str, crate: str, error: CrateError) -> None:
        """Tells an error, and goes on. A crate's own settings are spelled as its file spells them."""
        told = error.sentence.spelled(as_key)
        status = int(status_of(error))
        self.errors.append({"file": file, "crate": crate, "error": told, "exit": status})
        print_error(told, file, crate)

    def noted(self, order: Order, overriding: Mapping[str, object]) -> None:
        """Notes what an order is built from; where its settings are wrong, that is told when it is built."""
        with contextlib.suppress(UsageError):
            settings = settings_from({**order.given, **overriding})
            layers = (layer for skin in order.skins for layer in skin.layers)
            self.builds += [(inputs, order.out, settings) for inputs in (order.inputs, *layers)]

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
    run = _Run()
    files: list[CrateFile] = []
    for path in dict.fromkeys(arguments.inputs):
        try:
            files.append(read_crate_file(path))
        except InputError as error:
            run.failed(path, "", error)
    refuse_one_place_for_two(files)
    asked = chosen(files, arguments.only)
    jobs = chosen_jobs(arguments)
    for order in (order for _, orders in asked for order in orders if arguments.depfile):
        run.noted(order, overriding)
    for file, order, built in _outcomes(asked, overriding, jobs, arguments):
        if isinstance(built, CrateError):
            run.failed(file, order.name, built)
        else:
            _tell(file, order, built, overriding, arguments, run)
    if arguments.depfile and not (run.errors or arguments.dry_run):
        from ..jobs.needed import tell_depfile

        tell_depfile(arguments.depfile, run.builds, [file.path for file, _ in asked])
    if arguments.json:
        document = {"command": "pack", "crates": run.crates, "errors": run.errors}
        print(json.dumps(document, ensure_ascii=False, indent=2))
    return run.status


def _outcomes(
    asked: Sequence[tuple[CrateFile, list[Order]]],
    overriding: Mapping[str, object],
    jobs: int,
    arguments: argparse.Namespace,
) -> Iterator[tuple[str, Order, Built | CrateError]]:
    """Each crate with its file's path, and what came of it, in order."""
    from .. import GENERATOR
    from ..interrupts import writing
    from ..jobs.order import Way, build_many, build_order
    from ..store.cache import opened
    from ..work.crew import crew
    from .packing import told_of_waiting
    from .progress import progress_bars

    given = arguments
    way = Way(
        GENERATOR, overriding, given.again, given.dry_run, given.force, given.keep_touches, wait=not given.no_wait
    )
    memory = chosen_memory(arguments)
    if arguments.send_inputs and not arguments.cluster:
        raise UsageError("--send-inputs is for a cluster's workers; say which with --cluster")
    if arguments.cluster and jobs > 1:
        raise UsageError("--jobs is for this machine, and --cluster for others; leave one of them out")
    pairs = [(file.path, order) for file, orders in asked for order in orders]
    for warning in (warning for file, _ in asked for warning in file.warnings):
        print(f"agile-crate: warning: {warning}", file=sys.stderr)
    if jobs > 1 and len(pairs) > 1:
        with writing(), progress_bars(arguments.quiet) as progress:  # Ctrl-C arrives here
            found = build_many([order for _, order in pairs], way, min(jobs, len(pairs)), memory, progress)
            yield from ((file, order, built) for (file, order), built in zip(pairs, found, strict=True))
        return
    if arguments.cluster:
        from ..jobs.on_cluster import build_on_cluster

        with writing(), progress_bars(arguments.quiet) as progress:
            orders = [order for _, order in pairs]
            found = build_on_cluster(arguments.cluster, orders, way, arguments.send_inputs, memory, progress)
            yield from ((file, order, built) for (file, order), built in zip(pairs, found, strict=True))
        return
    with crew(memory=memory) as executor, opened() as cache:
        for file, order in pairs:
            try:
                with progress_bars(arguments.quiet) as progress:
                    built = build_order(order, way, executor, cache, progress, told_of_waiting)
            except CrateError as error:
                yield file, order, error
            else:
                yield file, order, built


def _tell(
    file: str,
    order: Order,
    built: Built,
    overriding: Mapping[str, object],
    arguments: argparse.Namespace,
    run: _Run,
) -> None:
    """What is said of a crate."""
    from ..jobs.unchanged import Unchanged

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
