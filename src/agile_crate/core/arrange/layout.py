"""The interface of layouts: request, result, and a record of each layout's traits."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, NamedTuple

from .sheet_size import SheetLimits, SheetRules

if TYPE_CHECKING:  # settings load this module for --help, which has no use for pixels
    from ..message import Message
    from ..model.crate import Crate
    from ..model.geometry import Size
    from ..model.picture import Picture, Sequences
    from .arrangement import Arrangement


class LayoutOptions(NamedTuple):
    """The settings of layouts, by name, with the spacing that edges need. All places are multiples of the `unit`."""

    align: str = "bottom"
    cell: Size | None = None
    columns: int = 0
    rows: int = 0
    down: bool = False
    margin: int = 0
    gap: int = 0
    edge_repeat: int = 0
    rules: SheetRules = SheetRules()
    aspect: float | None = 2
    turn: bool = False
    effort: str = "normal"
    store_duplicates: bool = False
    share_mirrored: bool = False
    break_animations: bool = False
    keep_places: bool = False
    one_sheet: bool = False
    square_cells: bool = False
    unit: int = 1

    @property
    def limits(self) -> SheetLimits:
        """Return what a sheet must obey."""
        return SheetLimits(self.rules, self.aspect, self.margin, self.gap, self.turn, self.effort)


class LayoutRequest(NamedTuple):
    """The input of a layout.

    sequences  frames in order
    pictures   those of the base art, one a frame; only `stored_box` and `flipped` matter to most layouts
    skins      the pictures of each skin, one a frame
    options    how
    previous   the crate of the last build, if its places may be kept
    """

    sequences: Sequences
    pictures: Sequence[Picture]
    skins: Sequence[Sequence[Picture]]
    options: LayoutOptions
    previous: Crate | None = None


class Arranged(NamedTuple):
    """The arrangement of all frames, and remarks and warnings for the user."""

    arrangement: Arrangement
    remarks: tuple[Message, ...]
    warnings: tuple[Message, ...] = ()


class Excluded(NamedTuple):
    """Settings that a layout excludes: each of the `names`, or all of them `together`. In the sentence, {} is the first
    of them that is given."""

    names: tuple[str, ...]
    sentence: str
    together: bool = False


class Layout(NamedTuple):
    """A layout.

    help          what it makes, in a few words
    arrange       puts frames on sheets; raises FitError
    settings      the settings of some layouts that it accepts, see `layouts.KNOWN_TO_SOME`
    trim          its default trimming
    numbers_rows  the summary has a column with the row of each animation
    excluded      settings that it refuses, although it would accept their kind
    """

    help: str
    arrange: Callable[[LayoutRequest], Arranged]
    settings: frozenset[str]
    trim: str = "off"
    numbers_rows: bool = False
    excluded: tuple[Excluded, ...] = ()

    @property
    def has_cells(self) -> bool:
        """Return True if frames lie in cells, of one size for all or for each animation."""
        return "columns" in self.settings

    @property
    def has_one_cell(self) -> bool:
        """Return True if all frames lie in cells of one size."""
        return "cell" in self.settings
