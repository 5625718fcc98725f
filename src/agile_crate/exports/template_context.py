"""Variables and filters of templates; docs/programmers/templates.md is the reference.

The names are those of the metadata (docs/programmers/format.md); the additions only save computing. No NumPy: this
is loaded in a process of its own.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterable, Mapping
from itertools import zip_longest
from typing import Any, NamedTuple

from ..core.model.crate import Animation, Crate
from ..core.model.geometry import Box, Offset, Point, Size
from ..core.motion.stage import turn
from ..format.document import animation_of, frame_of, head_of, sheet_of
from ..format.xml_form import escaped


class Edges(NamedTuple):
    """A box by its edges, in shares of the sheet."""

    left: float
    top: float
    right: float
    bottom: float


class Corners(NamedTuple):
    """The upright picture's corners on its sheet, as fractions of the sheet."""

    top_left: Point
    top_right: Point
    bottom_right: Point
    bottom_left: Point


class Bounds(NamedTuple):
    """The smallest box round all that is stored of some frames, in pixels from their pivots: left and top mostly lie
    below 0."""

    left: float
    top: float
    right: float
    bottom: float

    @property
    def w(self) -> float:
        """The width."""
        return self.right - self.left

    @property
    def h(self) -> float:
        """The height."""
        return self.bottom - self.top


def context_of(crate: Crate) -> dict[str, Any]:
    """The variables of a template: `crate`, `sheets`, `frames`, `animations`."""
    sheets = [
        {"skins": {}} | sheet_of(sheet) | {"index": index, "size": sheet.size}
        for index, sheet in enumerate(crate.sheets)
    ]
    frame_ids = _unique(identifier(frame.name) for frame in crate.frames)
    frames = [
        frame_of(frame)
        | {
            "index": index,
            "identifier": name,
            "on_sheet": frame.on_sheet,
            "box": frame.box,
            "canvas": frame.canvas,
            "offset": frame.offset,
            "pivot": frame.pivot,
            "image": crate.sheets[frame.on_sheet].image,
            "on_size": crate.sheets[frame.on_sheet].size,
            "upright": frame.upright,
            "mirror": frame.mirror,
            "shape": frame_of(frame).get("shape"),
        }
        for index, (name, frame) in enumerate(zip(frame_ids, crate.frames, strict=True))
    ]
    animation_ids = _unique(identifier(animation.name) for animation in crate.animations)
    animations = [
        animation_of(animation)
        | {
            "index": index,
            "identifier": name,
            "times": animation.times,
            "fps": animation.fps.as_integer_ratio() if animation.fps else (),
            "beats": animation.beats,
            "length": sum(animation.durations),
            "steps": (steps := _steps(animation, frames)),
            "turn": [steps[step.position] for step in turn(animation)],
            "bounds": _bounds(frames[at] for at in animation.frames),
        }
        for index, (name, animation) in enumerate(zip(animation_ids, crate.animations, strict=True))
    ]
    own: dict[str, Any] = {"identifier": identifier(crate.name), "bounds": _bounds(frames)}
    head = {"background": "", "files": (), "settings": {}} | head_of(crate) | own
    return {"crate": head, "sheets": sheets, "frames": frames, "animations": animations}


def _bounds(frames: Iterable[Mapping[str, Any]]) -> Bounds:
    boxes = []
    for frame in frames:
        (x, y), (left, top), (w, h) = frame["pivot"], placed(frame), frame["upright"]
        if w and h:
            boxes.append((left - x, top - y, left - x + w, top - y + h))
    if not boxes:
        return Bounds(0, 0, 0, 0)
    lefts, tops, rights, bottoms = zip(*boxes, strict=True)
    return Bounds(min(lefts), min(tops), max(rights), max(bottoms))


def _steps(animation: Animation, frames: list[dict[str, Any]]) -> list[dict[str, Any]]:
    lists = zip_longest(animation.frames, animation.durations, animation.beats, fillvalue=0)
    return [{"frame": frames[at], "index": at, "milliseconds": ms, "beats": beats} for at, ms, beats in lists]


def identifier(text: str) -> str:
    """A name of letters, digits and underscores, no digit first: ``swim/swim_01`` → ``swim_swim_01``. Other letters
    become their code points in Unicode: ``möwe`` → ``mu00f6we``.
    """
    made = re.sub(r"[^\w]+", "_", text, flags=re.ASCII) if text.isascii() else _spelled(text)
    return f"_{made}" if made == "" or made[0].isdigit() else made


