"""Layered documents in the open OpenRaster format (``.ora``): each top-level layer or group is one frame.

A zip archive with ``stack.xml`` and a PNG for each layer (OpenRaster 0.0.6, file layout and layer stack). Archives
come from strangers too: what unpacks too far, reaches outside itself, or declares entities in its XML is refused.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable
from dataclasses import dataclass
from xml.etree.ElementTree import Element, ParseError

import numpy as np
from PIL import Image

from ..core.pixels import Pixels
from ..core.png_chunks import PictureError
from ..core.text import bytes_shown, quoted

Read = Callable[[bytes, int], Pixels]
"""Reads a still from a file's bytes, of at most so many pixels."""

LARGEST_ARCHIVE = 1 << 30
"""Bytes that all entries may unpack to together."""

MOST_ENTRIES = 10_000
MOST_NESTED = 32


@dataclass(frozen=True, slots=True, eq=False)
class Layer:
    """One top-level layer or group, on the document's whole canvas."""

    name: str
    pixels: Pixels


@dataclass(frozen=True, slots=True)
class _Document:
    archive: zipfile.ZipFile
    largest: int
    size: tuple[int, int]
    read: Read


def read_layers(data: bytes, largest: int, read: Read) -> tuple[Layer, ...]:
    """The visible top-level layers and groups, lowest first; `read` decodes each one's file. Raises PictureError."""
    with _opened(data) as archive:
        root, document = _stack(archive, largest, read)
        shown = [node for node in reversed(root) if node.get("visibility") != "hidden"]
        if not shown:
            raise PictureError("has no visible layer")
        if len(shown) * document.size[0] * document.size[1] * 4 > 2 * LARGEST_ARCHIVE:
            raise PictureError(f"holds {len(shown):,} layers that take too much memory together")
        return tuple(
            Layer(_layer_name(node, number), np.asarray(_drawn([node], document, 0, 0, 0)))
            for number, node in enumerate(shown, 1)
        )


def read_flat(data: bytes, largest: int, read: Read) -> Pixels:
    """The same layers drawn over each other: one picture. Raises PictureError."""
    with _opened(data) as archive:
        root, document = _stack(archive, largest, read)
        return np.asarray(_drawn(list(reversed(root)), document, 0, 0, 0))


def _opened(data: bytes) -> zipfile.ZipFile:
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
    except (zipfile.BadZipFile, ValueError, OSError):
        raise PictureError("is damaged: its archive cannot be opened") from None
    entries = archive.infolist()
    total = sum(entry.file_size for entry in entries)
    if len(entries) > MOST_ENTRIES or total > LARGEST_ARCHIVE:
        raise PictureError(f"unpacks to more than {bytes_shown(LARGEST_ARCHIVE)} or {MOST_ENTRIES:,} entries")
    return archive


def _content(archive: zipfile.ZipFile, name: str, most: int) -> bytes:
    """An entry's bytes, whatever its header claims never more than `most`. Some programs write a slash before names."""
    found = next((entry for entry in archive.infolist() if entry.filename.lstrip("/") == name), None)
    if found is None:
        raise PictureError(f"lacks {quoted(name)}, which an OpenRaster document must hold")
    try:
        with archive.open(found) as entry:
            content = entry.read(most + 1)
    except Exception as error:  # damaged, encrypted, or packed in a way that is not known
        raise PictureError(f"is damaged: {quoted(name)} cannot be unpacked ({error})") from None
    if len(content) > most:
        raise PictureError(f"is damaged: {quoted(name)} is larger than {bytes_shown(most)}")
    return content


def _stack(archive: zipfile.ZipFile, largest: int, read: Read) -> tuple[list[Element], _Document]:
    from defusedxml.common import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    text = _content(archive, "stack.xml", 1 << 24)
    try:
        image: Element = fromstring(text, forbid_dtd=True)
    except DefusedXmlException:
        raise PictureError("is refused: its stack.xml declares entities or a document type") from None
    except (ParseError, ValueError):
        raise PictureError("is damaged: its stack.xml is not valid XML") from None
    size = (_whole(image, "w", 1), _whole(image, "h", 1))
    if size[0] * size[1] > largest:
        raise PictureError(f"claims to have more than {largest:,} pixels, the most that one picture may have")
    stack = image.find("stack")
    if stack is None:
        raise PictureError("is damaged: its stack.xml has no stack")
    return _nodes(stack), _Document(archive, largest, size, read)


def _nodes(stack: Element) -> list[Element]:
    return [node for node in stack if node.tag in ("layer", "stack")]


def _whole(node: Element, key: str, least: int | None = None) -> int:
    text = node.get(key, "0")
    try:
        number = int(float(text))
    except (ValueError, OverflowError):
        number = 1 << 31
    if abs(number) >= 1 << 24 or (least is not None and number < least):
        raise PictureError(f"is damaged: its stack.xml says {key}={quoted(text)}")
    return number


def _layer_name(node: Element, number: int) -> str:
    name = node.get("name", "") or f"{number:02d}"
    if any(part in ("", ".", "..") for part in name.split("/")) or set(name) & set("\\\0"):
        raise PictureError(f"has a layer named {quoted(name)}, which would lead out of a folder")
    return name


def _drawn(nodes: list[Element], document: _Document, x: int, y: int, depth: int) -> Image.Image:
    """Nodes, lowest first, drawn over each other on an empty canvas, at their offsets from (x, y)."""
    if depth > MOST_NESTED:
        raise PictureError(f"has groups nested more than {MOST_NESTED} deep")
    canvas = Image.new("RGBA", document.size, (0, 0, 0, 0))
    drawn = False
    for node in nodes:
        if node.get("visibility") == "hidden":
            continue
        if drawn and node.get("composite-op", "svg:src-over") != "svg:src-over":
            raise PictureError(
                f"has a layer {quoted(node.get('name', ''))} with the blend mode "
                f"{quoted(node.get('composite-op', ''))}, which is not drawn here; merge it down"
            )
        canvas.alpha_composite(_faded(_node(node, document, x, y, depth), _opacity(node)))
        drawn = True
    return canvas


def _node(node: Element, document: _Document, x: int, y: int, depth: int) -> Image.Image:
    x, y = x + _whole(node, "x"), y + _whole(node, "y")
    if node.tag == "stack":
        return _drawn(list(reversed(_nodes(node))), document, x, y, depth + 1)
    source = node.get("src", "").lstrip("/")
    if ".." in source.split("/"):
        raise PictureError(f"is refused: its layer {quoted(node.get('name', ''))} reaches outside of the archive")
    pixels = document.read(_content(document.archive, source, LARGEST_ARCHIVE), document.largest)
    layer = Image.new("RGBA", document.size, (0, 0, 0, 0))
    layer.paste(Image.fromarray(pixels), (x, y))
    return layer


def _opacity(node: Element) -> float:
    try:
        return min(1.0, max(0.0, float(node.get("opacity", "1"))))
    except ValueError:
        raise PictureError(f"is damaged: its stack.xml says opacity={quoted(node.get('opacity', ''))}") from None


def _faded(image: Image.Image, opacity: float) -> Image.Image:
    if opacity < 1:
        image.putalpha(image.getchannel("A").point(lambda alpha: int(alpha * opacity + 0.5)))
    return image
