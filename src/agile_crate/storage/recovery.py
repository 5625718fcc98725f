"""Recovery of interrupted builds: finished or rolled back first."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path

from ..core.message import Message
from .staging import settle


def recover_interrupted(inputs: Iterable[str], crates: Iterable[Path] = ()) -> list[Message]:
    """Finish or undo what interrupted runs left in the folders of inputs, or above them, and of crates (their metadata,
    or paths without ending); return a note of each. Raises OutputError if that fails."""
    notes: list[Message] = []
    for crate in crates:
        stem = crate.name.removesuffix(crate.suffix) if crate.suffix in (".json", ".xml") else crate.name
        notes += settle(crate.parent, dict.fromkeys((stem, stem.rpartition("@")[0] or stem)))
    folders: dict[Path, None] = {}
    for given in inputs:
        path = Path(os.path.abspath(given))
        folders |= dict.fromkeys((path, *path.parents))
    for folder in folders:
        notes += settle(folder, [""])
    return notes
