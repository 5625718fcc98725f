"""A crate with its pixels, as views and scripts want it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from .core.alpha import straight
from .core.model import Crate, Frame
from .core.pixels import Pixels
from .core.restore import as_seen


@dataclass(frozen=True, slots=True, eq=False)
class Loaded:
    """A crate with its sheets: `sheets` are the decoded images, in order. They were read from files in `folder`, which
    is None where nothing has been written."""

    crate: Crate
    sheets: tuple[Pixels, ...]
    folder: Path | None

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
