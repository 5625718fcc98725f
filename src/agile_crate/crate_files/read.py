"""Read crate files: text files with the inputs, outputs and settings of crates."""

from __future__ import annotations

import os
import re
import tomllib
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

from ..core.crate.file_names import is_crate_file, sized_name
from ..core.errors import InputError, UsageError, reason
from ..core.limits import Limits
from ..core.message import a_file, message
from ..core.names import is_address, natural_key, nearest
from ..core.text import few, quoted, shown
from ..format.regular import read_regular
from ..settings.portions import all_sizes
from ..storage.previous_build import target_of
from .dependencies import metadata_of
from .keys import WrongKeyError
from .spec import CrateSpec, in_crate_file, specs_in
from .toml_places import place_of

_WHERE = re.compile(r"(.*) \(at (.*)\)", re.DOTALL)
"""The standard library's form of TOML errors."""

_NUMBERS = re.compile("[0-9]+")

LONGEST_LINE = 20_000
"""Characters. A key of very many parts takes the reader long."""


class CrateFile(NamedTuple):
    """A crate file: its path as it was given, its crates in order, and warnings. `searched` are the folders that were
    searched for folders of crates and skins: each new one is a new crate."""

    path: str
    specs: tuple[CrateSpec, ...]
    warnings: tuple[str, ...]
    searched: tuple[str, ...] = ()


def read_crate_file(path: str, limits: Limits) -> CrateFile:
    """Read a crate file. Its paths are relative to its folder; in the result they are relative to the working folder.
    Raises InputError that names line and column."""
    text = _text_of(path, limits)
    folder = os.path.dirname(path)

    def from_here(path_in_file: str) -> str:
        return os.path.normpath(os.path.join(folder, path_in_file))

    searched: dict[str, None] = {}

    def folders(pattern: str) -> list[tuple[str, str]]:
        above, _, below = pattern.partition("*")
        searched[from_here(above.rpartition("/")[0])] = None
        if "/" in below:  # the folder that is searched for may come later than the one that holds it
            searched.update((from_here(path), None) for _, path in folders_like(folder, f"{above}*"))
        return folders_like(folder, pattern)

    try:
        document = tomllib.loads(text)
        specs = tuple(specs_in(document, from_here, folders))
    except tomllib.TOMLDecodeError as error:
        found = _WHERE.fullmatch(str(error))
        what, place = (found[1], found[2]) if found else (str(error), "end of document")
        if not place.startswith("line "):
            place = f"line {text.count(chr(10)) + 1}, column {len(text) - text.rfind(chr(10))}"
        line, column = map(int, _NUMBERS.findall(place))
        odd = text.split("\n")[line - 1][column - 1 : column]
        hint = "" if odd.isascii() else f"; put names with letters such as {shown(odd)} in quotes"
        raise InputError(
            "{}, {}: not valid TOML: {}{}{}", a_file(path), place, what[:1].lower(), what[1:], hint
        ) from None
    except WrongKeyError as fault:
        line, column = place_of(text, fault.keys)
        sentence = in_crate_file(fault.message)
        raise InputError("{}, line {}, column {}: {}", a_file(path), line, column, sentence) from None
    except (RecursionError, ValueError):
        raise InputError("{}: lists within lists, or numbers, larger than any crate file needs", a_file(path)) from None
    for spec in specs:
        try:
            target_of(spec.out)
        except UsageError as error:
            sentence = in_crate_file(error.message)
            raise InputError("{}, crate {}: {}", a_file(path), quoted(spec.name), sentence) from None
    refuse_shared_outputs([CrateFile(path, specs, ())])
    return CrateFile(path, specs, tuple(_warnings(path, specs)), tuple(searched))


def folders_like(root: str, pattern: str) -> list[tuple[str, str]]:
    """Return the folders that match a pattern below `root`, in natural order: the text for its `*`, and the path below
    `root`. Hidden folders are left out."""
    before, _, after = pattern.partition("*")
    above, _, begin = before.rpartition("/")
    end, _, below = after.partition("/")
    try:
        names = os.listdir(os.path.join(root, above) or ".")
    except OSError:
        return []
    fitting = (name for name in names if len(name) > len(begin + end) and name.startswith(begin) and name.endswith(end))
    found = [
        (name[len(begin) : len(name) - len(end)], "/".join(filter(None, (above, name, below.rstrip("/")))))
        for name in sorted(fitting, key=natural_key)
        if not name.startswith(".")
    ]
    return [(name, path) for name, path in found if os.path.isdir(os.path.join(root, path))]


def _text_of(path: str, limits: Limits) -> str:
    try:
        text = read_regular(path, limits, "crate_file_bytes").decode("utf-8-sig").replace("\r\n", "\n")
    except OSError as error:
        raise InputError("{} cannot be read: {}", a_file(path), reason(error)) from None
    except UnicodeDecodeError:
        raise InputError("{} is not text in UTF-8, as crate files are", a_file(path)) from None
    if max(map(len, text.split("\n"))) > LONGEST_LINE:
        raise InputError("{} has a line of more than {:,} characters; break it", a_file(path), LONGEST_LINE)
    return text


def refuse_shared_outputs(files: Sequence[CrateFile]) -> None:
    """Raise InputError if two crates would be written to one place."""
    places: dict[str, tuple[str, str]] = {}
    for file in files:
        for spec in file.specs:
            target, this = target_of(spec.out), (file.path, spec.name)
            path, other = places.setdefault(str(target).casefold(), this)
            if (path, other) != this:
                where = shown(file.path) if path == file.path else f"{shown(path)} and {shown(file.path)}"
                raise InputError(
                    f"{where}: the crates {quoted(other)} and {quoted(spec.name)} are both written to "
                    f"{shown(spec.out)}; give one of them another 'out'"
                )


