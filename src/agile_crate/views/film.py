"""Animations as films and strips, drawn only from a crate, by its pivots, as an engine would: the film shows what
ships."""

from __future__ import annotations

import io
import math
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import accumulate, pairwise
from typing import Literal, NamedTuple

import numpy as np
from PIL import Image, ImageDraw

from ..core.color import Color
from ..core.crate.changes import Draw
from ..core.errors import UsageError
from ..core.limits import Limits
from ..core.model.crate import Animation, Crate, Frame
from ..core.model.geometry import Offset, Size
from ..core.motion.stage import Stage, stage, turn
from ..core.pixels import Pixels
from ..core.rounding import half_up
from ..core.text import counted, shown
from .theme import (
    AFTER,
    BEFORE,
    FAINT,
    GROUND,
    INK,
    OUTLINE,
    PAPER,
    PIVOT,
    backdrop,
    enlarged,
    line_height,
    over,
    refuse_too_large,
    refuse_too_long,
    text_size,
    write,
)

PAD, LETTERS = 8, 12

ROUND_PIVOT = 8
"""View pixels that are kept on each side of the pivot when it, or the ground, is drawn."""

MOST_STEPS = 3000
"""Pictures of a film that shows several animations at once: beyond that it ends, and begins again."""


@dataclass(frozen=True, slots=True)
class FilmOptions:
    """Drawing options of films. `ground` None is a checkerboard, `clear` none at all; `onion` counts frames on each
    side."""

    ground: Color | None = None
    clear: bool = False
    zoom: int = 1
    onion: int = 0
    pivots: bool = False
    shapes: bool = False
    guide: Literal["", "line", "rosette"] = ""


class Timing(NamedTuple):
    """A film's pace: frames a second in place of the crate's own times, and a speed factor."""

    fps: Fraction | None = None
    speed: Fraction = Fraction(1)


class Film(NamedTuple):
    """Pictures of one size, how many milliseconds each is shown, and how many times all is played, 0 for ever."""

    pictures: list[Pixels]
    milliseconds: list[int]
    showings: int


def film_of(
    crate: Crate, animation: Animation, draw: Draw, options: FilmOptions, timing: Timing, limits: Limits
) -> Film:
    """Draw one animation, a picture for each step of a turn. Times are rounded so that they add up."""
    steps = turn(animation)
    room = _room([crate.frames[step.frame] for step in steps], options, limits)
    refuse_too_long(room.size.w * room.size.h * len(steps), options.zoom, limits)
    milliseconds = paced([step.milliseconds for step in steps], timing)
    frames, ground = [step.frame for step in steps], _ground(room, options)
    pictures = [_picture(crate, frames, at, room, draw, options, ground) for at in range(len(steps))]
    return Film(pictures, milliseconds, max(1, animation.times) if animation.loop == "once" else 0)


def paced(milliseconds: Sequence[Fraction], timing: Timing, unit: int = 1) -> list[int]:
    """Change the pace of times, in whole multiples of `unit` milliseconds whose sums stay as near as possible."""
    each = [1000 / timing.fps] * len(milliseconds) if timing.fps else milliseconds
    ends, sofar = [0], Fraction(0)
    for time in each:
        sofar += time / timing.speed
        ends.append(max(ends[-1] + unit, unit * half_up(sofar / unit)))
    return [end - begin for begin, end in pairwise(ends)]


