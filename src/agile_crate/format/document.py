"""Convert a crate to a document of plain values, and back; every metadata format has the same content.

The document is what docs/programmers/format.md describes: objects, lists, texts, numbers and truth values. Reading
trusts nothing: wrong types, missing keys, absurd numbers and image paths that leave the folder are refused with the
place in the document. Keys that are not known are ignored.
"""

from __future__ import annotations

import json
from typing import Any

from ..core.model.crate import FORMAT, VERSION, Animation, Crate, Frame
from ..core.model.geometry import Block
from ..core.model.sheet import Sheet, SkinImage
from ..core.text import shown

Document = dict[str, Any]


def document_of(crate: Crate) -> Document:
    """The document of a crate, keys in the order in which they are written."""
    return head_of(crate) | {
        "sheets": list(map(sheet_of, crate.sheets)),
        "frames": list(map(frame_of, crate.frames)),
        "animations": list(map(animation_of, crate.animations)),
    }


def head_of(crate: Crate) -> Document:
    """Return what the document says of the whole crate."""
    entry: Document = {
        "format": FORMAT,
        "version": VERSION,
        "generator": crate.generator,
        "name": crate.name,
        "scale": crate.scale,
        "alpha": crate.alpha,
    }
    if crate.background:
        entry["background"] = crate.background
    if crate.adopted:
        entry["adopted"] = True
    if crate.files:
        entry["files"] = crate.files
    if crate.file_sha256:
        entry["file_sha256"] = dict(crate.file_sha256)
    if crate.settings:
        entry["settings"] = dict(crate.settings)
    if crate.built_from:
        entry["built_from"] = crate.built_from
    return entry


def to_seal(document: Document) -> Document:
    """Return the document's values, with room for the digest of the text that it becomes (`seal`)."""
    first = {key: document[key] for key in ("format", "version", "generator") if key in document}
    return first | {"sha256": ""} | {key: value for key, value in document.items() if key != "sha256"}


def sheet_of(sheet: Sheet) -> Document:
    """Return what the document says of a sheet."""
    entry: Document = {"image": sheet.image, "size": sheet.size, "sha256": sheet.sha256}
    if sheet.cells:
        cells = sheet.cells
        grid: Document = {
            "size": cells.size,
            "columns": cells.columns,
            "rows": cells.rows,
            "margin": cells.margin,
            "gap": cells.gap,
        }
        if cells.down:
            grid["order"] = "down"
        if cells.filled:
            grid["filled"] = cells.filled
        entry["row_cells" if cells.filled else "cells"] = grid
    else:
        entry |= {"margin": sheet.margin, "gap": sheet.gap}
    if sheet.edge_repeat:
        entry["edge_repeat"] = sheet.edge_repeat
    if sheet.blocks:
        entry["blocks"] = list(map(_block_of, sheet.blocks))
    if sheet.skins:
        entry["skins"] = {skin.name: _skin_of(skin) for skin in sheet.skins}
    return entry


def _skin_of(skin: SkinImage) -> Document:
    return {"image": skin.image, "sha256": skin.sha256} | ({"plain": True} if skin.plain else {})


def _block_of(block: Block) -> Document:
    return {
        "first": block.first,
        "count": block.count,
        "origin": block.at,
        "size": block.cells.size,
        "columns": block.cells.columns,
        "rows": block.cells.rows,
    }


def frame_of(frame: Frame) -> Document:
    """Return what the document says of a frame."""
    entry: Document = {
        "name": frame.name,
        "sheet": frame.on_sheet,
        "box": frame.box,
        "turned": frame.turned,
        "canvas": frame.canvas,
        "offset": frame.offset,
        "pivot": frame.pivot,
    }
    if frame.mirror:
        entry["mirror"] = frame.mirror
    if frame.shape:
        entry["shape"] = {"polygons": frame.shape.polygons, "tolerance": frame.shape.tolerance}
    if frame.crc:
        entry["crc"] = frame.crc
    if frame.edited:
        entry["edited"] = True
    return entry


def animation_of(animation: Animation) -> Document:
    """Return what the document says of an animation."""
    return {
        "name": animation.name,
        "frames": animation.frames,
        "durations": animation.durations,
        "loop": animation.loop,
        **({"times": animation.times} if animation.times else {}),
        **({"fps": animation.fps.as_integer_ratio(), "beats": animation.beats} if animation.fps else {}),
    }


def first_difference(a: Any, b: Any, place: str = "") -> str:
    """Return where two documents first differ, as a sentence; empty if they say the same."""
    if isinstance(a, dict) and isinstance(b, dict):
        for key in (*a, *(key for key in b if key not in a)):
            if key not in a or key not in b:
                return f"{at(place, key)} is only in one of them"
            if found := first_difference(a[key], b[key], at(place, key)):
                return found
        return ""
    if isinstance(a, (list, tuple)) and isinstance(b, (list, tuple)):
        if len(a) != len(b):
            return f"{place} has {len(b)} entries, not {len(a)}"
        pairs = enumerate(zip(a, b, strict=True))
        return next(filter(None, (first_difference(*pair, f"{place}[{index}]") for index, pair in pairs)), "")
    return "" if a == b else f"{place} is {shown(json.dumps(b))}, not {shown(json.dumps(a))}"


def at(place: str, key: str) -> str:
    """Return the place of a key in a document."""
    return f"{place}.{key}" if place else key
