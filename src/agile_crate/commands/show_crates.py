"""Draw views of the crates of crate files."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from ..core.crate.skins import skins_of
from ..core.errors import CrateError, UsageError
from ..core.message import Message
from ..core.text import quoted
from ..crate_files.dependencies import metadata_of
from ..crate_files.spec import CrateSpec
from ..crate_files.up_to_date import Unchanged, look_up
from ..pipeline.context import Context
from ..pipeline.job import BuildJob, LoadRequest
from .build import BuildOptions
from .load import Loaded, open_crate
from .show import Shown, ShowOptions, Views, in_memory, views_of, written_views


def show_crates(
    specs: Sequence[tuple[str, CrateSpec]],
    out: str,
    options: ShowOptions,
    context: Context,
    failed: Callable[[str, str, CrateError], None],
    force: bool = False,
) -> Shown:
    """Draw views of crates, each given with the path of its file: one page of all, or files of each, named after it.

    A crate that is up to date is drawn from its files. Another one is built in memory first. A crate's error goes to
    `failed`, with its file and name, and the others are drawn. `context` has the build cache. Raises UsageError and
    OutputError.
    """
    path = Path(out)
    views: Views = {}
    warnings: list[Message] = []
    shown: list[tuple[str, Loaded, dict[str, Loaded]]] = []
    for file, spec in specs:
        try:
            loaded, skins, remarks = _crate_and_skins(spec, options, context)
        except CrateError as error:
            failed(file, spec.name, error)
            continue
        warnings += remarks
        shown.append((spec.name, loaded, skins))
    if not shown:
        return Shown((), ())
    if options.kind == "page":
        views = views_of(shown, path, options, context)
    else:
        for name, loaded, skins in shown:
            own = path if len(specs) == 1 else path.with_name(f"{path.stem}-{name}{path.suffix}")
            more = views_of([(name, loaded, skins)], own, options, context)
            if twice := views.keys() & more.keys():
                raise UsageError(f"two views would be written to {quoted(min(twice))}; show the crates one at a time")
            views |= more
    return written_views(views, path, context.progress, force, warnings)


def _crate_and_skins(
    spec: CrateSpec, options: ShowOptions, context: Context
) -> tuple[Loaded, dict[str, Loaded], list[Message]]:
    """Return a crate in the selected skin, all of its skins for a page, and remarks."""
    job = BuildOptions(context.program).job(spec)
    context = context._replace(limits=job.limits(context.limits))
    wants_all = options.kind == "page" and not options.skin
    if isinstance(look_up(job, context), Unchanged):
        data, decode = metadata_of(job.out, job.settings), options.kind not in ("sheet", "page")
        loaded = open_crate(data, options.skin, decode, context.limits)
        names = skins_of(loaded.crate) if wants_all else []
        return loaded, {name: open_crate(data, name, False, context.limits) for name in names}, list(loaded.warnings)
    every = in_memory(_request(job), context, job.target.name)
    if options.skin and options.skin not in every:
        raise UsageError(f"the crate {quoted(spec.name)} has no skin {quoted(options.skin)}")
    remark = Message(f"the crate {quoted(spec.name)} is not up to date; the view shows the result of a build")
    return every[options.skin], {name: every[name] for name in every if name and wants_all}, [remark]


def _request(job: BuildJob) -> LoadRequest:
    """Return the frames of a build at its own size."""
    return LoadRequest(job.variants, replace(job.settings, also_scale=(), template=()))
