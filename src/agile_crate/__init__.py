"""Agile Crate turns folders of animation frames into sprite sheets with exact metadata, and proves them.

The same road as the command line, for scripts (docs/scripts.md)::

    import agile_crate

    packed = agile_crate.pack("frames/otter", "build/otter", columns=8, fps=["swim=24", 12])
    assert agile_crate.verify("build/otter.json", against="frames/otter").holds
    loaded = agile_crate.load("build/otter.json")
    pixels = loaded.frame("swim/swim_01")      # (height, width, 4) uint8, straight alpha

Importing this is quick: NumPy and Pillow are loaded when a function is first called.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextvars import ContextVar
from types import MappingProxyType

TYPE_CHECKING = False
if TYPE_CHECKING:
    from fractions import Fraction
    from typing import Any, TypeAlias

    from .commands.load import Loaded
    from .commands.pack import Packed
    from .commands.survey import Survey
    from .commands.unpack import Unpacked
    from .commands.verify import Verified
    from .core.errors import CrateError, FitError, InputError, OutputError, UsageError
    from .core.limits import Limits

__version__ = "0.1.0"

__all__ = [
    "CrateError",
    "FitError",
    "InputError",
    "OutputError",
    "UsageError",
    "__version__",
    "build",
    "limits",
    "load",
    "pack",
    "survey",
    "unpack",
    "verify",
    "verify_all",
]

GENERATOR = f"agile-crate {__version__}"

if TYPE_CHECKING:
    StrPath: TypeAlias = str | bytes | os.PathLike[str]
    """A path, as text, as bytes, or as a `pathlib.Path`."""

    Inputs: TypeAlias = StrPath | Iterable[StrPath]
    """A folder, a file or a pattern of frames; or several."""

    Value: TypeAlias = str | bool | int | float | Fraction | os.PathLike[str] | Sequence[object] | None
    """What a setting can be given as. None is as if it had not been given."""


def __getattr__(name: str) -> Any:
    """The errors, which are loaded when they are asked for: so that importing this takes no time."""
    if name in __all__:
        from .core import errors

        return getattr(errors, name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")


def pack(
    inputs: Inputs,
    out: StrPath,
    *,
    dry_run: bool = False,
    force: bool = False,
    keep_touches: bool = False,
    **settings: Value,
) -> Packed:
    """Pack frames into ``out.png`` (or ``out-1.png`` …) and ``out.json``.

    `out` is the path without an ending. Settings are those of docs/settings.md with underscores: ``columns=8``,
    ``max_size=(2048, 2048)`` or ``"2048x2048"``, ``scale=0.5`` or ``"50%"``, ``pow2=True``; lengths are pixels, times
    carry their unit. A setting for single animations takes a list: ``fps=["swim=24", 12]``. None leaves a setting at
    its default. With `dry_run` everything is done but drawing and writing. `force` overwrites files that are not an
    earlier build's; `keep_touches` takes along what was painted on the sheets of the build before.

    Returns the crate, the files, and what was remarked on. Raises UsageError for settings that make no sense,
    InputError for frames that are missing or damaged, FitError where limits are too narrow, OutputError where files
    cannot be written; each says in one sentence what to do. Then nothing is written.
    """
    from .commands.pack import pack
    from .core.model.variant import base_of
    from .pipeline.context import working
    from .pipeline.job import BuildJob
    from .settings.given import settings_from

    given = settings_from({name: value for name, value in settings.items() if value is not None})
    job = BuildJob(_path(out), given, base_of(_paths(inputs)), force, keep_touches, dry_run)
    with working(_limits()) as context:
        return pack(job, context._replace(program=GENERATOR))


def build(
    crate_file: StrPath,
    only: str | Iterable[str] = (),
    *,
    again: bool = False,
    dry_run: bool = False,
    force: bool = False,
    keep_touches: bool = False,
    jobs: int = 1,
) -> dict[str, Packed | None]:
    """Build the crates of a crate file (docs/crate-file.md), or only those of some names, as far as there is anything
    to do: by their names, what `pack` returns, or None where nothing was to be done; `again` builds all the same. So
    many `jobs` are built at a time, each in a process of its own.

    Raises what `pack` raises at the first crate that cannot be built, and InputError for a crate file that is wrong,
    with its line and column.
    """
    from .commands.build import BuildOptions, build
    from .core import errors
    from .core.text import shown

    names = [only] if isinstance(only, str) else _names("only", only)
    if type(jobs) is not int or jobs < 1:
        raise errors.UsageError("{jobs}: {} is not a whole number from 1", shown(repr(jobs)))
    options = BuildOptions(GENERATOR, {}, again, dry_run, force, keep_touches)
    return build(_path(crate_file), names, options, _limits(), jobs)


def verify(data: StrPath, against: Inputs = (), *, accept: bool = False) -> Verified:
    """Prove a crate from its written files: `data` is its JSON or XML. With `accept`, files that somebody changed are
    first taken into the metadata as they are now.

    With `against`, the inputs that were packed, or the crate file, every frame is restored and compared with its
    source, pixel by pixel; with the crate file also all that it asks for, and the skins.
    Nothing is raised for what does not hold: ``.holds``, ``.problems`` and ``.differences`` tell. Raises InputError
    when the metadata, or a source, cannot be read.
    """
    from .commands import accept as accepting
    from .commands.verify import verify
    from .crate_files.read import comparison_for
    from .pipeline.context import working

    if accept:
        accepting.accept(_path(data), _limits())
    with working(_limits()) as context:
        return verify(_path(data), comparison_for(_path(data), _paths(against), _limits()), context)


def verify_all(data: Inputs, against: Inputs = ()) -> tuple[Verified, ...]:
    """As `verify`, of several crates: of metadata files, and of all crates of crate files at all their sizes, which are
    compared with what those ask for."""
    from .commands.verify import verify
    from .crate_files.read import comparisons
    from .pipeline.context import working

    with working(_limits()) as context:
        pairs = comparisons(_paths(data), _paths(against), _limits())
        return tuple(verify(path, comparison, context) for path, comparison in pairs)


def survey(
    inputs: Inputs,
    *,
    fps: float | str | Fraction | None = None,
    allow: str | Iterable[str] = (),
    scale: float | str | Fraction = 1,
    code: str | Iterable[str] = (),
    allowed: StrPath | None = None,
) -> Survey:
    """Look frames over before packing: sequences in numbers, and findings, the worst first (docs/survey.md).

    `fps` are frames a second, for the seconds of each sequence. Findings whose code is in `allow` are left out, and
    all others than those of `code`, if any is named; what the file `allowed` says was found fine is let go. `scale` is
    what the frames are to be scaled by later, ``0.5`` or ``"50%"``. Raises UsageError and InputError.
    """
    from .commands.survey import survey
    from .commands.survey_files import read_allowed
    from .pipeline.context import working
    from .settings import readers

    left_out, only = (
        [codes] if isinstance(codes, str) else _names(name, codes) for name, codes in (("allow", allow), ("code", code))
    )
    pace = None if fps is None else readers.fps(str(fps))
    fine = frozenset[str]() if allowed is None else read_allowed(_path(allowed), _limits())
    with working(_limits()) as context:
        return survey(
            _paths(inputs),
            context,
            fps=pace,
            allow=left_out,
            scale=readers.scale(str(scale)),
            codes=only,
            found_fine=fine,
        )


def unpack(data: StrPath, out: StrPath, *, film: bool = False, force: bool = False, skin: str = "") -> Unpacked:
    """Write the frames of a crate back as PNG files below the folder `out`, each on its whole canvas under its name.

    With `film` also each animation as one animated PNG; `skin` names one of its skins. `force` overwrites files that
    are there. All files are written or none. Raises InputError for a crate that does not hold together, and
    OutputError.
    """
    from pathlib import Path

    from .commands.unpack import unpack
    from .pipeline.context import working

    with working(_limits()) as context:
        return unpack(_path(data), Path(_path(out)), context, film=film, force=force, skin=skin)


def load(data: StrPath, *, skin: str = "") -> Loaded:
    """Read a crate back by its JSON or XML: ``.crate`` is its metadata as values, ``.frame(name)`` a frame's pixels on
    its whole canvas, an array of shape (height, width, 4), uint8, straight alpha; in one of its skins if that is named.

    Raises InputError when a file is missing or damaged, or when the metadata contradicts itself.
    """
    from .commands.load import load

    return load(_path(data), _limits(), skin)


@contextlib.contextmanager
def limits(**limits: int) -> Iterator[None]:
    """Other limits for what is read within it, by the names of docs/settings.md: ``with limits(frames=2_000_000): …``.

    Raises UsageError for a name that is none, and for numbers below 1.
    """
    from .settings.readers import limit

    changes = dict(limit(f"{name.replace('_', '-')}={number}") for name, number in limits.items())
    before = _changed_limits.set({**_changed_limits.get(), **changes})
    try:
        yield
    finally:
        _changed_limits.reset(before)


_changed_limits: ContextVar[Mapping[str, int]] = ContextVar("limits", default=MappingProxyType({}))
"""The limits that the calls within `limits` are given; below this module limits are passed."""


def _limits() -> Limits:
    from .core.limits import Limits

    return Limits(**_changed_limits.get())


def _path(path: StrPath) -> str:
    return os.fsdecode(path)


def _paths(inputs: Inputs) -> list[str]:
    return [_path(inputs)] if isinstance(inputs, (str, bytes, os.PathLike)) else list(map(_path, inputs))


def _names(asked: str, names: Iterable[str]) -> list[str]:
    """Return names as a list. Raises UsageError for a name that is not a text."""
    from .core.errors import UsageError
    from .core.message import setting
    from .core.text import shown

    listed = [] if isinstance(names, bytes) else list(names)
    for name in (names,) if isinstance(names, bytes) else listed:
        if not isinstance(name, str):
            raise UsageError("{}: {} is not a text", setting(asked), shown(repr(name)))
    return listed
