"""Agile Crate turns folders of animation frames into sprite sheets with exact metadata.

The same commands as on the command line, for scripts (docs/programmers/scripts.md)::

    import agile_crate

    packed = agile_crate.pack("frames/otter", "build/otter", columns=8, fps={"swim": 24})
    assert agile_crate.verify("build/otter.json", against="frames/otter").ok
    loaded = agile_crate.load("build/otter.json")
    pixels = loaded.frame("swim/swim_01")      # (height, width, 4) uint8, straight alpha

Importing this is quick: NumPy and Pillow are loaded when a function is first called. Every function raises the errors
that are exported here, each with one sentence on what to do; then nothing is written. `limit` changes the most that is
read of any file, by the names of docs/settings.md: ``limit={"frames": 2_000_000}``.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from importlib import import_module

TYPE_CHECKING = False
if TYPE_CHECKING:
    from contextlib import AbstractContextManager
    from fractions import Fraction
    from typing import Any, Literal, TypeAlias, Unpack

    from .commands.cut import Cut
    from .commands.draft import Draft
    from .commands.load import Loaded
    from .commands.pack import Packed
    from .commands.show import Shown
    from .commands.survey import Survey
    from .commands.survey_crates import SurveyedCrate
    from .commands.unpack import Unpacked
    from .commands.verify import Verified
    from .core.errors import CrateError, FitError, InputError, OutputError, UsageError  # noqa: F401
    from .core.limits import Limits
    from .core.pixels import Pixels
    from .pipeline.context import Context
    from .settings.keywords import Keywords

    StrPath: TypeAlias = str | bytes | os.PathLike[str]
    """A path, as text, as bytes, or as a `pathlib.Path`."""
    Inputs: TypeAlias = StrPath | Iterable[StrPath]
    """A folder, a file or a pattern of frames; or several."""
    LimitTable: TypeAlias = Mapping[str, int] | None
    """Changed limits by name, with underscores."""

__version__ = "0.1.0"

GENERATOR = f"agile-crate {__version__}"

_EXPORTS = {
    "core.errors": ("CrateError", "FitError", "InputError", "OutputError", "UsageError"),
    "commands.cut": ("Cut",),
    "commands.draft": ("Draft", "DraftedCrate"),
    "commands.load": ("Loaded",),
    "commands.pack": ("Built", "Packed"),
    "commands.show": ("Shown",),
    "commands.survey": ("Survey",),
    "commands.survey_crates": ("SurveyedCrate",),
    "commands.inspection": ("SequenceSummary",),
    "commands.unpack": ("Unpacked",),
    "commands.verify": ("FrameDifference", "Verified"),
    "core.inspect.finding": ("Finding",),
}
"""The errors and results by module. A module is loaded when one of its names is used."""

_FUNCTIONS = (
    "adopt", "arrange", "build", "cut", "describe", "draft", "load", "pack", "schema", "show", "survey", "survey_all",
    "unpack", "verify", "verify_all",
)  # fmt: skip

__all__ = ["__version__", *_FUNCTIONS, *(name for names in _EXPORTS.values() for name in names)]


def __getattr__(name: str) -> Any:
    for module, names in _EXPORTS.items():
        if name in names:
            return vars(import_module(f".{module}", __name__))[name]
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")


def pack(
    inputs: Inputs,
    out: StrPath,
    *,
    dry_run: bool = False,
    force: bool = False,
    keep_edits: bool = False,
    **settings: Unpack[Keywords],
) -> Packed:
    """Pack frames into ``out.png`` (or ``out-1.png`` …) and ``out.json``; `out` is the path without an ending.

    Settings are those of docs/settings.md with underscores: ``columns=8``, ``max_size=(2048, 2048)``, ``scale="50%"``.
    A setting by animation takes a dict, or a list of a value for all and dicts: ``fps=[12, {"swim": 24}]``. None leaves
    a setting at its default. `dry_run` arranges frames but draws and writes nothing. `force` overwrites files that are
    not from an earlier build. `keep_edits` carries edits on the last build's sheets into this build.
    """
    from .commands.pack import pack
    from .core.model.variant import base_of
    from .pipeline.job import BuildJob
    from .settings.given import settings_from

    given = settings_from({name: value for name, value in settings.items() if value is not None})
    with _working() as context:
        job = BuildJob(_path(out), given, base_of(_paths(inputs)), force, keep_edits, dry_run)
        return pack(job, context)


def arrange(frames: Mapping[str, Pixels], /, **settings: Unpack[Keywords]) -> Loaded:
    """Pack arrays without files and return the crate with its sheets as arrays. `frames` has arrays of shape
    (height, width, 4), uint8, straight alpha, by name, such as ``swim/swim_01``."""
    from .commands.arrange import arrange
    from .settings.given import settings_from

    given = settings_from({name: value for name, value in settings.items() if value is not None})
    with _working() as context:
        return arrange(frames, given, context._replace(limits=given.limits))


def build(
    crate_file: StrPath,
    only: str | Iterable[str] = (),
    *,
    rebuild: bool = False,
    dry_run: bool = False,
    force: bool = False,
    keep_edits: bool = False,
    jobs: int = 1,
    limit: LimitTable = None,
) -> dict[str, Packed | None]:
    """Build the crates of a crate file (docs/crate-file.md), or `only` some of them, `jobs` at a time, each in its own
    process. Return what `pack` returns by the crates' names, None for crates that are up to date; `rebuild` builds
    those as well."""
    from .commands.build import BuildOptions, build
    from .core.errors import UsageError
    from .core.text import shown

    if type(jobs) is not int or jobs < 1:
        raise UsageError("{jobs}: {} is not a whole number from 1", shown(repr(jobs)))
    options = BuildOptions(GENERATOR, {}, rebuild, dry_run, force, keep_edits)
    return build(_path(crate_file), _names("only", only), options, _limits(limit), jobs)


def verify(data: StrPath, against: Inputs = (), *, accept: bool = False, limit: LimitTable = None) -> Verified:
    """Verify a crate from its written files: `data` is its JSON or XML. `accept` first records edited sheets in it.

    `against` names the inputs that were packed, or the crate file. Then every frame is restored and compared with its
    source, pixel by pixel; a crate file's settings and skins are checked as well. Mismatches raise no error: see
    ``.ok``, ``.problems`` and ``.differences``.
    """
    from .commands.verify import verify
    from .crate_files.read import comparison_for

    path = _path(data)
    with _working(limit) as context:
        if accept:
            from .commands.accept import accept as take_in

            take_in(path, context.limits)
        return verify(path, comparison_for(path, _paths(against), context.limits), context)


def verify_all(data: Inputs, against: Inputs = (), *, limit: LimitTable = None) -> tuple[Verified, ...]:
    """Verify several crates: metadata files, and all crates of crate files at all sizes, with the files' settings."""
    from .commands.verify import verify
    from .crate_files.read import comparisons

    with _working(limit) as context:
        pairs = comparisons(_paths(data), _paths(against), context.limits)
        return tuple(verify(path, comparison, context) for path, comparison in pairs)


