"""Writing: sheets one after the other, then their texts, all put in place together."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import partial
from typing import TYPE_CHECKING, NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from ..core.color import Color
from ..core.crate.draw import Placed
from ..core.crate.edits import source_crc
from ..core.frame.alpha import flattened, premultiplied
from ..core.frame.indexed import entries, indices
from ..core.limits import Limits
from ..core.model.crate import Crate
from ..core.model.geometry import Size
from ..core.model.picture import Picture
from ..core.pixels import Pixels
from ..exports.png import encode_rows, optimized, rows_above, strip_starts
from ..exports.texts import texts_of
from ..format.png_seal import Seal, sealed_end, without_end
from ..storage.previous_build import is_written
from ..storage.staging import Staging
from ..workers.pool import Progress, WorkerPool
from .context import Context
from .describe import Plan
from .draw import SheetRows, placed_of
from .prepare import are_small

if TYPE_CHECKING:
    from ..exports.template import Template

T = TypeVar("T")


class _Writing(NamedTuple):
    """The means of writing sheets: the staging area, the context, and meters of drawing and writing."""

    staging: Staging
    context: Context
    drawing: _Meter
    writing: _Meter


def write_plans(
    staging: Staging, plans: list[Plan], templates: Sequence[Template], context: Context, stale: Sequence[str]
) -> list[Crate]:
    """Draw and write the crates, no more than a band of a sheet at a time, then their texts; remove the `stale` files.

    The list is emptied as plans are drawn, so that their pixels can go. With the build cache, a sheet that a build has
    written already, and that nobody changed since, is not encoded again. Returns the crates with the digests of their
    sheets.
    """
    drawn = sum(sum(plan.drawn) * len(plan.variants) for plan in plans)
    writing = _Writing(
        staging,
        context,
        _Meter("drawing", drawn, context.progress),
        _Meter("writing", sum(_pieces(plan) for plan in plans), context.progress),
    )
    crates: list[Crate] = []
    settings = [plan.settings for plan in plans]
    # Popped before it is drawn: only the loop holds the plan, so the pixels of one size go before the next is drawn.
    while plans:
        crates.append(_with_sheets(plans.pop(0), writing, context.limits))
    sizes = list(zip(crates, settings, strict=True))
    # The metadata of the crate's own size comes last: whoever finds it finds all other files in place.
    for crate, own in reversed(sizes):
        larger = [(other.portion / own.portion, size) for size, other in sizes if other.portion > own.portion]
        for name, data in texts_of(crate, larger, own.metadata, templates, own.compact):
            sha256 = staging.write(name, [data])
            if context.cache:
                context.cache.put_written(sha256)
    staging.commit(remove=stale)
    return crates


def _pieces(plan: Plan) -> int:
    count = len(plan.variants)
    if plan.settings.optimize or plan.settings.image == "webp":
        return len(plan.crate.sheets) * count
    return sum(len(strip_starts(*sheet.size)) for sheet in plan.crate.sheets) * count


def _with_sheets(plan: Plan, writing: _Writing, limits: Limits) -> Crate:
    """Draw and write the sheets of all variants; return the crate with their digests, and the CRC of each frame."""
    crcs: dict[int, str] = {}
    sheets = [
        sheet._replace(sha256=_write_sheet(plan, 0, index, writing, crcs, limits))
        for index, sheet in enumerate(plan.crate.sheets)
    ]
    for number in range(1, len(plan.variants)):
        for index, sheet in enumerate(sheets):
            skins = list(sheet.skins)
            sha256 = _write_sheet(plan, number, index, writing, {}, limits)
            skins[number - 1] = skins[number - 1]._replace(sha256=sha256)
            sheets[index] = sheet._replace(skins=tuple(skins))
    crate = plan.crate._replace(sheets=tuple(sheets))
    return _with_crcs(crate, plan.variants[0].pictures, crcs, writing.context.pool)


def _with_crcs(crate: Crate, pictures: Sequence[Picture], known: Mapping[int, str], pool: WorkerPool) -> Crate:
    """Return the crate with the CRC of every frame's pixels; those that are `known` are not computed again."""

    def crc_of(number: int) -> str:
        return known.get(number) or source_crc(crate, crate.frames[number], pictures[number])

    crcs = (map if are_small(pictures) else pool.map)(crc_of, range(len(pictures)))
    frames = zip(crate.frames, pictures, crcs, strict=True)
    return crate._replace(
        frames=tuple(frame._replace(crc=crc, edited=picture.source is not None) for frame, picture, crc in frames)
    )


