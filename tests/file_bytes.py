"""Files as their bytes: pictures as Pillow stores them, PNGs put together chunk by chunk, and layered documents."""

import io
import struct
import zipfile
import zlib
from collections.abc import Mapping
from typing import Any

import numpy as np
from PIL import Image


def stored(image: Image.Image | np.ndarray, kind: str = "PNG", **options: Any) -> bytes:
    stream = io.BytesIO()
    (Image.fromarray(image) if isinstance(image, np.ndarray) else image).save(stream, kind, **options)
    return stream.getvalue()


def chunk(kind: bytes, content: bytes) -> bytes:
    return struct.pack(">I", len(content)) + kind + content + struct.pack(">I", zlib.crc32(kind + content))


def png(header: tuple[int, ...], raw: bytes, *more: bytes) -> bytes:
    """A PNG from its IHDR values, rows with their filters, and further chunks."""
    head = b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", struct.pack(">IIBBBBB", *header))
    return head + b"".join(more) + chunk(b"IDAT", zlib.compress(raw, 1)) + chunk(b"IEND", b"")


def layered(stack: str | None, parts: Mapping[str, bytes]) -> bytes:
    """A layered document: what is in its `stack.xml`, if it has one, and the pictures by their paths."""
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", "image/openraster", zipfile.ZIP_STORED)
        if stack is not None:
            archive.writestr("stack.xml", stack)
        for name, content in parts.items():
            archive.writestr(name, content)
    return stream.getvalue()
