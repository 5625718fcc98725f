"""From placed frames to the crate: the values that every metadata format says in its own way."""

from collections.abc import Mapping, Sequence
from fractions import Fraction

from .align import offset_in
from .grid import GridSheet
from .model import Animation, Box, Frame, FrameSequence, Loop, Offset, Picture, Sheet
from .timing import durations


def grid_frames(pictures: Sequence[Picture], grid: Sequence[GridSheet], align: str) -> tuple[Frame, ...]:
    """The frames of a grid, in order: each lies in the next cell, where `align` puts what is stored of it."""
    cell_size = grid[0].cells.size
    placing = {size: offset_in(cell_size, size, align) for size in {p.stored_box.size for p in pictures}}
    cells = [(index, sheet.cells.box(cell)) for index, sheet in enumerate(grid) for cell in range(sheet.frames)]
    frames: list[Frame] = []
    for picture, (sheet_index, cell) in zip(pictures, cells, strict=True):
        stored = picture.stored_box
        by = placing[stored.size]
        box = Box(cell.x + by.x, cell.y + by.y, *stored.size)
        offset = Offset(stored.x, stored.y)
        frames.append(Frame(picture.name, sheet_index, box, picture.canvas, offset, picture.pivot, shape=picture.shape))
    return tuple(frames)


def grid_sheets(stem: str, grid: Sequence[GridSheet]) -> tuple[Sheet, ...]:
    """The sheets of a grid with their file names: ``otter.png``, or ``otter-1.png`` and so on if there are several."""
    images = [f"{stem}.png"] if len(grid) == 1 else [f"{stem}-{number}.png" for number in range(1, len(grid) + 1)]
    return tuple(Sheet(image, sheet.size, sheet.cells) for image, sheet in zip(images, grid, strict=True))


def described_animations(
    sequences: Sequence[FrameSequence], times: Mapping[str, Sequence[Fraction]], loop: Mapping[str, Loop | None]
) -> tuple[Animation, ...]:
    """The animations of sequences whose pictures are the crate's frames, in order.

    `times` are the exact milliseconds of each one's frames. `loop` is what was asked for; None: what the source says.
    """
    animations: list[Animation] = []
    first = 0
    for sequence in sequences:
        indices = tuple(range(first, first + len(sequence.pictures)))
        first += len(indices)
        if (name := sequence.name) is None:
            continue
        asked = loop[name]
        repeats = (asked, 0) if asked else (sequence.loop or "forever", sequence.times)
        animations.append(Animation(name, indices, durations(times[name]), *repeats))
    return tuple(animations)
