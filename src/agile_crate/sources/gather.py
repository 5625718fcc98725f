"""The first stop of the road: inputs become sequences of pictures, in order, decoded once on the given threads."""

from __future__ import annotations

from collections import Counter, defaultdict, deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from collections.abc import Set as AbstractSet
from concurrent.futures import Executor, Future
from fractions import Fraction
from functools import partial
from typing import TYPE_CHECKING, Generic, NamedTuple, TypeVar

from ..core.crate.origin import Origin
from ..core.errors import InputError, reason
from ..core.frame.first_look import Seen
from ..core.model.crate import Loop
from ..core.model.picture import Exposure, FrameSequence, Picture, Sequences
from ..core.motion.take import in_order
from ..core.names import frame_key, said_once
from ..core.pixels import Pixels
from ..core.sentence import Sentence, setting
from ..core.text import bytes_shown, counted, few, shown
from .animated import Reel
from .find import LARGEST_FILE, Found, Search, find

if TYPE_CHECKING:
    from .kept import Keeping

T = TypeVar("T")

LARGEST_SET = 8 << 30
"""Bytes. All frames of one build, decoded; beyond this the build is refused rather than left to fill the memory."""

BATCH = 1 << 20
"""Bytes of files that a thread takes at a time: tiny frames are bound by the interpreter, so they travel in bulk."""

AHEAD = 16
"""Batches that are read ahead of what is done with them."""

Progress = Callable[[str, int, int], None]
"""Told what is being done, how much of it is done, and of how much."""


def silent(doing: str, done: int, total: int) -> None:
    """Progress that nobody watches."""


class Gathered(NamedTuple):
    """Sequences in crate order, and the drawings that they show, each once for each size of the build; what was passed
    over, and warnings that the user should read; and which files they came from, if frames are kept."""

    sequences: Sequences
    drawings: tuple[tuple[Picture, ...], ...]
    passed_over: Counter[str]
    warnings: tuple[Sentence, ...]
    files: tuple[Origin, ...] = ()


class Looked(NamedTuple, Generic[T]):
    """What was seen: parts of sequences in crate order, each frame as its name, what was seen of it, and its time."""

    parts: tuple[Part[T], ...]
    passed_over: Counter[str]
    warnings: tuple[Sentence, ...]
    files: tuple[Origin, ...] = ()


class Part(NamedTuple, Generic[T]):
    """What one file brings: a frame of the animation that its name tells, or a whole animation named after the file;
    whether its colours are other than sRGB; and its SHA-256 in hex, if frames are kept."""

    animation: str | None
    frames: tuple[tuple[str, T, Fraction | None], ...]
    loop: Loop | None = None
    times: int = 0
    is_foreign: bool = False
    sha256: str = ""


def gather(
    inputs: Sequence[str],
    own: AbstractSet[str],
    executor: Executor,
    progress: Progress,
    see: Callable[[str, Pixels], Seen],
    flat: bool = False,
    to_srgb: bool = False,
    kept: Keeping | None = None,
) -> Gathered:
    """Finds, decodes and orders the frames. Raises InputError, which names every picture that cannot be read.

    `see` is the first look at a name and decoded pixels, on the threads. With `flat`, a layered document is one
    picture; else each of its top-level layers is a frame. With `kept`, what was seen before is not decoded again.
    """
    search = find(inputs, own)
    read = partial(_kept_or_read, see=see, flat=flat, to_srgb=to_srgb, kept=kept) if kept else None
    looked = _looked(search, executor, progress, read or partial(_read, see=see, flat=flat, to_srgb=to_srgb), to_srgb)
    drawings: list[tuple[Picture, ...]] = []
    sequences: list[FrameSequence] = []
    for name, parts in by_animation(looked.parts).items():
        frames = []
        for frame, its, milliseconds in (frame for part in parts for frame in part.frames):
            frames.append(Exposure(frame, len(drawings), milliseconds))
            drawings.append(its.pictures)
        sequences.append(FrameSequence(name, tuple(frames), parts[0].loop, parts[0].times))
    return Gathered(in_order(sequences), tuple(drawings), looked.passed_over, looked.warnings, looked.files)


def each_part(
    files: Iterable[Found], executor: Executor, progress: Progress, see: Callable[[str, Pixels], T]
) -> Iterator[tuple[Found, Part[T] | str]]:
    """Each file, in crate order, with what `see` made of its frames' names and pixels on the threads, or why it cannot
    be read, as the end of a sentence. Few files are decoded ahead, so what is not kept does not pile up."""
    return _with_progress(in_crate_order(files), executor, progress, partial(_read, see=see, flat=False, to_srgb=False))


def _with_progress(
    files: Sequence[Found], executor: Executor, progress: Progress, read: Callable[[Found], Part[T]]
) -> Iterator[tuple[Found, Part[T] | str]]:
    progress("reading", 0, len(files))
    for done, result in enumerate(_decoded(files, executor, read), 1):
        yield result
        progress("reading", done, len(files))


def in_crate_order(files: Iterable[Found]) -> list[Found]:
    """Files in the order of their frames in a crate."""
    return sorted(files, key=lambda file: frame_key(file.name, file.animation))


