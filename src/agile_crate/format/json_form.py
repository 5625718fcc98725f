"""Metadata as JSON, format version 1: text from a crate and a crate from text. docs/format.md is the reference.

One line a sheet, a frame and an animation, keys always in the same order, so that two builds compare line by line.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable
from typing import Any, NoReturn

from ..core.errors import InputError
from ..core.model.crate import Crate, Frame
from ..core.text import quoted, shown
from .document import FormError, animation_of, crate_of, document_of, frame_of, head_of, sheet_of


def to_json(crate: Crate, compact: bool = False) -> str:
    """The document, with a newline at its end; on one line if compact. The same crate gives the same text."""
    if compact:
        return json.dumps(document_of(crate), ensure_ascii=False, separators=(",", ":")) + "\n"
    dump = json.JSONEncoder(ensure_ascii=False).encode
    lists: dict[str, Iterable[str]] = {
        "sheets": (dump(sheet_of(sheet)) for sheet in crate.sheets),
        "frames": (_frame(frame, dump) for frame in crate.frames),
        "animations": (dump(animation_of(animation)) for animation in crate.animations),
    }
    parts = [f"  {dump(key)}: {dump(value)}" for key, value in head_of(crate).items()]
    for key, values in lists.items():
        lines = ",\n".join(f"    {value}" for value in values)
        parts.append(f"  {dump(key)}: [\n{lines}\n  ]" if lines else f"  {dump(key)}: []")
    return "{\n" + ",\n".join(parts) + "\n}\n"


def _frame(frame: Frame, dump: Callable[[Any], str]) -> str:
    """A frame's object, written out by itself where it is a plain one: there are many of them."""
    if frame.mirror or frame.shape:
        return dump(frame_of(frame))
    (x, y, w, h), canvas, offset, pivot = frame.box, frame.canvas, frame.offset, frame.pivot
    return (
        f'{{"name": {dump(frame.name)}, "sheet": {frame.on_sheet}, "box": [{x}, {y}, {w}, {h}], '
        f'"turned": {"true" if frame.turned else "false"}, "canvas": [{canvas.w}, {canvas.h}], '
        f'"offset": [{offset.x}, {offset.y}], "pivot": [{pivot.x!r}, {pivot.y!r}]}}'
    )


def from_json(text: str, origin: str) -> Crate:
    """The crate that a document describes. Raises InputError that names `origin` (the file) and the place in it.

    Only the document's form is checked here; whether its numbers agree with each other is `core.check`'s to say.
    """
    try:
        document = json.loads(text, object_pairs_hook=_without_repeats, parse_constant=_refuse_constant)
    except json.JSONDecodeError as error:
        raise InputError(f"{shown(origin)}, line {error.lineno}: not valid JSON ({error.msg.lower()})") from None
    except (ValueError, RecursionError) as error:
        raise InputError(f"{shown(origin)}: not valid metadata ({shown(str(error))[:120]})") from None
    try:
        return crate_of(document)
    except FormError as error:
        raise InputError(f"{shown(origin)}: {error}") from None


def _without_repeats(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    values = dict(pairs)
    if len(values) < len(pairs):
        keys = [key for key, _ in pairs]
        raise ValueError(f"the key {quoted(next(key for key in keys if keys.count(key) > 1))} appears twice")
    return values


def _refuse_constant(word: str) -> NoReturn:
    raise ValueError(f"{word} is not a number that JSON has")
