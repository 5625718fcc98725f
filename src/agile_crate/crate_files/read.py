"""Crate files: text files that say what is packed, where to, and how."""

from __future__ import annotations

import os
import re
import tomllib
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

from ..core.crate.file_names import is_crate_file, sized_name
from ..core.errors import InputError, UsageError, reason
from ..core.message import Sentence, a_file
from ..core.names import is_address, nearest
from ..core.text import few, quoted, shown
from ..format.regular import read_regular
from ..settings.given import settings_from
from ..settings.portions import all_sizes
from ..storage.previous_build import target_of
from .dependencies import metadata_of
from .spec import Order, WrongKeyError, as_key, orders_in
from .toml_places import place_of

_WHERE = re.compile(r"(.*) \(at (.*)\)", re.DOTALL)
"""How the standard library says what is wrong, and where."""

_NUMBERS = re.compile("[0-9]+")

LONGEST_LINE = 20_000
"""Characters. A key of very many parts takes the reader long."""


class CrateFile(NamedTuple):
    """A crate file that was read: its path as it was given, its crates in order, and what the user should know."""

    path: str
    orders: tuple[Order, ...]
    warnings: tuple[str, ...]


def read_crate_file(path: str) -> CrateFile:
    """The crates of a file; paths in it are relative to its folder, and made ones from here. Raises InputError that
    names line and column."""
    text = _text_of(path)
    folder = os.path.dirname(path)

    def from_here(there: str) -> str:
        return os.path.normpath(os.path.join(folder, there))

    try:
        document = tomllib.loads(text)
        orders = tuple(order.moved(from_here) for order in orders_in(document))
    except tomllib.TOMLDecodeError as error:
        found = _WHERE.fullmatch(str(error))
        what, place = (found[1], found[2]) if found else (str(error), "end of document")
        if not place.startswith("line "):
            place = f"line {text.count(chr(10)) + 1}, column {len(text) - text.rfind(chr(10))}"
        line, column = map(int, _NUMBERS.findall(place))
        odd = text.split("\n")[line - 1][column - 1 : column]
        hint = "" if odd.isascii() else f"; put names with letters such as {shown(odd)} in quotes"
        raise InputError(f"{a_file(path)}, {place}: not valid TOML: {what[:1].lower()}{what[1:]}{hint}") from None
    except WrongKeyError as fault:
        line, column = place_of(text, fault.keys)
        told = Sentence(fault.sentence).spelled(as_key)
        raise InputError(f"{a_file(path)}, line {line}, column {column}: {told}") from None
    except (RecursionError, ValueError):
        raise InputError(f"{a_file(path)}: lists within lists, or numbers, larger than any crate file needs") from None
    for order in orders:
        try:
            target_of(order.out)
        except UsageError as error:
            told = error.sentence.spelled(as_key)
            raise InputError(f"{a_file(path)}, crate {quoted(order.name)}: {told}") from None
    refuse_one_place_for_two([CrateFile(path, orders, ())])
    return CrateFile(path, orders, tuple(_warnings(path, orders)))


def _text_of(path: str) -> str:
    try:
        text = read_regular(path, "crate_file_bytes").decode("utf-8-sig").replace("\r\n", "\n")
    except OSError as error:
        raise InputError(f"{a_file(path)} cannot be read: {reason(error)}") from None
    except UnicodeDecodeError:
        raise InputError(f"{a_file(path)} is not text in UTF-8, as crate files are") from None
    if max(map(len, text.split("\n"))) > LONGEST_LINE:
        raise InputError(f"{a_file(path)} has a line of more than {LONGEST_LINE:,} characters; break it")
    return text


def refuse_one_place_for_two(files: Sequence[CrateFile]) -> None:
    """Raises InputError where two crates would be written to one place."""
    places: dict[str, tuple[str, str]] = {}
    for file in files:
        for order in file.orders:
            target, this = target_of(order.out), (file.path, order.name)
            path, other = places.setdefault(str(target).casefold(), this)
            if (path, other) != this:
                where = shown(file.path) if path == file.path else f"{shown(path)} and {shown(file.path)}"
                raise InputError(
                    f"{where}: the crates {quoted(other)} and {quoted(order.name)} are both written to "
                    f"{shown(order.out)}; give one of them another 'out'"
                )