def survey(
    inputs: Inputs,
    *,
    fps: float | str | Fraction | None = None,
    ignore: str | Iterable[str] = (),
    scale: float | str | Fraction = 1,
    code: str | Iterable[str] = (),
    baseline: StrPath | None = None,
    limit: LimitTable = None,
) -> Survey:
    """Check frames before packing. Return figures of each sequence, and findings, the worst first (docs/survey.md).

    `fps` is the frame rate, for the seconds of each sequence. `scale` is the scale of a later build, ``0.5`` or
    ``"50%"``. `ignore` drops findings with these codes, `code` keeps only these codes, and `baseline` is a file of
    known findings to drop.
    """
    from .commands.survey import SurveyOptions, survey
    from .commands.survey_files import read_baseline
    from .core.crate.file_names import is_crate_file
    from .core.errors import UsageError
    from .settings.given import settings_from

    settings, paths = settings_from({"scale": scale} if fps is None else {"scale": scale, "fps": fps}), _paths(inputs)
    if any(map(is_crate_file, paths)):
        raise UsageError("survey takes frames; survey_all takes crate files")
    with _working(limit) as context:
        fine = frozenset[str]() if baseline is None else read_baseline(_path(baseline), context.limits)
        wanted = SurveyOptions(_names("ignore", ignore), _names("code", code), fine)
        return survey(paths, context, wanted, settings)


