"""Consistency checks of a crate's metadata that need no source frames.

Each function yields one sentence for each problem.
"""

from collections import Counter
from collections.abc import Iterator, Sequence
from fractions import Fraction
from itertools import accumulate

import numpy as np

from ..message import Message, message, setting
from ..model.crate import Crate, Frame
from ..model.geometry import Box
from ..model.ranges import RANGES
from ..model.sheet import Sheet
from ..names import clashes, leads_out
from ..pixels import Pixels
from ..text import counted, few, quoted

PAIRS_LISTED = 5
"""Boxes that are too close are named pair by pair up to so many on a sheet; the rest is counted."""


def check_crate(crate: Crate) -> Iterator[str]:
    """Names, boxes, cells, gaps and animations of a crate, checked against each other."""
    yield from _repeated((frame.name for frame in crate.frames), "frames")
    yield from _repeated((animation.name for animation in crate.animations), "animations")
    yield from _repeated(
        (image for sheet in crate.sheets for image in (sheet.image, *(skin.image for skin in sheet.skins))), "sheets"
    )
    yield from _check_skins(crate)
    for what, names in (("frame", [f.name for f in crate.frames]), ("animation", [a.name for a in crate.animations])):
        yield from (
            f"{what} {quoted(name)} has a name that leads out of its folder, or nowhere"
            for name in names
            if leads_out(name)
        )
        for clashing, why in clashes(list(dict.fromkeys(names)), ".png" if what == "frame" else ""):
            yield f"{what}s {few(map(quoted, clashing))} {why}"
    for frame in crate.frames:
        if (frame.box.w == 0) != (frame.box.h == 0):
            yield f"frame {quoted(frame.name)}: its box {list(frame.box)} is empty one way and not the other"
    placed: list[list[Frame]] = [[] for _ in crate.sheets]
    for frame in crate.frames:
        if frame.on_sheet < len(placed):
            placed[frame.on_sheet].append(frame)
        else:
            yield f"frame {quoted(frame.name)} is on sheet {frame.on_sheet}, and the last one is {len(placed) - 1}"
    for number, (sheet, frames) in enumerate(zip(crate.sheets, placed, strict=True)):
        yield from _check_boxes(sheet, frames)
        yield from _check_blocks(crate, number, frames)
        astray = list(_check_cells(sheet, frames))
        yield from astray
        if astray or not sheet.cells or 2 * sheet.edge_repeat > sheet.cells.gap:
            yield from _check_gaps(sheet, frames)  # boxes in cells of their own keep their gaps anyway
        yield from _check_margin(sheet, frames)
        yield from _check_shared(frames)
    yield from _check_animations(crate)
    yield from _check_ranges(crate)


def _repeated(names: Iterator[str], plural: str) -> Iterator[str]:
    for name, count in Counter(names).items():
        if count > 1:
            yield f"{count} {plural} are named {quoted(name)}"


def _check_skins(crate: Crate) -> Iterator[str]:
    """Check that all sheets have the same skins."""
    first = [skin.name for skin in crate.sheets[0].skins] if crate.sheets else []
    for sheet in crate.sheets:
        names = [skin.name for skin in sheet.skins]
        if sorted(names) != sorted(first):
            listed = [few(map(quoted, some)) or "none" for some in (names, first)]
            yield f"sheet {quoted(sheet.image)} has other skins than the first: {listed[0]}, not {listed[1]}"
        for name in names:
            if name != name.strip() or not name or set(name) & set("/\\:\0"):
                yield f"sheet {quoted(sheet.image)}: {quoted(name)} cannot name a skin"


def restorable(crate: Crate, frame: Frame) -> bool:
    """Return True if the frame's box lies on its sheet, and its pixels on its canvas, so that it can be put back."""
    return frame.on_sheet < len(crate.sheets) and not any(_check_boxes(crate.sheets[frame.on_sheet], [frame]))


def _check_boxes(sheet: Sheet, frames: Sequence[Frame]) -> Iterator[str]:
    whole = Box(0, 0, *sheet.size)
    for frame in frames:
        if not whole.contains(frame.box):
            yield f"frame {quoted(frame.name)}: its box {list(frame.box)} is not inside its sheet {list(sheet.size)}"
        if not Box(0, 0, *frame.canvas).touches(Box(*frame.offset, *frame.upright)):
            yield (
                f"frame {quoted(frame.name)}: its pixels, {list(frame.upright)} at {list(frame.offset)}, "
                f"lie beside its canvas {list(frame.canvas)}"
            )


def _check_cells(sheet: Sheet, frames: Sequence[Frame]) -> Iterator[str]:
    cells = sheet.cells
    if cells is None:
        return
    if cells.extent.w > sheet.size.w or cells.extent.h > sheet.size.h:
        yield f"sheet {quoted(sheet.image)}: its cells need {list(cells.extent)}, and it is {list(sheet.size)}"
    if any(count > cells.columns for count in cells.filled):
        yield f"sheet {quoted(sheet.image)}: a row says that more cells are filled than it has"
    if len(frames) > cells.count:
        yield f"sheet {quoted(sheet.image)}: {counted(len(frames), 'frame')} in {counted(cells.count, 'cell')}"
    for index, frame in enumerate(frames[: cells.count]):
        if not cells.box(index).contains(frame.box):
            yield f"frame {quoted(frame.name)}: its box {list(frame.box)} is not inside cell {index} of its sheet"


