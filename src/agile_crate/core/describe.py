"""From placed frames to the crate: the values that every metadata format says in its own way."""

from collections.abc import Mapping, Sequence
from fractions import Fraction

from .align import offset_in, pivot_in
from .grid import GridSheet
from .model import Animation, Box, Frame, FrameSequence, Loop, Offset, Sheet, Size
from .timing import durations


def grid_frames(
    names: Sequence[str], canvases: Sequence[Size], grid: Sequence[GridSheet], align: str
) -> tuple[Frame, ...]:
    """The frames of a grid, in order: each lies in the next cell, and in its cell where `align` puts its canvas.

    The pivot is the point that `align` names on the cell, told in pixels of the frame's own canvas.
    """
    cell_size = grid[0].cells.size
    placing = {canvas: offset_in(cell_size, canvas, align) for canvas in set(canvases)}
    pivots = {canvas: pivot_in(cell_size, align, offset) for canvas, offset in placing.items()}
    frames: list[Frame] = []
    for sheet_index, sheet in enumerate(grid):
        for cell_index in range(sheet.frames):
            name, canvas = names[len(frames)], canvases[len(frames)]
            cell, (x, y) = sheet.cells.box(cell_index), placing[canvas]
            box = Box(cell.x + x, cell.y + y, *canvas)
            frames.append(Frame(name, sheet_index, box, canvas, Offset(0, 0), pivots[canvas]))
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