def _looked(
    search: Search, executor: Executor, progress: Progress, read: Callable[[Found], Part[T]], to_srgb: bool
) -> Looked[T]:
    files = in_crate_order(search.found)
    warnings: list[Sentence] = []
    parts: list[Part[T]] = []
    unreadable: list[str] = []
    foreign: list[str] = []
    total = 0
    for file, result in _with_progress(files, executor, progress, read):
        if isinstance(result, str):
            unreadable.append(f"{shown(file.path)} {result}")
        else:
            parts.append(result)
            if result.is_foreign:
                foreign.append(file.path)
            total += sum(getattr(seen, "nbytes", 0) for _, seen, _ in result.frames)
            if total > LARGEST_SET:
                raise InputError(f"the frames take more than {bytes_shown(LARGEST_SET)}; pack fewer of them at a time")
    if unreadable:
        raise InputError(_unreadable(unreadable))
    if foreign and not to_srgb:
        what = f"the colours of {counted(len(foreign), 'picture')} are not sRGB by their own profile or gamma"
        warnings.append(
            Sentence(f"{what}, and would look different: {few(foreign)}; {setting('to_srgb')} converts them")
        )
    digests = tuple(
        Origin(file.name, file.animation or "", part.sha256)
        for file, part in zip(files, parts, strict=True)
        if part.sha256
    )
    return Looked(tuple(parts), search.passed_over, tuple(warnings), digests)


def by_animation(parts: Iterable[Part[T]]) -> dict[str | None, list[Part[T]]]:
    """Parts of one animation together, in the order in which they come."""
    together: dict[str | None, list[Part[T]]] = defaultdict(list)
    for part in parts:
        together[part.animation].append(part)
    return together


def _seen(file: Found, result: Pixels | Reel, see: Callable[[str, Pixels], T]) -> Part[T]:
    if not isinstance(result, Reel):
        return Part(file.animation, ((file.name, see(file.name, result), None),))
    width = max(2, len(str(len(result.pictures))))
    labels = result.names or [f"{number:0{width}}" for number in range(1, len(result.pictures) + 1)]
    names = [f"{file.name}/{label}" for label in labels]
    seen = (see(name, pixels) for name, pixels in zip(names, result.pictures, strict=True))
    frames = tuple(zip(names, seen, result.milliseconds, strict=True))
    return Part(said_once(file.name), frames, result.loop, result.times)


def _unreadable(sentences: list[str]) -> str:
    if len(sentences) == 1:
        return f"{sentences[0]}; export it again or take it out"
    listing = "".join(f"\n  {sentence}" for sentence in sentences)
    return f"{counted(len(sentences), 'picture')} cannot be read; export them again or take them out:{listing}"


def _decoded(
    files: Sequence[Found], executor: Executor, read: Callable[[Found], Part[T]]
) -> Iterator[tuple[Found, Part[T] | str]]:
    """Each file with what was seen of it, or why it cannot be read; in the order given."""
    waiting: deque[Future[list[tuple[Found, Part[T] | str]]]] = deque()
    try:
        for batch in _batches(files):
            waiting.append(executor.submit(lambda batch: [(file, _or_reason(file, read)) for file in batch], batch))
            if len(waiting) > AHEAD:
                yield from waiting.popleft().result()
        while waiting:
            yield from waiting.popleft().result()
    finally:
        for future in waiting:
            future.cancel()


def _batches(files: Sequence[Found]) -> Iterator[list[Found]]:
    batch: list[Found] = []
    length = 0
    for file in files:
        batch.append(file)
        length += file.length
        if length >= BATCH:
            yield batch
            batch, length = [], 0
    if batch:
        yield batch


def _or_reason(file: Found, read: Callable[[Found], Part[T]]) -> Part[T] | str:
    from ..core.png_chunks import PictureError

    try:
        return read(file)
    except PictureError as error:
        return str(error)
    except OSError as error:
        return f"cannot be opened: {reason(error)}"


def _read(file: Found, see: Callable[[str, Pixels], T], flat: bool, to_srgb: bool) -> Part[T]:
    from ..format.regular import read_regular

    return _part(file, read_regular(file.path, LARGEST_FILE), see, flat, to_srgb)


def _part(file: Found, data: bytes, see: Callable[[str, Pixels], T], flat: bool, to_srgb: bool) -> Part[T]:
    from .pictures import read_source

    source = read_source(data, flat=flat, to_srgb=to_srgb)
    return _seen(file, source.picture, see)._replace(is_foreign=source.is_foreign)


def _kept_or_read(
    file: Found, see: Callable[[str, Pixels], Seen], flat: bool, to_srgb: bool, kept: Keeping
) -> Part[Seen]:
    """A file as it was seen before, if it is what it was then; else read, and kept."""
    from ..format.regular import read_regular
    from .kept import Reel, keep, named, recalled

    data, sha256 = b"", kept.cache.sha256(file.path)
    if not sha256:
        data, sha256 = kept.cache.noted(file.path, lambda: read_regular(file.path, LARGEST_FILE))
    if reel := recalled(kept, sha256):
        names = [f"{file.name}/{label}" if label else file.name for label, _, _ in reel.frames]
        frames = tuple(
            (name, named(seen, name), time) for name, (_, seen, time) in zip(names, reel.frames, strict=True)
        )
        animation = said_once(file.name) if reel.frames[0][0] else file.animation
        return Part(animation, frames, reel.loop, reel.times, reel.is_foreign, sha256)
    if not data:
        data, sha256 = kept.cache.noted(file.path, lambda: read_regular(file.path, LARGEST_FILE))
    part = _part(file, data, see, flat, to_srgb)
    labels = [(name[len(file.name) + 1 :], seen, time) for name, seen, time in part.frames]
    keep(kept, sha256, Reel(tuple(labels), part.loop, part.times, part.is_foreign))
    return part._replace(sha256=sha256)