def _check_blocks(crate: Crate, number: int, frames: Sequence[Frame]) -> Iterator[str]:
    """Check that blocks lie inside their sheet, and every frame of the sheet (`frames`) in its cell of one block."""
    sheet = crate.sheets[number]
    if not sheet.blocks:
        return
    whole, where = Box(0, 0, *sheet.size), f"sheet {quoted(sheet.image)}"
    held = sum(block.count for block in sheet.blocks)
    if held != len(frames):
        yield f"{where}: its blocks hold {counted(held, 'frame')}, and it has {len(frames)}"
        return
    seen: set[int] = set()
    for block in sheet.blocks:
        if not whole.contains(block.box):
            yield f"{where}: its block {list(block.box)} is not inside it, {list(sheet.size)}"
        if block.count > block.cells.count:
            cells = counted(block.cells.count, "cell")
            yield f"{where}: its block {list(block.box)} has {counted(block.count, 'frame')} in {cells}"
            continue
        for index in range(block.first, block.first + block.count):
            cell = block.cell(index - block.first)
            if index in seen or index >= len(crate.frames) or crate.frames[index].on_sheet != number:
                yield f"{where}: its block {list(block.box)} has frame {index}, which is elsewhere"
            elif not cell.contains((frame := crate.frames[index]).box):
                yield f"frame {quoted(frame.name)}: its box {list(frame.box)} is not inside its cell {list(cell)}"
            seen.add(index)


def _check_gaps(sheet: Sheet, frames: Sequence[Frame]) -> Iterator[str]:
    """Check that different boxes keep the gap (0 where the sheet names none). Two frames may share one box.

    Sweep from left to right (Shamos and Hoey, 1976), the candidates of each box compared as arrays: n log n to sort,
    then for each box the boxes that begin left of its right edge; every pair only for boxes piled up on purpose.
    """
    gap = max(sheet.gap, 2 * sheet.edge_repeat, sheet.cells.gap if sheet.cells else 0)
    owners = {frame.box: frame.name for frame in reversed(frames) if frame.box.w and frame.box.h}
    boxes = np.array(sorted(owners), np.int64).reshape(-1, 4)
    x, y, right, bottom = boxes[:, 0], boxes[:, 1], boxes[:, 0] + boxes[:, 2], boxes[:, 1] + boxes[:, 3]
    last = np.searchsorted(x, right + gap)
    count = 0
    for index in range(len(boxes)):
        after = slice(index + 1, int(last[index]))
        close = (y[after] < bottom[index] + gap) & (bottom[after] + gap > y[index])
        others = np.flatnonzero(close) + index + 1
        for other in others[: max(0, PAIRS_LISTED - count)]:
            first, second = (Box(*boxes[i].tolist()) for i in (index, other))
            overlap = x[other] < right[index] and y[other] < bottom[index] and bottom[other] > y[index]
            problem = "overlap" if overlap else f"are closer than the gap of {gap}"
            yield f"frames {quoted(owners[first])} {list(first)} and {quoted(owners[second])} {list(second)} {problem}"
        count += len(others)
    if count > PAIRS_LISTED:
        pairs = counted(count - PAIRS_LISTED, "more pair")
        yield f"sheet {quoted(sheet.image)}: {pairs} of boxes overlap, or are closer than the gap of {gap}"


def _check_margin(sheet: Sheet, frames: Sequence[Frame]) -> Iterator[str]:
    margin = max(sheet.margin, sheet.edge_repeat)
    inside = Box(margin, margin, sheet.size.w - 2 * margin, sheet.size.h - 2 * margin)
    for frame in frames:
        if frame.box.w and frame.box.h and margin and not inside.contains(frame.box):
            box = list(frame.box)
            yield f"frame {quoted(frame.name)}: its box {box} is closer to the edge than the margin of {margin}"


def _check_shared(frames: Sequence[Frame]) -> Iterator[str]:
    """Check that frames that share a box read it the same way up."""
    first: dict[Box, Frame] = {}
    for frame in frames:
        other = first.setdefault(frame.box, frame)
        if other.turned != frame.turned and frame.box.w and frame.box.h:
            yield f"frames {quoted(other.name)} and {quoted(frame.name)} share a box, and only one of them is turned"


