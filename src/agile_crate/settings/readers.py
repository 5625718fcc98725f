"""Readers of sizes, times, colors, amounts and files. See `reader`."""

from __future__ import annotations

import math
import re
from fractions import Fraction
from typing import Literal

from ..core.align import PLACES
from ..core.arrange.sheet_size import LARGEST_SIDE
from ..core.color import Color, color_from_hex
from ..core.crate.file_names import check_pattern
from ..core.errors import UsageError
from ..core.frame.options import WIDEST_OUTLINE, ColorKey, Outline, PivotOptions
from ..core.limits import ABOUT
from ..core.message import key_of, message
from ..core.model.geometry import Box, Offset, Size
from ..core.names import nearest
from ..core.text import quoted
from ..exports.formats import FORMATS
from . import kinds
from .reader import fraction, of, whole

LONGEST_MS = 24 * 3600 * 1000
"""Milliseconds. The longest time that can be asked for."""

CLEAR_SCALE = 16
"""A larger scale than this is as likely to be a percentage; it needs its sign."""

UNITS = {"KB": 1 << 10, "MB": 1 << 20, "GB": 1 << 30, "TB": 1 << 40}
"""Bytes of each unit of memory."""


@of(kinds.SIDES)
def size(text: str) -> Size:
    """``64x48``, or ``64`` for a square."""
    sides = text.lower().replace("×", "x").split("x")
    try:
        return Size(*map(whole(1), sides * 2 if len(sides) == 1 else sides))
    except (UsageError, TypeError):
        raise UsageError(
            f"{quoted(text)} is not a size: write width x height in pixels, such as 64x48, or 64 for a square, up to "
            f"{LARGEST_SIDE}"
        ) from None


@of(kinds.NUMBER)
def fps(text: str) -> Fraction:
    """Frames a second: ``12``, ``23.976`` or ``30000/1001``."""
    number = fraction(text)
    if number is None or not 0 < number <= 1000:
        raise UsageError(
            f"{quoted(text)} is not a number of frames a second: write one above 0 and up to 1000, "
            "such as 12, 23.976 or 30000/1001"
        )
    return number


@of(kinds.TEXT)
def time(text: str) -> Fraction:
    """Milliseconds from ``800ms`` or ``0.8s``. A bare number could be either, so it is refused."""
    plain, scale = (text[:-2], 1) if text.endswith("ms") else (text[:-1], 1000)
    number = fraction(plain) if text.endswith("s") else None
    if number is None or not 1 <= number * scale <= LONGEST_MS:
        raise UsageError(
            f"{quoted(text)} is not a time: write it with its unit, such as 800ms or 0.8s; 1ms is the least"
        )
    return number * scale


@of(kinds.NUMBER)
def scale(text: str) -> Fraction:
    """A scale from ``50%``, ``0.5`` or ``3x``."""
    number = fraction(text.removesuffix("%").removesuffix("x"))
    if number is not None and text.endswith("%"):
        number /= 100
    if number is not None and number > CLEAR_SCALE and text[-1] not in "%x":
        raise UsageError(f"{quoted(text)} could mean {text}% or {text}x; write the one you mean")
    if number is None or text.endswith("x%") or not Fraction(1, 1000) <= number <= 100:
        raise UsageError(f"{quoted(text)} is not a scale: write a share or a percentage, such as 0.5 or 50%")
    return number


@of(kinds.TEXT)
def color_key(text: str) -> ColorKey:
    """``#ff00ff``, ``corner``, each with ``:12`` behind it for a tolerance."""
    name, colon, tolerance = text.partition(":")
    color = color_from_hex(name)
    try:
        if color or name == "corner":
            return ColorKey(color, whole(0, 255)(tolerance) if colon else 0)
    except UsageError:
        pass
    raise UsageError(
        f"{quoted(text)} is not a key color: write #rrggbb or corner, with a tolerance of up to 255 behind a colon "
        "if it is wanted, such as #ff00ff or corner:12"
    )


@of(kinds.COLORS_OR_FILE)
def palette(text: str) -> str | tuple[Color, ...]:
    """The path of a palette file, or colors with commas between, the first of which begins with ``#``."""
    if not text.startswith("#"):
        return text
    colors = tuple(color_from_hex(part.strip()) for part in text.split(","))
    if None in colors:
        raise UsageError(f"{quoted(text[:60])} is not a list of colors: write #rrggbb,#rrggbb, or name a palette file")
    return tuple(color for color in colors if color)


@of(kinds.SIDES)
def canvas(text: str) -> str | Size:
    """``own``, ``animation``, ``common``, or a size."""
    if text in ("own", "animation", "common"):
        return text
    try:
        return size(text)
    except UsageError:
        raise UsageError(
            f"{quoted(text)} is not a canvas: write own, animation, common, or a size such as 96x96"
        ) from None


