"""What is worth a look before packing: functions from the facts of a sequence's frames to findings.

Each yields Findings: a code, how bad it is, which frames, one sentence on what it is and what it does to the game, and
what mends it. docs/survey.md lists the codes with their formulas; the thresholds stand here, by name.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ..names import split_number
from ..rounding import half_up
from ..sentence import Sentence, setting
from ..text import counted, few, joined, measured
from .facts import FrameFacts

FAULT, DOUBT, NOTE = "fault", "doubt", "note"
SEVERITIES = (FAULT, DOUBT, NOTE)

LEAST_FOR_PATH = 5
"""Frames. A path cannot be told from fewer, nor can what departs from it."""

LEAST_JUMP = 0.6
"""Pixels that a frame's centre of mass must lie off its neighbours' middle."""

LEAST_TINT = 10.0
"""Levels of 255 that a frame's mean colour must lie off its neighbours' middle."""

ALONE = 3.0
"""A jump or tint must exceed what all other frames of the sequence do by this factor."""

ROUGHEST_SEAM = 2.0
"""A tile may differ over its edge by this much more than neighbouring columns differ inside it."""

NEARLY = 2
"""Levels of 255 by which no sampled pixel may differ in frames that are nearly equal."""

PIXEL_ART_COLOURS = 64
"""More colours than this in small, hard-edged art are remarked on."""

SAYS_NOTHING = frozenset({"frame", "frames", "image", "img", "picture", "render", "untitled", "layer", "new", "export"})


@dataclass(frozen=True, slots=True)
class Finding:
    """Something that was noticed. `frames` are names; empty where it concerns the whole sequence."""

    code: str
    severity: str
    sequence: str
    frames: tuple[str, ...]
    what: str
    remedy: Sentence


@dataclass(frozen=True, slots=True, eq=False)
class Surveyed:
    """A sequence in facts. The name None is that of the stills. `scale` is what the frames are to be scaled by."""

    name: str | None
    frames: tuple[FrameFacts, ...]
    scale: Fraction = Fraction(1)

    @property
    def label(self) -> str:
        return "stills" if self.name is None else self.name


def find_all(sequence: Surveyed) -> list[Finding]:
    """All findings of one sequence, the worst first, then in the order of the checks."""
    checks = STILL_CHECKS if sequence.name is None else ANIMATION_CHECKS
    found = [finding for check in checks for finding in check(sequence)]
    return sorted(found, key=lambda finding: SEVERITIES.index(finding.severity))


def _finding(
    sequence: Surveyed, code: str, severity: str, frames: Sequence[FrameFacts | str], what: str, remedy: str
) -> Finding:
    names = tuple(frame if isinstance(frame, str) else frame.name for frame in frames)
    return Finding(code, severity, sequence.label, names, what, Sentence(remedy))


def numbering(sequence: Surveyed) -> Iterator[Finding]:
    """Numbers that are missing, stand there twice, or have different numbers of digits."""
    parts = [(frame, frame.name.rpartition("/")[2]) for frame in sequence.frames]
    numbered = [(frame, number, last) for frame, last in parts if (number := split_number(last)[1]) is not None]
    numbers = Counter(number for _, number, _ in numbered)
    if numbers:
        missing = [str(n) for n in range(min(numbers), min(max(numbers), min(numbers) + 9999)) if n not in numbers]
        if missing:
            what = f"{'number' if len(missing) == 1 else 'numbers'} {few(missing)} missing: the motion skips there"
            yield _finding(sequence, "number-missing", FAULT, (), what, "export the missing frames, or renumber")
    twice = [(frame, number) for frame, number, _ in numbered if numbers[number] > 1]
    if twice:
        which = few(sorted({str(number) for _, number in twice}))
        what = f"number {which} appears twice: both are played, one after the other"
        yield _finding(
            sequence, "number-twice", FAULT, [f for f, _ in twice], what, f"{setting('exclude')} one of the two"
        )
    digits = [re.findall("[0-9]+", last)[-1] for *_, last in numbered]
    if len({len(number) for number in digits}) > 1 and any(len(n) > 1 and n[0] == "0" for n in digits):
        what = "numbers have different numbers of digits: other programs may put such frames in the wrong order"
        yield _finding(sequence, "number-digits", DOUBT, (), what, "nothing to do: frames are ordered by value")


def plain_name(sequence: Surveyed) -> Iterator[Finding]:
    """A name that says nothing."""
    last = sequence.label.rpartition("/")[2].lower()
    if last in SAYS_NOTHING:
        what = f"the name '{last}' says nothing: an engine with two such sheets cannot tell them apart"
        yield _finding(sequence, "name-says-nothing", NOTE, (), what, setting("rename", f"{sequence.label}=NAME"))


def canvases(sequence: Surveyed) -> Iterator[Finding]:
    """Canvases of different sizes in one animation."""
    sizes = Counter(frame.canvas for frame in sequence.frames)
    if len(sizes) > 1:
        usual = sizes.most_common(1)[0][0]
        odd = [frame for frame in sequence.frames if frame.canvas != usual]
        others = few(measured(size) for size in sizes if size != usual)
        what = f"the canvas is {others} here and {measured(usual)} elsewhere: the figure may shift between frames"
        yield _finding(
            sequence,
            "canvas-differs",
            FAULT,
            odd,
            what,
            f"{setting('canvas', 'animation')}; {setting('align')} says where they stand",
        )


def scaling(sequence: Surveyed) -> Iterator[Finding]:
    """Canvases that do not come out in whole pixels at the wanted scale."""
    uneven = [f for f in sequence.frames if any((side * sequence.scale).denominator > 1 for side in f.canvas)]
    if uneven:
        w, h = (float(side * sequence.scale) for side in uneven[0].canvas)
        what = f"the canvas {measured(uneven[0].canvas)} scales to {w:g} × {h:g}: edges fall between pixels and blur"
        yield _finding(sequence, "scale-uneven", DOUBT, uneven, what, "export on a canvas that the scale divides")


def emptiness(sequence: Surveyed) -> Iterator[Finding]:
    """Frames in which nothing is seen."""
    empty = [frame for frame in sequence.frames if frame.seen is None]
    if empty:
        what = "nothing is visible: the figure disappears for this long"
        yield _finding(sequence, "frame-empty", FAULT, empty, what, f"draw it, or {setting('exclude')} it")


def background(sequence: Surveyed) -> Iterator[Finding]:
    """No transparency at all, and the colour that all corners share."""
    opaque = [frame for frame in sequence.frames if frame.opaque]
    solid = [frame for frame in opaque if frame.corner is not None]
    if solid:
        colour = "#" + "".join(f"{value:02x}" for value in Counter(f.corner for f in solid).most_common(1)[0][0] or ())
        what = f"no transparency: the background is solid {colour} and will be drawn"
        yield _finding(sequence, "background-solid", FAULT, solid, what, setting("color_key", colour))
    elif opaque:
        what = "no transparency at all: right for a tile or a backdrop, not for a figure"
        yield _finding(sequence, "alpha-none", NOTE, opaque, what, "export with a transparent background")


def haze(sequence: Surveyed) -> Iterator[Finding]:
    """Alpha so low that nobody sees it, far outside of what is seen."""
    hazy = [frame for frame in sequence.frames if frame.haze]
    if hazy:
        floor = max(frame.haze for frame in hazy)
        what = f"haze: alpha up to {floor} of 255 where nothing is visible; trimming keeps it, so sheets grow"
        yield _finding(sequence, "haze", FAULT, hazy, what, f"{setting('trim')} with {setting('alpha_floor', floor)}")


def specks(sequence: Surveyed) -> Iterator[Finding]:
    """Stray spots far from the body."""
    spotted = [frame for frame in sequence.frames if frame.specks]
    if spotted:
        x, y, pixels = spotted[0].specks[0]
        what = f"a stray spot of {counted(pixels, 'pixel')} at {x},{y}, far from the figure: trimming keeps all between"
        yield _finding(sequence, "speck", FAULT, spotted, what, "rub it out")


def edges(sequence: Surveyed) -> Iterator[Finding]:
    """Art that reaches the canvas edge, and so may be cut off."""
    touching = [frame for frame in sequence.frames if frame.touches and not frame.opaque and frame.seam_x is None]
    if touching:
        sides = joined(side for side in ("left", "right", "top", "bottom") if any(side in f.touches for f in touching))
        what = f"the art reaches the {sides} edge of the canvas: it may be cut off, and its neighbours may bleed in"
        yield _finding(
            sequence,
            "edge-touched",
            FAULT,
            touching,
            what,
            f"export on a larger canvas; {setting('gap')} keeps neighbours off",
        )


def repeats(sequence: Surveyed) -> Iterator[Finding]:
    """The loop length where frames start over, a last frame that equals the first, and other exact copies."""
    digests = [frame.digest for frame in sequence.frames]
    count = len(digests)
    length = next((length for length in range(2, count - 1) if _starts_over(digests, length)), 0)
    if length:
        what = f"frames from {length + 1} on repeat those from the start: the cycle is {length} long"
        remedy = setting("frames", f"{sequence.label}=1-{length}")
        yield _finding(sequence, "cycle", FAULT, sequence.frames[length:], what, remedy)
        return
    if count > 2 and digests[0] == digests[-1] and len(set(digests)) > 1:
        what = "the last frame equals the first: a loop shows it twice and hitches"
        yield _finding(sequence, "closing", FAULT, sequence.frames[-1:], what, setting("drop_closing"))
        digests = digests[:-1]
    first: dict[tuple[int, ...], str] = {}
    named = zip(sequence.frames, digests, strict=False)
    copies = [frame for frame, digest in named if first.setdefault(digest, frame.name) != frame.name]
    near = [b for a, b in pairwise(sequence.frames) if a.digest != b.digest and _nearly_equal(a, b)]
    if near:
        what = "hardly differs from the frame before: nobody notices it in motion, but it takes a frame of its own"
        yield _finding(
            sequence,
            "copies-nearly",
            NOTE,
            near,
            what,
            f"{setting('exclude')} it, and {setting('hold')} the one before",
        )
    if copies:
        what = f"{counted(len(copies), 'exact copy', 'exact copies')} of other frames: they cost memory in a grid"
        yield _finding(sequence, "copies", NOTE, copies, what, f"{setting('drop_copies')} where they follow each other")


def _starts_over(digests: Sequence[object], length: int) -> bool:
    """Whether everything from `length` on repeats what came so many frames before; standing still is no cycle."""
    return len(set(digests[:length])) > 1 and all(a == b for a, b in zip(digests, digests[length:], strict=False))


def _nearly_equal(a: FrameFacts, b: FrameFacts) -> bool:
    return a.canvas == b.canvas and bool(np.abs(a.sample - b.sample).max() <= NEARLY)


def _departure(path: np.ndarray) -> tuple[int, np.ndarray] | None:
    """The one frame of a path, shape (n, d), that goes off and comes back, and by how much; None if there is none.

    It lies off the middle of its neighbours by more than they lie off each other, and by ALONE times more than any
    other frame does off its own (its neighbours, which it drags along, left aside).
    """
    if len(path) < LEAST_FOR_PATH:
        return None
    off = np.zeros_like(path)
    off[1:-1] = path[1:-1] - (path[:-2] + path[2:]) / 2
    size = np.linalg.norm(off, axis=1)
    worst = int(size.argmax())
    others = np.delete(size, [i for i in (worst - 1, worst, worst + 1) if 0 <= i < len(size)])
    others = others[others > 0]
    if len(others) and size[worst] <= ALONE * others.max():
        return None
    if size[worst] == 0 or size[worst] <= np.linalg.norm(path[worst + 1] - path[worst - 1]):
        return None
    return worst, off[worst]


def jump(centres: NDArray[np.float64]) -> tuple[int, NDArray[np.float64]] | None:
    """The one point of a path, shape (n, 2), that lies off its neighbours' middle as no other does, and by how much;
    None if there is none, or if it is off by less than LEAST_JUMP."""
    departure = _departure(centres)
    return departure if departure and np.abs(departure[1]).max() >= LEAST_JUMP else None


def motion(sequence: Surveyed) -> Iterator[Finding]:
    """One frame off its neighbours' path, and how far the feet wander."""
    centres = [frame.mass for frame in sequence.frames if frame.mass is not None]
    if len(centres) == len(sequence.frames):
        departure = jump(np.array(centres))
        if departure:
            frame = sequence.frames[departure[0]]
            x, y = map(half_up, departure[1].tolist())
            what = f"jumps off its neighbours' path by {x:+d},{y:+d} pixels for one frame: the figure twitches"
            yield _finding(sequence, "jump", FAULT, [frame], what, f"move that frame by {-x:+d},{-y:+d}")
    yield from _wobble(sequence)


