"""Decode source files in batches on the fastest available executor."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Executor
from fractions import Fraction
from functools import partial
from typing import Any, Generic, NamedTuple, TypeVar

from ..core.errors import reason
from ..core.limits import Limits, raise_hint
from ..core.message import Message, message
from ..core.model.crate import Loop
from ..core.model.picture import Vector
from ..core.names import without_repetition
from ..core.pixels import Pixels
from ..core.text import counted
from ..workers.ordered import in_turn
from ..workers.pool import Progress, WorkerPool
from .decoded import DecodedSequence
from .find import Found
from .read_options import ReadOptions
from .read_source import read_source

T = TypeVar("T")
U = TypeVar("U")

BATCH_BYTES = 1 << 20
"""Bytes of files that are taken at a time: tiny frames are bound by the interpreter, so they travel in bulk."""

BATCH_FILES = 64
"""Files that are taken at a time, at most."""

RESULT_BYTES = 1 << 26
"""Bytes of what was seen that are taken at a time: few bytes of a file may stand for very many pixels."""

SMALL_FILE_BYTES, MANY_FILES = 1 << 14, 500
"""Files of fewer bytes on average are read by one thread, and from so many of them on by several processes."""

MANY_SURVEYED_FILES = 100
"""The same where more is done with each than to decode it."""


class DecodedPart(NamedTuple, Generic[T]):
    """The content of one file: a frame of the animation in its name, or a whole animation named after the file.

    sha256       in hex, if frames are cached
    is_foreign   its colors are not sRGB
    has_changed  its length changed since it was found
    is_endless   it held infinite light
    hidden       counts skipped layers
    """

    animation: str | None
    frames: tuple[tuple[str, T, Fraction | None], ...]
    loop: Loop | None = None
    times: int = 0
    is_foreign: bool = False
    sha256: str = ""
    has_changed: bool = False
    is_endless: bool = False
    hidden: int = 0
    error: str = ""

    def with_frames(self, frames: tuple[tuple[str, U, Fraction | None], ...]) -> DecodedPart[U]:
        """Return the part with other things made of its frames."""
        return DecodedPart(self.animation, frames, *self[2:])


class Unreadable(NamedTuple):
    """The reason why a picture cannot be read, as the end of a sentence."""

    reason: str


Make = Callable[[str, Pixels | Vector], T]
"""Makes a result from a frame's name and pixels, or from its drawing."""

Way = Callable[[Found], DecodedPart[T]]
"""Reads a file. Raises PictureError and OSError."""


def each_part(
    files: Iterable[Found], pool: WorkerPool, progress: Progress, make: Callable[[str, Pixels], T], options: ReadOptions
) -> Iterator[tuple[Found, DecodedPart[T]]]:
    """Yield each file with the result of `make` for its frames' names and pixels, or the reason why it
    cannot be read. Few files are decoded ahead, so dropped results do not pile up."""
    files = list(files)
    way = partial(read, make=partial(_at_own_size, make), options=options)
    return with_progress(files, readers_for(files, pool, MANY_SURVEYED_FILES), progress, lambda: way)


def with_progress(
    files: Sequence[Found], executor: Executor, progress: Progress, way: Callable[[], Way[T]]
) -> Iterator[tuple[Found, DecodedPart[T]]]:
    """Yield each file with its result, or the reason why it cannot be read, in the given order. `way` chooses how the
    next ones are read."""
    progress("reading", 0, len(files))
    for done, result in enumerate(_decoded(files, executor, way), 1):
        yield result
        progress("reading", done, len(files))


def _at_own_size(make: Callable[[str, Pixels], T], name: str, drawn: Pixels | Vector) -> T:
    return make(name, drawn.draw(drawn.size) if isinstance(drawn, Vector) else drawn)


def _seen(
    file: Found,
    result: Pixels | Vector | DecodedSequence[Pixels] | DecodedSequence[Vector],
    make: Make[T],
    limits: Limits,
) -> DecodedPart[T]:
    if not isinstance(result, DecodedSequence):
        return DecodedPart(file.animation, ((file.name, make(file.name, result), None),))
    width = max(2, len(str(len(result.pictures))))
    labels = result.names or [f"{number:0{width}}" for number in range(1, len(result.pictures) + 1)]
    names = [_named(file, label, limits) for label in labels]
    looked_at = (make(name, pixels) for name, pixels in zip(names, result.pictures, strict=True))
    frames = tuple(zip(names, looked_at, result.milliseconds, strict=True))
    return DecodedPart(without_repetition(file.name), frames, result.loop, result.times, hidden=result.hidden)