@of(kinds.TEXT)
def region(text: str) -> str | Box:
    """``420x420+131+58``: width, height, left and top; or ``auto``, or ``animation``."""
    if text in ("auto", "animation"):
        return text
    match = re.fullmatch(r"([0-9]{1,5})[x×]([0-9]{1,5})\+([0-9]{1,6})\+([0-9]{1,6})", text)
    w, h, x, y = map(int, match.groups()) if match else (0, 0, 0, 0)
    if not (0 < w <= LARGEST_SIDE and 0 < h <= LARGEST_SIDE):
        raise UsageError(
            f"{quoted(text)} is not a region: write width x height + left + top in pixels, such as 420x420+131+58, or "
            "auto, or animation"
        )
    return Box(x, y, w, h)


@of(kinds.POINT)
def shift(text: str) -> Offset:
    """Two whole numbers, which may be below zero: ``0,-3``."""
    parts = text.split(",")
    if len(parts) != 2 or not all(re.fullmatch(r"\s*[-+]?[0-9]{1,5}\s*", part) for part in parts):
        raise UsageError(f"{quoted(text)} is not a shift: write whole pixels across and down, such as 0,-3")
    return Offset(*map(int, parts))


@of(kinds.TEXT)
def outline(text: str) -> Outline:
    """``#201830``, ``#201830:2``, ``#201830:2:inner``."""
    name, *rest = text.split(":")
    color = color_from_hex(name)
    inner = rest[-1:] == ["inner"]
    widths = rest[: len(rest) - inner]
    try:
        if color and len(widths) <= 1:
            return Outline(color, whole(1, WIDEST_OUTLINE)(widths[0]) if widths else 1, inner)
    except UsageError:
        pass
    raise UsageError(
        f"{quoted(text)} is not an outline: write a color, a width from 1 to {WIDEST_OUTLINE} pixels and, for a line "
        "within the figure, inner, such as #201830, #201830:2 or #201830:2:inner"
    )


@of(kinds.POINT)
def pivot(text: str) -> PivotOptions:
    """A place, ``feet``, shares of the canvas ``0.5,1``, or pixels ``48px,90px``; after ``bottom-left:`` counted from
    that corner, after ``art:`` on the frame's visible art."""
    if text == "feet":
        return PivotOptions(unit="feet")
    begin, is_of_art, rest = text.rpartition("art:")
    if is_of_art and not begin:
        return _point(rest, text)._replace(of_art=True)
    return _point(text, text)


def _point(text: str, whole: str) -> PivotOptions:
    """Read a pivot without the area that it is on; `whole` is the text for the error."""
    if text in PLACES:
        return PivotOptions(*PLACES[text])
    corner, _, point = text.rpartition(":")
    parts = [part.strip() for part in point.split(",")]
    in_pixels = [part.endswith("px") for part in parts]
    numbers = [fraction(part.removesuffix("px")) for part in parts]
    if len(parts) == 2 and len(set(in_pixels)) == 1 and corner in ("", *CORNERS):
        x, y = numbers
        most = 10 * LARGEST_SIDE if in_pixels[0] else 10
        if x is not None and y is not None and max(abs(x), abs(y)) <= most:
            unit: Literal["share", "px"] = "px" if in_pixels[0] else "share"
            return PivotOptions(x, y, unit, corner.endswith("right"), corner.startswith("bottom"))
    raise UsageError(
        f"{quoted(whole)} is not a pivot: write shares of the canvas (0.5,1), pixels (48px,90px), feet, "
        f"or a place ({', '.join(PLACES)}); bottom-left:0.3,0 counts from that corner, art:center is on the visible art"
    )


CORNERS = tuple(place for place in PLACES if "-" in place)


@of(kinds.TEXT)
def color(text: str) -> Color:
    """``#20406f`` or ``#24f``."""
    found = color_from_hex(text)
    if found is None:
        raise UsageError(f"{quoted(text)} is not a color: write #rrggbb, such as #20406f")
    return found


@of(kinds.PAIRS)
def exchange(text: str) -> tuple[Color, Color]:
    """``#aa3322=#2255aa``: a color, and the one that replaces it."""
    old, equals, new = text.partition("=")
    if not equals:
        raise UsageError(f"{quoted(text)} is not a pair of colors: write #old=#new, such as #aa3322=#2255aa")
    return color(old), color(new)


