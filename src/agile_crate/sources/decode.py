"""Files become what is seen of them: read once each, checked, decoded, looked at; on whichever hands that pays."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Executor
from fractions import Fraction
from functools import partial
from typing import Any, Generic, NamedTuple, TypeVar

from ..core.errors import reason
from ..core.limits import in_force, more_by
from ..core.model.crate import Loop
from ..core.model.picture import Vector
from ..core.names import frame_key, said_once
from ..core.pixels import Pixels
from ..core.text import counted
from ..workers.ordered import in_turn
from ..workers.pool import Crew
from ..workers.progress import Progress
from .decoded import Reel, Source
from .find import Found
from .plain_png import read_if_plain
from .read_options import PLAIN, Reading, is_vector

T = TypeVar("T")

BATCH = 1 << 20
"""Bytes of files that are taken at a time: tiny frames are bound by the interpreter, so they travel in bulk."""

TOGETHER = 64
"""Files that are taken at a time, at most."""

MUCH = 1 << 26
"""Bytes of what was seen that are taken at a time: few bytes of a file may stand for very many pixels."""

SMALL, MANY = 1 << 14, 500
"""Files of fewer bytes on average are read by one thread, and from so many of them on by several processes."""

MANY_LOOKED_AT = 100
"""The same where more is done with each than to decode it."""


class Part(NamedTuple, Generic[T]):
    """What one file brings: a frame of the animation that its name tells, or a whole animation named after the file;
    whether its colours are other than sRGB; its SHA-256 in hex, if frames are kept; whether it had another length when
    it was found; and whether it held infinite light."""

    animation: str | None
    frames: tuple[tuple[str, T, Fraction | None], ...]
    loop: Loop | None = None
    times: int = 0
    is_foreign: bool = False
    sha256: str = ""
    has_changed: bool = False
    is_endless: bool = False


See = Callable[[str, Pixels | Vector], T]
"""What is made of a frame's name, and of its pixels or what draws them."""

Way = Callable[[Found], Part[T]]
"""How a file is read. Raises PictureError and OSError."""


def each_part(
    files: Iterable[Found], crew: Crew, progress: Progress, see: Callable[[str, Pixels], T]
) -> Iterator[tuple[Found, Part[T] | str]]:
    """Each file, in crate order, with what `see` made of its frames' names and pixels, or why it cannot be read, as the
    end of a sentence. Few files are decoded ahead, so what is not kept does not pile up."""
    ordered = in_crate_order(files)
    way = partial(read, see=partial(_at_own_size, see), reading=PLAIN)
    return with_progress(ordered, hands(ordered, crew, MANY_LOOKED_AT), progress, lambda: way)


def with_progress(
    files: Sequence[Found], executor: Executor, progress: Progress, way: Callable[[], Way[T]]
) -> Iterator[tuple[Found, Part[T] | str]]:
    """Each file with what was seen of it, or why it cannot be read; in the order given. `way` says how the next ones
    are read."""
    progress("reading", 0, len(files))
    for done, result in enumerate(_decoded(files, executor, way), 1):
        yield result
        progress("reading", done, len(files))


def in_crate_order(files: Iterable[Found]) -> list[Found]:
    """Files in the order of their frames in a crate."""
    return sorted(files, key=lambda file: frame_key(file.name, file.animation))


def _at_own_size(see: Callable[[str, Pixels], T], name: str, drawn: Pixels | Vector) -> T:
    return see(name, drawn.draw(drawn.size) if isinstance(drawn, Vector) else drawn)


def _seen(file: Found, result: Pixels | Reel, see: See[T]) -> Part[T]:
    if not isinstance(result, Reel):
        return Part(file.animation, ((file.name, see(file.name, result), None),))
    width = max(2, len(str(len(result.pictures))))
    labels = result.names or [f"{number:0{width}}" for number in range(1, len(result.pictures) + 1)]
    names = [_named(file, label) for label in labels]
    looked_at = (see(name, pixels) for name, pixels in zip(names, result.pictures, strict=True))
    frames = tuple(zip(names, looked_at, result.milliseconds, strict=True))
    return Part(said_once(file.name), frames, result.loop, result.times)