def _named(file: Found, label: str, limits: Limits) -> str:
    """The name of a frame that is one of several in a file."""
    name, most = f"{file.name}/{label}", limits.name_characters
    if len(name) > most:
        from ..core.png_chunks import PictureError

        raise PictureError(
            "has a frame with a name of {:,} characters, and {:,} are the most; {}",
            len(name),
            most,
            raise_hint("name_characters"),
        )
    return name


def unreadable(sentences: Sequence[Message]) -> Message:
    """Return the message for pictures that cannot be read, of each of which a sentence says why."""
    if len(sentences) == 1:
        return message("{}; export it again or remove it", sentences[0])
    listing = message("\n  {}" * len(sentences), *sentences)
    count = counted(len(sentences), "picture")
    return message("{} cannot be read; export them again or remove them:{}", count, listing)


def _decoded(
    files: Sequence[Found], executor: Executor, way: Callable[[], Way[T]]
) -> Iterator[tuple[Found, DecodedPart[T]]]:
    batches = list(_batches(files))
    largest = deque([0], 4)  # what the last ones took
    tasks = ((batch, way()) for batch in batches)
    for batch, results in zip(batches, in_turn(executor, _all_read, tasks, lambda: max(largest)), strict=True):
        yield from zip(batch, results, strict=False)
        largest.append(sum(map(_bytes, results)))
        for file in batch[len(results) :]:  # they are larger than their files look: one by one
            yield file, or_error(file, way())


def readers_for(files: Sequence[Found], pool: WorkerPool, many: int | None) -> Executor:
    """Return the readers of the files: `others` if given; for small files one thread, or processes from `many` on,
    by default never."""
    if pool.readers:
        return pool.readers
    if sum(file.length for file in files) < SMALL_FILE_BYTES * len(files):
        return pool.small_frames_pool(many is not None and len(files) >= many)
    return pool


def _all_read(batch: list[Found], way: Way[T]) -> list[DecodedPart[T]]:
    """Return the decoded parts of the files. The last files are left out if the first take much memory."""
    found: list[DecodedPart[T]] = []
    bytes_read = 0
    for file in batch:
        found.append(or_error(file, way))
        bytes_read += _bytes(found[-1])
        if bytes_read > RESULT_BYTES:
            break
    return found


def _bytes(part: DecodedPart[Any]) -> int:
    """Return the bytes that a part's pixels take."""
    return sum(getattr(frame, "nbytes", 0) for _, frame, _ in part.frames)


def _batches(files: Sequence[Found]) -> Iterator[list[Found]]:
    batch: list[Found] = []
    length = 0
    for file in files:
        batch.append(file)
        length += file.length
        if length >= BATCH_BYTES or len(batch) == BATCH_FILES:
            yield batch
            batch, length = [], 0
    if batch:
        yield batch


def or_error(file: Found, way: Way[T]) -> DecodedPart[T]:
    """Read a file; a part with an error stands for one that cannot be read."""
    from ..core.png_chunks import PictureError

    try:
        return way(file)
    except PictureError as error:
        return DecodedPart(file.animation, (), error=error.message)
    except OSError as error:
        return DecodedPart(file.animation, (), error=message("cannot be opened: {}", reason(error)))


def read(file: Found, make: Make[T], options: ReadOptions, with_digest: bool = False) -> DecodedPart[T]:
    """Decode a file, with the SHA-256 of its bytes if wanted."""
    from ..format.regular import read_regular

    data = read_regular(file.path, options.limits, "file_bytes")
    part = part_of(file, data, make, options)
    if len(data) != file.length:
        part = part._replace(has_changed=True)
    if with_digest:
        import hashlib

        part = part._replace(sha256=hashlib.sha256(data).hexdigest())
    return part


def part_of(file: Found, data: bytes, make: Make[T], options: ReadOptions) -> DecodedPart[T]:
    """Return what the bytes of a file hold. Raises PictureError."""
    source = read_source(data, options=options)
    return _seen(file, source.picture, make, options.limits)._replace(
        is_foreign=source.is_foreign, is_endless=source.is_endless
    )
