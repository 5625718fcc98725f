"""`watch`: crates of a crate file are built again whenever what they are made of changes."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from types import MappingProxyType
from typing import Literal

from ..core.errors import CrateError, InputError
from ..core.model.crate import Crate
from ..crate_files.dependencies import metadata_of
from ..crate_files.read import chosen, read_crate_file
from ..crate_files.spec import Order, as_key
from ..crate_files.up_to_date import Unchanged, unchanged
from ..format.files import read_metadata
from ..settings.given import settings_from
from ..settings.table import Settings
from ..sources.find import find, fixed_part
from ..sources.watched import Watch, watching
from ..storage.cache import Cache
from ..workers.pool import Crew
from .light_table import LightTable
from .pack import Packed, pack

GRACE = 1.0
"""Seconds that a picture which cannot be read has to be written to its end before it is told of."""


@dataclass(frozen=True, slots=True)
class Turn:
    """What came of one crate, or of the crate file (`crate` is empty then): it was built, there was nothing to do, or
    it failed. `changed` are frames that look or stand differently from those of the build before."""

    crate: str
    outcome: Literal["built", "unchanged", "failed"]
    packed: Packed | None = None
    there: Unchanged | None = None
    error: CrateError | None = None
    changed: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Builder:
    """How crates are built: whatever does not change from build to build."""

    executor: Crew
    cache: Cache
    program: str
    force: bool
    keep_touches: bool
    begin: Callable[[str], None]
    end: Callable[[Turn], None]
    table: LightTable | None = None


def watch(path: str, only: Sequence[str], builder: Builder, ready: Callable[[], None]) -> None:
    """Builds the crates of a file, calls `ready`, and builds them again whenever something changes, for ever.

    `builder.begin` hears of a crate's name before it is built, and `builder.end` of what came of it. An error is told
    once, and the next change tried. Raises InputError and UsageError only if the crate file is wrong from the first.
    """
    orders = _orders(path, only)
    with watching() as watched:
        watched.cover(_places(path, orders))
        wrong = _build_all(orders, builder)
        ready()
        while True:
            watched.next_burst()
            builder.cache.refresh()
            try:
                orders = _orders(path, only)
            except CrateError as error:
                wrong = _file_wrong(orders, error, builder, wrong, watched)
                continue
            watched.cover(_places(path, orders))
            wrong = _build_all(orders, builder, watched, wrong)


def _file_wrong(
    orders: Iterable[Order], error: CrateError, builder: Builder, wrong: Mapping[str, str], watched: Watch
) -> dict[str, str]:
    """The crate file cannot be read: all its crates are wrong by that."""
    told = error.sentence.spelled(as_key)
    if wrong.get("") == told or watched.any_within(GRACE):
        return dict(wrong)
    for order in orders:
        if builder.table:
            builder.table.failed(order.name, told)
    builder.end(Turn("", "failed", error=error))
    return {order.name: told for order in orders} | {"": told}


def names_of(path: str, only: Sequence[str]) -> list[str]:
    """The crates that are watched, in the file's order. Raises InputError and UsageError."""
    return [order.name for order in _orders(path, only)]


def _orders(path: str, only: Sequence[str]) -> list[Order]:
    return [order for _, orders in chosen([read_crate_file(path)], only) for order in orders]


def _places(path: str, orders: Iterable[Order]) -> Iterator[str]:
    """All that a change may come from: the crate file, its inputs and their folders, templates, palettes."""
    yield path
    for order in orders:
        layers = [layer for skin in order.skins for layer in skin.layers]
        for inputs in (order.inputs, *layers):
            yield from map(fixed_part, inputs)
            try:
                yield from {os.path.dirname(file.path) for file in find(inputs).found}
            except CrateError:
                continue  # the build says it
        try:
            settings = settings_from(order.given)
        except CrateError:
            continue
        yield from settings.files


def _build_all(
    orders: Iterable[Order],
    builder: Builder,
    watched: Watch | None = None,
    wrong: Mapping[str, str] = MappingProxyType({}),
) -> dict[str, str]:
    """Builds what has to be built; the crates that failed, with why. Of those for which there was nothing to do only
    the first round tells, and those that were `wrong`; an error that was told is not told again. A picture that cannot
    be read may be on its way: if anything changes within a moment, all is left to the next round."""
    failed: dict[str, str] = {}
    for order in orders:
        turn = _build(order, builder)
        known, told = wrong.get(order.name), ""
        if turn.error:
            told = failed[order.name] = turn.error.sentence.spelled(as_key)
            if watched and told != known and isinstance(turn.error, InputError) and watched.any_within(GRACE):
                return {**wrong, order.name: ""}
            if builder.table and told != known:
                builder.table.failed(order.name, told)
        is_news = told != known if turn.error else bool(turn.packed) or watched is None or known is not None
        if is_news:
            builder.end(turn)
    return failed


def _build(order: Order, builder: Builder) -> Turn:
    """One crate, unless there is nothing to do."""
    try:
        settings = settings_from(order.given)
        there = unchanged(
            order.inputs, order.out, settings, builder.cache, builder.executor, builder.program, order.skins
        )
        data = Path(metadata_of(order.out, settings))
        if there:
            if builder.table:
                builder.table.settled(order.name, data)
            return Turn(order.name, "unchanged", there=there)
        builder.begin(order.name)
        return _built(order, settings, builder, data)
    except CrateError as error:
        return Turn(order.name, "failed", error=error)


def _built(order: Order, settings: Settings, builder: Builder, data: Path) -> Turn:
    before = _before(data)
    table = builder.table
    if table:
        table.working(order.name)
    packed = pack(
        order.inputs, order.out, settings, builder.executor, generator=builder.program, force=builder.force,
        keep_touches=builder.keep_touches, cache=builder.cache, skins=order.skins,
        planned=partial(table.show, order.name) if table else None,
    )  # fmt: skip
    if table:
        table.settled(order.name, data)
    return Turn(order.name, "built", packed, changed=_changed(before, packed.crate))


def _before(data: Path) -> Mapping[str, tuple[object, ...]]:
    try:
        return _looks(read_metadata(str(data)))
    except CrateError:
        return {}


def _looks(crate: Crate) -> dict[str, tuple[object, ...]]:
    """How each frame looks and where it stands, by its name."""
    return {frame.name: (frame.crc, frame.canvas, frame.pivot) for frame in crate.frames}


def _changed(before: Mapping[str, tuple[object, ...]], crate: Crate) -> tuple[str, ...]:
    return tuple(name for name, look in _looks(crate).items() if name in before and before[name] != look)
