"""File names: sheets' names from a pattern, and names that every platform allows."""

from __future__ import annotations

import re
import string
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from fractions import Fraction
from typing import TYPE_CHECKING

from ..errors import UsageError
from ..text import is_unicode, percent, quoted

if TYPE_CHECKING:
    from ..arrange.arrangement import SheetPlan

FIELDS = (
    "name",
    "sheet",
    "sheets",
    "frames",
    "width",
    "height",
    "cell_width",
    "cell_height",
    "columns",
    "rows",
    "scale",
    "skin",
)
"""Fields of a file-name pattern. On a sheet without cells the fields of cells cannot be used."""

CRATE_FILE_ENDING = ".toml"

SHEET_ENDINGS = (".png", ".webp")
"""Endings of sheet files."""

HIDDEN_PREFIX = ".agile-crate-"
"""The prefix of hidden folders for files that are not committed yet."""

LONGEST_NAME = 255
"""Bytes in UTF-8. What the usual file systems hold."""

_RESERVED = r"(?i:con|prn|aux|nul|conin\$|conout\$|(?:com|lpt)[0-9¹²³])(\..*)?"
_FORBIDDEN = r'[/\\:*?"<>|\x00-\x1f\x7f]'
_DIGITS = "(0[1-9])?"


def is_crate_file(path: str) -> bool:
    """Return True if an input is a crate file, by its name."""
    return path.lower().endswith(CRATE_FILE_ENDING)


def sized_name(stem: str, portion: Fraction) -> str:
    """The name of a crate at a portion of its size: ``otter``, or ``otter@50``."""
    return stem if portion == 1 else f"{stem}@{percent(portion)[:-1]}"


def check_pattern(pattern: str) -> None:
    """Raise UsageError for a pattern of file names that is malformed, or whose literal parts no file name may have.

    Fields stand in braces, numbers may be padded with zeros ({sheet:03}); {{ and }} are braces themselves.
    """
    if not is_unicode(pattern):
        raise UsageError(f"{quoted(pattern)} is not Unicode text, as file names are")
    try:
        parts = list(string.Formatter().parse(pattern))
    except ValueError:
        raise UsageError(f"{quoted(pattern)} has an open brace: write fields as {{name}}, a brace as {{{{") from None
    for literal, name, padding, conversion in parts:
        if found := re.search(_FORBIDDEN, literal):
            raise UsageError(f"{quoted(pattern)}: some platforms allow no {quoted(found[0])} in file names")
        if name is None:
            continue
        if name not in FIELDS:
            raise UsageError(f"{quoted(pattern)}: unknown field {{{name}}}; the fields are {', '.join(FIELDS)}")
        if conversion or not re.fullmatch(_DIGITS, padding or "") or (padding and name in ("name", "scale", "skin")):
            raise UsageError(f"{quoted(pattern)}: a number can only be padded with zeros, as in {{sheet:03}}")


def sheet_names(
    name: str,
    plans: Sequence[SheetPlan],
    counts: Sequence[int],
    portion: Fraction,
    pattern: str = "",
    skin: str = "",
    ending: str = ".png",
) -> list[str]:
    """The sheets' file names: ``otter.png``, or ``otter-1.png`` … for several, or by a checked pattern. Those
    of a skin have its name behind the crate's, or, by a pattern that has no place for it, at their end.

    `name` is the crate's, `counts` are the frames on each sheet, `portion` is its size among the crates of the build.
    Raises UsageError for a pattern that gives no usable name, or one name to several sheets.
    """
    behind = f"-{skin}" if skin else ""
    if not pattern:
        name += behind
        stems = [name] if len(plans) == 1 else [f"{name}-{number}" for number in range(1, len(plans) + 1)]
    else:
        stems = [
            _with_skin(
                from_pattern(
                    pattern, _values(name, plan, count, portion) | {"sheet": number, "sheets": len(plans), "skin": skin}
                ),
                "" if "{skin" in pattern else behind,
                ending,
            )
            for number, (plan, count) in enumerate(zip(plans, counts, strict=True), 1)
        ]
    return [stem if stem.endswith(ending) else f"{stem}{ending}" for stem in stems]


def _with_skin(stem: str, behind: str, ending: str) -> str:
    return f"{stem.removesuffix(ending)}{behind}" if behind else stem


def _values(name: str, plan: SheetPlan, count: int, portion: Fraction) -> dict[str, str | int | None]:
    cells = plan.cells
    of_cells: dict[str, str | int | None] = dict.fromkeys(("cell_width", "cell_height", "columns", "rows"))
    if cells is not None:
        of_cells = {
            "cell_width": cells.size.w,
            "cell_height": cells.size.h,
            "columns": cells.columns,
            "rows": cells.rows,
        }
    return of_cells | {
        "name": name,
        "frames": count,
        "width": plan.size.w,
        "height": plan.size.h,
        "scale": percent(portion)[:-1],
    }


def from_pattern(pattern: str, values: Mapping[str, str | int | None]) -> str:
    """The file name that a checked pattern gives. Raises UsageError for a field without a value, or a name that some
    platform cannot hold."""
    named = [name for _, name, _, _ in string.Formatter().parse(pattern) if name]
    for name in named:
        if values[name] is None:
            raise UsageError(
                "{file_name} {}: {{{}}} is of cells of one size, and this sheet has none", quoted(pattern), name
            )
    made = pattern.format_map(values)
    if why := not_held(made):
        raise UsageError("{file_name} {} gives {}, {}", quoted(pattern), quoted(made), why)
    return made


def not_held(name: str) -> str:
    """Return the reason why some platform refuses a file name, as the end of a sentence; empty if all accept it."""
    if found := re.search(_FORBIDDEN, name):
        return f"and some platforms allow no {quoted(found[0])} in file names"
    if re.fullmatch(_RESERVED, name):
        return "which some platforms keep for devices"
    if name != name.strip(" ") or name.endswith(".") or name in ("", ".", ".."):
        return "and no file can be called that on every platform"
    if len(name.encode("utf-8", "replace")) > LONGEST_NAME:
        return f"which is longer than the {LONGEST_NAME} bytes that a file name can have"
    return ""


def safe_name(name: str) -> str:
    """Return the name, or the nearest one that every platform allows. A name that is too long stays too long.

    >>> safe_name("swim"), safe_name("a:b"), safe_name("CON.x"), safe_name(" dive. ")
    ('swim', 'a_b', 'CON_.x', 'dive_')
    """
    name = re.sub(_FORBIDDEN, "_", name)
    if re.fullmatch(_RESERVED, name):
        stem, dot, rest = name.partition(".")
        name = f"{stem}_{dot}{rest}"
    plain = name.strip(" ").rstrip(". ")
    return name if plain == name else f"{plain}_"


def repeated(names: Iterable[str]) -> str | None:
    """Return a name that several files would take, ignoring case; None if all differ."""
    names = list(names)
    counts = Counter(name.casefold() for name in names)
    return next((name for name in names if counts[name.casefold()] > 1), None)