def _wobble(sequence: Surveyed) -> Iterator[Finding]:
    feet = np.array([frame.feet for frame in sequence.frames if frame.feet is not None])
    mass = np.array([frame.mass for frame in sequence.frames if frame.mass is not None])
    if len(feet) < 2 or np.ptp(feet[:, 1]) == 0:
        return
    across, along = np.ptp(mass, axis=0)
    what = (
        f"the feet line moves by {np.ptp(feet[:, 1]):g} pixels, the centre of mass by {across:.1f} across "
        f"and {along:.1f} up and down: right for a jump or a dive, not for standing still"
    )
    yield _finding(sequence, "wobble", NOTE, (), what, "watch it play")


def colours(sequence: Surveyed) -> Iterator[Finding]:
    """A frame whose mean colour departs from its neighbours', and soft edges in hard-edged work."""
    means = [frame.colour for frame in sequence.frames if frame.colour is not None]
    if len(means) == len(sequence.frames):
        departure = _departure(np.array(means))
        if departure and float(np.linalg.norm(departure[1])) >= LEAST_TINT:
            frame = sequence.frames[departure[0]]
            off = zip(("red", "green", "blue"), departure[1].tolist(), strict=True)
            shift = ", ".join(f"{name} {half_up(value):+d}" for name, value in off)
            what = f"its colours depart from its neighbours' ({shift}): the figure flickers"
            yield _finding(sequence, "colour-departs", FAULT, [frame], what, "export it again with the others' palette")
    soft = [frame for frame in sequence.frames if frame.partial > 0]
    if soft and len(soft) * 4 <= len(sequence.frames):
        what = "soft edges, where the other frames have hard ones: it looks blurred for a moment"
        yield _finding(
            sequence, "edges-soft", DOUBT, soft, what, f"{setting('hard_alpha', 128)}, or export it without smoothing"
        )


