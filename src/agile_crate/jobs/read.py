"""Reading a crate back from its files: its metadata as values, its sheets as pixels."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from ..core.crate.check import check_crate
from ..core.crate.restore import as_seen
from ..core.errors import InputError
from ..core.frame.alpha import straight
from ..core.model.crate import Crate, Frame
from ..core.pixels import Pixels
from ..core.sentence import Sentence
from ..core.text import shown
from ..format.files import read_metadata
from ..sources.sheets import read_sheet
from .settled import settled


@dataclass(frozen=True, slots=True, eq=False)
class Loaded:
    """A crate with its sheets: `sheets` are the decoded images, in order. They were read from files in `folder`, which
    is None where nothing has been written. `warnings` name sheets that somebody changed since."""

    crate: Crate
    sheets: tuple[Pixels, ...]
    folder: Path | None
    warnings: tuple[Sentence, ...] = ()

    def frame(self, name: str) -> Pixels:
        """A frame's pixels on its whole canvas, straight alpha, laid over the crate's background if it has one: a new
        array of shape (h, w, 4). KeyError if there is no such frame."""
        for frame in self.crate.frames:
            if frame.name == name:
                return self._shown(frame)
        raise KeyError(name)

    def picture(self, index: int) -> Pixels:
        """The same by the frame's index."""
        return self._shown(self.crate.frames[index])

    def shown_sheet(self, index: int) -> Pixels:
        """A whole sheet in straight alpha; not to be changed."""
        return straight(self.sheets[index]) if self.crate.alpha == "premultiplied" else self.sheets[index]

    def _shown(self, frame: Frame) -> Pixels:
        return as_seen(self.crate, self.sheets[frame.on_sheet], frame)


def load(data: str) -> Loaded:
    """Reads metadata and sheets. Raises InputError when they are missing, damaged, or do not hold together."""
    warnings = settled([], [Path(data)])
    crate = read_metadata(data)
    for problem in check_crate(crate):
        raise InputError(f"{shown(data)}: {problem}")
    sheets: list[Pixels] = []
    for sheet in crate.sheets:
        found = read_sheet(Path(data).parent, sheet, decode=True)
        for problem in found.problems:
            raise InputError(f"{shown(data)}: {problem}")
        if found.remark:
            warnings.append(Sentence(f"{shown(data)}: {found.remark}"))
        if found.changed:
            warnings.append(Sentence(f"{shown(data)}: {found.changed}; its pixels are taken as they are now"))
        assert found.pixels is not None
        sheets.append(found.pixels)
    return Loaded(crate, tuple(sheets), Path(data).parent, tuple(warnings))
