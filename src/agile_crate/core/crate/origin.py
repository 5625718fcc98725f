"""The digest of a crate's inputs: equal for equal builds on any machine."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping
from typing import NamedTuple


class Origin(NamedTuple):
    """A file that was packed: its frame's name, its animation or an empty text, and its SHA-256 in hex."""

    name: str
    animation: str
    sha256: str


def built_from(program: str, name: str, settings: Mapping[str, object], files: Iterable[Origin]) -> str:
    """Return the SHA-256, in hex, of everything that determines a build's output: the program with its version, the
    crate's name, its settings as they are typed, and the files, whatever their order. Cost: linear in the files."""
    values = [program, name, sorted(settings.items()), sorted(files)]
    return hashlib.sha256(json.dumps(values, ensure_ascii=False).encode("utf-8", "surrogatepass")).hexdigest()
