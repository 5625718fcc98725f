"""The few numbers that somebody else will ask for, taken from the crate: what the summary and ``--json`` say."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from ..model.crate import Crate, Loop, Sheet
from ..model.geometry import Size
from ..motion.timing import pace

GPU_BYTES_PER_PIXEL = 4
"""A sheet in graphics memory, uncompressed: 8 bits for each of red, green, blue and alpha."""


@dataclass(frozen=True, slots=True)
class SheetSummary:
    """One sheet in numbers. `cell` is None, columns and rows are 0, on a tight sheet; `boxes` counts what is stored.

    `frames` are the first and last index of its frames, None if it has none; `count` is how many; `full` is the share
    covered by boxes.
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
    full: float
    gpu_bytes: int
    edge_repeat: int


@dataclass(frozen=True, slots=True)
class AnimationSummary:
    """One animation in numbers: first and last frame index over the whole crate, and which sheets they lie on."""

    name: str
    first: int
    last: int
    frames: int
    fps: Fraction
    seconds: float
    loop: Loop
    sheets: tuple[int, ...]


def sheet_summaries(crate: Crate) -> list[SheetSummary]:
    """The numbers of each sheet."""
    indices: list[list[int]] = [[] for _ in crate.sheets]
    for index, frame in enumerate(crate.frames):
        indices[frame.on_sheet].append(index)
    return [_sheet_summary(crate, sheet, group) for sheet, group in zip(crate.sheets, indices, strict=True)]


def _sheet_summary(crate: Crate, sheet: Sheet, indices: Sequence[int]) -> SheetSummary:
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
        full=sum(box.w * box.h for box in boxes) / area,
        gpu_bytes=area * GPU_BYTES_PER_PIXEL,
        edge_repeat=sheet.edge_repeat,
    )  # fmt: skip


def rows_of(crate: Crate, animation: int) -> str:
    """Which rows of its sheets an animation's cells lie in, from 1: ``3`` or ``3–4``; empty without cells."""
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


def animation_summaries(crate: Crate) -> list[AnimationSummary]:
    """The numbers of each animation."""
    return [
        AnimationSummary(
            name=animation.name,
            first=animation.frames[0],
            last=animation.frames[-1],
            frames=len(animation.frames),
            fps=pace(animation),
            seconds=sum(animation.durations) / 1000,
            loop=animation.loop,
            sheets=tuple(sorted({crate.frames[index].on_sheet for index in animation.frames})),
        )
        for animation in crate.animations
    ]
