"""A crate in a few numbers, for the printed summary and ``--json``."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

from ..model.crate import Crate, Loop
from ..model.geometry import Block, Offset, Point, Size
from ..model.sheet import Sheet
from ..motion.timing import pace

GPU_BYTES_PER_PIXEL = 4
"""A sheet in graphics memory, uncompressed: 8 bits for each of red, green, blue and alpha."""


@dataclass(frozen=True, slots=True)
class BlockSummary:
    """One block in numbers. `name` is its animation's, or its still's; `origin` is its top left on the sheet.

    `frames` are the first and last index of its frames. `pivot` is their common pivot in the cell, None if their
    pivots differ.
    """

    name: str
    is_still: bool
    frames: tuple[int, int]
    origin: Offset
    cell: Size
    columns: int
    rows: int
    empty_cells: int
    pivot: Point | None


@dataclass(frozen=True, slots=True)
class SheetSummary:
    """One sheet in numbers. `cell` is None, columns and rows are 0, on a sheet without cells or with blocks; `boxes`
    counts the stored boxes.

    `frames` are the first and last index of its frames, None if it has none; `count` is their number; `fill_ratio` is
    the share of the sheet that boxes cover.
    """

    image: str
    size: Size
    cell: Size | None
    columns: int
    rows: int
    margin: int
    gap: int
    down: bool
    frames: tuple[int, int] | None
    count: int
    boxes: int
    empty_cells: int
    fill_ratio: float
    gpu_bytes: int
    edge_repeat: int
    blocks: tuple[BlockSummary, ...]


@dataclass(frozen=True, slots=True)
class AnimationSummary:
    """One animation in numbers.

    first, last   the frame index over the whole crate
    fps, holds    frames per second, and a flag if some frames are held
    pivot         the frames' common pivot on the canvas, from its top left; None if their pivots differ
    sheets, rows  of its frames; the rows of its first and last cell, from 1, None without cells
    """

    name: str
    first: int
    last: int
    frames: int
    fps: Fraction
    holds: bool
    seconds: float
    pivot: Point | None
    pivot_from_bottom: Point | None
    loop: Loop
    sheets: tuple[int, ...]
    rows: tuple[int, int] | None


def sheet_summaries(crate: Crate) -> list[SheetSummary]:
    """The numbers of each sheet."""
    indices: list[list[int]] = [[] for _ in crate.sheets]
    for index, frame in enumerate(crate.frames):
        indices[frame.on_sheet].append(index)
    owner = {index: animation.name for animation in reversed(crate.animations) for index in animation.frames}
    return [
        _sheet_summary(crate, sheet, group, tuple(_block_summary(crate, block, owner) for block in sheet.blocks))
        for sheet, group in zip(crate.sheets, indices, strict=True)
    ]


def _block_summary(crate: Crate, block: Block, owner: Mapping[int, str]) -> BlockSummary:
    frames = crate.frames[block.first : block.first + block.count]
    pivots: set[Point | None] = set()
    for index, frame in enumerate(frames):
        if frame.box.w and frame.box.h:
            cell, upright = block.cell(index), not (frame.turned or frame.mirror)
            x, y = frame.box.x - cell.x - frame.offset.x, frame.box.y - cell.y - frame.offset.y
            pivots.add(Point(frame.pivot.x + x, frame.pivot.y + y) if upright else None)
    return BlockSummary(
        name=owner.get(block.first, frames[0].name),
        is_still=block.first not in owner,
        frames=(block.first, block.first + block.count - 1),
        origin=block.at,
        cell=block.cells.size,
        columns=block.cells.columns,
        rows=block.cells.rows,
        empty_cells=block.cells.count - block.count,
        pivot=_common(pivots),
    )


def _common(pivots: set[Point | None] | set[Point]) -> Point | None:
    return next(iter(pivots)) if len(pivots) == 1 else None


def _sheet_summary(
    crate: Crate, sheet: Sheet, indices: Sequence[int], blocks: tuple[BlockSummary, ...]
) -> SheetSummary:
    boxes = {crate.frames[index].box for index in indices}
    area, cells = sheet.size.w * sheet.size.h, sheet.cells
    return SheetSummary(
        sheet.image, sheet.size,
        cell=cells.size if cells else None,
        columns=cells.columns if cells else 0,
        rows=cells.rows if cells else 0,
        margin=sheet.margin,
        gap=sheet.gap,
        down=bool(cells and cells.down),
        frames=(indices[0], indices[-1]) if indices else None,
        count=len(indices),
        boxes=sum(1 for box in boxes if box.w and box.h),
        empty_cells=cells.columns * cells.rows - len(indices) if cells else 0,
        fill_ratio=sum(box.w * box.h for box in boxes) / area,
        gpu_bytes=area * GPU_BYTES_PER_PIXEL,
        edge_repeat=sheet.edge_repeat,
        blocks=blocks,
    )  # fmt: skip


def _rows(crate: Crate) -> list[tuple[int, int] | None]:
    """Return the rows of cells, from 1, of each animation's first and last frame; None without cells."""
    first_on: dict[int, int] = {}
    for index, frame in enumerate(crate.frames):
        first_on.setdefault(frame.on_sheet, index)

    def row(index: int) -> int:
        sheet = crate.frames[index].on_sheet
        cells = crate.sheets[sheet].cells
        assert cells is not None, "all sheets of a crate have cells, or none has"
        return (cells.box(index - first_on[sheet]).y - cells.margin) // (cells.size.h + cells.gap) + 1

    has_cells = all(sheet.cells for sheet in crate.sheets)
    return [
        (row(animation.frames[0]), row(animation.frames[-1])) if has_cells else None for animation in crate.animations
    ]


def animation_summaries(crate: Crate, rates: Sequence[Fraction] = ()) -> list[AnimationSummary]:
    """Return the numbers of each animation. `rates` are frames per second that were asked for."""
    paces = [pace(animation, rates) for animation in crate.animations]
    owned = [[crate.frames[index] for index in animation.frames] for animation in crate.animations]
    return [
        AnimationSummary(
            name=animation.name,
            first=animation.frames[0],
            last=animation.frames[-1],
            frames=len(frames),
            fps=fps,
            holds=holds,
            seconds=sum(animation.durations) / 1000,
            pivot=_common({frame.pivot for frame in frames}),
            pivot_from_bottom=_common({Point(frame.pivot.x, frame.canvas.h - frame.pivot.y) for frame in frames}),
            loop=animation.loop,
            sheets=tuple(sorted({frame.on_sheet for frame in frames})),
            rows=rows,
        )
        for animation, frames, (fps, holds), rows in zip(crate.animations, owned, paces, _rows(crate), strict=True)
    ]
