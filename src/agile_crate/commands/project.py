"""A crate file's crates, as far as there is anything to do: what scripts call."""

from __future__ import annotations

from collections.abc import Sequence

from ..core.errors import CrateError
from ..crate_files.read import chosen, read_crate_file
from .build import Request, build_in_turn, build_many
from .pack import Packed


def build(path: str, only: Sequence[str], request: Request, jobs: int = 1) -> dict[str, Packed | None]:
    """The crates that were built, by their names; None for those for which there was nothing to do. Raises what `pack`
    raises, and InputError for a crate file that cannot be read, at the first error."""
    orders = [order for _, orders in chosen([read_crate_file(path)], only) for order in orders]
    outcomes = build_many(orders, request, jobs) if jobs > 1 else build_in_turn(orders, request)
    found: dict[str, Packed | None] = {}
    for order, built in zip(orders, outcomes, strict=True):
        if isinstance(built, CrateError):
            raise built
        found[order.name] = built if isinstance(built, Packed) else None
    return found
