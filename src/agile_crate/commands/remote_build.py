"""Build a crate on another machine: the request and the result."""

from __future__ import annotations

import os
import tempfile
import threading
from collections.abc import Callable, Iterator, Mapping
from functools import partial
from typing import NamedTuple

from ..core.errors import CrateError, InputError, reason
from ..core.limits import Limits
from ..core.message import a_file, message
from ..core.model.variant import all_layers
from ..core.names import is_address
from ..crate_files.spec import CrateSpec
from ..format.regular import read_regular
from ..pipeline.context import with_cache, working
from ..pipeline.job import BuildJob
from ..sources.fetch import below, write_uploads
from ..sources.find import find
from ..storage.pixel_store import SHARE
from ..storage.previous_build import previous_build, target_of
from .build import BuildOptions
from .pack import Packed, pack

VERSIONS = {
    "agile-crate": "agile_crate", "numpy": "numpy", "pillow": "PIL", "resvg-py": "resvg_py", "pyspng": "pyspng",
    "zlib-ng": "zlib_ng",
}  # fmt: skip
"""The packages on which the bytes of files depend, and the module of each."""

_ONE_AT_A_TIME = threading.Lock()
"""A worker builds one crate at a time, on all of its threads."""


class UploadedFile(NamedTuple):
    """A file that travels along, by its absolute path."""

    path: str
    data: bytes


class RemoteTask(NamedTuple):
    """A crate to build: all paths are absolute. With `sent`, files are read from it only."""

    spec: CrateSpec
    program: str
    limits: Limits
    sent: tuple[UploadedFile, ...] | None


class RemoteBuild(NamedTuple):
    """The files of a build, by name."""

    packed: Packed
    files: Mapping[str, bytes]


def versions() -> dict[str, str]:
    """Return this machine's versions of the packages that determine the bytes of files."""
    return versions_of_worker()()


def versions_of_worker() -> Callable[[], dict[str, str]]:
    """Return the worker's function. It imports none of our modules, because the worker may not have them.

    The distribution that lies beside the module counts, for Python may know others of its name that it never imports.
    """
    modules = dict(VERSIONS)

    def versions_here() -> dict[str, str]:
        import importlib.metadata as metadata
        import importlib.util
        import os
        import sys

        found: dict[str, str] = {}
        for name, module in modules.items():
            loaded = sys.modules.get(module)
            spec = loaded.__spec__ if loaded else importlib.util.find_spec(module)
            if spec is None or not spec.origin:
                continue
            beside = os.path.dirname(os.path.dirname(spec.origin))
            named = metadata.distributions(name=name, path=[beside])
            distribution = next(iter(named), None) or next(iter(metadata.distributions(name=name)), None)
            if distribution:  # of an editable install it lies elsewhere
                found[name] = distribution.version
        return found

    return versions_here


def remote_task(spec: CrateSpec, options: BuildOptions, limits: Limits, send: bool) -> RemoteTask:
    """Return the files to send. Raises InputError if one does not exist."""
    spec = spec.overridden(options.overriding).moved(os.path.abspath)
    return RemoteTask(spec, options.program, limits, tuple(_sent(spec, limits)) if send else None)


def _sent(spec: CrateSpec, limits: Limits) -> Iterator[UploadedFile]:
    limits = limits._replace(**dict(spec.settings.limit))
    claimed = previous_build(target_of(spec.out), limits).claimed
    paths: list[str] = []
    for inputs in all_layers(spec.variants):
        if local := [given for given in inputs if not is_address(given)]:
            paths += [os.path.abspath(file.path) for file in find(local, claimed, limits).found]
    paths += spec.settings.files
    for path in dict.fromkeys(paths):
        try:
            yield UploadedFile(path, read_regular(path, limits, "file_bytes"))
        except OSError as error:
            raise InputError("{} cannot be read: {}", a_file(path), reason(error)) from None


def build_remotely(task: RemoteTask) -> RemoteBuild | CrateError:
    """Build a task on a worker, in a folder of its own that is removed afterwards."""
    from ..workers.cluster import this_worker

    worker = this_worker()
    with _ONE_AT_A_TIME, tempfile.TemporaryDirectory(dir=worker.folder) as folder:
        root = os.path.join(folder, "sent")
        try:
            spec = task.spec
            if task.sent is not None:
                write_uploads(task.sent, root)
                spec = spec.moved(partial(below, root))
            out = os.path.join(folder, "built", os.path.basename(spec.out))
            with working(task.limits, worker.threads, worker.memory // SHARE) as means, with_cache(means) as context:
                job = BuildJob(out, spec.settings, spec.variants)
                packed = pack(job, context._replace(program=task.program))
            files = {path.name: read_regular(path, task.limits, "file_bytes") for path in packed.files}
            return RemoteBuild(packed, files)
        except CrateError as error:
            why = error.message.with_paths(lambda path: path.removeprefix(root))
            if isinstance(error, InputError) and task.sent is None:
                why = message("{}; the worker {} must see it, or use --send-inputs", why, worker.address)
            return type(error)(why)
        except MemoryError:
            return InputError(f"its frames do not fit into the memory of the worker {worker.address}")
