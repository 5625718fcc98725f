"""``agile-crate pack`` on crate files: crate after crate, errors collected, the others still built."""

from __future__ import annotations

import argparse
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
from .packing import built, document_of, print_summary, print_warnings
from .parser import chosen_memory, given_settings
from .status import Status, status_of
from .tables import print_error, print_heading, print_note
from .wording import as_option

if TYPE_CHECKING:
    from ..jobs.needed import Build
    from ..store.cache import Cache
    from ..work.crew import Crew


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
    from ..store.cache import opened
    from ..work.crew import crew

    with crew(memory=chosen_memory(arguments)) as executor, opened() as cache:
        for file, orders in asked:
            for warning in file.warnings:
                print(f"agile-crate: warning: {warning}", file=sys.stderr)
            for order in orders:
                try:
                    _build(file.path, order, overriding, arguments, run, executor, cache)
                except CrateError as error:
                    run.failed(file.path, order.name, error)
    if arguments.depfile and not (run.errors or arguments.dry_run):
        from ..jobs.needed import tell_depfile

        tell_depfile(arguments.depfile, run.builds, [file.path for file, _ in asked])
    if arguments.json:
        document = {"command": "pack", "crates": run.crates, "errors": run.errors}
        print(json.dumps(document, ensure_ascii=False, indent=2))
    return run.status


def _build(
    file: str,
    order: Order,
    overriding: dict[str, object],
    arguments: argparse.Namespace,
    run: _Run,
    executor: Crew,
    cache: Cache,
) -> None:
    """One crate, unless there is nothing to do; and what is said of it."""
    from .. import GENERATOR
    from ..jobs.unchanged import unchanged

    settings = settings_from({**order.given, **overriding})
    layers = (layer for skin in order.skins for layer in skin.layers)
    run.builds += [(inputs, order.out, settings) for inputs in (order.inputs, *layers)]
    there = None
    if not arguments.again:
        there = unchanged(order.inputs, order.out, settings, cache, executor, GENERATOR, order.skins)
    remarks = _overridden(order, overriding)
    told = not (arguments.json or arguments.quiet)
    begin: dict[str, Any] = {"file": file, "crate": order.name, "unchanged": there is not None}
    if there:
        kept = [str(path) for path in there.files]
        run.crates.append(begin | {"frames": there.frames, "kept": kept, "remarks": remarks})
        if told:
            told_of = f"{counted(there.frames, 'frame')} and {counted(len(kept), 'file')}"
            print(f"{shown(order.name)}: nothing to do, {told_of} as they should be")
        return
    packed = built(order.inputs, order.out, settings, executor, arguments, cache, order.skins)
    print_warnings(packed)
    if arguments.json:
        whole = document_of(packed, arguments)
        whole["remarks"] += remarks
        run.crates.append(begin | whole)
    elif told:
        print_heading(shown(order.name), "bold", f"({shown(file)})")
        for remark in remarks:
            print_note(remark)
        print_summary(packed, arguments)
        print()


def _overridden(order: Order, overriding: dict[str, object]) -> list[str]:
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