def together(
    crate: Crate, animations: Sequence[Animation], draw: Draw, options: FilmOptions, timing: Timing, limits: Limits
) -> Film:
    """Draw several animations side by side, each under its name, until the longest has ended."""
    rooms = [
        _room([crate.frames[index] for index in animation.frames], options, limits).size for animation in animations
    ]
    turns = [len(turn(animation)) for animation in animations]
    refuse_too_long(
        sum(room.w * room.h * steps for room, steps in zip(rooms, turns, strict=True)), options.zoom, limits
    )
    films = [film_of(crate, animation, draw, options, timing, limits) for animation in animations]
    lengths = [sum(film.milliseconds) for film in films]
    begins = [[0, *accumulate(film.milliseconds[:-1])] for film in films]
    changes: set[int] = set()
    for starts, length in zip(begins, lengths, strict=True):
        for turn_begins in range(0, max(lengths), length):
            changes |= {turn_begins + at for at in starts if turn_begins + at < max(lengths)}
    tiles = _tiles([film.pictures[0] for film in films], [animation.name for animation in animations])
    refuse_too_large(tiles.size, 1, limits)
    most = min(MOST_STEPS, limits.view_pixels // (tiles.size.w * tiles.size.h))
    moments = sorted(changes)[:most]
    pictures = []
    for moment in moments:
        shots = []
        for film, starts, length in zip(films, begins, lengths, strict=True):
            shots.append(film.pictures[bisect_right(starts, moment % length) - 1])
        pictures.append(tiles.picture(shots, options))
    ends = [*moments[1:], max(lengths) if len(moments) < most else moments[-1] + 1]
    return Film(pictures, [end - begin for begin, end in zip(moments, ends, strict=True)], 0)


class _Tiles(NamedTuple):
    """The places of pictures and their names on one picture."""

    size: Size
    places: tuple[Offset, ...]
    names: tuple[str, ...]

    def picture(self, shots: Sequence[Pixels], options: FilmOptions) -> Pixels:
        """Return one picture of all tiles."""
        image = Image.new("RGBA", self.size, (0, 0, 0, 0) if options.clear else (*PAPER, 255))
        for shot, place, name in zip(shots, self.places, self.names, strict=True):
            image.paste(Image.fromarray(shot), place)
            write(image, (place.x, place.y + shot.shape[0] + 2), name, LETTERS, INK)
        return np.asarray(image)


def _tiles(pictures: Sequence[Pixels], names: Sequence[str]) -> _Tiles:
    """Arrange rooms in rows of about the same width, the whole about half as wide again as it is high."""
    rooms = [
        Size(max(picture.shape[1], text_size(shown(name), LETTERS).w), picture.shape[0] + line_height(LETTERS) + 2)
        for picture, name in zip(pictures, names, strict=True)
    ]
    area = sum((room.w + PAD) * (room.h + PAD) for room in rooms)
    most = max(max(room.w for room in rooms), int(math.sqrt(area * 1.6)))
    places, x, y, high, wide = [], PAD, PAD, 0, 0
    for room in rooms:
        if x > PAD and x + room.w > most + PAD:
            x, y, high = PAD, y + high + PAD, 0
        places.append(Offset(x, y))
        x, high = x + room.w + PAD, max(high, room.h)
        wide = max(wide, x)
    return _Tiles(Size(wide, y + high + PAD), tuple(places), tuple(map(shown, names)))


def strip_of(crate: Crate, animation: Animation, draw: Draw, options: FilmOptions, limits: Limits) -> Image.Image:
    """Draw all frames of an animation side by side in playing order, numbered from 1, for a review."""
    frames = list(animation.frames)
    room = _room([crate.frames[frame] for frame in frames], options, limits)
    ground = _ground(room, options)
    pictures = [_picture(crate, frames, at, room, draw, options, ground) for at in range(len(frames))]
    height, width = pictures[0].shape[:2]
    below = line_height(LETTERS) + 4
    columns = max(1, min(len(frames), 4096 // (width + PAD)))
    rows = -(-len(frames) // columns)
    size = (PAD + columns * (width + PAD), PAD + rows * (height + below + PAD) + below)
    image = Image.new("RGB", size, tuple(PAPER))
    for at, picture in enumerate(pictures):
        x, y = PAD + at % columns * (width + PAD), PAD + at // columns * (height + below + PAD)
        image.paste(Image.fromarray(picture[..., :3]), (x, y))
        text = f"{at + 1}"
        write(image, (x + (width - text_size(text, LETTERS).w) // 2, y + height + 2), text, LETTERS, INK)
    why = (
        f"{shown(animation.name)}   {counted(len(frames), 'frame')}   {sum(animation.durations)} ms   {animation.loop}"
    )
    write(image, (PAD, size[1] - below), why, LETTERS, FAINT)
    return image


def _room(frames: Sequence[Frame], options: FilmOptions, limits: Limits) -> Stage:
    """The stage of some frames, with room around the pivot for its mark. Raises UsageError if too large."""
    room = stage(frames)
    refuse_too_large(room.size, options.zoom, limits)
    around = -(-ROUND_PIVOT // options.zoom) if options.pivots or options.guide else 0
    below = max(around, room.size.w // 4) if options.guide == "rosette" else around
    if not around:
        return room
    left, top = max(0, around - room.origin.x), max(0, around - room.origin.y)
    right = max(0, room.origin.x + around - room.size.w)
    bottom = max(0, room.origin.y + below - room.size.h)
    return Stage(
        Size(room.size.w + left + right, room.size.h + top + bottom),
        tuple(Offset(place.x + left, place.y + top) for place in room.places),
        Offset(room.origin.x + left, room.origin.y + top),
    )


def _ground(room: Stage, options: FilmOptions) -> Pixels:
    """Return what every picture of a film begins with: the ground, and the guide on it."""
    size = Size(room.size.w * options.zoom, room.size.h * options.zoom)
    empty = np.zeros((size.h, size.w, 4), np.uint8)
    image = Image.fromarray(empty if options.clear else backdrop(size, options.ground))
    _guide(image, room, options)
    return np.array(image)


def _picture(
    crate: Crate, frames: Sequence[int], at: int, room: Stage, draw: Draw, options: FilmOptions, ground: Pixels
) -> Pixels:
    """Draw one step as a new picture: its frame on the `ground`, those before and after tinted below it, marks
    above."""
    ground = ground.copy()

    def put(step: int, tint: Color | None, strength: int) -> None:
        pixels = draw(frames[step])
        if tint:
            pixels = _tinted(pixels, tint)
        x, y = room.places[step]
        over(ground, enlarged(pixels, options.zoom), x * options.zoom, y * options.zoom, strength)

    for away in range(options.onion, 0, -1):
        strength = 150 * (options.onion + 1 - away) // options.onion
        for step, tint in ((at - away, BEFORE), (at + away, AFTER)):
            if 0 <= step < len(frames):
                put(step, tint, strength)
    put(at, None, 255)
    if not (options.pivots or options.shapes):
        return ground
    image = Image.fromarray(ground)
    _marks(image, crate.frames[frames[at]], room.places[at], options)
    return np.array(image)


def _tinted(pixels: Pixels, tint: Color) -> Pixels:
    """Move every color three quarters of the way to the tint; keep alpha."""
    result = pixels.copy()
    result[..., :3] = (pixels[..., :3].astype(np.uint16) + np.array(tint, np.uint16) * 3) // 4
    return result


def _guide(image: Image.Image, room: Stage, options: FilmOptions) -> None:
    """Draw the ground through the pivot: a line, or eight directions as seen at three quarters from above."""
    x, y = room.origin.x * options.zoom, room.origin.y * options.zoom
    draw = ImageDraw.Draw(image)
    if options.guide == "line":
        draw.line((0, y, image.width, y), fill=(*GROUND, 255))
    elif options.guide == "rosette":
        reach = max(image.size)
        for eighth in range(4):
            angle = math.pi * eighth / 4
            across, down = reach * math.cos(angle), reach * math.sin(angle) / 2
            draw.line((x - across, y - down, x + across, y + down), fill=(*GROUND, 255))


def _marks(image: Image.Image, frame: Frame, place: Offset, options: FilmOptions) -> None:
    draw = ImageDraw.Draw(image)
    if options.shapes and frame.shape:
        for polygon in frame.shape.polygons:
            points = [((place.x + x) * options.zoom, (place.y + y) * options.zoom) for x, y in polygon]
            draw.line([*points, points[0]], fill=(*OUTLINE, 255))
    if options.pivots:
        x, y = (half_up((at + q) * options.zoom) for at, q in zip(place, frame.pivot, strict=True))
        for reach, width, color in ((5, 3, PAPER), (4, 1, PIVOT)):
            draw.line((x - reach, y, x + reach, y), fill=(*color, 255), width=width)
            draw.line((x, y - reach, x, y + reach), fill=(*color, 255), width=width)


class FilmLimits(NamedTuple):
    """Limits of a film format: milliseconds of one picture and of all, showings, and pixels per side."""

    milliseconds: int
    total: int
    showings: int
    side: int


LIMITS = {
    ".gif": FilmLimits(655_350, 1 << 62, (1 << 16) - 1, (1 << 16) - 1),
    ".webp": FilmLimits((1 << 24) - 1, (1 << 31) - 1, (1 << 16) - 1, 16_383),
    ".apng": FilmLimits(65_535_000, 1 << 62, (1 << 31) - 1, 1 << 30),
}
"""GIF89a, sections 18 and 23; the WebP container, "Animation"; PNG, third edition, clause 11.3.6."""


def joined(film: Film) -> Film:
    """Join equal neighbors into one picture that is shown as long as both."""
    pictures: list[Pixels] = []
    milliseconds: list[int] = []
    for picture, time in zip(film.pictures, film.milliseconds, strict=True):
        if pictures and np.array_equal(pictures[-1], picture):
            milliseconds[-1] += time
        else:
            pictures.append(picture)
            milliseconds.append(time)
    return Film(pictures, milliseconds, film.showings)


def _refuse_beyond(film: Film, ending: str) -> None:
    """Raise UsageError for a film that a format cannot hold."""
    limits, longest = LIMITS[ending], max(film.milliseconds)
    height, width = film.pictures[0].shape[:2]
    beyond = (
        (longest, limits.milliseconds, "shows a picture for", "milliseconds"),
        (sum(film.milliseconds), limits.total, "lasts", "milliseconds"),
        (film.showings, limits.showings, "is shown", "times"),
        (max(width, height), limits.side, "has a side of", "pixels"),
    )
    for found, most, what, unit in beyond:
        if found > most:
            others = " or ".join(other for other in LIMITS if other != ending)
            raise UsageError(
                f"the film {what} {found:,} {unit}, and {most:,} are the most in a {ending} file; write {others} if it "
                "fits there, or pictures of the frames instead"
            )


def encoded(film: Film, ending: str) -> bytes:
    """The film as a file: ``.apng`` or ``.webp`` (both exact), or ``.gif``: 256 colors, and times in hundredths of a
    second, rounded so that they add up. Raises UsageError for what the format cannot hold."""
    film = joined(film)
    _refuse_beyond(film, ending)
    if ending == ".apng":
        from ..exports.film import encode_film

        return encode_film(*film)
    images = [Image.fromarray(picture) for picture in film.pictures]
    stream = io.BytesIO()
    loops = {"loop": 0} if film.showings == 0 else {"loop": film.showings}
    if ending == ".webp":
        images[0].save(
            stream, "WEBP", save_all=True, append_images=images[1:], duration=film.milliseconds, lossless=True,
            exact=True, **loops,
        )  # fmt: skip
        return stream.getvalue()
    times = paced([Fraction(ms) for ms in film.milliseconds], Timing(), unit=10)
    loops = {} if film.showings == 1 else {"loop": max(0, film.showings - 1)}
    images[0].save(
        stream, "GIF", save_all=True, append_images=images[1:], duration=times, disposal=2, optimize=False, **loops
    )
    return stream.getvalue()
