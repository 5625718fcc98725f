"""The write stop: sheets one after the other, then what is said of them, all put in place together."""

from __future__ import annotations

import dataclasses
import hashlib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import partial
from typing import TYPE_CHECKING, TypeVar

import numpy as np
from numpy.typing import NDArray

from ..core.crate.draw import Placed
from ..core.crate.edits import source_crc
from ..core.frame.alpha import flattened, premultiplied
from ..core.frame.indexed import entries, indices
from ..core.model.crate import Crate
from ..core.model.geometry import Size
from ..core.model.picture import Picture
from ..core.pixels import Pixels
from ..exports.formats import texts_of
from ..exports.png import encode_rows, rows_above, strip_starts
from ..format.png_seal import Seal, sealed_end, without_end
from ..settings.table import Settings
from ..storage.previous_build import is_written
from ..storage.staging import Staging
from ..workers.pool import Crew
from ..workers.progress import Progress
from .describe import Plan
from .draw import SheetRows, placed_of
from .prepare import are_small

if TYPE_CHECKING:
    from ..exports.template import Template
    from ..storage.cache import Cache

T = TypeVar("T")


def written(
    staging: Staging,
    plans: list[Plan],
    templates: Sequence[Template],
    executor: Crew,
    progress: Progress,
    stale: Sequence[str],
    kept: tuple[Cache, str] | None = None,
) -> list[Crate]:
    """Draws and writes the crates, no more than a band of a sheet at a time, then their texts; removes `stale`.

    Plans are taken off the list as they are drawn, so that their pixels can go. With a cache and the program's version
    (`kept`), a sheet whose file is there already is not encoded again. Returns the crates with the checksums of their
    sheets.
    """
    drawing = _Meter("drawing", sum(sum(plan.drawn) * (1 + len(plan.skins)) for plan in plans), progress)
    writing = _Meter("writing", sum(_pieces(plan) for plan in plans), progress)
    write = partial(_written_sheets, staging=staging, crew=executor, drawing=drawing, writing=writing, kept=kept)
    crates: list[Crate] = []
    said = [plan.settings for plan in plans]
    while plans:
        crates.append(_with_sheets(plans.pop(0), write, executor))
    for crate, settings in reversed(list(zip(crates, said, strict=True))):
        larger = [
            (other.portion / settings.portion, one)
            for one, other in zip(crates, said, strict=True)
            if other.portion > settings.portion
        ]
        for name, data in texts_of(crate, larger, settings, templates):
            sha256 = staging.write(name, [data])
            if kept:
                kept[0].put_written(sha256)
    staging.commit(remove=stale)
    return crates


def _pieces(plan: Plan) -> int:
    times = 1 + len(plan.skins)
    if plan.settings.squeeze or plan.settings.image == "webp":
        return len(plan.crate.sheets) * times
    return sum(len(strip_starts(*sheet.size)) for sheet in plan.crate.sheets) * times


def _with_sheets(plan: Plan, write: Callable[[Plan, dict[int, str]], Iterable[str]], crew: Crew) -> Crate:
    """The crate of a plan with the digests of its sheets, and of those of its skins, which `write` draws and writes."""
    crcs: dict[int, str] = {}
    digests = write(plan, crcs)
    sheets = [sheet._replace(sha256=sha256) for sheet, sha256 in zip(plan.crate.sheets, digests, strict=True)]
    for number in range(len(plan.skins)):
        for index, sha256 in enumerate(write(worn(plan, number), {})):
            skins = list(sheets[index].skins)
            skins[number] = skins[number]._replace(sha256=sha256)
            sheets[index] = sheets[index]._replace(skins=tuple(skins))
    return _with_crcs(plan.crate._replace(sheets=tuple(sheets)), plan.pictures, crcs, crew)


def _with_crcs(crate: Crate, pictures: Sequence[Picture], known: Mapping[int, str], crew: Crew) -> Crate:
    """The crate with the CRC of every frame's pixels, but for those that are known."""

    def crc_of(number: int) -> str:
        return known.get(number) or source_crc(crate, crate.frames[number], pictures[number])

    crcs = (map if are_small(pictures) else crew.map)(crc_of, range(len(pictures)))
    frames = zip(crate.frames, pictures, crcs, strict=True)
    return crate._replace(
        frames=tuple(frame._replace(crc=crc, touched=picture.source is not None) for frame, picture, crc in frames)
    )


def worn(plan: Plan, number: int) -> Plan:
    """The plan as that of one of its skins. What is no art stays as it is to the last."""
    skin = plan.skins[number]
    sheets = tuple(sheet._replace(image=sheet.skins[number].image) for sheet in plan.crate.sheets)
    settings = plan.settings
    if skin.plain:
        settings = dataclasses.replace(settings, premultiply=False, background=None)
    return plan._replace(
        crate=plan.crate._replace(sheets=sheets),
        pictures=skin.pictures,
        palette=skin.palette,
        settings=settings,
    )


