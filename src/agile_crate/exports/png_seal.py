"""The seal of a PNG sheet: a text chunk with the crate's name and a digest, which proves who wrote the file when its
metadata is lost (docs/format.md, "A sheet"). The proof is against accidents: whoever wants to can forge it."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterable, Iterator
from pathlib import Path

from ..core.png_chunks import SIGNATURE, chunk
from ..format.regular import read_end, read_regular

KEYWORD = b"Crate"
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


def seal_and_end(name: str, digest: str) -> bytes:
    """The seal of a crate's sheet, and the end chunk. `digest` is the SHA-256, in hex, of all bytes before them."""
    return _seal(name, digest) + _END


def sealed_for(path: str | os.PathLike[str]) -> str:
    """The name of the crate whose sheet a PNG file is, byte for byte as it was written; empty if it proves nothing.

    Only the end of a file without a seal is read. Cost: otherwise one SHA-256 pass.
    """
    try:
        tail = read_end(path, _TAIL_BYTES)
        start = tail.rfind(b"iTXt" + _HEAD)
        if start < 4 or not tail.endswith(_END):
            return ""
        name, _, _ = tail[start + 4 + len(_HEAD) :].partition(b"\n")
        data = read_regular(Path(path), "file_bytes")
        text = name.decode()
        end = len(data) - len(tail) + start - 4
        expected = seal_and_end(text, hashlib.sha256(memoryview(data)[:end]).hexdigest())
        return text if data.startswith(SIGNATURE) and data[end:] == expected else ""
    except (OSError, UnicodeDecodeError):
        return ""


def _seal(name: str, digest: str) -> bytes:
    return chunk(b"iTXt", _HEAD + f"{name}\nsha256 of all before this chunk: {digest}".encode())
