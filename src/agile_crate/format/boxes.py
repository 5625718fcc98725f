"""Tables of boxes on a sheet, to correct by hand: read and written."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable

from ..core.crate.file_names import not_held, repeated
from ..core.errors import InputError, reason
from ..core.limits import Limits, raise_hint
from ..core.message import a_file, message
from ..core.model.geometry import Box, Size
from ..core.names import leads_out
from ..core.text import measured, quoted
from .regular import read_regular

HEADINGS = ("name", "x", "y", "w", "h")

NamedBox = tuple[str, Box]


def read_boxes(path: str, sheet: Size, limits: Limits) -> list[NamedBox]:
    """The boxes of a table (comma-separated values, RFC 4180), in order; each lies on the sheet.

    Raises InputError, with the line, for any other file.
    """
    where = a_file(path)
    try:
        text = read_regular(path, limits, "text_bytes").decode("utf-8-sig")
        lines = [line for line in csv.reader(io.StringIO(text, newline=""), strict=True) if line]
    except OSError as error:
        raise InputError("{} cannot be read: {}", where, reason(error)) from None
    except (UnicodeDecodeError, csv.Error):
        raise InputError("{} is not comma-separated text in UTF-8", where) from None
    if not lines or tuple(cell.strip().lower() for cell in lines[0]) != HEADINGS:
        raise InputError("{} does not begin with the line {}", where, ",".join(HEADINGS))
    if len(lines) == 1:
        raise InputError("{} has no boxes; write one a line", where)
    if len(lines) - 1 > (most := limits.islands):
        raise InputError(
            "{} has {:,} boxes, and {:,} are the most; {}", where, len(lines) - 1, most, raise_hint("islands")
        )
    boxes = [_box(line, message("{}, box {}", where, number), sheet) for number, line in enumerate(lines[1:], 1)]
    if twice := repeated(name for name, _ in boxes):
        raise InputError("{}: two boxes have the name {}; some platforms cannot tell them apart", where, quoted(twice))
    return boxes


def _box(line: list[str], where: str, sheet: Size) -> NamedBox:
    if len(line) != len(HEADINGS):
        raise InputError("{}: it has {} values, and there should be {}", where, len(line), len(HEADINGS))
    name, *numbers = (cell.strip() for cell in line)
    if leads_out(name) or any(map(not_held, name.split("/"))):
        raise InputError("{}: {} cannot name a file", where, quoted(name))
    if not all(number.isascii() and number.isdigit() and len(number) < 7 for number in numbers):
        raise InputError("{}, {}: x, y, w and h are whole numbers of pixels", where, quoted(name))
    box = Box(*map(int, numbers))
    if not (box.w and box.h and Box(0, 0, *sheet).contains(box)):
        raise InputError("{}, {}: it lies outside of the sheet, which is {}", where, quoted(name), measured(sheet))
    return name, box


def boxes_text(boxes: Iterable[NamedBox]) -> str:
    """Return the table of boxes as text."""
    stream = io.StringIO()
    csv.writer(stream, lineterminator="\n").writerows([HEADINGS, *((name, *box) for name, box in boxes)])
    return stream.getvalue()