def pixel_art(sequence: Surveyed) -> Iterator[Finding]:
    """More colours than pixel art has, in small hard-edged work."""
    hard = all(frame.partial == 0 for frame in sequence.frames)
    rich = [frame for frame in sequence.frames if frame.colours > PIXEL_ART_COLOURS]
    if hard and rich:
        most = max(frame.colours for frame in rich)
        what = f"up to {most:,} colours in small hard-edged art: more than pixel art has; smoothed or saved lossily?"
        yield _finding(
            sequence, "colours-many", NOTE, rich, what, f"{setting('palette', 'FILE')}, or export again from it"
        )


def seams(sequence: Surveyed) -> Iterator[Finding]:
    """Tiles whose edges do not continue."""
    across = [frame for frame in sequence.frames if (frame.seam_x or 0) > ROUGHEST_SEAM]
    along = [frame for frame in sequence.frames if (frame.seam_y or 0) > ROUGHEST_SEAM]
    for torn, sides in ((across, "right edge does not continue at the left"), (along, "bottom edge, at the top")):
        if torn:
            what = f"a tile whose {sides}: a line shows where it repeats"
            yield _finding(sequence, "seam", FAULT, torn, what, "paint over the edge, or export the whole period")


Check = Callable[[Surveyed], Iterator[Finding]]
STILL_CHECKS: tuple[Check, ...] = (scaling, emptiness, background, haze, specks, edges, seams)
ANIMATION_CHECKS: tuple[Check, ...] = (
    numbering, plain_name, canvases, scaling, emptiness, background, haze, specks, edges, repeats, motion, colours,
    pixel_art,
)  # fmt: skip


def union_box(frames: Sequence[FrameFacts]) -> tuple[int, int]:
    """The size of the one rectangle that holds what is kept of all frames (canvases laid on each other's top left)."""
    boxes = [frame.kept for frame in frames if frame.kept is not None]
    if not boxes:
        return 0, 0
    return (
        max(box.right for box in boxes) - min(box.x for box in boxes),
        max(box.bottom for box in boxes) - min(box.y for box in boxes),
    )


def budget(frames: Sequence[FrameFacts]) -> tuple[int, int]:
    """Bytes of all frames as separate textures, and the side of the smallest square power of two with that area."""
    area = sum(frame.canvas.w * frame.canvas.h for frame in frames)
    side = 1
    while side * side < area:
        side *= 2
    return area * 4, side


def transparency(frames: Sequence[FrameFacts]) -> str:
    """How a sequence uses alpha: none, hard, or soft."""
    if all(frame.opaque for frame in frames):
        return "none"
    return "soft" if any(frame.partial > 0 for frame in frames) else "hard"
