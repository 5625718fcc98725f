"""Read a crate from its files: the metadata as values, the sheets as pixels."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from ..core.crate.check import check_crate
from ..core.crate.restore import as_seen
from ..core.crate.skins import skins_of, with_skin
from ..core.errors import InputError, UsageError
from ..core.frame.alpha import straight
from ..core.limits import USUAL, Limits
from ..core.message import Message, a_file, message
from ..core.model.crate import Crate, Frame
from ..core.names import nearest
from ..core.pixels import Pixels
from ..core.text import few, quoted, shown
from ..format.files import read_metadata
from ..sources.sheets import read_sheet, sheet_bands
from ..storage.recovery import recover_interrupted


def refuse_empty(data: str, crate: Crate) -> None:
    """Raise InputError for a crate without frames: nothing can be drawn or described."""
    if not crate.frames:
        raise InputError("{} has no frames; pack some into it first", a_file(data))


@dataclass(frozen=True, eq=False)
class Loaded:
    """A crate with its sheets.

    sheets    the decoded images, in order
    folder    that they were read from, None if nothing has been written
    warnings  name sheets that somebody changed since
    limits    within which sheets are read again
    """

    crate: Crate
    sheets: tuple[Pixels, ...]
    folder: Path | None
    warnings: tuple[Message, ...] = ()
    limits: Limits = USUAL

    @cached_property
    def frames(self) -> Mapping[str, Frame]:
        """The frames by their names."""
        return {frame.name: frame for frame in self.crate.frames}

    def frame(self, name: str) -> Pixels:
        """A frame's pixels on its whole canvas, straight alpha, laid over the crate's background if it has one: a new
        array of shape (h, w, 4). KeyError for an unknown frame."""
        return self._shown(self.frames[name])

    def picture(self, index: int) -> Pixels:
        """The pixels of the frame with this index, as `frame` returns them."""
        return self._shown(self.crate.frames[index])

    def shown_sheet(self, index: int) -> Pixels:
        """A whole sheet in straight alpha; not to be changed."""
        return straight(self.sheets[index]) if self.crate.alpha == "premultiplied" else self.sheets[index]

    def bands(self, index: int, rows: int) -> Iterator[Pixels]:
        """Yield a sheet in straight alpha, in bands of rows."""
        if self.sheets or self.folder is None:
            sheet = self.sheets[index]
            found: Iterator[Pixels] = (sheet[start : start + rows] for start in range(0, len(sheet), rows))
        else:
            found = sheet_bands(self.folder, self.crate.sheets[index], rows, self.limits)
        return map(straight, found) if self.crate.alpha == "premultiplied" else found

    def _shown(self, frame: Frame) -> Pixels:
        return as_seen(self.crate, self.sheets[frame.on_sheet], frame)


def load(data: str, limits: Limits, skin: str = "") -> Loaded:
    """Read metadata and sheets, or the sheets of a named skin. Raises InputError when they are missing, damaged, or do
    not hold together, and UsageError for an unknown skin."""
    return open_crate(data, skin, True, limits)


def open_crate(data: str, skin: str, decode: bool, limits: Limits) -> Loaded:
    """Open a crate as `load` does. Without decoding, check only the sheets' sizes and digests, and return no sheets."""
    warnings = recover_interrupted([], [Path(data)])
    crate = read_metadata(data, limits)
    for problem in check_crate(crate):
        raise InputError("{}: {}", a_file(data), problem)
    if skin:
        crate = _in_skin(data, crate, skin)
    sheets: list[Pixels] = []
    for sheet in crate.sheets:
        found = read_sheet(Path(data).parent, sheet, decode, limits)
        for problem in found.problems:
            raise InputError("{}: {}", a_file(data), problem)
        if found.remark:
            warnings.append(message("{}: {}", a_file(data), found.remark))
        if found.changed:
            warnings.append(Message(f"{shown(data)}: {found.changed}; its current pixels are used"))
        if found.pixels is not None:
            sheets.append(found.pixels)
    return Loaded(crate, tuple(sheets), Path(data).parent, tuple(warnings), limits)


def _in_skin(data: str, crate: Crate, skin: str) -> Crate:
    names = skins_of(crate)
    if skin not in names:
        near = nearest(skin, names)
        others = f"its skins are {few(map(quoted, names))}" if names else "it has none"
        hint = f"did you mean {quoted(near)}?" if near else others
        raise UsageError(f"{shown(data)} has no skin {quoted(skin)}; {hint}")
    return with_skin(crate, skin)
