"""``agile-crate pack`` on crate files: builds one crate after the other, and collects errors."""

from __future__ import annotations

import argparse
import contextlib
from dataclasses import dataclass, field
from functools import partial
from typing import TYPE_CHECKING, Any

from ..core.errors import CrateError, UsageError
from ..core.text import counted, shown
from ..crate_files.read import are_crate_files
from ..crate_files.spec import CrateSpec, as_key
from .crate_choice import CrateErrors, crates_of, with_paths
from .packing import document_of, print_summary
from .parser import chosen_jobs, chosen_limits, chosen_memory, given_settings
from .streams import print_json
from .tables import print_heading, print_note, print_warnings
from .wording import as_option

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence

    from ..commands.build import BuildOptions, Outcome
    from ..commands.pack import Packed
    from ..core.limits import Limits
    from ..crate_files.up_to_date import Unchanged
    from ..pipeline.job import BuildJob


@dataclass
class _Run:
    """The results of a run so far: documents of crates that were built, errors of others, and why crates are stale."""

    errors: CrateErrors
    crates: list[dict[str, Any]] = field(default_factory=list)
    jobs: list[BuildJob] = field(default_factory=list)
    reasons: dict[tuple[str, str], tuple[str, ...]] = field(default_factory=dict)

    def noted(self, spec: CrateSpec, options: BuildOptions) -> None:
        """Note what a crate is built from; if its settings are wrong, that is reported when it is built."""
        with contextlib.suppress(UsageError):
            self.jobs.append(options.job(spec))


def run_crates(arguments: argparse.Namespace) -> int:
    """Build the crates of crate files. The exit code is that of the first error."""
    are_crate_files(arguments.inputs, arguments.only)
    if arguments.out is not None:
        raise UsageError("a crate file names its own outputs; omit --out")
    if arguments.draft is not None:
        raise UsageError("--draft writes a crate file, and the input is one already; leave it out")
    limits, options = chosen_limits(arguments), _options(arguments)
    run = _Run(CrateErrors(arguments.json))
    wanted = crates_of(arguments.inputs, arguments.only, limits, run.errors)
    pairs = with_paths(wanted)
    for _, spec in pairs if arguments.depfile else ():
        run.noted(spec, options)
    if arguments.check:
        from .check import check_crates

        return check_crates(pairs, options, limits, arguments, run.errors)
    if arguments.dry_run:
        from .check import checked_crates

        checks = checked_crates(pairs, options, limits, arguments)
        run.reasons |= {
            (file, name): checked.reasons for file, name, checked in checks if not isinstance(checked, CrateError)
        }
    outcomes = _outcomes([spec for _, spec in pairs], options, limits, arguments)
    for (file, spec), built in zip(pairs, outcomes, strict=True):
        if isinstance(built, CrateError):
            run.errors.failed(file, spec.name, built)
        else:
            _tell(file, spec, built, arguments, run)
    if arguments.depfile and not (run.errors.found or arguments.dry_run):
        from ..crate_files.dependencies import write_dependencies

        searched = [path for file, _ in wanted for path in (file.path, *file.searched)]
        write_dependencies(arguments.depfile, run.jobs, limits, searched)
    if arguments.json:
        document = {"command": "pack", "crates": run.crates, "errors": run.errors.found}
        print_json(document)
    return run.errors.status


def _options(given: argparse.Namespace) -> BuildOptions:
    from .. import GENERATOR
    from ..commands.build import BuildOptions

    return BuildOptions(
        GENERATOR,
        given_settings(given),
        given.rebuild,
        given.dry_run,
        given.force,
        given.keep_edits,
        wait=not given.no_wait,
    )


def _outcomes(
    specs: Sequence[CrateSpec], options: BuildOptions, limits: Limits, given: argparse.Namespace
) -> Iterable[Outcome]:
    """Return what came of each crate, in order."""
    from ..commands.build import build_in_turn, build_many
    from .command_context import progress_bars, tell_of_waiting

    jobs, memory = chosen_jobs(given), chosen_memory(given)
    if given.send_inputs and not given.cluster:
        raise UsageError("--send-inputs is for a cluster's workers; add --cluster")
    if given.cluster and jobs > 1:
        raise UsageError("--jobs is for this machine, and --cluster for others; leave one of them out")
    if given.cluster:
        from ..commands.cluster_build import build_on_cluster

        build = partial(build_on_cluster, given.cluster, specs, options, limits, given.send_inputs, memory)
        return _together(given.quiet, build)
    if jobs > 1 and len(specs) > 1:
        return _together(given.quiet, partial(build_many, specs, options, limits, jobs, memory))
    return build_in_turn(specs, options, limits, memory, partial(progress_bars, given.quiet), tell_of_waiting)


def _together(quiet: bool, build: Callable[..., Iterator[Outcome]]) -> Iterator[Outcome]:
    """Yield the results of crates that are built in parallel. While a progress bar is drawn, nothing is printed."""
    from ..interrupts import writing
    from ..workers.pool import silent
    from .command_context import progress_bars

    drawn: list[Outcome] = []
    with writing(), progress_bars(quiet) as progress:  # Ctrl-C arrives here
        if progress is silent:
            yield from build(progress=progress)
        else:
            drawn += build(progress=progress)
    yield from drawn


def _tell(file: str, spec: CrateSpec, built: Packed | Unchanged, arguments: argparse.Namespace, run: _Run) -> None:
    """Print the result of a crate."""
    from ..crate_files.up_to_date import Unchanged

    remarks = [*run.reasons.get((file, spec.name), ()), *_overridden(spec, given_settings(arguments))]
    prints = not (arguments.json or arguments.quiet)
    is_unchanged = isinstance(built, Unchanged)
    begin: dict[str, Any] = {"file": file, "crate": spec.name, "unchanged": is_unchanged}
    if isinstance(built, Unchanged):
        paths = [str(path) for path in built.files]
        run.crates.append(begin | {"frames": built.frames, "kept": paths, "remarks": remarks})
        if prints:
            counts = f"{counted(built.frames, 'frame')}, {counted(len(paths), 'file')}"
            print(f"{shown(spec.name)}: up to date ({counts})")
        return
    print_warnings(built.warnings)
    if arguments.json:
        whole = document_of(built, arguments)
        whole["remarks"] += remarks
        run.crates.append(begin | whole)
    elif prints:
        print_heading(shown(spec.name), "bold", f"({shown(file)})")
        for remark in remarks:
            print_note(remark)
        print_summary(built, arguments)
        print()


def _overridden(spec: CrateSpec, overriding: Mapping[str, object]) -> list[str]:
    """Return the settings of the command line, which override the crate file."""
    overrides = []
    for name, value in overriding.items():
        texts = value if isinstance(value, list) else ["" if value is True else value]
        typed = " ".join(as_option(name, str(text)) for text in texts)
        own = f", not {as_key(name, _shown(spec.given[name]))}" if name in spec.given else ""
        overrides.append(f"{typed} from the command line{own}")
    return overrides


def _shown(given: object) -> str:
    if isinstance(given, bool):
        return str(given).lower()
    return ", ".join(map(str, given)) if isinstance(given, list) else str(given)
