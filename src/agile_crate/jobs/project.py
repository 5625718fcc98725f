"""A crate file's crates, built one after the other, as far as there is anything to do: what scripts call."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from ..settings.given import settings_from
from ..store.cache import opened
from ..work.crew import crew
from .crate_file import chosen, read_crate_file
from .pack import Packed, pack
from .unchanged import unchanged


def build(
    path: str,
    only: Sequence[str],
    program: str,
    again: bool = False,
    dry_run: bool = False,
    force: bool = False,
    keep_touches: bool = False,
) -> dict[str, Packed | None]:
    """The crates that were built, by their names; None for those for which there was nothing to do. Raises what `pack`
    raises, and InputError for a crate file that cannot be read, at the first error."""
    done: dict[str, Packed | None] = {}
    with crew() as executor, opened() as cache:
        how = partial(pack, generator=program, dry_run=dry_run, force=force, keep_touches=keep_touches, cache=cache)
        for _, orders in chosen([read_crate_file(path)], only):
            for order in orders:
                settings = settings_from(order.given)
                there = None
                if not again:
                    there = unchanged(order.inputs, order.out, settings, cache, executor, program, order.skins)
                made = None if there else how(order.inputs, order.out, settings, executor, skins=order.skins)
                done[order.name] = made
    return done
