"""Updates for an open page: boxes that moved on the sheets, and pixels that changed."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..core.color import color_from_hex
from ..core.crate.draw import Placed, draw_sheet
from ..core.frame.alpha import flattened
from ..core.model.crate import Crate, Frame
from ..core.model.geometry import Box, Offset, Size
from ..core.pixels import Pixels
from .page_view import inlined, tables_of, with_images

MOST_PATCHED = 0.25
"""The largest share of a sheet that is sent as patches; of a sheet that changed more, the whole image is fetched."""

Drawings = Sequence[Placed | None]
"""The drawing of each frame, straight alpha; None for frames that share another's box."""


@dataclass(frozen=True, slots=True, eq=False)
class Board:
    """The content of a page: a crate, and the drawings of its frames in each variant."""

    crate: Crate
    drawings: Drawings
    skins: Mapping[str, Drawings] = field(default_factory=dict)

    def sheet(self, index: int, skin: str = "") -> Pixels:
        """Draw a whole sheet as its file looks."""
        sheet = self.crate.sheets[index]
        drawings = self.skins[skin] if skin else self.drawings
        on_sheet = [
            placed
            for frame, placed in zip(self.crate.frames, drawings, strict=True)
            if placed and frame.on_sheet == index
        ]
        return self.finished(draw_sheet(sheet.size, on_sheet, sheet.edge_repeat), skin)

    def finished(self, pixels: Pixels, skin: str = "") -> Pixels:
        """Return a sheet's pixels as its file has them: art is laid over the background, if the crate has one."""
        background = color_from_hex(self.crate.background)
        if background is None or (skin and self._is_plain(skin)):
            return pixels
        return flattened(pixels, background)

    def _is_plain(self, skin: str) -> bool:
        return any(image.plain for image in self.crate.sheets[0].skins if image.name == skin)


def board_of(crate: Crate, sheets: Sequence[Pixels], skins: Mapping[str, Sequence[Pixels]]) -> Board:
    """Return the board of a crate and its read sheets: frames are views into them."""
    return Board(crate, _cut(crate, sheets), {name: _cut(crate, skin_sheets) for name, skin_sheets in skins.items()})


def _cut(crate: Crate, sheets: Sequence[Pixels]) -> Drawings:
    drawings: list[Placed | None] = []
    seen: set[tuple[int, Box]] = set()
    for frame in crate.frames:
        box, key = frame.box, (frame.on_sheet, frame.box)
        if not box.w or key in seen:
            drawings.append(None)
            continue
        seen.add(key)
        stored = sheets[frame.on_sheet][box.y : box.bottom, box.x : box.right]
        drawings.append(Placed(np.rot90(stored) if frame.turned else stored, Offset(0, 0), box, frame.turned))
    return drawings


def news_of(
    before: Board,
    after: Board,
    images: Sequence[str],
    skins: Mapping[str, Sequence[str]],
    png: Callable[[Pixels], bytes],
) -> dict[str, Any]:
    """Return a build's news for a page. `images` are the addresses of the whole sheets, and `skins` those of each
    skin's.

    Cost: pixels that lie where they lay in memory are not looked at; all others are compared once, and those that
    differ encoded.
    """
    by_skin = {"": (before.drawings, after.drawings), **{n: (before.skins[n], after.skins[n]) for n in after.skins}}
    same = {name: _same(before, old, after, new) for name, (old, new) in by_skin.items()}
    sheets = {
        name: _sheets(before, after, same[name], new, skins[name] if name else images, _finishing(after, name, png))
        for name, (_, new) in by_skin.items()
    }
    return {
        "crate": with_images(after.crate, images, skins),
        "tables": tables_of(after.crate),
        "sheets": sheets.pop(""),
        "skins": sheets,
        "changed": _changed(before, after, list(same.values())),
    }


def _finishing(after: Board, skin: str, png: Callable[[Pixels], bytes]) -> Callable[[Pixels], bytes]:
    return lambda pixels: png(np.ascontiguousarray(after.finished(pixels, skin)))


def _changed(before: Board, after: Board, same: Sequence[Sequence[Frame | None]]) -> list[str]:
    """The names of frames that are new, or look or stand differently, in crate order."""
    old = {frame.name: frame for frame in before.crate.frames}
    boxes: dict[tuple[int, Box], bool] = {}
    for index, frame in enumerate(after.crate.frames):
        if after.drawings[index]:
            boxes[frame.on_sheet, frame.box] = all(places[index] for places in same)

    def is_same(frame: Frame) -> bool:
        was = old.get(frame.name)
        return was is not None and _stand(was) == _stand(frame) and boxes.get((frame.on_sheet, frame.box), True)

    return [frame.name for frame in after.crate.frames if not is_same(frame)]