def _named(file: Found, label: str) -> str:
    """The name of a frame that is one of several in a file."""
    name, most = f"{file.name}/{label}", in_force().name_characters
    if len(name) > most:
        from ..core.png_chunks import PictureError

        raise PictureError(
            f"has a frame with a name of {len(name):,} characters, and {most:,} are the most; "
            f"{more_by('name_characters')}"
        )
    return name


def unreadable(sentences: list[str]) -> str:
    if len(sentences) == 1:
        return f"{sentences[0]}; export it again or take it out"
    listing = "".join(f"\n  {sentence}" for sentence in sentences)
    return f"{counted(len(sentences), 'picture')} cannot be read; export them again or take them out:{listing}"


def _decoded(
    files: Sequence[Found], executor: Executor, way: Callable[[], Way[T]]
) -> Iterator[tuple[Found, Part[T] | str]]:
    batches = list(_batches(files))
    largest = deque([0], 4)  # what the last ones took
    tasks = ((batch, way()) for batch in batches)
    for batch, results in zip(batches, in_turn(executor, _all_read, tasks, lambda: max(largest)), strict=True):
        yield from zip(batch, results, strict=False)
        largest.append(sum(map(_bytes, results)))
        for file in batch[len(results) :]:  # they are larger than their files look: one by one
            yield file, or_reason(file, way())


def hands(files: Sequence[Found], crew: Crew, many: int | None) -> Executor:
    """Who reads the files: others if there are such; small ones one thread, or processes if there are so `many`, by
    default never."""
    if crew.readers:
        return crew.readers
    if sum(file.length for file in files) < SMALL * len(files):
        return crew.beside(many is not None and len(files) >= many)
    return crew


def _all_read(batch: list[Found], way: Way[T]) -> list[Part[T] | str]:
    """What is seen of each file; the last ones are left out where the first take very much memory."""
    found: list[Part[T] | str] = []
    taken = 0
    for file in batch:
        found.append(or_reason(file, way))
        taken += _bytes(found[-1])
        if taken > MUCH:
            break
    return found


def _bytes(result: Part[Any] | str) -> int:
    """What is seen of a file takes so much memory."""
    return 0 if isinstance(result, str) else sum(getattr(seen, "nbytes", 0) for _, seen, _ in result.frames)


def _batches(files: Sequence[Found]) -> Iterator[list[Found]]:
    batch: list[Found] = []
    length = 0
    for file in files:
        batch.append(file)
        length += file.length
        if length >= BATCH or len(batch) == TOGETHER:
            yield batch
            batch, length = [], 0
    if batch:
        yield batch


def or_reason(file: Found, way: Way[T]) -> Part[T] | str:
    from ..core.png_chunks import PictureError

    try:
        return way(file)
    except PictureError as error:
        return str(error)
    except OSError as error:
        return f"cannot be opened: {reason(error)}"


def read(file: Found, see: See[T], reading: Reading, with_digest: bool = False) -> Part[T]:
    """A file as it is seen; with the SHA-256 of its bytes if that is wanted."""
    from ..format.regular import read_regular

    data = read_regular(file.path, "file_bytes")
    part = part_of(file, data, see, reading)
    if len(data) != file.length:
        part = part._replace(has_changed=True)
    if with_digest:
        import hashlib

        part = part._replace(sha256=hashlib.sha256(data).hexdigest())
    return part


def part_of(file: Found, data: bytes, see: See[T], reading: Reading) -> Part[T]:
    pixels, orientation = read_if_plain(data, in_force().picture_pixels)
    if pixels is not None:
        source = Source(pixels, False)
    elif is_vector(data):
        return _part_of_vector(file, data, see, reading)
    else:
        from .pictures import read_other  # and with it Pillow, which plain PNGs do without

        source = read_other(data, in_force().picture_pixels, reading, orientation)
    return _seen(file, source.picture, see)._replace(is_foreign=source.is_foreign, is_endless=source.is_endless)


def _part_of_vector(file: Found, data: bytes, see: See[T], reading: Reading) -> Part[T]:
    from .vector import read_vector

    drawing = read_vector(data, in_force().picture_pixels, reading)
    if isinstance(drawing, Vector):
        return Part(file.animation, ((file.name, see(file.name, drawing), None),))
    names = [(_named(file, label), one) for label, one in drawing.items()]
    return Part(said_once(file.name), tuple((name, see(name, one), None) for name, one in names))