def _warnings(path: str, specs: Sequence[CrateSpec]) -> Iterator[str]:
    project = Path(os.path.abspath(os.path.dirname(path)))
    for spec in specs:
        named = [given for given in (*spec.inputs, spec.out) if not is_address(given)]
        outside = [given for given in named if not Path(os.path.abspath(given)).is_relative_to(project)]
        if outside:
            yield (
                f"{shown(path)}: the crate {quoted(spec.name)} reaches out of the project's folder, to "
                f"{few(dict.fromkeys(outside))}; elsewhere that may not be there"
            )
        folder = target_of(spec.out).parent
        if folder in {Path(os.path.abspath(given)) for given in spec.inputs}:
            yield (
                f"{shown(path)}: the crate {quoted(spec.name)} is written into {shown(os.path.dirname(spec.out))}, "
                "from which its frames are taken, too; give it a folder of its own"
            )


def are_crate_files(inputs: Sequence[str], only: Sequence[str] = ()) -> bool:
    """Return True if the inputs are crate files, False if none is. Raises UsageError if only some of them are, and for
    `only` without crate files."""
    others = [given for given in inputs if not is_crate_file(given)]
    if not others:
        return True
    if len(others) < len(inputs):
        raise UsageError(f"{few(others)} next to a crate file: name either crate files, or frames")
    if only:
        raise UsageError(message("{only} chooses crates of a crate file, and the input is none; leave it out"))
    return False


def specs_of(paths: Sequence[str], only: Sequence[str], limits: Limits) -> list[tuple[str, CrateSpec]]:
    """Return the crates of crate files, each with its file; with `only`, just the named ones. Raises InputError and
    UsageError."""
    files = [read_crate_file(path, limits) for path in paths]
    refuse_shared_outputs(files)
    return [(file.path, spec) for file, specs in chosen(files, only) for spec in specs]


def chosen(files: Sequence[CrateFile], only: Sequence[str]) -> list[tuple[CrateFile, list[CrateSpec]]]:
    """Return the crates of these names, in the files' order; all crates if none is named. Raises UsageError."""
    names = [spec.name for file in files for spec in file.specs]
    for name in only:
        if files and name not in names:
            near = nearest(name, names)
            hint = f"did you mean {quoted(near)}?" if near else f"there are {few(map(quoted, names))}"
            raise UsageError(f"{few(file.path for file in files)}: unknown crate {quoted(name)}; {hint}")
    wanted = [(file, [spec for spec in file.specs if not only or spec.name in only]) for file in files]
    return [(file, specs) for file, specs in wanted if specs]


class Comparison(NamedTuple):
    """The sources to compare a crate with: the inputs that were packed, and the spec of the crate if a crate
    file was given. `font` is the file of the font in drawings, empty if it is to be looked for."""

    inputs: tuple[str, ...] = ()
    spec: CrateSpec | None = None
    font: str = ""


def comparison_for(data: str, given: Sequence[str], limits: Limits, font: str = "") -> Comparison:
    """Return what a crate is compared with, by the path of its metadata: inputs, or those of its own crate in a crate
    file (of all crates of the file, if it is none of them)."""
    files = {path: read_crate_file(path, limits).specs for path in given if is_crate_file(path)}
    own = [spec for specs in files.values() for spec in specs if _is_of(data, spec)]
    inputs = [
        path
        for one in given
        for paths in ([spec.inputs for spec in own or files[one]] if one in files else [[one]])
        for path in paths
    ]
    return _compared(inputs, own[0] if own else None, font)


def _compared(inputs: Sequence[str], spec: CrateSpec | None, font: str) -> Comparison:
    return Comparison(tuple(dict.fromkeys(inputs)), spec, font or (spec.settings.font if spec else ""))


def comparisons(
    paths: Sequence[str], given: Sequence[str], limits: Limits, font: str = "", only: Sequence[str] = ()
) -> Iterator[tuple[str, Comparison]]:
    """Yield metadata files with what each is compared with; in place of crate files, those of crates at each size,
    or of `only` the named ones.

    Raises InputError for a crate file that cannot be read, and UsageError for an unknown crate.
    """
    files = {path: read_crate_file(path, limits) for path in paths if is_crate_file(path)}
    if only and not files:
        raise UsageError(message("{only} chooses crates of a crate file, and the input is none; leave it out"))
    specs = {file.path: specs for file, specs in chosen(list(files.values()), only)}
    for path in paths:
        if path not in files:
            yield path, comparison_for(path, given, limits, font)
            continue
        for spec in specs.get(path, ()):
            compared = _compared((*given, *spec.inputs), spec, font)
            yield from ((data, compared) for data in metadata_paths(spec))


def metadata_paths(spec: CrateSpec) -> Iterator[str]:
    """Yield the path of a crate's metadata at each size, its own first. Raises InputError for a crate without."""
    if not spec.settings.metadata:
        raise InputError("the crate {} is built with {metadata:none}, so it has nothing to read", quoted(spec.name))
    stem, ending = os.path.splitext(metadata_of(spec.out, spec.settings))
    yield from (f"{sized_name(stem, settings.portion)}{ending}" for settings in all_sizes(spec.settings))


def _is_of(data: str, spec: CrateSpec) -> bool:
    """Return True if metadata is that of a crate, at any of its sizes."""
    found, target = target_of(data), target_of(spec.out)
    return found.parent == target.parent and (found.name == target.name or found.name.startswith(f"{target.name}@"))
