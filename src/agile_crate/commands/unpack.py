"""Write a crate's frames to a folder, and its animations as films."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from ..core.crate.file_names import not_held, repeated, safe_name
from ..core.errors import InputError
from ..core.limits import Limits, raise_hint
from ..core.message import Message, a_file
from ..core.model.crate import Animation, Crate
from ..core.text import bytes_shown, few, quoted
from ..exports.png import encode_png
from ..pipeline.context import Context
from ..storage.staging import refuse_existing, staged
from .load import Loaded, load

FILM_ENDING = ".apng"


@dataclass(frozen=True, slots=True)
class Unpacked:
    """The files that were written: frames in crate order, then films."""

    crate: Crate = field(hash=False)
    frames: tuple[Path, ...]
    films: tuple[Path, ...]
    warnings: tuple[Message, ...] = ()


def unpack(
    data: str,
    folder: Path,
    context: Context,
    film: bool = False,
    force: bool = False,
    skin: str = "",
    dry_run: bool = False,
) -> Unpacked:
    """Restore every frame, or a skin's frames, to a PNG of its name, all or none; with `film`, also each animation.
    With `dry_run` nothing is written.

    Raises InputError for a crate that does not hold together, and OutputError for files that are in the way.
    """
    loaded = load(data, context.limits, skin)
    crate = loaded.crate
    _refuse_too_much(data, crate, context.limits)
    names = _files_of("frames", [frame.name for frame in crate.frames], ".png", data, context.limits)
    films = (
        _files_of("animations", [animation.name for animation in crate.animations], FILM_ENDING, data, context.limits)
        if film
        else []
    )
    if (twice := repeated([*names, *films])) is not None:
        raise InputError(
            "{}: two files would have the name {}; some platforms cannot tell them apart", a_file(data), quoted(twice)
        )
    pairs = [
        *((f"{frame.name}.png", file) for frame, file in zip(crate.frames, names, strict=True)),
        *((animation.name + FILM_ENDING, file) for animation, file in zip(crate.animations, films, strict=False)),
    ]
    warnings = (*loaded.warnings, *_renamed(pairs))
    if not force:
        refuse_existing(folder, (*names, *films))
    paths = (tuple(map(folder.joinpath, names)), tuple(map(folder.joinpath, films)))
    if dry_run:
        return Unpacked(crate, *paths, warnings)
    total = len(names) + len(films)
    with staged(folder) as staging:
        for done, name in enumerate(names, 1):
            staging.write(name, encode_png(loaded.picture(done - 1), context.pool))
            context.progress("unpacking", done, total)
        for done, (name, animation) in enumerate(zip(films, crate.animations, strict=False), len(names) + 1):
            staging.write(name, [_film(loaded, animation, context.limits)])
            context.progress("unpacking", done, total)
        staging.commit()
    return Unpacked(crate, *paths, (*warnings, *staging.notes))


def _renamed(pairs: Sequence[tuple[str, str]]) -> Iterator[Message]:
    """Return a warning of names that had to change because some platform refuses them."""
    renamed = [f"{quoted(name)} as {quoted(file)}" for name, file in pairs if name != file]
    if renamed:
        yield Message(f"written under names that every platform allows: {few(renamed)}")


def _refuse_too_much(data: str, crate: Crate, limits: Limits) -> None:
    """Raise InputError for canvases beyond the limits: metadata of a few bytes can claim any size."""
    if sum(frame.canvas.w * frame.canvas.h * 4 for frame in crate.frames) > (most := limits.frames_bytes):
        raise InputError(
            "{}: its frames would take more than {}; {}", a_file(data), bytes_shown(most), raise_hint("frames_bytes")
        )


def _files_of(key: str, names: Sequence[str], ending: str, data: str, limits: Limits) -> list[str]:
    """Turn names into paths below a folder that every platform allows; each once. Raises InputError for a path that
    leaves the folder or is too long."""
    files = list(_checked(key, names, ending, data, limits))
    used = {name + ending for name in names}
    for index, (name, file) in enumerate(zip(names, files, strict=True)):
        number = 1
        while file != name + ending and file in used:
            number += 1
            file = f"{files[index].removesuffix(ending)}-{number}{ending}"
        used.add(file)
        files[index] = file
    return files


def _checked(key: str, names: Sequence[str], ending: str, data: str, limits: Limits) -> Iterator[str]:
    for index, name in enumerate(names):
        *folders, last = name.split("/")
        if len(folders) > (deepest := limits.nesting):
            raise InputError(
                "{}: {}[{}].name has more than {} folders; {}", a_file(data), key, index, deepest, raise_hint("nesting")
            )
        file = safe_name(last) + ending if last and not_held(last + ending) else last + ending
        parts = [*map(safe_name, folders), file]
        for part in parts:
            if why := "and it names no file" if part == ending else not_held(part):
                raise InputError("{}: {}[{}].name is {}, {}", a_file(data), key, index, quoted(name), why)
        yield "/".join(parts)


def _film(loaded: Loaded, animation: Animation, limits: Limits) -> bytes:
    """Draw an animation as an engine does, on a transparent ground: all frames with their pivots on one point."""
    from ..views.film import FilmOptions, Timing, encoded, film_of

    return encoded(
        film_of(loaded.crate, animation, loaded.picture, FilmOptions(clear=True), Timing(), limits), FILM_ENDING
    )
