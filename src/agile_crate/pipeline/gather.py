"""Turn inputs into sequences of pictures, in order; decode every file once."""

from __future__ import annotations

import contextlib
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import partial
from typing import TYPE_CHECKING, NamedTuple, TypeVar

import numpy as np

from ..core.crate.origin import Origin
from ..core.errors import InputError
from ..core.frame.decode import DecodedFrame, Decoding, decoded
from ..core.glued import split_remark
from ..core.limits import USUAL, Limits, raise_hint
from ..core.message import Message, a_file, message
from ..core.model.picture import FrameSequence, Picture, SequenceFrame, Sequences
from ..core.motion.take import in_order
from ..core.names import animations_of, frame_key, leads_out, without_repetition
from ..core.pixels import Pixels, placeholder
from ..core.text import bytes_shown, counted, few, quoted
from ..format.regular import read_regular
from ..sources.decode import MANY_FILES, DecodedPart, Make, Way, part_of, read, readers_for, unreadable, with_progress
from ..sources.find import Found, Search
from ..sources.read_options import ReadOptions
from ..sources.source_formats import format_of
from .context import Context

if TYPE_CHECKING:
    from ..storage.frame_cache import FrameCache

T = TypeVar("T")

BYTES_BEFORE_DEFERRING = 1 << 28
"""Pixels that are decoded at once; beyond that, those that may be deferred are only measured."""


class Gathered(NamedTuple):
    """The frames of one layer's inputs.

    sequences  in crate order
    drawings   which they show, each once for each size of the build
    skipped    counts files that are no frames, by kind
    warnings, remarks   for the user
    files      which the frames came from, if frames are cached
    """

    sequences: Sequences
    drawings: tuple[tuple[Picture, ...], ...]
    skipped: Counter[str]
    warnings: tuple[Message, ...]
    files: tuple[Origin, ...] = ()
    remarks: tuple[Message, ...] = ()


def gather(
    search: Search,
    decoding: Decoding,
    options: ReadOptions,
    context: Context,
    may_defer: bool = False,
    is_used: Callable[[str, str | None], bool] = lambda *_: True,
) -> Gathered:
    """Decode and order the frames of some files.

    With the build cache, frames that it holds are not decoded again. If pixels `may_defer`, those of many frames are
    left to `sources.deferred`. A picture that cannot be read, but by its name and animation is not used, becomes an
    empty one, which the selection leaves out. Raises InputError that names every picture that cannot be read.
    """
    files = search.found
    frames = _frame_cache(decoding, options, context)
    parts: list[DecodedPart[DecodedFrame]] = []
    wrong: list[Message] = []
    for file, part in _decoded(files, decoding, options, context, frames, may_defer):
        if not part.error:
            parts.append(held(part, file, context))
        elif is_used(file.name, file.animation):
            wrong.append(message("{} {}", a_file(file.path), part.error))
        else:
            parts.append(_empty(file, decoding, frames, context))
    if wrong:
        raise InputError(unreadable(wrong))
    warnings = tuple(_warnings(files, parts, options))
    gathered = _gathered(parts, search.skipped, warnings, tuple(_origins(files, parts)), context)
    return gathered._replace(
        remarks=(*_remarks(search), *hidden_layers(zip(files, (part.hidden for part in parts), strict=True)))
    )


def hidden_layers(counts: Iterable[tuple[Found, int]]) -> Iterator[Message]:
    """Yield a remark with the number of skipped layers, from the number of each file."""
    hidden = {file.path: count for file, count in counts if count}
    if hidden:
        count, verb = sum(hidden.values()), "was" if sum(hidden.values()) == 1 else "were"
        what = f"{counted(count, 'hidden layer')} of {few(hidden)} {verb} skipped"
        yield message("{}; {layers:all} takes {}", what, "it" if count == 1 else "them")


def _remarks(search: Search) -> Iterator[Message]:
    if search.glued:
        yield split_remark(search.glued)
    if search.is_reordered:
        yield message("frames are in the order of their names; {order:given} keeps the order of the command line")


