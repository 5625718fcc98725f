"""The first stop of the road: inputs become sequences of pictures, in order, decoded once on the given threads."""

from __future__ import annotations

import contextlib
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Sequence
from collections.abc import Set as AbstractSet
from functools import partial
from typing import TYPE_CHECKING, NamedTuple, TypeVar

from ..core.crate.origin import Origin
from ..core.errors import InputError
from ..core.frame.decode import FirstLook, Seen, seen
from ..core.limits import in_force, more_by
from ..core.message import Sentence, a_file, setting
from ..core.model.picture import Exposure, FrameSequence, Picture, Sequences
from ..core.motion.take import in_order
from ..core.names import said_once
from ..core.pixels import hollow
from ..core.text import bytes_shown, counted, few
from ..format.regular import read_regular
from ..sources.decode import MANY, Part, Way, hands, in_crate_order, part_of, read, unreadable, with_progress
from ..sources.find import Found, find
from ..sources.read_options import PLAIN, Reading, is_vector
from ..storage.pixel_store import Room
from ..workers.pool import Crew
from ..workers.progress import Progress

if TYPE_CHECKING:
    from ..storage.frame_cache import Keeping

T = TypeVar("T")

HELD_BEFORE_LATE = 1 << 28
"""Bytes of pixels that are read at once; beyond it, those that may come late are only measured."""


class Gathered(NamedTuple):
    """Sequences in crate order, and the drawings that they show, each once for each size of the build; what was passed
    over, and warnings that the user should read; and which files they came from, if frames are kept."""

    sequences: Sequences
    drawings: tuple[tuple[Picture, ...], ...]
    passed_over: Counter[str]
    warnings: tuple[Sentence, ...]
    files: tuple[Origin, ...] = ()


def gather(
    inputs: Sequence[str],
    own: AbstractSet[str],
    crew: Crew,
    progress: Progress,
    look: FirstLook,
    reading: Reading = PLAIN,
    kept: Keeping | None = None,
    may_be_late: bool = False,
    is_of_use: Callable[[str, str | None], bool] | None = None,
) -> Gathered:
    """Finds, decodes and orders the frames. Raises InputError, which names every picture that cannot be read.

    `look` is what is done to each picture at first sight, by the crew. With `kept`, what was seen before is not decoded
    again. Where pixels `may_be_late`, those of many frames are left to `sources.deferred`. A picture that cannot
    be read, and of which nothing `is_of_use` by its name and animation, is an empty one, for the take to leave out.
    """
    search = find(inputs, own)
    files = in_crate_order(search.found)
    if kept and not crew.readers:
        hand = hands(files, crew, None)  # what is kept is at hand only here
        read_now: Way[Seen] = partial(_kept_or_read, look=look, reading=reading, kept=kept)
    else:
        read_now = partial(read, see=partial(seen, look=look), reading=reading, with_digest=kept is not None)
        hand = hands(files, crew, MANY)
    total = 0

    def way() -> Way[Seen]:
        if not may_be_late or total < HELD_BEFORE_LATE:
            return read_now
        from ..sources.deferred import measured_or_read

        return partial(measured_or_read, look=look, reading=reading)

    warnings: list[Sentence] = []
    parts: list[Part[Seen]] = []
    damaged: list[str] = []
    foreign: list[str] = []
    changed: list[str] = []
    for file, result in with_progress(files, hand, progress, way):
        if isinstance(result, str) and is_of_use and not is_of_use(file.name, file.animation):
            parts.append(_empty(file, look, kept))
        elif isinstance(result, str):
            damaged.append(f"{a_file(file.path)} {result}")
        else:
            total += sum(its.nbytes for _, its, _ in result.frames)
            parts.append(_held(result, file, crew.room))
            if result.is_foreign:
                foreign.append(file.path)
            if result.has_changed:
                changed.append(file.path)
    if damaged:
        raise InputError(unreadable(damaged))
    if foreign and not reading.to_srgb:
        what = f"the colours of {counted(len(foreign), 'picture')} are not sRGB by their own profile or gamma"
        warnings.append(
            Sentence(f"{what}, and would look different: {few(foreign)}; {setting('to_srgb')} converts them")
        )
    if changed:
        what = f"{counted(len(changed), 'file')} changed while the folder was read: {few(changed)}"
        warnings.append(Sentence(f"{what}; what was read last is packed, so pack again when nobody writes there"))
    digests = tuple(
        Origin(file.name, file.animation or "", part.sha256)
        for file, part in zip(files, parts, strict=True)
        if part.sha256
    )
    drawings: list[tuple[Picture, ...]] = []
    sequences: list[FrameSequence] = []
    for name, together in by_animation(parts).items():
        frames = []
        for frame, its, milliseconds in (frame for part in together for frame in part.frames):
            frames.append(Exposure(frame, len(drawings), milliseconds))
            drawings.append(its.pictures)
        sequences.append(FrameSequence(name, tuple(frames), together[0].loop, together[0].times))
    if len(drawings) > (most := in_force().frames):
        raise InputError(f"there are {len(drawings):,} frames, and {most:,} are the most; {more_by('frames')}")
    return Gathered(in_order(sequences), tuple(drawings), search.passed_over, tuple(warnings), digests)


