"""A crate file's crates, as far as there is anything to do: what scripts call."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ..core.errors import CrateError
from ..settings.crate_file import Order
from ..store.cache import opened
from ..work.crew import crew
from .crate_file import chosen, read_crate_file
from .order import Way, build_many, build_order
from .pack import Packed
from .unchanged import Unchanged


def build(path: str, only: Sequence[str], way: Way, jobs: int = 1) -> dict[str, Packed | None]:
    """The crates that were built, by their names; None for those for which there was nothing to do. Raises what `pack`
    raises, and InputError for a crate file that cannot be read, at the first error."""
    orders = [order for _, orders in chosen([read_crate_file(path)], only) for order in orders]
    found: dict[str, Packed | None] = {}
    for order, built in zip(orders, _built(orders, way, jobs), strict=True):
        if isinstance(built, CrateError):
            raise built
        found[order.name] = built if isinstance(built, Packed) else None
    return found


def _built(orders: Sequence[Order], way: Way, jobs: int) -> Iterator[Packed | Unchanged | CrateError]:
    if jobs > 1:
        yield from build_many(orders, way, jobs)
        return
    with crew() as executor, opened() as cache:
        for order in orders:
            yield build_order(order, way, executor, cache)
