"""The first stop of the road: inputs become sequences of pictures, in order, decoded once on the given threads."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass

from ..core.errors import InputError
from ..core.model import FrameSequence, Picture
from ..core.names import alike_but_for_case, frame_key, said_once
from ..core.pixels import Pixels
from ..core.take import in_order, refuse_repeated_frames
from ..core.text import bytes_shown, counted, few, quoted, shown
from .animated import Reel
from .find import LARGEST_FILE, Found, OwnPlace, find

LARGEST_SET = 8 << 30
"""Bytes. All frames of one build, decoded; beyond this the build is refused rather than left to fill the memory."""

BATCH = 1 << 20
"""Bytes of files that a thread takes at a time: tiny frames are bound by the interpreter, so they travel in bulk."""

Progress = Callable[[str, int, int], None]
"""Told what is being done, how much of it is done, and of how much."""


def unheard(doing: str, done: int, total: int) -> None:
    """Progress that nobody listens to."""


@dataclass(frozen=True, slots=True)
class Gathered:
    """Sequences in crate order, what was passed over on the way, and warnings that the user should read."""

    sequences: tuple[FrameSequence, ...]
    passed_over: Counter[str]
    warnings: tuple[str, ...]


def gather(inputs: Sequence[str], own: OwnPlace | None, executor: Executor, progress: Progress) -> Gathered:
    """Finds, decodes and orders the frames. Raises InputError, which names every picture that cannot be read."""
    search = find(inputs, own)
    files = sorted(search.found, key=lambda file: frame_key(file.name, file.animation))
    warnings = [
        f"the names {few(map(quoted, names))} differ only in case; some file systems and engines cannot tell them apart"
        for names in alike_but_for_case([file.name for file in files])
    ]
    parts: list[FrameSequence] = []
    unreadable: list[str] = []
    total = 0
    progress("reading", 0, len(files))
    for done, (file, result) in enumerate(_decoded(files, executor), 1):
        if isinstance(result, str):
            unreadable.append(f"{shown(file.path)} {result}")
        else:
            parts.append(_part(file, result))
            total += sum(picture.pixels.nbytes for picture in parts[-1].pictures)
            if total > LARGEST_SET:
                raise InputError(f"the frames take more than {bytes_shown(LARGEST_SET)}; pack fewer of them at a time")
        progress("reading", done, len(files))
    if unreadable:
        raise InputError(_unreadable(unreadable))
    sequences = in_order(_joined(parts))
    refuse_repeated_frames(sequences)
    return Gathered(sequences, search.passed_over, tuple(warnings))


def _part(file: Found, result: Pixels | Reel) -> FrameSequence:
    """What one file brings: a frame of the animation that its name tells, or a whole animation named after the file."""
    if not isinstance(result, Reel):
        return FrameSequence(file.animation, (Picture(file.name, result),))
    width = max(2, len(str(len(result.pictures))))
    pictures = tuple(
        Picture(f"{file.name}/{number:0{width}}", pixels, milliseconds)
        for number, (pixels, milliseconds) in enumerate(zip(result.pictures, result.milliseconds, strict=True), 1)
    )
    return FrameSequence(said_once(file.name), pictures, result.loop, result.times)


def _joined(parts: Iterable[FrameSequence]) -> Iterator[FrameSequence]:
    """Parts of one name as one sequence, in the order in which they come."""
    by_name: dict[str | None, list[FrameSequence]] = defaultdict(list)
    for part in parts:
        by_name[part.name].append(part)
    for name, same in by_name.items():
        pictures = tuple(picture for part in same for picture in part.pictures)
        yield FrameSequence(name, pictures, same[0].loop, same[0].times)


def _unreadable(sentences: list[str]) -> str:
    if len(sentences) == 1:
        return f"{sentences[0]}; export it again or take it out"
    listing = "".join(f"\n  {sentence}" for sentence in sentences)
    return f"{counted(len(sentences), 'picture')} cannot be read; export them again or take them out:{listing}"


def _decoded(files: Sequence[Found], executor: Executor) -> Iterator[tuple[Found, Pixels | Reel | str]]:
    """Each file with its pixels, or why it cannot be read; in the order given."""
    for batch in executor.map(_read_batch, _batches(files)):
        yield from batch


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


def _read_batch(files: Sequence[Found]) -> list[tuple[Found, Pixels | Reel | str]]:
    return [(file, _read(file)) for file in files]


def _read(file: Found) -> Pixels | Reel | str:
    from .pictures import read_picture
    from .png_chunks import PictureError

    if file.length > LARGEST_FILE:
        return f"is larger than {bytes_shown(LARGEST_FILE)}"
    try:
        with open(file.path, "rb", buffering=0) as stream:
            return read_picture(stream.readall())
    except PictureError as error:
        return str(error)
    except OSError as error:
        return f"cannot be opened: {(error.strerror or str(error)).lower()}"
