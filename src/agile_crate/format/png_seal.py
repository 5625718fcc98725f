"""The seal of a PNG sheet: a text chunk with the crate's name and a digest, which proves who wrote the file when its
metadata is lost (docs/programmers/format.md, "A sheet"). The proof guards against accidents; anybody can forge it."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import NamedTuple

from ..core.limits import Limits
from ..core.png_chunks import SIGNATURE, chunk
from .regular import read_end, read_regular

KEYWORD = b"Crate"
EDITED = "with edits by hand, "
_HEAD = KEYWORD + b"\0\0\0\0\0"
"""The keyword, then: not compressed, no language, no translated keyword (PNG, third edition, clause 11.3.3.4)."""

_END = chunk(b"IEND", b"")

_TAIL_BYTES = 1024
"""More than a seal and the end chunk take: a name has at most 255 bytes."""


def without_end(pieces: Iterable[bytes]) -> Iterator[bytes]:
    """The pieces of a PNG file without its end chunk, which the last piece ends with."""
    held = b""
    for piece in pieces:
        if held:
            yield held
        held = piece
    yield held.removesuffix(_END)


class Seal(NamedTuple):
    """The name of a sheet's crate, and whether the sheet carries edits by hand."""

    crate: str
    is_edited: bool = False


def sealed_end(digest: str, seal: Seal) -> bytes:
    """A sheet's seal, and the end chunk. `digest` is the SHA-256, in hex, of all bytes before them."""
    edited = EDITED if seal.is_edited else ""
    text = f"{seal.crate}\n{edited}sha256 of all before this chunk: {digest}"
    return chunk(b"iTXt", _HEAD + text.encode()) + _END


def seal_of(path: str | os.PathLike[str], limits: Limits) -> Seal | None:
    """The seal of a PNG file that is byte for byte as it was written, otherwise None.

    Only the end of a file without a seal is read. Cost: otherwise one SHA-256 pass.
    """
    try:
        tail = read_end(path, _TAIL_BYTES)
        start = tail.rfind(b"iTXt" + _HEAD)
        if start < 4 or not tail.endswith(_END):
            return None
        name, _, rest = tail[start + 4 + len(_HEAD) :].partition(b"\n")
        seal = Seal(name.decode(), rest.startswith(EDITED.encode()))
        data = read_regular(Path(path), limits, "file_bytes")
        end = len(data) - len(tail) + start - 4
        expected = sealed_end(hashlib.sha256(memoryview(data)[:end]).hexdigest(), seal)
        return seal if data.startswith(SIGNATURE) and data[end:] == expected else None
    except (OSError, UnicodeDecodeError):
        return None
