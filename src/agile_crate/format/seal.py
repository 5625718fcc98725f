"""Digests that show if a file was edited since it was written; a text holds its own."""

from __future__ import annotations

import hashlib


def binary_sha256(data: bytes) -> str:
    """The SHA-256 of a file, in hex."""
    return hashlib.sha256(data).hexdigest()


def text_sha256(data: bytes) -> str:
    """The SHA-256 of a text file, in hex, whichever way its line ends are written: version control may change those."""
    return binary_sha256(data.replace(b"\r\n", b"\n"))


def sealed(text: str, place: str) -> str:
    """Put a text's own digest between the quotes at the end of `place`, where that first appears. The digest is of the
    given text, with nothing between the quotes."""
    digest = text_sha256(text.encode("utf-8", "surrogatepass"))
    return text.replace(place, f"{place[:-1]}{digest}{place[-1]}", 1)


def is_unbroken(data: bytes, digest: str) -> bool:
    """Return True if a sealed text is as it was written."""
    return text_sha256(data.replace(digest.encode(), b"", 1)) == digest
