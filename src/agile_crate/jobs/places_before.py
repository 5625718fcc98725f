"""The crate of the build before, in whose places frames may have to stay."""

from __future__ import annotations

from pathlib import Path

from ..core.crate.file_names import sized_name
from ..core.errors import InputError
from ..core.model.crate import Crate
from ..format.files import ENDINGS, read_metadata
from ..settings.table import Settings


def places_before(target: Path, settings: Settings) -> Crate | None:
    """The crate that is there under the name of this size of the build, if it can be read."""
    for ending in ENDINGS:
        path = target.parent / (sized_name(target.name, settings.portion) + ending)
        if path.is_file():
            try:
                return read_metadata(path)
            except InputError:  # then there are no places to keep
                continue
    return None