def gather_arrays(arrays: Mapping[str, Pixels], decoding: Decoding, context: Context) -> Gathered:
    """Sort frames that are in memory already into sequences, by their names. Raises InputError for any other array."""
    for name, pixels in arrays.items():
        if not isinstance(pixels, np.ndarray) or pixels.dtype != np.uint8 or pixels.shape[2:] != (4,):
            raise InputError(f"{quoted(name)} is not an array of uint8 with the shape (height, width, 4)")
        if leads_out(name) or not pixels.size:
            raise InputError(f"{quoted(name)} cannot be a frame: give it a name such as swim/swim_01, and pixels")
    animations = animations_of(list(arrays), [name.rpartition("/")[0] for name in arrays])
    frames = sorted(zip(arrays, animations, strict=True), key=lambda frame: frame_key(*frame))
    parts = [
        DecodedPart(animation, ((name, decoded(name, arrays[name], decoding), None),)) for name, animation in frames
    ]
    return gather_parts(parts, context)


def gather_parts(parts: Sequence[DecodedPart[DecodedFrame]], context: Context) -> Gathered:
    """Sort frames that were decoded already into sequences. Raises InputError for more than the limits allow."""
    return _gathered(parts, Counter(), (), (), context)


def _gathered(
    parts: Sequence[DecodedPart[DecodedFrame]],
    skipped: Counter[str],
    warnings: tuple[Message, ...],
    origins: tuple[Origin, ...],
    context: Context,
) -> Gathered:
    """Return the sequences that parts, which are in crate order, make up, and their drawings."""
    drawings: list[tuple[Picture, ...]] = []
    frames: dict[str | None, list[SequenceFrame]] = defaultdict(list)
    for part in parts:
        for frame, pictures, milliseconds in part.frames:
            frames[part.animation].append(SequenceFrame(frame, len(drawings), milliseconds))
            drawings.append(pictures.pictures)
    first = {part.animation: part for part in reversed(parts)}
    sequences = [FrameSequence(name, tuple(own), first[name].loop, first[name].times) for name, own in frames.items()]
    if len(drawings) > (most := context.limits.frames):
        raise InputError("there are {:,} frames, and {:,} are the most; {}", len(drawings), most, raise_hint("frames"))
    return Gathered(in_order(sequences), tuple(drawings), skipped, warnings, origins)


def _frame_cache(decoding: Decoding, options: ReadOptions, context: Context) -> FrameCache | None:
    if not context.cache:
        return None
    from ..storage.frame_cache import frame_cache

    return frame_cache(context.cache, context.program, decoding, options._replace(limits=USUAL))


def _decoded(
    files: Sequence[Found],
    decoding: Decoding,
    options: ReadOptions,
    context: Context,
    frames: FrameCache | None,
    may_defer: bool,
) -> Iterator[tuple[Found, DecodedPart[DecodedFrame]]]:
    """Yield each file with what it holds, or why it cannot be read."""
    make = partial(decoded, decoding=decoding)
    if frames and not context.pool.readers:
        hand = readers_for(files, context.pool, None)  # the cache is open in this process alone
        whole: Way[DecodedFrame] = partial(_cached_or_read, make=make, options=options, frames=frames)
    else:
        hand = readers_for(files, context.pool, MANY_FILES)
        whole = partial(read, make=make, options=options, with_digest=frames is not None)
    held = 0

    def way() -> Way[DecodedFrame]:
        """Return how the next files are read: few frames are held whole, for a sheet needs their pixels soon anyway."""
        if not may_defer or held < BYTES_BEFORE_DEFERRING:
            return whole
        from ..sources.deferred import measured_or_read

        return partial(measured_or_read, decoding=decoding, options=options)

    for file, part in with_progress(files, hand, context.progress, way):
        held += sum(frame.nbytes for _, frame, _ in part.frames)
        yield file, part


