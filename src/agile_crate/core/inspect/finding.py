"""Finding types and codes of the survey."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import NewType

from ..message import Message, message, setting
from ..pixels import Pixels
from .facts import FrameFacts

ERROR, WARNING, NOTE = "error", "warning", "note"
SEVERITIES = (ERROR, WARNING, NOTE)
"""Nearly always wrong; worth a look; good to know."""

CODES = {
    "picture-unreadable": "a picture that cannot be read",
    "name-duplicate": "two pictures with one name",
    "number-missing": "a number is missing",
    "number-gap": "a large gap between numbers",
    "frame-stray": "a frame that fell out of its series",
    "number-duplicate": "a number appears twice",
    "number-digits": "numbers with different numbers of digits",
    "number-unpadded": "numbers beyond nine without zeros before the others",
    "name-case": "names that differ only in case",
    "name-generic": "a name that says nothing",
    "file-unrelated": "a picture beside an animation that is no frame of it",
    "color-profile": "a color profile or gamma other than sRGB",
    "light-infinite": "infinite light in a render",
    "canvas-differs": "canvases of different sizes in one animation",
    "scale-uneven": "a canvas that the wanted scale does not divide",
    "frame-empty": "nothing is visible",
    "background-solid": "no transparency, but a background of one color",
    "background-checkered": "no transparency, but a checkerboard painted",
    "alpha-none": "no transparency at all",
    "haze": "alpha too faint to see, which a trim keeps",
    "stray-pixels": "a stray spot far from the figure",
    "cut-off": "art that the canvas cuts off",
    "cycle": "a motion that starts over",
    "closing": "a last frame that equals the first",
    "duplicates": "exact copies",
    "near-duplicates": "neighbors that hardly differ",
    "jump": "one frame out of place",
    "frames-swapped": "two frames in the wrong order",
    "size-differs": "one frame larger or smaller than the others",
    "wobble": "feet and center of mass that move",
    "ground-differs": "animations of one character that stand on different lines",
    "tint-differs": "one frame in another tint",
    "edges-soft": "soft edges in hard-edged work",
    "edges-hard": "hard edges in soft-edged work",
    "fringe": "edges that keep the color of an old background",
    "colors-many": "more colors than pixel art has",
    "mirror-image": "an animation that mirrors another",
    "seam": "a tile that does not continue over its edge",
    "skin-incomplete": "frames of a skin that its base does not have, or the reverse",
    "skin-canvas": "a skin's frames on other canvases than the base's",
    "skin-ground": "a skin that stands on another line than its base",
    "skin-box": "a skin that sticks out far beyond its base",
    "skin-unchanged": "frames of a skin that show its base",
}
"""Every finding's code, and what it is about in a few words."""

Code = NewType("Code", str)
"""A code that CODES has."""


def codes(*names: str) -> tuple[Code, ...]:
    """Return finding codes by name. Every check asks for its codes as its module loads, so the program does not start
    with a code that the table does not have. Raises ValueError."""
    if unknown := [name for name in names if name not in CODES]:
        raise ValueError(f"core/inspect/finding.py: CODES does not have {', '.join(unknown)}")
    return tuple(map(Code, names))


@dataclass(frozen=True, slots=True)
class Finding:
    """A possible problem of a sequence. `frames` are names; empty where it concerns the whole sequence."""

    code: Code
    severity: str
    sequence: str
    frames: tuple[str, ...]
    what: str
    fix: Message


TRIED = 6
"""Frames on which a fix is tried before it is suggested."""

Again = Callable[[FrameFacts], Pixels]
"""A frame's pixels once more, shape (h, w, 4), straight alpha, for a second look at a suspicion."""


@dataclass(frozen=True, slots=True, eq=False)
class Surveyed:
    """A sequence in facts. The stills have the name None. `scale` is the factor by which a build will scale the frames;
    `loops` is False for one that plays once."""

    name: str | None
    frames: tuple[FrameFacts, ...]
    again: Again
    scale: Fraction = Fraction(1)
    loops: bool = True

    @property
    def label(self) -> str:
        """The sequence's name, ``stills`` for frames of no animation."""
        return "stills" if self.name is None else self.name

    @property
    def has_one_canvas(self) -> bool:
        """Return True if all frames have canvases of one size."""
        return len({frame.canvas for frame in self.frames}) == 1


Check = Callable[[Surveyed], Iterator[Finding]]


def finding(
    sequence: Surveyed, code: Code, severity: str, frames: Sequence[FrameFacts | str], what: str, fix: str
) -> Finding:
    """A finding of a sequence."""
    names = tuple(frame if isinstance(frame, str) else frame.name for frame in frames)
    return Finding(code, severity, sequence.label, names, what, Message(fix))


def left_out(names: Sequence[str]) -> Message:
    """Return the part of a fix that excludes the frames or animations of these names."""
    return message(" ".join(["{}"] * len(names)), *(setting("exclude", _literal(name)) for name in names))


def _literal(name: str) -> str:
    """A pattern that matches only this name."""
    return "".join(f"[{letter}]" if letter in "*?[" else letter for letter in name)


def some_of(frames: Sequence[FrameFacts]) -> list[FrameFacts]:
    """Return the frames on which a fix is tried: at most TRIED, evenly spread from the first to the last."""
    if len(frames) <= TRIED:
        return list(frames)
    return [frames[index * (len(frames) - 1) // (TRIED - 1)] for index in range(TRIED)]
