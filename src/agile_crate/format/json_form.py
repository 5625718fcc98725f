"""Metadata as JSON, format version 1: text from a crate and a crate from text. docs/programmers/format.md is the
reference.

One line a sheet, a block, a frame and an animation, keys always in the same order, so that two builds compare line by
line.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Collection, Iterable, Mapping
from typing import Any, NoReturn

from ..core.errors import InputError
from ..core.limits import Limits
from ..core.message import a_file
from ..core.model.crate import Crate, Frame
from ..core.text import quoted, shown
from .document import Document, animation_of, document_of, frame_of, head_of, sheet_of, to_seal
from .read_document import FormError, crate_of
from .seal import sealed


def to_json(crate: Crate, compact: bool = False) -> str:
    """The document, with a newline at its end; on one line if compact. The same crate gives the same text."""
    if compact:
        return _laid_out(document_of(crate), None)
    dump = json.JSONEncoder(ensure_ascii=False).encode
    return _laid_out(head_of(crate), {
        "sheets": (_sheet(sheet_of(sheet), dump) for sheet in crate.sheets),
        "frames": (_frame(frame, dump) for frame in crate.frames),
        "animations": (dump(animation_of(animation)) for animation in crate.animations),
    })  # fmt: skip


def _laid_out(document: Document, lists: Mapping[str, Iterable[str]] | None) -> str:
    """The text of a document, sealed: on one line, or with the lines of some lists, written out by the caller."""
    document = to_seal(document)
    if lists is None:
        return sealed(json.dumps(document, ensure_ascii=False, separators=(",", ":")) + "\n", '"sha256":""')
    dump = json.JSONEncoder(ensure_ascii=False).encode
    parts = [f"  {dump(key)}: {dump(value)}" for key, value in document.items()]
    for key, values in lists.items():
        lines = ",\n".join(f"    {value}" for value in values)
        parts.append(f"  {dump(key)}: [\n{lines}\n  ]" if lines else f"  {dump(key)}: []")
    return sealed("{\n" + ",\n".join(parts) + "\n}\n", '"sha256": ""')


def resealed(text: bytes, digests: Mapping[str, str], edited: Collection[int]) -> str:
    """Return a document with new digests of files, by name, and with these frames as the edited ones. All else stays,
    including keys that this program does not know."""
    document = json.loads(text.decode("utf-8-sig"))
    for sheet in document["sheets"]:
        sheet["sha256"] = digests[sheet["image"]]
        for skin in sheet.get("skins", {}).values():
            skin["sha256"] = digests.get(skin["image"], skin.get("sha256", ""))
    if "file_sha256" in document:
        document["file_sha256"] = {name: digests.get(name, was) for name, was in document["file_sha256"].items()}
    for index, frame in enumerate(document["frames"]):
        frame.pop("edited", None)
        frame |= {"edited": True} if index in edited else {}
    if text.count(b"\n") < 2:
        return _laid_out(document, None)
    dump = json.JSONEncoder(ensure_ascii=False).encode
    lists: dict[str, Iterable[str]] = {"sheets": [_sheet(sheet, dump) for sheet in document.pop("sheets")]}
    lists |= {key: map(dump, document.pop(key)) for key in ("frames", "animations")}
    return _laid_out(document, lists)


def _sheet(entry: Document, dump: Callable[[Any], str]) -> str:
    """A sheet's object, its blocks on lines of their own."""
    if not entry.get("blocks"):
        return dump(entry)
    begin = dump({key: value for key, value in entry.items() if key not in ("blocks", "skins")}).removesuffix("}")
    lines = ",\n".join(f"      {dump(block)}" for block in entry["blocks"])
    skins = f', "skins": {dump(entry["skins"])}' if "skins" in entry else ""
    return f'{begin}, "blocks": [\n{lines}\n    ]{skins}}}'


def _frame(frame: Frame, dump: Callable[[Any], str]) -> str:
    """A frame's object. A plain one is formatted directly, for speed: crates have many."""
    if frame.mirror or frame.shape or frame.edited:
        return dump(frame_of(frame))
    (x, y, w, h), canvas, offset, pivot = frame.box, frame.canvas, frame.offset, frame.pivot
    return (
        f'{{"name": {dump(frame.name)}, "sheet": {frame.on_sheet}, "box": [{x}, {y}, {w}, {h}], '
        f'"turned": {"true" if frame.turned else "false"}, "canvas": [{canvas.w}, {canvas.h}], '
        f'"offset": [{offset.x}, {offset.y}], "pivot": [{pivot.x!r}, {pivot.y!r}]'
        + (f', "crc": "{frame.crc}"}}' if frame.crc else "}")
    )


def from_json(text: str, origin: str, limits: Limits) -> Crate:
    """The crate that a document describes. Raises InputError that names `origin` (the file) and the place in it.

    Only the document's form is checked here; whether its numbers agree with each other is `core.check`'s to say.
    """
    try:
        document = json.loads(text, object_pairs_hook=_without_repeats, parse_constant=_refuse_constant)
    except json.JSONDecodeError as error:
        raise InputError("{}, line {}: not valid JSON ({})", a_file(origin), error.lineno, error.msg.lower()) from None
    except (ValueError, RecursionError) as error:
        raise InputError("{}: not valid metadata ({})", a_file(origin), shown(str(error))[:120]) from None
    try:
        return crate_of(document, limits)
    except FormError as error:
        raise InputError("{}: {}", a_file(origin), error.message) from None


def _without_repeats(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    values = dict(pairs)
    if len(values) < len(pairs):
        keys = [key for key, _ in pairs]
        raise ValueError(f"the key {quoted(next(key for key in keys if keys.count(key) > 1))} appears twice")
    return values


def _refuse_constant(word: str) -> NoReturn:
    raise ValueError(f"{word} is not a number that JSON has")
