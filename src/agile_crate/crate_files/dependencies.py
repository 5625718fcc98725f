"""The files that a build reads: its frames and their folders, templates, a palette."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence

from ..core.crate.file_names import SHEET_ENDINGS
from ..core.limits import Limits
from ..core.model.variant import all_layers
from ..exports.depfile import write_depfile
from ..format.files import ENDINGS
from ..pipeline.job import BuildJob
from ..settings.table import Settings
from ..sources.find import find
from ..storage.previous_build import previous_build


def needed(job: BuildJob, limits: Limits) -> Iterator[str]:
    """Paths as they are named from here. A folder changes when a frame comes or goes. Raises InputError."""
    limits, target = job.limits(limits), job.target
    claimed = previous_build(target, limits).claimed
    for inputs in all_layers(job.variants):
        files = [file.path for file in find(inputs, claimed, limits).found]
        folders = dict.fromkeys(os.path.dirname(path) or "." for path in files)
        for given in filter(os.path.isdir, inputs):
            folders |= {path: None for path, *_ in os.walk(given) if os.path.abspath(path) != str(target.parent)}
        yield from folders
        yield from files
        yield from job.settings.files


def write_dependencies(path: str, jobs: Sequence[BuildJob], limits: Limits, more: Sequence[str] = ()) -> None:
    """Write what builds depend on, and `more`, as a file for make and ninja. Raises UsageError and OutputError."""
    targets = [metadata_of(job.out, job.settings) if job.settings.metadata else f"{job.target}.png" for job in jobs]
    files = [file for job in jobs for file in needed(job, limits)]
    write_depfile(path, dict.fromkeys(targets), dict.fromkeys((*more, *files)))


def metadata_of(out: str, settings: Settings) -> str:
    """Return the path of the metadata that a build writes: JSON if it is among the formats, else XML."""
    stem, ending = os.path.splitext(out)
    form = "json" if "json" in settings.metadata else "xml"
    return f"{stem if ending in (*SHEET_ENDINGS, *ENDINGS) else out}.{form}"