def _warnings(
    files: Sequence[Found], parts: Sequence[DecodedPart[DecodedFrame]], options: ReadOptions
) -> Iterator[Message]:
    pairs = list(zip(files, parts, strict=True))
    foreign = [file.path for file, part in pairs if part.is_foreign]
    if foreign and not options.to_srgb:
        what = f"the colors of {counted(len(foreign), 'picture')} are not sRGB by their own profile or gamma"
        yield message("{}, and would look different: {}; {to_srgb} converts them", what, few(foreign))
    if changed := [file.path for file, part in pairs if part.has_changed]:
        what = f"{counted(len(changed), 'file')} changed while the folder was read: {few(changed)}"
        yield Message(f"{what}; what was read last is packed, so pack again when nobody writes there")


def _origins(files: Sequence[Found], parts: Sequence[DecodedPart[DecodedFrame]]) -> Iterator[Origin]:
    for file, part in zip(files, parts, strict=True):
        if part.sha256:
            yield Origin(file.name, file.animation or "", part.sha256)


def held(part: DecodedPart[DecodedFrame], file: Found, context: Context) -> DecodedPart[DecodedFrame]:
    """Return the part with its pixels in memory while it has room, otherwise in the pixel store's file.

    Pixels that are deferred become placeholders: those that came back from another process hold no memory of this one.
    """
    (name, first, time), *_ = part.frames
    if first.pictures[0].file:
        (picture,) = first.pictures
        picture = picture._replace(pixels=placeholder(*picture.canvas))
        return part._replace(frames=((name, DecodedFrame((picture,)), time),))
    store = context.pixels
    for _, frame, _ in part.frames:
        if frame.nbytes > store.limit:
            raise InputError(
                "{} takes {} by itself, and {memory} leaves {}; raise it",
                a_file(file.path),
                bytes_shown(frame.nbytes),
                bytes_shown(store.limit),
            )
    if store.has_room(sum(frame.nbytes for _, frame, _ in part.frames)):
        return part
    frames = (
        (
            name,
            DecodedFrame(tuple(picture._replace(pixels=store.moved(picture.pixels)) for picture in frame.pictures)),
            time,
        )
        for name, frame, time in part.frames
    )
    return part._replace(frames=tuple(frames))


def _empty(file: Found, decoding: Decoding, frames: FrameCache | None, context: Context) -> DecodedPart[DecodedFrame]:
    """Return an empty picture in place of one that cannot be read."""
    sha256 = ""
    if frames:
        with contextlib.suppress(OSError):
            sha256 = _read_with_digest(file, frames, context.limits)[1]
    return DecodedPart(
        file.animation, ((file.name, decoded(file.name, placeholder(1, 1), decoding), None),), sha256=sha256
    )


def _read_with_digest(file: Found, frames: FrameCache, limits: Limits) -> tuple[bytes, str]:
    return frames.cache.noted(file.path, lambda: read_regular(file.path, limits, "file_bytes"))


def _cached_or_read(
    file: Found, make: Make[DecodedFrame], options: ReadOptions, frames: FrameCache
) -> DecodedPart[DecodedFrame]:
    """Return a file's frames from the cache if the file has not changed; otherwise decode it, and cache its frames."""
    from ..storage.frame_cache import CachedFile, named

    data, sha256 = b"", frames.cache.sha256(file.path)
    if not sha256:
        data, sha256 = _read_with_digest(file, frames, options.limits)
    if known := frames.find(sha256):
        names = [f"{file.name}/{label}" if label else file.name for label, _, _ in known.frames]
        renamed = ((name, named(frame, name), time) for name, (_, frame, time) in zip(names, known.frames, strict=True))
        animation = without_repetition(file.name) if known.frames[0][0] else file.animation
        flags = known.is_foreign, sha256
        return DecodedPart(animation, tuple(renamed), known.loop, known.times, *flags, hidden=known.hidden)
    if not data:
        data, sha256 = _read_with_digest(file, frames, options.limits)
    part = part_of(file, data, make, options)._replace(has_changed=len(data) != file.length, sha256=sha256)
    if (found := format_of(data)) is None or found.is_whole:
        labels = tuple((name[len(file.name) + 1 :], frame, time) for name, frame, time in part.frames)
        frames.store(sha256, CachedFile(labels, part.loop, part.times, part.is_foreign, part.hidden))
    return part