def _written_sheets(
    plan: Plan,
    crcs: dict[int, str],
    staging: Staging,
    crew: Crew,
    drawing: _Meter,
    writing: _Meter,
    kept: tuple[Cache, str] | None,
) -> Iterator[str]:
    """Draws and writes sheets, one after the other; the SHA-256 of each. `crcs` get those of frames that are read only
    then."""
    for index, sheet in enumerate(plan.crate.sheets):
        frames = zip(plan.crate.frames, plan.pictures, strict=True)
        is_edited = any(frame.on_sheet == index and picture.source is not None for frame, picture in frames)
        key = _key(plan, index, f"{kept[1]} {is_edited}", crew) if kept else b""
        if kept and (known := kept[0].get(key)) and is_written(staging.folder / sheet.image, known.hex(), kept[0]):
            drawing.skip(sum(frame.on_sheet == index for frame in plan.crate.frames))
            writing.skip(len(strip_starts(*sheet.size)))
            yield known.hex()
            continue
        drawn = SheetRows(plan, index, crew, rows_above(sheet.size.w))
        pieces = _encoded(plan, sheet.size, drawn, drawing, crew)
        if plan.settings.squeeze and plan.settings.image == "png":
            from ..exports.optimize import squeezed

            pieces = [squeezed(b"".join(pieces), crew)]
        if plan.settings.image == "png":
            ending = partial(sealed_end, seal=Seal(plan.crate.name, is_edited))
            sha256 = staging.write(sheet.image, without_end(writing.passing(pieces)), ending)
        else:
            sha256 = staging.write(sheet.image, writing.passing(pieces))
        crcs |= drawn.crcs
        if kept:
            kept[0].put(key, bytes.fromhex(sha256))
            if not is_edited:  # else nothing would know that it holds work by hand
                kept[0].put_written(sha256)
        yield sha256


def _key(plan: Plan, index: int, program: str, crew: Crew) -> bytes:
    """What a sheet's file is known by: what is drawn where, and all else that decides on the bytes of the image."""
    settings, sheet = plan.settings, plan.crate.sheets[index]
    ways = (
        program,
        plan.crate.name,
        sheet.size,
        sheet.edge_repeat,
        plan.palette is not None,
        settings.background,
        settings.premultiply,
        settings.squeeze,
        settings.image,
    )
    whole = hashlib.blake2b(repr(ways).encode(), digest_size=16)
    if plan.palette is not None:
        whole.update(plan.palette.tobytes())
    frames = zip(plan.crate.frames, placed_of(plan), strict=True)
    mine = [one for frame, one in frames if one and frame.on_sheet == index]
    for digest in crew.map(_digest, mine):
        whole.update(digest)
    return b"drawn:" + whole.digest()


def _digest(placed: Placed) -> bytes:
    told = repr((placed.pixels.shape, placed.inside, placed.box, placed.turned)).encode()
    return hashlib.blake2b(np.ascontiguousarray(placed.pixels).data, key=hashlib.blake2b(told).digest()).digest()


def _encoded(plan: Plan, size: Size, drawn: SheetRows, drawing: _Meter, crew: Crew) -> Iterable[bytes]:
    """The image file: indexed where there is a palette, premultiplied or flattened if that is wanted."""
    settings = plan.settings
    palette = plan.palette if settings.image == "png" else None

    def rows_of(rows: range) -> NDArray[np.uint8]:
        done = drawn.done
        pixels = drawn(rows)
        drawing.skip(drawn.done - done)
        if palette is not None:
            return _by_strips(pixels, partial(indices, colors=palette), crew)
        if settings.background:
            return _by_strips(pixels, lambda strip: _finished(strip, settings)[..., :3], crew)
        return _by_strips(pixels, partial(_finished, settings=settings), crew) if settings.premultiply else pixels

    if settings.image == "webp":
        from ..exports.webp import encode_webp

        return iter([crew.submit(encode_webp, rows_of(range(size.h)), settings.squeeze).result()])
    return encode_rows(size, rows_of, crew, None if palette is None else _finished(entries(palette)[None], settings)[0])


def _finished(pixels: Pixels, settings: Settings) -> Pixels:
    if settings.background:
        return flattened(pixels, settings.background)
    return premultiplied(pixels) if settings.premultiply else pixels


def _by_strips(pixels: Pixels, work: Callable[[Pixels], NDArray[np.uint8]], executor: Crew) -> NDArray[np.uint8]:
    """What `work` makes of the sheet's rows, on the threads; in place where the shape stays."""
    shape = work(pixels[:0]).shape[1:]
    result = pixels if shape == pixels.shape[1:] else np.empty((len(pixels), *shape), np.uint8)
    starts = strip_starts(pixels.shape[1], len(pixels))

    def one(start: int) -> None:
        rows = slice(start, start + starts.step)
        result[rows] = work(pixels[rows])

    for _ in executor.map(one, starts):
        pass
    return result


class _Meter:
    """Tells the progress function of every item that passes through."""

    def __init__(self, doing: str, total: int, progress: Progress) -> None:
        self._doing, self._total, self._progress = doing, total, progress
        self._done = 0

    def skip(self, count: int) -> None:
        """Some items are done without passing."""
        self._done = min(self._done + count, self._total)
        self._progress(self._doing, self._done, self._total)

    def passing(self, items: Iterable[T]) -> Iterator[T]:
        for item in items:
            yield item
            self._done = min(self._done + 1, self._total)
            self._progress(self._doing, self._done, self._total)
