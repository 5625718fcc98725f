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
    """One animation in numbers: first and last frame index over the whole crate, frames per second, a flag if some
    frames are held, the sheets of its frames, and their common pivot on the canvas, None if their pivots differ."""

    name: str
    first: int
    last: int
    frames: int
    fps: Fraction
    holds: bool
    seconds: float
    pivot: Point | None
    loop: Loop
    sheets: tuple[int, ...]


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


def rows_of(crate: Crate, animation: int) -> str:
    """Return the rows of the sheets in which an animation's cells lie, from 1: ``3`` or ``3–4``; empty without
    cells."""
    rows: list[int] = []
    first_on: dict[int, int] = {}
    for index, frame in enumerate(crate.frames):
        first_on.setdefault(frame.on_sheet, index)
    for index in crate.animations[animation].frames:
        frame = crate.frames[index]
        cells = crate.sheets[frame.on_sheet].cells
        if cells is None:
            return ""
        cell = cells.box(index - first_on[frame.on_sheet])
        rows.append((cell.y - cells.margin) // (cells.size.h + cells.gap) + 1)
    return str(rows[0]) if rows[0] == rows[-1] else f"{rows[0]}–{rows[-1]}"


def animation_summaries(crate: Crate, rates: Sequence[Fraction] = ()) -> list[AnimationSummary]:
    """Return the numbers of each animation. `rates` are frames per second that were asked for."""
    paces = [pace(animation, rates) for animation in crate.animations]
    return [
        AnimationSummary(
            name=animation.name,
            first=animation.frames[0],
            last=animation.frames[-1],
            frames=len(animation.frames),
            fps=fps,
            holds=holds,
            seconds=sum(animation.durations) / 1000,
            pivot=_common({crate.frames[index].pivot for index in animation.frames}),
            loop=animation.loop,
            sheets=tuple(sorted({crate.frames[index].on_sheet for index in animation.frames})),
        )
        for animation, (fps, holds) in zip(crate.animations, paces, strict=True)
    ]