def _write_sheet(plan: Plan, variant: int, index: int, writing: _Writing, crcs: dict[int, str], limits: Limits) -> str:
    """Draw and write one sheet; return its SHA-256. `crcs` gets those of frames that are read only now."""
    staging, context, drawing, progress = writing
    sheet, image, cache = plan.crate.sheets[index], plan.images(variant)[index], context.cache
    frames = zip(plan.crate.frames, plan.variants[variant].pictures, strict=True)
    is_edited = any(frame.on_sheet == index and picture.source is not None for frame, picture in frames)
    key = _key(plan, variant, index, f"{context.program} {is_edited}", context.pool) if cache else b""
    # The cache knows the file that a build wrote, not the current one: hash it before leaving it as it is.
    if cache and (known := cache.get(key)) and is_written(staging.folder / image, known.hex(), cache, limits):
        drawing.skip(sum(frame.on_sheet == index for frame in plan.crate.frames))
        progress.skip(len(strip_starts(*sheet.size)))
        return known.hex()
    drawn = SheetRows(plan, variant, index, context, rows_above(sheet.size.w))
    pieces = _encoded(plan, variant, sheet.size, drawn, writing)
    if plan.settings.optimize and plan.settings.image == "png":
        pieces = [optimized(b"".join(pieces), context.pool)]
    if plan.settings.image == "png":
        ending = partial(sealed_end, seal=Seal(plan.crate.name, is_edited))
        sha256 = staging.write(image, without_end(progress.passing(pieces)), ending)
    else:
        sha256 = staging.write(image, progress.passing(pieces))
    crcs |= drawn.crcs
    if cache:
        cache.put(key, bytes.fromhex(sha256))
        if not is_edited:  # an edited sheet is not ours to overwrite: only its metadata says that edits were kept
            cache.put_written(sha256)
    return sha256


def _key(plan: Plan, variant: int, index: int, program: str, pool: WorkerPool) -> bytes:
    """Return a sheet file's cache key: each drawn box, and all else that decides the image's bytes."""
    settings, sheet, palette = plan.settings, plan.crate.sheets[index], plan.variants[variant].palette
    ways = (
        program,
        plan.crate.name,
        sheet.size,
        sheet.edge_repeat,
        palette is not None,
        *finish_of(plan, variant),
        settings.optimize,
        settings.image,
    )
    whole = hashlib.blake2b(repr(ways).encode(), digest_size=16)
    if palette is not None:
        whole.update(palette.tobytes())
    frames = zip(plan.crate.frames, placed_of(plan, variant), strict=True)
    placed_here = [drawing for frame, drawing in frames if drawing and frame.on_sheet == index]
    for digest in pool.map(_digest, placed_here):
        whole.update(digest)
    return b"drawn:" + whole.digest()


def _digest(placed: Placed) -> bytes:
    header = repr((placed.pixels.shape, placed.inside, placed.box, placed.turned)).encode()
    return hashlib.blake2b(np.ascontiguousarray(placed.pixels).data, key=hashlib.blake2b(header).digest()).digest()


class _Finish(NamedTuple):
    """The finish of a whole sheet's pixels."""

    background: Color | None
    premultiply: bool

    def apply(self, pixels: Pixels) -> Pixels:
        """Return the pixels with the finish."""
        if self.background:
            return flattened(pixels, self.background)
        return premultiplied(pixels) if self.premultiply else pixels


def finish_of(plan: Plan, variant: int) -> _Finish:
    """Return the finish of a variant's sheets; companions that are no art keep their exact values."""
    if plan.variants[variant].is_plain:
        return _Finish(None, False)
    return _Finish(plan.settings.background, plan.settings.premultiply)


def _encoded(plan: Plan, variant: int, size: Size, drawn: SheetRows, writing: _Writing) -> Iterable[bytes]:
    """Yield the image file: indexed with a palette, premultiplied or flattened on request."""
    settings, finish, pool = plan.settings, finish_of(plan, variant), writing.context.pool
    palette = plan.variants[variant].palette if settings.image == "png" else None

    def rows_of(rows: range) -> NDArray[np.uint8]:
        done = drawn.done
        pixels = drawn(rows)
        writing.drawing.skip(drawn.done - done)
        if palette is not None:
            return _by_strips(pixels, partial(indices, colors=palette), pool)
        if finish.background:
            return _by_strips(pixels, lambda strip: finish.apply(strip)[..., :3], pool)
        return _by_strips(pixels, finish.apply, pool) if finish.premultiply else pixels

    if settings.image == "webp":
        from ..exports.webp import encode_webp

        return iter([pool.submit(encode_webp, rows_of(range(size.h)), settings.optimize).result()])
    return encode_rows(size, rows_of, pool, None if palette is None else finish.apply(entries(palette)[None])[0])


def _by_strips(pixels: Pixels, work: Callable[[Pixels], NDArray[np.uint8]], pool: WorkerPool) -> NDArray[np.uint8]:
    """Return what `work` makes of the rows, on the threads; in place if their shape stays the same."""
    shape = work(pixels[:0]).shape[1:]
    result = pixels if shape == pixels.shape[1:] else np.empty((len(pixels), *shape), np.uint8)
    starts = strip_starts(pixels.shape[1], len(pixels))

    def finish_strip(start: int) -> None:
        rows = slice(start, start + starts.step)
        result[rows] = work(pixels[rows])

    for _ in pool.map(finish_strip, starts):
        pass
    return result


class _Meter:
    """Counts items as they pass, for the progress function."""

    def __init__(self, doing: str, total: int, progress: Progress) -> None:
        self._doing, self._total, self._progress = doing, total, progress
        self._done = 0

    def skip(self, count: int) -> None:
        """Count items that are done without passing."""
        self._done = min(self._done + count, self._total)
        self._progress(self._doing, self._done, self._total)

    def passing(self, items: Iterable[T]) -> Iterator[T]:
        """Yield the items; each counts once the next one is asked for."""
        for item in items:
            yield item
            self._done = min(self._done + 1, self._total)
            self._progress(self._doing, self._done, self._total)
