"""Print the types of all settings as keyword arguments, which `make docs` writes to settings/keywords.pyi."""

from __future__ import annotations

from agile_crate.settings import kinds
from agile_crate.settings.table import Option, options

HEAD = '''\
"""The settings as keyword arguments, for completion and type checkers. Written by tools/settings_keywords.py."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from fractions import Fraction
from typing import Literal, TypeAlias, TypedDict, TypeVar

Path: TypeAlias = str | os.PathLike[str]
Number: TypeAlias = float | str | Fraction

T = TypeVar("T")
Each: TypeAlias = T | str | Mapping[str, T] | Sequence[T | str | Mapping[str, T]]
"""A value for all animations, a table of those for single ones, or a list of both."""

class Keywords(TypedDict, total=False):
    """Every setting of docs/settings.md; None is as if it had not been given."""
'''

TYPES = {
    id(kinds.FLAG): "bool",
    id(kinds.TEXT): "str",
    id(kinds.TEXTS): "str | Sequence[str]",
    id(kinds.FILE): "Path",
    id(kinds.FILES): "Path | Sequence[Path]",
    id(kinds.COLORS_OR_FILE): "Path | Sequence[str]",
    id(kinds.NUMBER): "Number",
    id(kinds.NUMBERS): "Number | Sequence[Number]",
    id(kinds.SIDES): "int | str | tuple[int, int]",
    id(kinds.POINT): "str | tuple[float, float]",
    id(kinds.PAIRS): "str | Sequence[str] | Mapping[str, str]",
    id(kinds.AMOUNTS): "str | Sequence[str] | Mapping[str, int | str]",
    id(kinds.LISTS): "str | Sequence[str] | Mapping[str, str | Sequence[str]]",
    id(kinds.HOLDS): "str | Sequence[str] | Mapping[str, Mapping[int | str, Number]]",
    id(kinds.PARTS): "str | Sequence[str] | Mapping[str, str | Mapping[str, str]]",
}


def type_of(option: Option) -> str:
    """Return the type of what can be given for a setting."""
    if option.choices:
        one = f"Literal[{', '.join(map(repr, option.choices))}]".replace("'", '"')
    else:
        one = TYPES.get(id(option.kind), "int")
    if option.per_animation:
        one = f"Each[{one}]"
    return f"{one} | None"


if __name__ == "__main__":
    print(HEAD)
    for name, (option, _) in options().items():
        told = f"    {name}: {type_of(option)}"
        print(
            told
            if len(told) <= 120
            else told.replace(": ", ": (\n        ", 1).replace(" | None", "\n        | None\n    )")
        )