def _spelled(text: str) -> str:
    parts = (f"u{ord(letter):04x}" if not letter.isascii() and letter.isalnum() else letter for letter in text)
    return re.sub(r"[^\w]+", "_", "".join(parts), flags=re.ASCII)


def _unique(names: Iterable[str]) -> list[str]:
    """Unique names: a name that occurred before, in any case, gets a number."""
    used: set[str] = set()
    result = []
    for name in names:
        made, number = name, 2
        while made.upper() in used:
            made, number = f"{name}_{number}", number + 1
        used.add(made.upper())
        result.append(made)
    return result


def edges(frame: Mapping[str, Any], y_up: bool = False) -> Edges:
    """A frame's box by its edges, as shares of its sheet from the top left; with y_up, from the bottom left."""
    box, size = Box(*frame["box"]), Size(*frame["on_size"])
    top, bottom = box.y / size.h, box.bottom / size.h
    if y_up:
        top, bottom = 1 - top, 1 - bottom
    return Edges(box.x / size.w, top, box.right / size.w, bottom)


def box_y_up(frame: Mapping[str, Any]) -> Box:
    """A frame's box in pixels, counted from the bottom left of its sheet."""
    box, size = Box(*frame["box"]), Size(*frame["on_size"])
    return Box(box.x, size.h - box.bottom, box.w, box.h)


def pivot_share(frame: Mapping[str, Any], y_up: bool = False, of: str = "canvas") -> Point:
    """A frame's pivot in shares of its canvas, or of its upright stored pixels (of="box"), from the top left or, with
    y_up, from the bottom left. An empty box has its pivot at 0, 0."""
    x, y = frame["pivot"]
    size = Size(*frame["canvas"])
    if of == "box":
        corner, size = placed(frame), Size(*frame["upright"])
        x, y = x - corner.x, y - corner.y
    elif of != "canvas":
        raise ValueError(f"pivot_share knows of='canvas' and of='box', not {of!r}")
    across, down = (x / size.w, y / size.h) if size.w and size.h else (0.0, 0.0)
    return Point(across, 1 - down if y_up else down)


def corners(frame: Mapping[str, Any], y_up: bool = False) -> Corners:
    """Return where on its sheet the corners of a frame's upright picture lie, turned back and flipped: as texture
    coordinates from the top left, or with y_up from the bottom left."""
    left, top, right, bottom = edges(frame, bool(y_up))
    found = [Point(left, top), Point(right, top), Point(right, bottom), Point(left, bottom)]
    if frame["turned"]:  # clockwise: its top left lies at the right
        found = [*found[1:], found[0]]
    if "x" in frame["mirror"]:
        found = [found[1], found[0], found[3], found[2]]
    if "y" in frame["mirror"]:
        found = found[::-1]
    return Corners(*found)


def placed(frame: Mapping[str, Any]) -> Offset:
    """Return where the stored pixels lie on the canvas as it is seen, after a mirrored one has been flipped."""
    offset, canvas, upright = Offset(*frame["offset"]), Size(*frame["canvas"]), Size(*frame["upright"])
    return Offset(
        canvas.w - offset.x - upright.w if "x" in frame["mirror"] else offset.x,
        canvas.h - offset.y - upright.h if "y" in frame["mirror"] else offset.y,
    )


def xml(text: object) -> str:
    """A text as it stands in XML, between tags or in an attribute."""
    return escaped(str(text))


def as_json(value: Any) -> str:
    """A value as JSON, on one line."""
    return json.dumps(value, ensure_ascii=False)


def literal(text: object, language: str) -> str:
    """A text as a string of a language, quotes included: "c" or "lua" (bytes of UTF-8), or "python"."""
    if language == "python":
        return ascii(str(text))
    if language not in ("c", "lua"):
        raise ValueError(f"literal knows 'c', 'lua' and 'python', not {language!r}")
    code = r"\{:03o}" if language == "c" else r"\{:03d}"
    plain = b'"\\?' if language == "c" else b'"\\'
    data = str(text).encode()
    return (
        '"'
        + "".join(code.format(byte) if byte < 32 or byte > 126 or byte in plain else chr(byte) for byte in data)
        + '"'
    )


FILTERS: dict[str, Callable[..., Any]] = {
    "identifier": lambda text: identifier(str(text)),
    "edges": edges,
    "corners": corners,
    "placed": placed,
    "box_y_up": box_y_up,
    "pivot_share": pivot_share,
    "json": as_json,
    "xml": xml,
    "literal": literal,
}