def _stand(frame: Frame) -> tuple[object, ...]:
    return frame.canvas, frame.offset, frame.pivot, frame.turned, frame.mirror, bool(frame.box.w)


def _same(before: Board, old: Drawings, after: Board, new: Drawings) -> list[Frame | None]:
    """Map each drawn frame to the previous frame of its name, if both have the same pixels and the same orientation."""
    known = {frame.name: index for index, frame in enumerate(before.crate.frames)}
    owners = {
        (frame.on_sheet, frame.box): placed for frame, placed in zip(before.crate.frames, old, strict=True) if placed
    }
    found: list[Frame | None] = []
    for frame, placed in zip(after.crate.frames, new, strict=True):
        was = before.crate.frames[known[frame.name]] if frame.name in known else None
        copied_from = owners.get((was.on_sheet, was.box)) if was and placed and was.mirror == frame.mirror else None
        found.append(was if copied_from and placed and _looks_same(copied_from, placed) else None)
    return found


def _looks_same(old: Placed, new: Placed) -> bool:
    if (old.box.w, old.box.h, old.turned) != (new.box.w, new.box.h, new.turned):
        return False
    if old.inside == new.inside and old.pixels.shape == new.pixels.shape:
        return _is_same_memory(old.pixels, new.pixels) or np.array_equal(old.pixels, new.pixels)
    return np.array_equal(_whole(old), _whole(new))


def _is_same_memory(first: Pixels, second: Pixels) -> bool:
    return (
        first.strides == second.strides
        and first.__array_interface__["data"][0] == second.__array_interface__["data"][0]
    )


def _whole(placed: Placed) -> Pixels:
    """The box of a frame, as it is stored."""
    return draw_sheet(Size(placed.box.w, placed.box.h), [placed._replace(box=Box(0, 0, placed.box.w, placed.box.h))])


def _sheets(
    before: Board,
    after: Board,
    same: Sequence[Frame | None],
    drawings: Drawings,
    images: Sequence[str],
    png: Callable[[Pixels], bytes],
) -> list[dict[str, Any]]:
    return [
        _sheet(before, after, same, drawings, index, images[index], png) for index in range(len(after.crate.sheets))
    ]


def _sheet(
    before: Board,
    after: Board,
    same: Sequence[Frame | None],
    drawings: Drawings,
    index: int,
    image: str,
    png: Callable[[Pixels], bytes],
) -> dict[str, Any]:
    """Return how a page gets a sheet: from the one that it has (`base`), of which some boxes are cleared, or
    else from nothing; with boxes that `move` to it from older sheets, and `patches`. Or it fetches the `whole` image.
    """
    sheet = after.crate.sheets[index]
    rim, size = sheet.edge_repeat, sheet.size
    moves: list[tuple[int, ...]] = []
    patched: list[Placed] = []
    for frame, placed, was in zip(after.crate.frames, drawings, same, strict=True):
        if placed is None or frame.on_sheet != index or not placed.box.w:
            continue
        if was and before.crate.sheets[was.on_sheet].edge_repeat == rim:
            moves.append((was.on_sheet, *_rimmed(was.box, rim), *_rimmed(placed.box, rim)[:2]))
        else:
            patched.append(placed)
    if sum(placed.box.w * placed.box.h for placed in patched) > MOST_PATCHED * size.w * size.h:
        return {"base": -1, "clears": [], "moves": [], "patches": [], "whole": image}
    old = before.crate.sheets[index : index + 1]
    is_base = bool(old) and old[0].size == size and all(move[0] == index and move[1:3] == move[5:] for move in moves)
    clears: list[Box] = []
    if is_base:
        moved = {move[1:5] for move in moves}
        boxes = {_rimmed(frame.box, rim) for frame in before.crate.frames if frame.on_sheet == index and frame.box.w}
        clears = sorted(boxes - moved)
    patches = [(*_rimmed(placed.box, rim)[:2], inlined(png(_with_rim(placed, rim)))) for placed in patched]
    return {
        "base": index if is_base else -1,
        "clears": clears,
        "moves": [] if is_base else moves,
        "patches": patches,
        "whole": "",
    }


def _rimmed(box: Box, rim: int) -> Box:
    return Box(box.x - rim, box.y - rim, box.w + 2 * rim, box.h + 2 * rim)


def _with_rim(placed: Placed, rim: int) -> Pixels:
    """A box with its repeated edges."""
    w, h = placed.box.w, placed.box.h
    return draw_sheet(Size(w + 2 * rim, h + 2 * rim), [placed._replace(box=Box(rim, rim, w, h))], rim)
