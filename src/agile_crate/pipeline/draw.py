"""Drawing: the sheets of a plan, one after the other; a large sheet in bands."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import chain

from ..core.crate.draw import Placed, draw_rows
from ..core.crate.edits import source_crc
from ..core.errors import InputError
from ..core.frame.decode import Decoding
from ..core.limits import Limits
from ..core.message import a_file, message
from ..core.model.crate import Crate, Frame
from ..core.model.geometry import Offset, Size
from ..core.model.picture import Picture
from ..core.pixels import Pixels
from ..sources.decode import Unreadable, unreadable
from ..workers.ordered import in_turn
from .context import Context
from .describe import Plan
from .prepare import SMALL_FRAME_PIXELS, decoding_of

MANY_DEFERRED = 200
"""So many small frames that are still to be read are read by several processes."""

BATCH_PIXELS = 1 << 20
"""Of frames that are read at a time."""


def placed(picture: Picture, frame: Frame) -> Placed:
    """Return a frame's pixels to draw."""
    stored, part = picture.stored_box, picture.part
    return Placed(picture.pixels, Offset(part.x - stored.x, part.y - stored.y), frame.box, frame.turned)


def placed_of(plan: Plan, variant: int = 0) -> list[Placed | None]:
    """Return the pixels to draw of each frame of a variant, in order; None for those that share the box of another."""
    frames = zip(plan.variants[variant].pictures, plan.crate.frames, plan.drawn, strict=True)
    return [placed(picture, frame) if wanted else None for picture, frame, wanted in frames]


class SheetRows:
    """The rows of one sheet of a variant, straight alpha, asked for from top to bottom, each time together with at most
    `again` rows of those before; or the whole sheet at once.

    Deferred frames are read when the first of their rows is asked for, and released after the last one, so that memory
    holds no more than a band of them; `crcs` has their CRCs by then. `done` is how many frames have been drawn.
    """

    def __init__(self, plan: Plan, variant: int, index: int, context: Context, again: int = 0) -> None:
        self.done = 0
        self.crcs: dict[int, str] = {}
        self._plan, self._context, self._again = plan, context, again
        self._pictures = plan.variants[variant].pictures
        self._sheet = plan.crate.sheets[index]
        frames = enumerate(zip(plan.crate.frames, plan.drawn, strict=True))
        numbers = [number for number, (frame, wanted) in frames if frame.on_sheet == index and wanted]
        self._coming = sorted(numbers, key=self._top, reverse=True)
        self._held: list[tuple[int, Placed]] = []

    def __call__(self, rows: range) -> Pixels:
        self._held = [(bottom, drawing) for bottom, drawing in self._held if bottom > rows.start]
        coming = []
        while self._coming and self._top(self._coming[-1]) < rows.stop:
            coming.append(self._coming.pop())
        held = [drawing for _, drawing in self._held]
        return draw_rows(self._sheet.size.w, rows, chain(held, self._arriving(coming, rows)), self._sheet.edge_repeat)

    def _top(self, number: int) -> int:
        return self._plan.crate.frames[number].box.y - self._sheet.edge_repeat

    def _bottom(self, number: int) -> int:
        return self._plan.crate.frames[number].box.bottom + self._sheet.edge_repeat

    def _arriving(self, numbers: Sequence[int], rows: range) -> Iterator[Placed]:
        for number, picture in self._with_pixels(numbers):
            drawing = placed(picture, self._plan.crate.frames[number])
            if (bottom := self._bottom(number)) > rows.stop - self._again:
                self._held.append((bottom, drawing))
            self.done += 1
            yield drawing

    def _with_pixels(self, numbers: Sequence[int]) -> Iterator[tuple[int, Picture]]:
        yield from ((number, self._pictures[number]) for number in numbers if not self._pictures[number].file)
        deferred = [number for number in numbers if self._pictures[number].file]
        for number, (picture, crc) in zip(deferred, self._read(deferred), strict=True):
            if isinstance(picture, Unreadable):
                raise self._unreadable({number: picture.reason})
            self.crcs[number] = crc
            yield number, picture

    def _unreadable(self, reasons: dict[int, str]) -> InputError:
        """Return the error that names every picture of the plan that cannot be read, besides those that are known."""
        others = [number for number, picture in enumerate(self._pictures) if picture.file and number not in reasons]
        for number, (picture, _) in zip(others, self._read(others), strict=True):
            if isinstance(picture, Unreadable):
                reasons[number] = picture.reason
        return InputError(
            unreadable([message("{} {}", a_file(self._pictures[n].file), reasons[n]) for n in sorted(reasons)])
        )

    def _read(self, numbers: Sequence[int]) -> Iterator[ReadPicture]:
        """Read deferred pictures, in order."""
        if not numbers:
            return iter(())
        plan, pool = self._plan, self._context.pool
        waiting = [_deferred(plan.crate.frames[number], self._pictures[number]) for number in numbers]
        pixels = sum(size.w * size.h for _, _, size in waiting)
        each = max(1, BATCH_PIXELS * len(waiting) // pixels)
        is_small = pixels < SMALL_FRAME_PIXELS * len(waiting)
        hand = pool.small_frames_pool(len(waiting) >= MANY_DEFERRED) if is_small else pool
        crate = plan.crate._replace(frames=(), animations=())  # travels to other processes: only what they need
        ways = decoding_of((plan.settings,)), crate, self._context.limits
        tasks = ((waiting[start : start + each], *ways) for start in range(0, len(waiting), each))
        size = 4 * each * pixels // len(waiting)
        return chain.from_iterable(in_turn(hand, _read_some, tasks, lambda: size))


ReadPicture = tuple[Picture | Unreadable, str]
"""A picture with its CRC, or why it cannot be read."""

Deferred = tuple[Frame, Picture, Size]
"""A picture that is still to be read, without its placeholder, and how large its drawing is."""


def _deferred(frame: Frame, picture: Picture) -> Deferred:
    from ..sources.deferred import without_pixels

    height, width = picture.pixels.shape[:2]
    return frame, without_pixels(picture), Size(width, height)


def _read_some(waiting: Iterable[Deferred], decoding: Decoding, crate: Crate, limits: Limits) -> list[ReadPicture]:
    from ..sources.deferred import read_deferred

    found: list[ReadPicture] = []
    for frame, picture, size in waiting:
        read = read_deferred(picture, size, decoding, limits)
        found.append((read, "" if isinstance(read, Unreadable) else source_crc(crate, frame, read)))
    return found
