"""A document of plain values as a crate.

Reading trusts nothing: wrong types, missing keys, absurd numbers and image paths that leave the folder are refused with
the place in the document. Keys that are not known are ignored.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from fractions import Fraction
from functools import partial
from typing import Any, TypeVar, get_args

from ..core.errors import MessageError
from ..core.limits import Limits, raise_hint
from ..core.message import message
from ..core.model.crate import FORMAT, VERSION, Animation, Crate, Frame, Loop
from ..core.model.geometry import Block, Box, Cells, Mirror, Offset, Point, Shape, Size
from ..core.model.ranges import ANY, RANGES, Range
from ..core.model.sheet import Sheet, SkinImage
from ..core.text import is_unicode, shown
from .document import Document, at

_CRC, _SHA256 = re.compile("[0-9a-f]{8}"), re.compile("[0-9a-f]{64}")

T = TypeVar("T")


class FormError(MessageError):
    """A document that does not have the form: a sentence that begins with the place."""


def crate_of(document: Any, limits: Limits) -> Crate:
    """Return the crate of a document. Raises FormError."""
    _expect(isinstance(document, dict) and document.get("format") == FORMAT, "format", f'"{FORMAT}"', document)
    version = document.get("version")
    _expect(
        version == VERSION and type(version) is int,
        "version",
        f"{VERSION}, the only version this program reads",
        version,
    )
    return Crate(
        name=_text(document, "name", ""),
        sheets=_items(document, "sheets", _read_sheet),
        frames=_read_frames(document, limits),
        animations=_items(document, "animations", partial(_read_animation, limits=limits)),
        scale=_number(document.get("scale", 1), "scale", RANGES["scale"]),
        alpha=_one_of(document, "alpha", "", ("straight", "premultiplied"), "straight"),
        generator=_text(document, "generator", "", ""),
        settings=_read_settings(document.get("settings", {})),
        background=_read_background(document),
        files=_read_files(document),
        file_sha256=_read_digests(document),
        built_from=_read_built_from(document),
        adopted=_flag(document, "adopted", ""),
    )


def _read_frames(document: Document, limits: Limits) -> tuple[Frame, ...]:
    count, most = len(_list(document, "frames", "")), limits.frames
    _expect_at_most(most, count, "frames", "frames", "a list of at most {:,}", count)
    return _items(document, "frames", partial(_read_frame, limits=limits))


def _read_name(value: Any, place: str, limits: Limits) -> str:
    name, most = _text(value, "name", place), limits.name_characters
    _expect_at_most(most, len(name), "name_characters", f"{place}.name", "at most {:,} characters", name)
    return name


def _read_settings(value: Any) -> dict[str, Any]:
    _expect(isinstance(value, dict), "settings", "an object", value)
    for key, given in value.items():
        texts = given if isinstance(given, list) else [given]
        known = all(isinstance(text, (str, bool)) for text in texts)
        _expect(known, f"settings.{shown(key)}", "a text, a list of texts, or true", given)
    return dict(value)


def _read_built_from(document: Document) -> str:
    found = _text(document, "built_from", "", "")
    _expect(found == "" or _SHA256.fullmatch(found) is not None, "built_from", "64 hex digits", found)
    return found


def _read_background(document: Document) -> str:
    found = _text(document, "background", "", "")
    known = found == "" or re.fullmatch("#[0-9a-f]{6}", found) is not None
    _expect(known, "background", "a color such as #20406f", found)
    return found


def _read_files(document: Document) -> tuple[str, ...]:
    found = document.get("files", [])
    _expect(isinstance(found, list), "files", "a list of file names", found)
    for index, name in enumerate(found):
        fits = isinstance(name, str) and _stays_in_folder(name)
        _expect(fits, f"files[{index}]", "the name of a file in the same folder", name)
    return tuple(found)


def _read_digests(document: Document) -> dict[str, str]:
    found = document.get("file_sha256", {})
    fits = isinstance(found, dict) and all(
        _stays_in_folder(name) and isinstance(digest, str) and _SHA256.fullmatch(digest)
        for name, digest in found.items()
    )
    _expect(fits, "file_sha256", "an object of file names, each with 64 hex digits", found)
    return dict(found)


def _read_sheet(value: Any, place: str) -> Sheet:
    image = _text(value, "image", place)
    _expect(_stays_in_folder(image), f"{place}.image", "the name of a file in the same folder", image)
    keys = [key for key in ("cells", "row_cells", "blocks") if value.get(key) is not None]
    _expect(len(keys) < 2, place, "one of cells, row_cells and blocks", keys)
    cells = _read_cells(value[keys[0]], f"{place}.{keys[0]}") if keys and keys[0] != "blocks" else None
    gap = cells.gap if cells else _whole(value.get("gap", 0), f"{place}.gap", RANGES["sheets.gap"])
    blocks = _list(value, "blocks", place) if keys == ["blocks"] else []
    _expect(keys != ["blocks"] or len(blocks) > 0, f"{place}.blocks", "at least one block", blocks)
    return Sheet(
        image=image,
        size=Size(*_whole_numbers(value, "size", place, RANGES["sheets.size"], 2)),
        cells=cells,
        sha256=_text(value, "sha256", place, ""),
        gap=gap,
        margin=cells.margin if cells else _whole(value.get("margin", 0), f"{place}.margin", RANGES["sheets.margin"]),
        edge_repeat=_whole(value.get("edge_repeat", 0), f"{place}.edge_repeat", RANGES["sheets.edge_repeat"]),
        skins=_read_skins(value.get("skins", {}), f"{place}.skins"),
        blocks=tuple(_read_block(block, f"{place}.blocks[{index}]", gap) for index, block in enumerate(blocks)),
    )


def _stays_in_folder(image: str) -> bool:
    return image not in ("", ".", "..") and not set(image) & set("/\\:\0")


def _read_cells(value: Any, place: str) -> Cells:
    return Cells(
        size=Size(*_whole_numbers(value, "size", place, RANGES["cells.size"], 2)),
        columns=_whole(_key(value, "columns", place), f"{place}.columns", RANGES["cells.columns"]),
        rows=_whole(_key(value, "rows", place), f"{place}.rows", RANGES["cells.rows"]),
        margin=_whole(value.get("margin", 0), f"{place}.margin", RANGES["cells.margin"]),
        gap=_whole(value.get("gap", 0), f"{place}.gap", RANGES["cells.gap"]),
        down=_one_of(value, "order", place, ("across", "down"), "across") == "down",
        filled=_whole_numbers(value, "filled", place, RANGES["cells.filled"]) if "filled" in value else (),
    )


def _read_skins(value: Any, place: str) -> tuple[SkinImage, ...]:
    _expect(isinstance(value, dict), place, "an object", value)
    skins = []
    for name, entry in value.items():
        here = f"{place}.{shown(name)}"
        image = _text(entry, "image", here)
        _expect(_stays_in_folder(image), f"{here}.image", "the name of a file in the same folder", image)
        skins.append(SkinImage(name, image, _text(entry, "sha256", here, ""), _flag(entry, "plain", here)))
    return tuple(skins)


def _read_block(value: Any, place: str, gap: int) -> Block:
    numbers = {
        key: _whole(_key(value, key, place), f"{place}.{key}", RANGES[f"blocks.{key}"])
        for key in ("first", "count", "columns", "rows")
    }
    cell = Size(*_whole_numbers(value, "size", place, RANGES["blocks.size"], 2))
    return Block(
        numbers["first"],
        numbers["count"],
        Offset(*_whole_numbers(value, "origin", place, RANGES["blocks.origin"], 2)),
        Cells(cell, numbers["columns"], numbers["rows"], gap=gap),
    )


def _read_frame(value: Any, place: str, limits: Limits) -> Frame:
    _expect(isinstance(value, dict), place, "an object", value)
    shape, crc = value.get("shape"), _text(value, "crc", place, "")
    for key in ("turned", "edited"):
        _expect(isinstance(value.get(key, False), bool), f"{place}.{key}", "true or false", value.get(key))
    _expect(crc == "" or _CRC.fullmatch(crc) is not None, f"{place}.crc", "8 hex digits", crc)
    return Frame(
        name=_read_name(value, place, limits),
        on_sheet=_whole(_key(value, "sheet", place), f"{place}.sheet", RANGES["frames.sheet"]),
        box=Box(*_whole_numbers(value, "box", place, RANGES["frames.box"], 4)),
        canvas=_read_canvas(value, place, limits),
        offset=Offset(*_whole_numbers(value, "offset", place, RANGES["frames.offset"], 2)),
        pivot=_read_point(_key(value, "pivot", place), f"{place}.pivot"),
        turned=value.get("turned", False),
        mirror=_one_of(value, "mirror", place, get_args(Mirror), ""),
        shape=None if shape is None else _read_shape(shape, f"{place}.shape"),
        crc=crc,
        edited=value.get("edited", False),
    )


def _read_canvas(value: Any, place: str, limits: Limits) -> Size:
    canvas = Size(*_whole_numbers(value, "canvas", place, RANGES["frames.canvas"], 2))
    area = canvas.w * canvas.h
    _expect_at_most(limits.sheet_pixels, area, "sheet_pixels", f"{place}.canvas", "at most {:,} pixels", canvas)
    return canvas


def _read_point(value: Any, place: str) -> Point:
    _expect(isinstance(value, list) and len(value) == 2, place, "a list of 2 numbers", value)
    return Point(*(_number(number, place, ANY) for number in value))


def _read_shape(value: Any, place: str) -> Shape:
    polygons = []
    for index, polygon in enumerate(_list(value, "polygons", place)):
        _expect(isinstance(polygon, list), f"{place}.polygons[{index}]", "a list of points", polygon)
        polygons.append(tuple(_read_point(point, f"{place}.polygons[{index}]") for point in polygon))
    return Shape(tuple(polygons), _number(value.get("tolerance", 0), f"{place}.tolerance", RANGES["shape.tolerance"]))


def _read_animation(value: Any, place: str, limits: Limits) -> Animation:
    _expect(isinstance(value, dict), place, "an object", value)
    by_beats = "fps" in value or "beats" in value
    return Animation(
        name=_read_name(value, place, limits),
        frames=_whole_numbers(value, "frames", place, RANGES["animations.frames"]),
        durations=_whole_numbers(value, "durations", place, RANGES["animations.durations"]),
        loop=_one_of(value, "loop", place, get_args(Loop), "forever"),
        times=_whole(value["times"], f"{place}.times", RANGES["animations.times"]) if "times" in value else 0,
        fps=Fraction(*_whole_numbers(value, "fps", place, RANGES["animations.fps"], 2)) if by_beats else None,
        beats=_whole_numbers(value, "beats", place, RANGES["animations.beats"]) if by_beats else (),
    )


def _expect_at_most(most: int, count: int, limit: str, place: str, expected: str, found: Any) -> None:
    """Raise an error if `count` exceeds a limit. Every frame is checked, so the message is built only then."""
    if count > most:
        _expect(False, place, message("{} ({})", expected.format(most), raise_hint(limit)), found)


def _expect(holds: bool, place: str, expected: str, found: Any) -> None:
    if not holds:
        text = json.dumps(found, ensure_ascii=False, default=str)
        raise FormError(
            "{}: expected {}, found {}", place, expected, shown(text if len(text) < 60 else text[:57] + "...")
        )


def _key(value: Any, key: str, place: str) -> Any:
    _expect(isinstance(value, dict), place, "an object", value)
    if key not in value:
        raise FormError(f"{place}: the key '{key}' is missing".removeprefix(": "))
    return value[key]


def _items(document: Any, key: str, read: Callable[[Any, str], T]) -> tuple[T, ...]:
    return tuple(read(value, f"{key}[{index}]") for index, value in enumerate(_list(document, key, "")))


def _list(value: Any, key: str, place: str, length: int = 0) -> list[Any]:
    found: list[Any] = _key(value, key, place)
    expected = f"a list of {length} numbers" if length else "a list"
    _expect(isinstance(found, list) and len(found) in (length, length or len(found)), at(place, key), expected, found)
    return found


def _text(value: Any, key: str, place: str, default: str | None = None) -> str:
    if isinstance(value, dict) and key not in value and default is not None:
        return default
    found: str = _key(value, key, place)
    _expect(isinstance(found, str), at(place, key), "a text", found)
    _expect(is_unicode(found), at(place, key), "Unicode text", found)
    return found


def _flag(value: Any, key: str, place: str) -> bool:
    found = value.get(key, False)
    _expect(isinstance(found, bool), at(place, key), "true or false", found)
    return bool(found)


def _one_of(value: Any, key: str, place: str, choices: tuple[str, ...], default: str) -> Any:
    found = value.get(key, default)
    named = " or ".join(f'"{choice}"' for choice in choices if choice)
    _expect(isinstance(found, str) and found in choices, at(place, key), named, found)
    return found


def _number(found: Any, place: str, allowed: Range) -> float | int:
    is_number = isinstance(found, (int, float)) and not isinstance(found, bool)
    _expect(is_number and allowed.holds(found), place, "a number" if allowed == ANY else str(allowed), found)
    return found  # type: ignore[no-any-return]


def _whole(found: Any, place: str, allowed: Range) -> int:
    _expect(type(found) is int and allowed.holds(found), place, str(allowed), found)
    return found  # type: ignore[no-any-return]


def _whole_numbers(value: Any, key: str, place: str, allowed: Range, length: int = 0) -> tuple[int, ...]:
    found = _list(value, key, place, length)
    if set(map(type, found)) == {int} and allowed.holds(min(found)) and allowed.holds(max(found)):
        return tuple(found)
    return tuple(_whole(number, f"{at(place, key)}[{index}]", allowed) for index, number in enumerate(found))