def _held(part: Part[Seen], file: Found, room: Room) -> Part[Seen]:
    """The part with its pixels in memory, or in a file where there are too many; hollow ones where they come late."""
    (name, first, time), *_ = part.frames
    if first.pictures[0].file:
        (picture,) = first.pictures
        hollowed = picture._replace(pixels=hollow(*picture.canvas))
        return part._replace(frames=((name, Seen((hollowed,)), time),))
    for _, its, _ in part.frames:
        if its.nbytes > room.limit:
            raise InputError(
                f"{a_file(file.path)} takes {bytes_shown(its.nbytes)} by itself, and {setting('memory')} leaves "
                f"{bytes_shown(room.limit)}; give more"
            )
    if room.has_room(sum(its.nbytes for _, its, _ in part.frames)):
        return part
    frames = (
        (name, Seen(tuple(p._replace(pixels=room.moved(p.pixels)) for p in its.pictures)), time)
        for name, its, time in part.frames
    )
    return part._replace(frames=tuple(frames))


def _empty(file: Found, look: FirstLook, kept: Keeping | None) -> Part[Seen]:
    """What stands for a picture that cannot be read."""
    sha256 = ""
    if kept:
        with contextlib.suppress(OSError):
            sha256 = kept.cache.noted(file.path, lambda: read_regular(file.path, "file_bytes"))[1]
    return Part(file.animation, ((file.name, seen(file.name, hollow(1, 1), look), None),), sha256=sha256)


def by_animation(parts: Iterable[Part[T]]) -> dict[str | None, list[Part[T]]]:
    """Parts of one animation together, in the order in which they come."""
    together: dict[str | None, list[Part[T]]] = defaultdict(list)
    for part in parts:
        together[part.animation].append(part)
    return together


def _kept_or_read(file: Found, look: FirstLook, reading: Reading, kept: Keeping) -> Part[Seen]:
    """A file as it was seen before, if it is what it was then; else read, and kept."""
    from ..storage.frame_cache import Reel, keep, named, recalled

    data, sha256 = b"", kept.cache.sha256(file.path)
    if not sha256:
        data, sha256 = kept.cache.noted(file.path, lambda: read_regular(file.path, "file_bytes"))
    if reel := recalled(kept, sha256):
        names = [f"{file.name}/{label}" if label else file.name for label, _, _ in reel.frames]
        frames = tuple((name, named(its, name), time) for name, (_, its, time) in zip(names, reel.frames, strict=True))
        animation = said_once(file.name) if reel.frames[0][0] else file.animation
        return Part(animation, frames, reel.loop, reel.times, reel.is_foreign, sha256)
    if not data:
        data, sha256 = kept.cache.noted(file.path, lambda: read_regular(file.path, "file_bytes"))
    part = part_of(file, data, partial(seen, look=look), reading)._replace(has_changed=len(data) != file.length)
    if is_vector(data):  # drawn again: that depends on more than these bytes
        return part._replace(sha256=sha256)
    labels = [(name[len(file.name) + 1 :], its, time) for name, its, time in part.frames]
    keep(kept, sha256, Reel(tuple(labels), part.loop, part.times, part.is_foreign))
    return part._replace(sha256=sha256)