def _warnings(path: str, orders: Sequence[Order]) -> Iterator[str]:
    project = Path(os.path.abspath(os.path.dirname(path)))
    for order in orders:
        named = [given for given in (*order.inputs, order.out) if not is_address(given)]
        outside = [given for given in named if not Path(os.path.abspath(given)).is_relative_to(project)]
        if outside:
            yield (
                f"{shown(path)}: the crate {quoted(order.name)} reaches out of the project's folder, to "
                f"{few(dict.fromkeys(outside))}; elsewhere that may not be there"
            )
        folder = target_of(order.out).parent
        if folder in {Path(os.path.abspath(given)) for given in order.inputs}:
            yield (
                f"{shown(path)}: the crate {quoted(order.name)} is written into {shown(os.path.dirname(order.out))}, "
                "from which its frames are taken, too; give it a folder of its own"
            )


def chosen(files: Sequence[CrateFile], only: Sequence[str]) -> list[tuple[CrateFile, list[Order]]]:
    """The crates of these names, in the files' order; all of them if none is named. Raises UsageError."""
    names = [order.name for file in files for order in file.orders]
    for name in only:
        if files and name not in names:
            near = nearest(name, names)
            hint = f"did you mean {quoted(near)}?" if near else f"there are {few(map(quoted, names))}"
            raise UsageError(f"{few(file.path for file in files)}: there is no crate {quoted(name)}; {hint}")
    wanted = [(file, [order for order in file.orders if not only or order.name in only]) for file in files]
    return [(file, orders) for file, orders in wanted if orders]


def frames_of(inputs: Sequence[str]) -> list[str]:
    """Inputs, with those of its crates in place of each crate file."""
    return list(dict.fromkeys(path for given in inputs for path in _inputs_of(given)))


def _inputs_of(given: str) -> Iterator[str]:
    if not is_crate_file(given):
        yield given
        return
    for order in read_crate_file(given).orders:
        yield from order.inputs


class Asked(NamedTuple):
    """What frames are compared with: the inputs that were packed, and the crate's order if a crate file was given.
    `font` is the file of the font in drawings, empty where it is to be looked for."""

    inputs: Sequence[str]
    order: Order | None = None
    font: str = ""


def against_for(given: Sequence[str], data: str, font: str = "") -> Asked:
    """What a crate is compared with, by the path of its metadata: the inputs, or those of its own crate in a crate file
    (of all crates, where it is none of them)."""
    files = {path: read_crate_file(path).orders for path in given if is_crate_file(path)}
    own = [order for orders in files.values() for order in orders if _is_of(data, order)]
    inputs = [
        path
        for one in given
        for paths in ([order.inputs for order in own or files[one]] if one in files else [[one]])
        for path in paths
    ]
    order = own[0] if own else None
    return Asked(list(dict.fromkeys(inputs)), order, font or str(order.given.get("font", "")) if order else font)


def crates_in(paths: Sequence[str]) -> list[tuple[str, str]]:
    """Metadata files, those of each crate at each size in place of a crate file; each with that crate file, or "".

    Raises InputError for a crate file that cannot be read.
    """
    found: list[tuple[str, str]] = []
    for path in paths:
        if not is_crate_file(path):
            found.append((path, ""))
            continue
        for order in read_crate_file(path).orders:
            settings = settings_from(order.given)
            data = metadata_of(order.out, settings)
            stem, ending = os.path.splitext(data)
            found += [(f"{sized_name(stem, one.portion)}{ending}", path) for one in all_sizes(settings)]
    return found


def _is_of(data: str, order: Order) -> bool:
    """Whether metadata is that of a crate, at any of its sizes."""
    there, target = target_of(data), target_of(order.out)
    return there.parent == target.parent and (there.name == target.name or there.name.startswith(f"{target.name}@"))