def survey_all(
    crate_files: Inputs,
    only: str | Iterable[str] = (),
    *,
    ignore: str | Iterable[str] = (),
    code: str | Iterable[str] = (),
    baseline: StrPath | None = None,
    limit: LimitTable = None,
) -> tuple[SurveyedCrate, ...]:
    """Check the frames of the crates of crate files, or of `only` some of them: each by itself, with its own settings,
    and followed by its skins."""
    from .commands.survey import SurveyOptions
    from .commands.survey_crates import survey_crates
    from .commands.survey_files import read_baseline
    from .crate_files.read import specs_of

    with _working(limit) as context:
        specs = specs_of(_paths(crate_files), _names("only", only), context.limits)
        fine = frozenset[str]() if baseline is None else read_baseline(_path(baseline), context.limits)
        wanted = SurveyOptions(_names("ignore", ignore), _names("code", code), fine)
        return tuple(survey_crates(specs, context, _raise, wanted))


def show(
    data: Inputs, out: StrPath, *, kind: str | None = None, force: bool = False, limit: LimitTable = None, **how: Any
) -> Shown:
    """Draw a view of a crate's metadata, of frames, or of all crates of crate files. Return the files and warnings.

    The ending of `out` selects the view: annotated sheet (.png), light table (.html), chart (.svg) or film (.gif,
    .apng, .webp). `kind` selects ``strip`` or ``chart`` for a .png. `how` has the command's options:
    ``animation="swim"``, ``zoom=3``, ``speed="50%"``, ``skin="raincoat"``.
    """
    from .commands.show import kind_of, show, show_options
    from .crate_files.read import are_crate_files, specs_of

    options, inputs = show_options(kind_of(_path(out), kind), how), _paths(data)
    with _working(limit) as context:
        if not are_crate_files(inputs):
            return show(inputs, _path(out), options, context, force)
        from .commands.show_crates import show_crates
        from .pipeline.context import with_cache

        with with_cache(context) as cached:
            return show_crates(specs_of(inputs, (), cached.limits), _path(out), options, cached, _raise, force)


def draft(inputs: Inputs, out: StrPath, *, force: bool = False, limit: LimitTable = None) -> Draft:
    """Survey folders of frames and write a crate file for them, with the findings and their suggested fixes."""
    from .commands.draft import draft

    with _working(limit) as context:
        return draft(_paths(inputs), _path(out), context, force)


def describe(
    data: StrPath,
    *,
    template: Inputs = (),
    metadata: str | Iterable[str] = (),
    set: Mapping[str, object] | None = None,
    out: StrPath = "",
    compact: bool = False,
    force: bool = False,
    limit: LimitTable = None,
) -> tuple[os.PathLike[str], ...]:
    """Write more text formats of a crate, and return their paths.

    `template` names templates, with variables in `set`, and `metadata` other formats. The files go next to `data`, or
    to `out`. A crate file stands for all of its crates.
    """
    from .commands.describe import TextOptions, describe
    from .commands.options import read_value
    from .core.crate.file_names import is_crate_file
    from .crate_files.read import metadata_paths, specs_of
    from .settings import readers

    templates = [read_value("template", readers.template, path) for path in _paths(template)]
    formats = read_value("metadata", readers.formats, ",".join(_names("metadata", metadata))) if metadata else ()
    variables = tuple(read_value("set", readers.variable, f"{name}={value}") for name, value in (set or {}).items())
    texts = TextOptions(templates, formats, variables, compact, force)
    path, limits = _path(data), _limits(limit)
    if not is_crate_file(path):
        return describe(path, texts, _path(out), limits)
    specs = specs_of([path], (), limits)
    return tuple(
        file for _, spec in specs for data in metadata_paths(spec) for file in describe(data, texts, "", limits)
    )


