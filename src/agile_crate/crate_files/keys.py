"""Checked access to the tables of a crate file. An error names the path of its key, so that the line can be found."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ..core.errors import MessageError
from ..core.names import nearest
from ..core.text import quoted

Keys = tuple[str, ...]
Table = Mapping[str, Any]

_TYPES = {
    bool: "true or false",
    int: "a whole number",
    float: "a number",
    str: "a text",
    list: "a list",
    dict: "a table",
}


class WrongKeyError(MessageError):
    """A problem with a key: its path in the file, and a sentence."""

    def __init__(self, keys: Keys, text: str, *values: object) -> None:
        super().__init__(text, *values)
        self.keys = keys


def only(table: Table, at: Keys, known: Sequence[str] | Mapping[str, object]) -> None:
    """Raise WrongKeyError for an unknown key in a table."""
    for key in table:
        if key not in known:
            near = nearest(key, known)
            known_keys = f"known are {', '.join(known)}" if len(known) < 9 else ""
            hint = f"did you mean '{near}'?" if near else known_keys
            raise WrongKeyError((*at, key), f"unknown key {quoted(key)}" + (f"; {hint}" if hint else ""))


def as_table(value: object, at: Keys) -> Table:
    """Return a value as a table. Raises WrongKeyError for another type."""
    if not isinstance(value, dict):
        raise WrongKeyError(at, f"{quoted(at[-1])} is to be a table, not {type_of(value)}")
    return value


def as_paths(value: object, at: Keys) -> list[str]:
    """Return a path, or a list of paths, as a list. Raises WrongKeyError for another type."""
    listed: list[str] = []
    for path in value if isinstance(value, list) else [value]:
        if not isinstance(path, str):
            raise WrongKeyError(at, f"{quoted(at[-1])} is to be a path, or a list of paths, not {type_of(path)}")
        listed.append(path)
    return listed


def type_of(value: object) -> str:
    """Return the name of a value's type."""
    return _TYPES.get(type(value), "a date or time")
