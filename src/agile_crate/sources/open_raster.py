"""Layered documents in the open OpenRaster format (``.ora``): each top-level layer or group is one frame.

A zip archive with ``stack.xml`` and a PNG for each layer (OpenRaster 0.0.6, file layout and layer stack). Archives
come from strangers too: what unpacks too far, reaches outside itself, or declares entities in its XML is refused.
"""

from __future__ import annotations

import io
import zipfile
from dataclasses import dataclass
from xml.etree.ElementTree import Element, ParseError

import numpy as np
from PIL import Image

from ..core.limits import Limits, raise_hint
from ..core.message import message
from ..core.pixels import Pixels
from ..core.png_chunks import PictureError
from ..core.text import bytes_shown, quoted
from .decoded import DecodedFile, as_sequence, refuse_large
from .pictures import read_still
from .read_options import ReadOptions

MOST_GROWTHS = 8
"""Times that the drawn area grows by the least possible, before it becomes the whole canvas."""


@dataclass(slots=True)
class _Document:
    """An opened document, and its cost so far: the pixels of all layers read, and of all grounds in use."""

    archive: zipfile.ZipFile
    largest: int
    size: tuple[int, int]
    limits: Limits
    decoded: int = 0
    held: int = 0

    def take(self, pixels: int) -> None:
        """Count pixels of open groups. Raises PictureError for too many."""
        self.held += pixels
        if self.held > (most := self.limits.layer_pixels // 2):
            raise PictureError(
                "has nested groups of more than {:,} pixels together; {}", most, raise_hint("layer_pixels")
            )


def read_document(data: bytes, largest: int, options: ReadOptions) -> DecodedFile:
    """Decode a document: its top-level layers and groups, lowest first, each on the document's whole canvas, hidden
    ones only on request; or one picture of all visible ones. Raises PictureError."""
    limits = options.limits
    with _opened(data, limits) as archive:
        root, document = _stack(archive, largest, limits)
        if options.layers == "flat":
            return DecodedFile(_whole_canvas(list(reversed(root)), document))
        for node in root if options.layers == "all" else ():
            node.set("visibility", "visible")
        shown = [node for node in reversed(root) if node.get("visibility") != "hidden"]
        if not shown:
            raise PictureError(message("has no visible layer; {layers:all} takes hidden layers"))
        if len(shown) * document.size[0] * document.size[1] * 4 > limits.unpacked_bytes:
            raise PictureError(
                "holds {:,} layers that take too much memory together; {}", len(shown), raise_hint("unpacked_bytes")
            )
        layers = [(_layer_name(node, number), _whole_canvas([node], document)) for number, node in enumerate(shown, 1)]
        return DecodedFile(as_sequence(layers, len(root) - len(shown)))


def _opened(data: bytes, limits: Limits) -> zipfile.ZipFile:
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
    except (zipfile.BadZipFile, ValueError, OSError):
        raise PictureError("is damaged: its archive cannot be opened") from None
    entries = archive.infolist()
    total = sum(entry.file_size for entry in entries)
    if len(entries) > limits.entries:
        raise PictureError("holds more than {:,} entries; {}", limits.entries, raise_hint("entries"))
    if total > limits.unpacked_bytes:
        raise PictureError(
            "unpacks to more than {}; {}", bytes_shown(limits.unpacked_bytes), raise_hint("unpacked_bytes")
        )
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


def _stack(archive: zipfile.ZipFile, largest: int, limits: Limits) -> tuple[list[Element], _Document]:
    from defusedxml.common import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    text = _content(archive, "stack.xml", limits.text_bytes)
    try:
        image: Element = fromstring(text, forbid_dtd=True)
    except DefusedXmlException:
        raise PictureError("is refused: its stack.xml declares entities or a document type") from None
    except (ParseError, ValueError):
        raise PictureError("is damaged: its stack.xml is not valid XML") from None
    size = (_whole(image, "w", 1), _whole(image, "h", 1))
    refuse_large(*size, largest, limits)
    stack = image.find("stack")
    if stack is None:
        raise PictureError("is damaged: its stack.xml has no stack")
    if sum(1 for _ in stack.iter()) > (most := limits.entries):  # layers may share one entry
        raise PictureError("has more than {:,} layers and groups; {}", most, raise_hint("entries"))
    return _nodes(stack), _Document(archive, largest, size, limits)


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


class _Ground:
    """The area for merging layers: only the part of the canvas that they cover."""

    def __init__(self, document: _Document) -> None:
        self._document = document
        self._grown = 0
        self.image: Image.Image | None = None
        self.x = self.y = 0

    def put(self, image: Image.Image, x: int, y: int) -> None:
        """Draw a picture over the document; parts beyond its edges are dropped."""
        width, height = self._document.size
        left, top = max(0, x), max(0, y)
        right, bottom = min(width, x + image.width), min(height, y + image.height)
        if right <= left or bottom <= top:
            return
        part = image.crop((left - x, top - y, right - x, bottom - y)) if (left, top) != (x, y) or (
            right - left, bottom - top) != image.size else image  # fmt: skip
        if self.image is None:
            self._document.take(part.width * part.height)
            self.image, self.x, self.y = part, left, top
            return
        self._reach(left, top, right, bottom)
        self.image.alpha_composite(part, (left - self.x, top - self.y))

    def _reach(self, left: int, top: int, right: int, bottom: int) -> None:
        assert self.image is not None
        covered = (self.x, self.y, self.x + self.image.width, self.y + self.image.height)
        wanted = (min(left, covered[0]), min(top, covered[1]), max(right, covered[2]), max(bottom, covered[3]))
        if wanted == covered:
            return
        self._grown += 1
        if self._grown > MOST_GROWTHS:
            wanted = (0, 0, *self._document.size)
        size = (wanted[2] - wanted[0], wanted[3] - wanted[1])
        self._document.take(size[0] * size[1] - self.image.width * self.image.height)
        larger = Image.new("RGBA", size, (0, 0, 0, 0))
        larger.paste(self.image, (self.x - wanted[0], self.y - wanted[1]))
        self.image, self.x, self.y = larger, wanted[0], wanted[1]

    def released(self) -> None:
        """Count the ground's pixels no longer."""
        if self.image is not None:
            self._document.take(-self.image.width * self.image.height)


def _whole_canvas(nodes: list[Element], document: _Document) -> Pixels:
    """Draw nodes, lowest first, on the document's whole canvas."""
    ground = _drawn(nodes, document, 0, 0, 0, True)
    canvas = Image.new("RGBA", document.size, (0, 0, 0, 0))
    if ground.image is not None:
        canvas.paste(ground.image, (ground.x, ground.y))
    ground.released()
    return np.asarray(canvas)


def _drawn(nodes: list[Element], document: _Document, x: int, y: int, depth: int, is_alone: bool) -> _Ground:
    """Draw nodes, lowest first, over each other at their offsets from (x, y); `is_alone`: nothing lies below them."""
    if depth > (deepest := document.limits.nesting):
        raise PictureError("has groups nested more than {} deep; {}", deepest, raise_hint("nesting"))
    ground, is_first = _Ground(document), is_alone
    for node in nodes:
        if node.get("visibility") == "hidden":
            continue
        if not is_first and node.get("composite-op", "svg:src-over") != "svg:src-over":
            raise PictureError(
                f"has a layer {quoted(node.get('name', ''))} with the blend mode "
                f"{quoted(node.get('composite-op', ''))}, which is not drawn here; merge it down"
            )
        is_below_all, is_first = is_first, False
        left, top, opacity = x + _whole(node, "x"), y + _whole(node, "y"), _opacity(node)
        if node.tag == "stack":
            is_isolated = is_below_all or node.get("isolation") == "isolate" or opacity < 1
            group = _drawn(list(reversed(_nodes(node))), document, left, top, depth + 1, is_isolated)
            if group.image is not None:
                group.released()
                ground.put(_faded(group.image, opacity), group.x, group.y)
        else:
            ground.put(_faded(_layer(node, document), opacity), left, top)
    return ground


def _layer(node: Element, document: _Document) -> Image.Image:
    source = node.get("src", "").lstrip("/")
    if ".." in source.split("/"):
        raise PictureError(f"is refused: its layer {quoted(node.get('name', ''))} reaches outside of the archive")
    content = _content(document.archive, source, document.limits.unpacked_bytes)
    layer = Image.fromarray(read_still(content, document.largest, document.limits))
    document.decoded += layer.width * layer.height
    if document.decoded > (most := document.limits.layer_pixels):
        raise PictureError("has layers of more than {:,} pixels together; {}", most, raise_hint("layer_pixels"))
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
