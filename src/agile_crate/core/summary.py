"""The few numbers that somebody else will ask for, taken from the crate: what the summary and ``--json`` say."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

from .model import Crate, Loop, Sheet, Size

GPU_BYTES_PER_PIXEL = 4
"""A sheet in graphics memory, uncompressed: 8 bits for each of red, green, blue and alpha."""


@dataclass(frozen=True, slots=True)
class SheetSummary:
    """One sheet in numbers. `frames` are the first and last frame index; `full` is the share covered by boxes."""

    image: str
    size: Size
    cell: Size
    columns: int
    rows: int
    margin: int
    gap: int
    down: bool
    frames: tuple[int, int]
    empty_cells: int
    full: float
    gpu_bytes: int


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
    """The numbers of each sheet of a grid."""
    covered = [0] * len(crate.sheets)
    indices: list[list[int]] = [[] for _ in crate.sheets]
    for index, frame in enumerate(crate.frames):
        covered[frame.on_sheet] += frame.box.w * frame.box.h
        indices[frame.on_sheet].append(index)
    return [_sheet_summary(*facts) for facts in zip(crate.sheets, indices, covered, strict=True)]


def _sheet_summary(sheet: Sheet, indices: Sequence[int], covered: int) -> SheetSummary:
    cells = sheet.cells
    assert cells is not None, "every layout there is yet has cells"
    area = sheet.size.w * sheet.size.h
    return SheetSummary(
        sheet.image, sheet.size, cells.size, cells.columns, cells.rows, cells.margin, cells.gap, cells.down,
        frames=(indices[0], indices[-1]),
        empty_cells=cells.count - len(indices),
        full=covered / area,
        gpu_bytes=area * GPU_BYTES_PER_PIXEL,
    )  # fmt: skip


def animation_summaries(crate: Crate, fps: Mapping[str, Fraction]) -> list[AnimationSummary]:
    """The numbers of each animation."""
    return [
        AnimationSummary(
            name=animation.name,
            first=animation.frames[0],
            last=animation.frames[-1],
            frames=len(animation.frames),
            fps=fps[animation.name],
            seconds=sum(animation.durations) / 1000,
            loop=animation.loop,
            sheets=tuple(sorted({crate.frames[index].on_sheet for index in animation.frames})),
        )
        for animation in crate.animations
    ]
