"""`[each."art/*"]`: one crate for every folder that matches a pattern.

A pattern has one `*`, within one part of the path. What it stands for is the crate's name, and `{name}` in the table's
paths. A `[crate.NAME]` of that name overrides keys. `skins` is a pattern as well: a skin for every folder.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from ..core.message import key_of
from ..core.names import nearest
from ..core.text import few, quoted, shown
from ..settings.table import options
from .keys import Keys, Table, WrongKeyError, as_paths, as_table

NAME = "{name}"

OWN_KEYS = ("from", "out", "except", "skins", "animation", "skin")
"""Keys of an [each] table besides settings."""

Folders = Callable[[str], Sequence[tuple[str, str]]]
"""Returns the folders that match a pattern, in natural order: the text for its `*`, and the path."""


class CrateTable(NamedTuple):
    """The table of a crate, and the path of the [each] table that it comes from, if any."""

    table: Table
    each: Keys = ()


def crate_tables(document: Table, folders: Folders) -> dict[str, CrateTable]:
    """Return each crate's table by name. Crates from [each] tables come first. Raises WrongKeyError."""
    crates = as_table(document.get("crate", {}), ("crate",)).items()
    own = {name: as_table(table, ("crate", name)) for name, table in crates}
    made: dict[str, CrateTable] = {}
    for pattern, table in as_table(document.get("each", {}), ("each",)).items():
        at = ("each", pattern)
        for name, folder in _matches(pattern, as_table(table, at), at, folders):
            if name in made:
                other = made[name].each[1]
                why = f"two folders make a crate named {quoted(name)}, by {quoted(other)} and {quoted(pattern)}"
                raise WrongKeyError(at, f"{why}; leave it out of one with except = [{quoted(name)}]")
            filled = _filled({"from": folder, **table}, name)
            made[name] = CrateTable(_merged(filled, own.get(name, {})), at)
    made |= {name: CrateTable(table) for name, table in own.items() if name not in made}
    return {name: entry._replace(table=_with_skins(name, entry, folders)) for name, entry in made.items()}


def _matches(pattern: str, table: Table, at: Keys, folders: Folders) -> Iterator[tuple[str, str]]:
    """Yield the name and the folder of each crate. The output folder is skipped."""
    out = table.get("out")
    if not isinstance(out, str) or NAME not in out:
        raise WrongKeyError((*at, "out"), f"'out' must be a path with {NAME}, such as out = \"build/{NAME}\"")
    if not (found := _found(pattern, at, folders)):
        raise WrongKeyError(
            at, f"no folder matches {quoted(pattern)}; check the pattern, which starts at the crate file's folder"
        )
    left_out = as_paths(table.get("except", []), (*at, "except"))
    names = [name for name, _ in found]
    for name in left_out:
        if name not in names:
            near = nearest(name, names)
            hint = f"did you mean {quoted(near)}?" if near else f"there are {few(map(quoted, names))}"
            raise WrongKeyError((*at, "except"), f"no folder of {quoted(pattern)} is named {quoted(name)}; {hint}")
    written = out.partition(NAME)[0].rpartition("/")[0] + "/"
    yield from (pair for pair in found if pair[0] not in left_out and not written.startswith(f"{pair[1]}/"))


def _found(pattern: str, at: Keys, folders: Folders) -> Sequence[tuple[str, str]]:
    if pattern.count("*") != 1 or not set(pattern).isdisjoint("?[\\"):
        why = f'{quoted(pattern)} must have one *, and no other wildcard, such as "art/*" or "art/*/frames"'
        raise WrongKeyError(at, f"{why}; the * stands for the crate's name")
    return folders(pattern)


def _filled(table: Table, name: str) -> dict[str, Any]:
    """Return a table with the name filled into its paths: inputs, outputs, skins, and path settings."""
    paths = {"from", "out", "skins", "skin"} | {
        key_of(field) for field, (option, _) in options().items() if option.kind.is_path
    }
    return {key: _named(value, name) if key in paths else value for key, value in table.items() if key != "except"}


def _named(value: Any, name: str) -> Any:
    if isinstance(value, str):
        return value.replace(NAME, name)
    if isinstance(value, list):
        return [_named(item, name) for item in value]
    return {key: _named(item, name) for key, item in value.items()} if isinstance(value, dict) else value


def _merged(each: Mapping[str, Any], own: Table) -> dict[str, Any]:
    """Return a table in which a crate's own keys win. Animations and skins are merged by name."""
    inner = {key: _over(each.get(key), own[key], 2) for key in ("animation", "skin") if key in own}
    return {**each, **own, **inner}


def _over(below: Any, above: Any, depth: int) -> Any:
    """Return a table merged over another, down to a depth. Any other value replaces the one below."""
    if not (depth and isinstance(below, dict) and isinstance(above, dict)):
        return above
    return {**below, **{key: _over(below.get(key), value, depth - 1) for key, value in above.items()}}


def _with_skins(name: str, entry: CrateTable, folders: Folders) -> Table:
    """Return a crate's table with a skin for every folder that matches its `skins`, except the base's own."""
    table, at = entry.table, entry.each or ("crate", name)
    if "skins" not in table:
        return table
    pattern = table["skins"]
    if not isinstance(pattern, str):
        raise WrongKeyError((*at, "skins"), "'skins' must be a pattern of folders, such as \"outfits/*\"")
    base = {path.rstrip("/") for path in as_paths(table.get("from", []), (*at, "from"))}
    found = {skin: {"from": path} for skin, path in _found(pattern, (*at, "skins"), folders) if path not in base}
    for skin, keys in as_table(table.get("skin", {}), (*at, "skin")).items():
        here = as_table(keys, (*at, "skin", skin))
        # A table without art only changes a skin that the pattern found.
        if skin in found or not here.keys().isdisjoint(("from", "layers", "recolor")):
            found[skin] = {**({} if "layers" in here else found.get(skin, {})), **here}
    return {key: value for key, value in table.items() if key != "skins"} | {"skin": found}


def in_file(keys: Keys, entry: CrateTable, document: Table) -> Keys:
    """Return the path of a key in the file: in the crate's own table, or else in the [each] table."""
    if not entry.each or len(keys) < 3:
        return keys if not entry.each or keys[1] in document.get("crate", {}) else entry.each
    here = document.get("crate", {}).get(keys[1], {})
    for key in keys[2:]:
        here = here.get(key) if isinstance(here, dict) else None
    return keys if here is not None else (*entry.each, *keys[2:])


def nearest_crate(name: str, tables: Mapping[str, CrateTable]) -> str:
    """Return a hint if the name resembles that of a crate from an [each] table."""
    near = nearest(name, [other for other, entry in tables.items() if entry.each])
    return f"; or did you mean {shown(near)} from [each]?" if near else ""
