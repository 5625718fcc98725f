"""The draw stop: the sheets of a plan, one after the other, and of a large one never more than a band at a time."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import chain

from ..core.crate.draw import Placed, draw_rows
from ..core.crate.edits import source_crc
from ..core.errors import InputError
from ..core.frame.decode import FirstLook
from ..core.model.crate import Crate, Frame
from ..core.model.geometry import Offset, Size
from ..core.model.picture import Picture
from ..core.pixels import Pixels
from ..core.text import shown
from ..sources.decode import unreadable
from ..workers.ordered import in_turn
from ..workers.pool import Crew
from .describe import Plan
from .prepare import SMALL, first_look

MANY = 200
"""So many small frames that are still to be read are read by several processes."""

TOGETHER = 1 << 20
"""Pixels of frames that are read at a time."""


def placed(picture: Picture, frame: Frame) -> Placed:
    """What is drawn of a frame."""
    stored, part = picture.stored_box, picture.part
    return Placed(picture.pixels, Offset(part.x - stored.x, part.y - stored.y), frame.box, frame.turned)


def placed_of(plan: Plan) -> list[Placed | None]:
    """What is drawn of each frame, in order; None for those that share the box of another."""
    frames = zip(plan.pictures, plan.crate.frames, plan.drawn, strict=True)
    return [placed(picture, frame) if wanted else None for picture, frame, wanted in frames]


class SheetRows:
    """The rows of one sheet of a plan, straight alpha, asked for from top to bottom, each time together with at most
    `again` rows of those before: the whole sheet, where all are asked for at once.

    Frames whose files are still to be read are read when the first of their rows is asked for, and let go behind the
    last one; `crcs` has their CRCs by then. `done` is how many frames have been drawn.
    """

    def __init__(self, plan: Plan, index: int, crew: Crew, again: int = 0) -> None:
        self.done = 0
        self.crcs: dict[int, str] = {}
        self._plan, self._crew, self._again = plan, crew, again
        self._sheet = plan.crate.sheets[index]
        frames = enumerate(zip(plan.crate.frames, plan.drawn, strict=True))
        mine = [number for number, (frame, wanted) in frames if frame.on_sheet == index and wanted]
        self._coming = sorted(mine, key=self._top, reverse=True)
        self._there: list[tuple[int, Placed]] = []

    def __call__(self, rows: range) -> Pixels:
        self._there = [(bottom, one) for bottom, one in self._there if bottom > rows.start]
        coming = []
        while self._coming and self._top(self._coming[-1]) < rows.stop:
            coming.append(self._coming.pop())
        there = [one for _, one in self._there]
        return draw_rows(self._sheet.size.w, rows, chain(there, self._arriving(coming, rows)), self._sheet.edge_repeat)

    def _top(self, number: int) -> int:
        return self._plan.crate.frames[number].box.y - self._sheet.edge_repeat

    def _bottom(self, number: int) -> int:
        return self._plan.crate.frames[number].box.bottom + self._sheet.edge_repeat

    def _arriving(self, numbers: Sequence[int], rows: range) -> Iterator[Placed]:
        for number, picture in self._with_pixels(numbers):
            one = placed(picture, self._plan.crate.frames[number])
            if (bottom := self._bottom(number)) > rows.stop - self._again:
                self._there.append((bottom, one))
            self.done += 1
            yield one

    def _with_pixels(self, numbers: Sequence[int]) -> Iterator[tuple[int, Picture]]:
        pictures = self._plan.pictures
        yield from ((number, pictures[number]) for number in numbers if not pictures[number].file)
        late = [number for number in numbers if pictures[number].file]
        for number, (picture, crc) in zip(late, _read(self._plan, late, self._crew), strict=True):
            if isinstance(picture, str):
                raise self._unreadable({number: picture})
            self.crcs[number] = crc
            yield number, picture

    def _unreadable(self, reasons: dict[int, str]) -> InputError:
        """The error that names every picture of the plan that cannot be read, beside one of which that is known."""
        pictures = self._plan.pictures
        others = [number for number, picture in enumerate(pictures) if picture.file and number not in reasons]
        for number, (picture, _) in zip(others, _read(self._plan, others, self._crew), strict=True):
            if isinstance(picture, str):
                reasons[number] = picture
        return InputError(
            unreadable([f"{shown(pictures[number].file)} {reasons[number]}" for number in sorted(reasons)])
        )


Late = tuple[Picture | str, str]
"""A picture with its CRC, or why it cannot be read."""


def _read(plan: Plan, numbers: Sequence[int], crew: Crew) -> Iterator[Late]:
    """Pictures whose pixels are still to be read, in order."""
    if not numbers:
        return iter(())
    coming = [_coming(plan.crate.frames[number], plan.pictures[number]) for number in numbers]
    pixels = sum(size.w * size.h for _, _, size in coming)
    each = max(1, TOGETHER * len(coming) // pixels)
    hand = crew if pixels >= SMALL * len(coming) else crew.beside(len(coming) >= MANY)
    look, crate = first_look((plan.settings,)), plan.crate._replace(frames=(), animations=())
    tasks = ((coming[start : start + each], look, crate) for start in range(0, len(coming), each))
    size = 4 * each * pixels // len(coming)
    return chain.from_iterable(in_turn(hand, _read_some, tasks, lambda: size))


Coming = tuple[Frame, Picture, Size]
"""A picture that is still to be read, without its hollow pixels, and how large its drawing is."""


def _coming(frame: Frame, picture: Picture) -> Coming:
    from ..sources.deferred import without_pixels

    height, width = picture.pixels.shape[:2]
    return frame, without_pixels(picture), Size(width, height)


def _read_some(coming: Iterable[Coming], look: FirstLook, crate: Crate) -> list[Late]:
    from ..sources.deferred import read_late

    found: list[Late] = []
    for frame, late, size in coming:
        picture = read_late(late, size, look)
        found.append((picture, "" if isinstance(picture, str) else source_crc(crate, frame, picture)))
    return found
