"""Checks of tiles: seams where they repeat."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import WARNING, Finding, Surveyed, codes, finding

(SEAM,) = codes("seam")

ROUGHEST_SEAM = 2.0
"""A tile may differ over its edge by this much more than neighboring columns differ inside it."""

ALIKE_EDGES = 0.5
"""The correlation of opposite edges from which a picture seems meant to go on; a backdrop's edges have nothing in
common."""


def seams(sequence: Surveyed) -> Iterator[Finding]:
    """Tiles whose edges do not continue."""
    across = [
        f for f in sequence.frames if f.seam_x and f.seam_x.step > ROUGHEST_SEAM and f.seam_x.likeness > ALIKE_EDGES
    ]
    along = [
        f for f in sequence.frames if f.seam_y and f.seam_y.step > ROUGHEST_SEAM and f.seam_y.likeness > ALIKE_EDGES
    ]
    for torn, sides in (
        (across, "right edge does not continue at the left"),
        (along, "bottom edge does not continue at the top"),
    ):
        if torn:
            what = f"the tile's {sides}: a line shows where it repeats"
            yield finding(sequence, SEAM, WARNING, torn, what, "paint over the edge, or export the whole period")