@of(kinds.TEXTS)
def formats(text: str) -> tuple[str, ...]:
    """Metadata formats with commas between, or ``none``."""
    if text.strip().lower() == "none":
        return ()
    listed = tuple(part.strip().lower() for part in text.split(","))
    for name in listed:
        if name not in FORMATS:
            near = nearest(name, FORMATS)
            hint = f"did you mean {near}?" if near else message("for any other, write a template ({template})")
            raise UsageError("unknown format {}; the formats are {}: {}", quoted(name), ", ".join(FORMATS), hint)
    if len(set(listed)) < len(listed):
        raise UsageError(f"{quoted(text)} names a format twice; name each once")
    return listed


@of(kinds.FILES)
def template(text: str) -> str:
    """The path of a template, whose name says the ending of what it makes: ``engine.lua.j2``."""
    name = text.replace("\\", "/").rpartition("/")[2]
    stem, dot, ending = name.removesuffix(".j2").partition(".")
    if not name.endswith(".j2") or not (stem and dot and ending):
        raise UsageError(f"{quoted(text)} lacks the ending of its output: name the template like engine.lua.j2")
    return text


TEMPLATE_NAMES = ("crate", "sheets", "frames", "animations", "fail")
"""Names that every template has; no variable of the user can have them."""


@of(kinds.PAIRS)
def variable(text: str) -> tuple[str, str]:
    """``name=value``: a variable of a template."""
    name, equals, value = text.partition("=")
    if not equals or not re.fullmatch("[A-Za-z_][A-Za-z0-9_]*", name) or name in TEMPLATE_NAMES:
        raise UsageError(
            f"{quoted(text)} is not a variable: write name=value, a name of letters, digits and underscores that is "
            f"none of {', '.join(TEMPLATE_NAMES)}"
        )
    return name, value


@of(kinds.AMOUNTS)
def limit(text: str) -> tuple[str, int]:
    """``frames=2000000``, ``file-bytes=2GB`` or ``picture-pixels=9000x9000``: another limit for what is read."""
    name, _, amount = text.partition("=")
    name = key_of(name)
    if name not in map(key_of, ABOUT):
        near = nearest(name, map(key_of, ABOUT))
        hint = f"did you mean {quoted(near)}?" if near else f"they are {', '.join(map(key_of, ABOUT))}"
        raise UsageError("{} names no limit; {}", quoted(text), hint)
    number = _amount(name, amount)
    if not 0 < number < 1 << 50:
        raise UsageError(
            f"{quoted(text)} is no limit: write a whole number behind =; of bytes also 2GB, of pixels also 9000x9000"
        )
    return name.replace("-", "_"), number


def _amount(name: str, text: str) -> int:
    """Return what a limit is to be; 0 where the text is no whole number."""
    if name.endswith("bytes") and text[-2:].upper() in UNITS:
        return memory(text)
    sides = text.split("x") if name.endswith("pixels") else [text]
    are_whole = len(sides) < 3 and all(side.isascii() and side.isdigit() and len(side) < 16 for side in sides)
    return math.prod(map(int, sides)) if are_whole else 0


@of(kinds.TEXT)
def file_name(text: str) -> str:
    """A pattern of literal characters and fields in braces."""
    check_pattern(text)
    return text


@of(kinds.NUMBERS)
def other_scales(text: str) -> tuple[Fraction, ...]:
    """Scales with commas between, each once and none of them 100 %."""
    listed = tuple(scale(part.strip()) for part in text.split(","))
    if 1 in listed or len(set(listed)) < len(listed):
        raise UsageError(f"{quoted(text)}: name each other size once; the crate itself is 100%")
    return listed


@of(kinds.NUMBER)
def stops(text: str) -> float:
    """``1.5``, ``-2``: each stop is twice the light."""
    number = fraction(text)
    if number is None or not -20 <= number <= 20:
        raise UsageError(f"{quoted(text)} is not a number of stops from -20 to 20, such as 1 for twice the light")
    return float(number)


@of(kinds.NUMBER)
def aspect(text: str) -> float:
    """``2``, ``2:1``, or ``any``, which is 0."""
    if text == "any":
        return 0.0
    number = fraction(text.removesuffix(":1"))
    if number is None or not 1 <= number <= LARGEST_SIDE:
        raise UsageError(f"{quoted(text)} is not an aspect: write 2 for at most 2:1, 1 for square, or any")
    return float(number)


def memory(text: str) -> int:
    """An amount of memory in bytes.

    >>> memory("500MB"), memory("1.5 gb")
    (524288000, 1610612736)
    """
    number, unit = text[:-2].strip(), text[-2:].upper()
    value = fraction(number) if unit in UNITS else None
    if value is None or not 1 <= value * UNITS[unit] < 1 << 60:
        raise UsageError(f"{quoted(text)} is not an amount of memory, such as 500MB or 2GB")
    return int(value * UNITS[unit])


@of(kinds.FILE)
def file(text: str) -> str:
    """The path of a file."""
    return text
