"""Turn placed frames into the crate: the values of every metadata format."""

from collections.abc import Mapping, Sequence
from fractions import Fraction

from ..arrange.arrangement import SheetPlan, Spot
from ..model.crate import Animation, Frame, Loop
from ..model.geometry import Offset
from ..model.picture import FrameSequence, Picture
from ..model.sheet import Sheet
from ..motion.timing import beats_of, durations, rate_of


def described_frames(pictures: Sequence[Picture], spots: Sequence[Spot]) -> tuple[Frame, ...]:
    """The frames of an arrangement, in order. A frame that is stored as its mirror image has the offset that it has
    before it is flipped back with its canvas."""
    return tuple(_frame(picture, spot) for picture, spot in zip(pictures, spots, strict=True))


def _frame(picture: Picture, spot: Spot) -> Frame:
    stored, canvas = picture.stored_box, picture.canvas
    offset = Offset(
        canvas.w - stored.right if "x" in spot.mirror else stored.x,
        canvas.h - stored.bottom if "y" in spot.mirror else stored.y,
    )
    box = spot.box(stored.size)
    return Frame(
        picture.name, spot.on_sheet, box, canvas, offset, picture.pivot, spot.turned, spot.mirror, picture.shape
    )


def described_sheets(images: Sequence[str], plans: Sequence[SheetPlan]) -> tuple[Sheet, ...]:
    """Return sheets under their file names."""
    return tuple(
        Sheet(image, plan.size, plan.cells, "", plan.gap, plan.margin, plan.edge_repeat, plan.blocks)
        for image, plan in zip(images, plans, strict=True)
    )


def described_animations(
    sequences: Sequence[FrameSequence],
    times: Mapping[str, Sequence[Fraction]],
    asked_rate: Mapping[str, Fraction | None],
    loop: Mapping[str, Loop | None],
) -> tuple[Animation, ...]:
    """The animations of sequences whose pictures are the crate's frames, in order.

    `times` are the exact milliseconds of each one's frames, `asked_rate` the frames a second that were asked for, if
    any. `loop` is what was asked for; None: what the source says.
    """
    animations: list[Animation] = []
    first = 0
    for sequence in sequences:
        indices = tuple(range(first, first + len(sequence.frames)))
        first += len(indices)
        if (name := sequence.name) is None:
            continue
        wanted_loop = loop[name]
        repeats = (wanted_loop, 0) if wanted_loop else (sequence.loop or "forever", sequence.times)
        rate = rate_of(times[name], asked_rate[name])
        beats = beats_of(times[name], rate) if rate else ()
        animations.append(Animation(name, indices, durations(times[name]), *repeats, rate, beats))
    return tuple(animations)
