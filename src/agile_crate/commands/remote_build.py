"""A crate that is built on another machine: what travels there, and what comes back."""

from __future__ import annotations

import os
import tempfile
import threading
from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from functools import partial
from typing import NamedTuple

from ..core.errors import CrateError, InputError, reason
from ..core.message import a_file
from ..core.names import is_address
from ..crate_files.spec import Order
from ..format.regular import read_regular
from ..settings.given import settings_from
from ..sources.fetch import below, lay_down
from ..sources.find import find
from ..storage.cache import opened
from ..storage.pixel_store import SHARE
from ..storage.previous_build import build_before, target_of
from ..workers.pool import crew
from .build import Request
from .pack import Packed, pack

VERSIONS = {
    "agile-crate": "agile_crate", "numpy": "numpy", "pillow": "PIL", "resvg-py": "resvg_py", "pyspng": "pyspng",
    "zlib-ng": "zlib_ng",
}  # fmt: skip
"""The packages on which the bytes of files depend, and the module of each."""

_ONE_AT_A_TIME = threading.Lock()
"""A worker builds one crate at a time, on all of its threads."""


class Sent(NamedTuple):
    """A file that travels along, by its absolute path."""

    path: str
    data: bytes


class FarTask(NamedTuple):
    """A crate to be built: all paths are absolute. With `sent`, files are taken from there and nowhere else."""

    order: Order
    program: str
    sent: tuple[Sent, ...] | None


class FarBuild(NamedTuple):
    """What was built: its files by their names."""

    packed: Packed
    files: Mapping[str, bytes]


def versions() -> dict[str, str]:
    """The versions of what the bytes of files depend on, here."""
    return asked_for_versions()()


def asked_for_versions() -> Callable[[], dict[str, str]]:
    """What a worker is asked: a function that does without any of our modules, which may not be there.

    The distribution that lies beside the module counts, for Python may know others of its name that it never imports.
    """
    modules = dict(VERSIONS)

    def what_is_there() -> dict[str, str]:
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

    return what_is_there


def far_task(order: Order, request: Request, send: bool) -> FarTask:
    """What travels. Raises InputError where an input that is to be sent is not there."""
    order = replace(order, given={**order.given, **request.overriding}).moved(os.path.abspath)
    return FarTask(order, request.program, tuple(_sent(order)) if send else None)


def _sent(order: Order) -> Iterator[Sent]:
    claimed = build_before(target_of(order.out)).claimed
    paths: list[str] = []
    for inputs in order.all_inputs:
        if local := [given for given in inputs if not is_address(given)]:
            paths += [os.path.abspath(file.path) for file in find(local, claimed).found]
    paths += settings_from(order.given).files
    for path in dict.fromkeys(paths):
        try:
            yield Sent(path, read_regular(path, "file_bytes"))
        except OSError as error:
            raise InputError(f"{a_file(path)} cannot be read: {reason(error)}") from None


def build_far(task: FarTask) -> FarBuild | CrateError:
    """What a worker makes of a task, in a folder of its own that is gone when it is done."""
    from ..workers.cluster import this_worker

    worker = this_worker()
    with _ONE_AT_A_TIME, tempfile.TemporaryDirectory(dir=worker.folder) as folder:
        root = os.path.join(folder, "sent")
        try:
            order = task.order
            if task.sent is not None:
                lay_down(task.sent, root)
                order = order.moved(partial(below, root))
            out = os.path.join(folder, "built", os.path.basename(task.order.out))
            settings = settings_from(order.given)
            with crew(worker.threads, worker.memory // SHARE) as executor, opened() as cache:
                packed = pack(
                    order.inputs, out, settings, executor, generator=task.program, cache=cache, skins=order.skins
                )
            return FarBuild(packed, {path.name: read_regular(path, "file_bytes") for path in packed.files})
        except CrateError as error:
            told = error.sentence.marked.replace(root, "")
            if isinstance(error, InputError) and task.sent is None:
                told += f" (so says the worker {worker.address}, which must see it; or send it along)"
            return type(error)(told)
        except MemoryError:
            return InputError(f"its frames do not fit into the memory of the worker {worker.address}")
