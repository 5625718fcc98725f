"""From placed frames to the crate: the values that every metadata format says in its own way."""

from collections.abc import Mapping, Sequence
from fractions import Fraction

from .align import offset_in, pivot_in
from .grid import GridSheet
from .model import Animation, Box, Frame, Loop, Offset, Sheet, Size
from .timing import durations


def grid_frames(names: Sequence[str], canvases: Sequence[Size], grid: Sequence[GridSheet], align: str) -> list[Frame]:
    """The frames of a grid, in order: each lies in the next cell, and in its cell where `align` puts its canvas.

    The pivot is the point that `align` names on the cell, told in pixels of the frame's own canvas.
    """
    frames: list[Frame] = []
    for sheet_index, sheet in enumerate(grid):
        for cell_index in range(sheet.frames):
            cell = sheet.cells.box(cell_index)
            canvas = canvases[len(frames)]
            offset = offset_in(cell.size, canvas, align)
            frames.append(
                Frame(
                    name=names[len(frames)],
                    sheet=sheet_index,
                    box=Box(cell.x + offset.x, cell.y + offset.y, *canvas),
                    canvas=canvas,
                    offset=Offset(0, 0),
                    pivot=pivot_in(cell.size, align, offset),
                )
            )
    return frames


def grid_sheets(stem: str, grid: Sequence[GridSheet]) -> list[Sheet]:
    """The sheets of a grid with their file names: ``otter.png``, or ``otter-1.png`` and so on if there are several."""
    images = [f"{stem}.png"] if len(grid) == 1 else [f"{stem}-{number}.png" for number in range(1, len(grid) + 1)]
    return [Sheet(image, sheet.size, sheet.cells) for image, sheet in zip(images, grid, strict=True)]


def described_animations(
    groups: Mapping[str, Sequence[int]], fps: Mapping[str, Fraction], loop: Mapping[str, Loop]
) -> list[Animation]:
    """The animations with their times, given for each name its frames, its frames a second and its loop rule."""
    return [
        Animation(name, tuple(frames), durations(len(frames), fps[name]), loop[name]) for name, frames in groups.items()
    ]