def check_repeated_edges(sheet: Sheet, frames: Sequence[Frame], pixels: Pixels) -> Iterator[str]:
    """Yield True if the outermost pixels of every box are repeated outwards, corners too. `pixels` are the whole
    sheet's."""
    count, whole = sheet.edge_repeat, Box(0, 0, *sheet.size)
    for frame in {frame.box: frame for frame in reversed(frames)}.values() if count else ():
        box = frame.box
        wide = Box(box.x - count, box.y - count, box.w + 2 * count, box.h + 2 * count)
        if not (box.w and box.h and whole.contains(wide)):
            continue  # what does not lie on the sheet is reported as too close to its edge
        around = pixels[box.y - count : box.bottom + count, box.x - count : box.right + count]
        rows = np.clip(np.arange(-count, box.h + count), 0, box.h - 1) + count
        columns = np.clip(np.arange(-count, box.w + count), 0, box.w - 1) + count
        wrong = (around != around[rows[:, None], columns]).any(axis=2)
        if wrong.any():
            y, x = (int(value) - count for value in np.unravel_index(int(wrong.argmax()), wrong.shape))
            yield (
                f"frame {quoted(frame.name)}: its repeated edge differs in {counted(int(wrong.sum()), 'pixel')}, "
                f"first at {box.x + x},{box.y + y} of the sheet"
            )


LEAST_BOXES = 4
"""Of fewer boxes it may happen that none is as close to another as the gap allows."""


def check_gap_is_used(sheet: Sheet, frames: Sequence[Frame]) -> Iterator[str]:
    """Yield True if any two boxes of a tight sheet are as close as its gap allows: if not, it was arranged with
    another."""
    boxes = {frame.box: frame for frame in frames if frame.box.w and frame.box.h}
    if sheet.cells or sheet.blocks or len(boxes) < LEAST_BOXES:
        return
    wider = sheet._replace(gap=max(sheet.gap, 2 * sheet.edge_repeat) + 1)
    if not any(_check_gaps(wider, list(boxes.values()))):
        yield f"sheet {quoted(sheet.image)}: its gap is {sheet.gap}, but all frames are farther apart"


def stray_report(sheet: Sheet, count: int, cushion: int) -> Message:
    """Return the fault of a sheet with this many pixels outside all frames, and the cushion that gives them room."""
    are = "lies" if count == 1 else "lie"
    what = f"sheet {quoted(sheet.image)}: {counted(count, 'visible pixel')} {are} outside of all frames"
    return message("{} ({} makes room)", what, setting("cushion", cushion)) if cushion else Message(what)


def _agree(fps: Fraction, beats: Sequence[int], whole: Sequence[int]) -> bool:
    """Return True if no frame changes a millisecond or more beside its exact moment."""
    n, d = fps.as_integer_ratio()
    if max(1000 * d * sum(beats), n * sum(whole)) < 1 << 62 and len(beats) == len(whole):
        exact, rounded = np.cumsum(np.array(beats, np.int64)), np.cumsum(np.array(whole, np.int64))
        return bool((np.abs(1000 * d * exact - n * rounded) < n).all())
    moments = zip(accumulate(beats), accumulate(whole), strict=False)
    return all(abs(1000 * d * beat - n * millisecond) < n for beat, millisecond in moments)


def _check_ranges(crate: Crate) -> Iterator[str]:
    """Check the ranges of numbers that nothing else bounds."""
    for frame in crate.frames:
        if not all(map(RANGES["frames.offset"].holds, frame.offset)):
            yield f"frame {quoted(frame.name)}: its offset {list(frame.offset)} is out of range"
        if not all(map(RANGES["frames.pivot"].holds, frame.pivot)):
            yield f"frame {quoted(frame.name)}: its pivot {list(frame.pivot)} is out of range"
    for animation in crate.animations:
        numbers = {
            "durations": animation.durations,
            "times": (animation.times,) if animation.times else (),
            "fps": animation.fps.as_integer_ratio() if animation.fps else (),
            "beats": animation.beats,
        }
        for key, values in numbers.items():
            if values and not all(map(RANGES[f"animations.{key}"].holds, (min(values), max(values)))):
                yield f"animation {quoted(animation.name)}: {key} out of range, from {min(values)} to {max(values)}"


def _check_animations(crate: Crate) -> Iterator[str]:
    for animation in crate.animations:
        where = f"animation {quoted(animation.name)}"
        if not animation.frames:
            yield f"{where} has no frames"
        if len(animation.frames) != len(animation.durations):
            yield f"{where} has {counted(len(animation.frames), 'frame')} and {len(animation.durations)} durations"
        if animation.times and animation.loop != "once":
            yield f"{where} is shown {animation.times} times and {animation.loop}; only what is shown once can end"
        if animation.fps and len(animation.beats) != len(animation.frames):
            yield f"{where} has {counted(len(animation.frames), 'frame')} and {len(animation.beats)} beats"
        elif animation.fps and not _agree(animation.fps, animation.beats, animation.durations):
            yield f"{where} has durations that are not those of its beats"
        if max(animation.frames, default=-1) >= len(crate.frames):
            beyond = next(index for index in animation.frames if index >= len(crate.frames))
            yield f"{where} names frame {beyond}, and the last one is {len(crate.frames) - 1}"
