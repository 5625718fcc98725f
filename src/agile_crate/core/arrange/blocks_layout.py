"""The blocks layout: a grid for each animation, with cells of its own size, and where everything lies."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import accumulate

from ..align import offset_in
from ..errors import FitError
from ..frame.canvas import largest
from ..message import Message, message
from ..model.geometry import Block, Offset, Size
from ..model.picture import Sequences
from ..text import counted
from .arrangement import Arrangement, SheetPlan, Spot
from .blocks import Blocks, Lot, arrange_blocks
from .fit import considered_for, refuse_larger_than_sheet, too_much
from .layout import Arranged, LayoutRequest
from .sheets import Filling
from .tight import bound


def arranged_in_blocks(request: LayoutRequest) -> Arranged:
    """Arrange animations in blocks, and each still in its own. Raises FitError."""
    pictures, options = request.pictures, request.options
    limits = options.limits
    refuse_larger_than_sheet(pictures, limits)
    sizes = [picture.stored_box.size for picture in pictures]
    lots = _lots(request.sequences, sizes, Size(options.unit, options.unit))
    firsts = [0, *accumulate(lot.count for lot in lots)]
    made = arrange_blocks(lots, limits, options.columns, options.rows)
    cells = [lot.cell for lot in lots for _ in range(lot.count)]
    if options.one_sheet and len(made.fillings) > 1:
        quick = replace(limits, effort="quick", aspect=None)

        def fits(scaled: Sequence[Size]) -> bool:
            smaller = [replace(lot, cell=scaled[first]) for lot, first in zip(lots, firsts, strict=False)]
            return len(arrange_blocks(smaller, quick, options.columns, options.rows).fillings) == 1

        raise FitError(too_much(cells, limits, fits))
    spots = [Spot(0, 0, 0)] * len(pictures)
    plans: list[SheetPlan] = []
    for index, filling in enumerate(made.fillings):
        blocks = _blocks(made, filling, firsts)
        for block in blocks:
            for number in range(block.count):
                size, cell = sizes[block.first + number], block.cell(number)
                is_flipped = pictures[block.first + number].flipped
                by = offset_in(cell.size, size, options.align, is_flipped, options.unit)
                spots[block.first + number] = Spot(index, cell.x + by.x, cell.y + by.y)
        size = filling.arranged.size
        plans.append(SheetPlan(size, None, limits.margin, limits.gap, options.edge_repeat, blocks))
    extents = [shaped.cells.extent for shaped in made.blocks]
    considered = [
        tried
        for index, filling in enumerate(made.fillings)
        for tried in considered_for(index, filling, extents, limits.gap)
    ]
    result = Arrangement(tuple(plans), tuple(spots), tuple(considered), bound(cells, limits.gap))
    return Arranged(result, tuple(_remarks(sizes, cells, options.align)))


def _lots(sequences: Sequences, sizes: Sequence[Size], least: Size) -> list[Lot]:
    """Return the cells that animations need; `least` is the cell of frames without stored pixels."""
    lots: list[Lot] = []
    first = 0
    for sequence in sequences:
        own = sizes[first : first + len(sequence.frames)]
        first += len(own)
        if sequence.name is None:
            lots += [Lot(1, largest([least, size]), loose=True) for size in own]
        else:
            lots.append(Lot(len(own), largest([least, *own])))
    return lots


def _blocks(made: Blocks, filling: Filling, firsts: Sequence[int]) -> tuple[Block, ...]:
    """The blocks of a sheet, in the order of their frames."""
    blocks = []
    for index, place in zip(filling.boxes, filling.arranged.places, strict=True):
        part, cells = made.blocks[index]
        blocks.append(Block(firsts[part.lot] + part.first, part.frames, Offset(place.x, place.y), cells))
    return tuple(sorted(blocks, key=lambda block: block.first))


def _remarks(sizes: Sequence[Size], cells: Sequence[Size], align: str) -> list[Message]:
    smaller = sum(1 for size, cell in zip(sizes, cells, strict=True) if size != cell and min(size) > 0)
    if not smaller:
        return []
    which = f"{counted(smaller, 'frame')} smaller than the cells of their block"
    return [message("{}, aligned to the {} of its cell ({align})", which, align)]
