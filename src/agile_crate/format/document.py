"""A crate as a document of plain values, and back: what every metadata format says in its own way.

The document is what docs/format.md describes: objects, lists, texts, numbers and truth values. Reading trusts nothing:
wrong types, missing keys, absurd numbers and image paths that leave the folder are refused with the place in the
document. Keys that are not known are ignored.
"""

from __future__ import annotations

import json
from typing import Any

from ..core.model.crate import FORMAT, VERSION, Animation, Crate, Frame, Sheet, SkinImage
from ..core.model.geometry import Block
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
    """What the document says of the whole crate."""
    said: Document = {
        "format": FORMAT,
        "version": VERSION,
        "generator": crate.generator,
        "name": crate.name,
        "scale": crate.scale,
        "alpha": crate.alpha,
    }
    if crate.background:
        said["background"] = crate.background
    if crate.files:
        said["files"] = crate.files
    if crate.file_sha256:
        said["file_sha256"] = dict(crate.file_sha256)
    if crate.settings:
        said["settings"] = dict(crate.settings)
    if crate.built_from:
        said["built_from"] = crate.built_from
    return said


def to_seal(said: Document) -> Document:
    """What is said, with room for the digest of the text that it becomes (`seal`)."""
    first = {key: said[key] for key in ("format", "version", "generator") if key in said}
    return first | {"sha256": ""} | {key: value for key, value in said.items() if key != "sha256"}


def sheet_of(sheet: Sheet) -> Document:
    """Return what the document says of a sheet."""
    said: Document = {"image": sheet.image, "size": sheet.size, "sha256": sheet.sha256}
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
        said["row_cells" if cells.filled else "cells"] = grid
    else:
        said |= {"margin": sheet.margin, "gap": sheet.gap}
    if sheet.edge_repeat:
        said["edge_repeat"] = sheet.edge_repeat
    if sheet.blocks:
        said["blocks"] = list(map(_block_of, sheet.blocks))
    if sheet.skins:
        said["skins"] = {skin.name: _skin_of(skin) for skin in sheet.skins}
    return said


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
    said: Document = {
        "name": frame.name,
        "sheet": frame.on_sheet,
        "box": frame.box,
        "turned": frame.turned,
        "canvas": frame.canvas,
        "offset": frame.offset,
        "pivot": frame.pivot,
    }
    if frame.mirror:
        said["mirror"] = frame.mirror
    if frame.shape:
        said["shape"] = {"polygons": frame.shape.polygons, "tolerance": frame.shape.tolerance}
    if frame.crc:
        said["crc"] = frame.crc
    if frame.touched:
        said["touched"] = True
    return said


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


def first_difference(mine: Any, its: Any, place: str = "") -> str:
    """Where two documents first differ, as a sentence; empty if they say the same."""
    if isinstance(mine, dict) and isinstance(its, dict):
        for key in (*mine, *(key for key in its if key not in mine)):
            if key not in mine or key not in its:
                return f"{at(place, key)} is only in one of them"
            if found := first_difference(mine[key], its[key], at(place, key)):
                return found
        return ""
    if isinstance(mine, (list, tuple)) and isinstance(its, (list, tuple)):
        if len(mine) != len(its):
            return f"{place} has {len(its)} entries, not {len(mine)}"
        pairs = enumerate(zip(mine, its, strict=True))
        return next(filter(None, (first_difference(*pair, f"{place}[{index}]") for index, pair in pairs)), "")
    return "" if mine == its else f"{place} is {shown(json.dumps(its))}, not {shown(json.dumps(mine))}"


def at(place: str, key: str) -> str:
    """Return the place of a key in a document."""
    return f"{place}.{key}" if place else key