def unpack(
    data: StrPath,
    out: StrPath,
    *,
    film: bool = False,
    force: bool = False,
    skin: str = "",
    dry_run: bool = False,
    limit: LimitTable = None,
) -> Unpacked:
    """Write a crate's frames as PNG files below the folder `out`, each on its whole canvas under its name.

    `film` adds an animated PNG of each animation. `skin` selects a skin. `force` overwrites existing files. All files
    are written, or none.
    """
    from pathlib import Path

    from .commands.unpack import unpack

    with _working(limit) as context:
        return unpack(_path(data), Path(_path(out)), context, film, force, skin, dry_run)


def cut(
    sheet: StrPath, out: StrPath, *, force: bool = False, dry_run: bool = False, limit: LimitTable = None, **how: Any
) -> Cut:
    """Cut a sheet without metadata into frames below the folder `out`. `how` has the command's options:
    ``cell=(16, 16)``, ``columns=4, rows=3``, ``islands=True``, ``boxes="boxes.csv"``."""
    from pathlib import Path

    from .commands.cut import cut_options, cut_sheet

    options = cut_options(how)
    with _working(limit) as context:
        return cut_sheet(_path(sheet), Path(_path(out)), options, context, force, dry_run)


def adopt(sheet: StrPath, *, force: bool = False, limit: LimitTable = None, **options: Any) -> Packed:
    """Write metadata for a sheet that was made elsewhere, next to it; its pixels stay as they are. `options` are those
    of `cut`, and settings of names, times and pivots: ``cell=(16, 16)``, ``fps={"walk": 8}``, ``pivot="feet"``."""
    from .commands.adopt import adopt, adopt_options

    how, settings = adopt_options(options)
    with _working(limit) as context:
        return adopt(_path(sheet), how, settings, context, force)


def load(data: StrPath, *, skin: str = "", limit: LimitTable = None) -> Loaded:
    """Read a crate from its JSON or XML, in the base art or a `skin`. ``.crate`` is the metadata as values.
    ``.frame(name)`` returns a frame on its whole canvas, an array of shape (height, width, 4), uint8, straight
    alpha."""
    from .commands.load import load

    return load(_path(data), _limits(limit), skin)


def schema(form: Literal["json", "xml", "crate"]) -> str:
    """Return the schema of the metadata, as JSON or XML, or of crate files."""
    from .commands.schema import schema

    return schema(form)


def _working(limit: LimitTable = None) -> AbstractContextManager[Context]:
    from .pipeline.context import working

    return working(_limits(limit), program=GENERATOR)


def _limits(limit: LimitTable) -> Limits:
    from .commands.options import read_value
    from .core.limits import Limits
    from .core.message import key_of
    from .settings.readers import limit as read

    return Limits(**dict(read_value("limit", read, f"{key_of(name)}={most}") for name, most in (limit or {}).items()))


def _raise(_file: str, _crate: str, error: CrateError) -> None:
    raise error


def _path(path: StrPath) -> str:
    return os.fsdecode(path)


def _paths(inputs: Inputs) -> list[str]:
    return [_path(inputs)] if isinstance(inputs, (str, bytes, os.PathLike)) else list(map(_path, inputs))


def _names(asked: str, names: str | Iterable[str]) -> list[str]:
    """Return names as a list. Raises UsageError for a name that is not a text."""
    from .core.errors import UsageError
    from .core.message import setting
    from .core.text import shown

    listed = [names] if isinstance(names, (str, bytes)) else list(names)
    for name in listed:
        if not isinstance(name, str):
            raise UsageError("{}: {} is not a text", setting(asked), shown(repr(name)))
    return listed
