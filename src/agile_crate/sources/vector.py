"""Drawings in vectors (SVG, also gzipped): read, looked through, and drawn at any size by resvg.

They come from strangers. What would reach for anything outside, declares entities, or multiplies itself (elements that
use elements that use …) is refused before it is drawn; what may take long is drawn in a process of its own, with bounds
(`vector_child`). No font of the system is ever used, so the same bytes come out everywhere.
"""

from __future__ import annotations

import base64
import binascii
import io
import json
import math
import re
import zlib
from collections.abc import Collection, Iterator
from functools import lru_cache, partial
from typing import Any, NamedTuple
from xml.etree import ElementTree
from xml.etree.ElementTree import Element, ParseError

from ..core.errors import InputError, reason
from ..core.limits import Limits, raise_hint
from ..core.message import a_file, message
from ..core.model.geometry import Size
from ..core.model.picture import Vector
from ..core.names import leads_out
from ..core.pixels import Pixels
from ..core.png_chunks import PictureError
from ..core.text import bytes_shown, quoted
from ..format.regular import read_regular
from .decoded import DecodedSequence, as_sequence, refuse_large
from .plain_png import read_if_plain
from .read_options import LAYERS_APART, ReadOptions
from .vector_layers import LINKS, NAMESPACE, Layers, local_name

_SVG = f"{{{NAMESPACE}}}"

GZIPPED = b"\x1f\x8b"

INLINE_COST = 1 << 31
"""Elements times pixels that are drawn in this process; more go to one that can be ended."""

LAYER = 30
"""Elements that an element counts for which is drawn on a layer of its own, as large as the canvas."""

_LAYERED = re.compile(r"(?<!-)\b(opacity|clip-path|mask|filter|mix-blend-mode|isolation)\b")

MOST_COMPARISONS = 10_000_000
"""Pairs of attributes of one element, or of rules and elements, that are compared when a drawing is read."""

LAYERED_DRAWINGS = 20
"""The most elements of all layers together, as a multiple of a drawing's limit."""

MOST_ATTRIBUTES = 256
"""Of one element: reading them takes the square of their number."""

_LABORIOUS = frozenset({"filter", "mask", "pattern", "marker", "image"})
"""Elements whose cost does not follow from their number."""

EMBEDDED = ("PNG", "JPEG", "GIF", "WEBP")
"""Kinds of pictures that may be embedded."""

_UNITS = {"": 1.0, "px": 1.0, "pt": 4 / 3, "pc": 16.0, "mm": 96 / 25.4, "cm": 96 / 2.54, "in": 96.0}
"""Pixels of each unit (CSS Values and Units, level 3)."""

_LENGTH = re.compile(r"\s*([0-9]*\.?[0-9]+(?:[eE][-+]?[0-9]{1,2})?)\s*([a-z]*)\s*")
_OUTSIDE = re.compile(r"url\(\s*[\"']?\s*(?!#|[\"'\s])|@import", re.IGNORECASE)
_OWN_IMAGE = re.compile(r"data:image/(png|jpe?g|gif|webp);base64,", re.IGNORECASE)

ElementTree.register_namespace("", NAMESPACE)


def read_vector(data: bytes, largest: int, options: ReadOptions) -> Vector | DecodedSequence[Vector]:
    """Read a drawing, or each of its top-level groups by name if these are frames. `largest` is the most pixels that
    its own size may have. Raises PictureError."""
    root = _root(data, options.limits)
    _check(root, largest, options.limits)
    if not options.font and any(local_name(element) == "text" for element in root.iter()):
        raise PictureError(
            message("has text, and the system's fonts are not used: name a font with {font}, or turn text into paths")
        )
    own = _own_size(root, options.vector_size)
    size = Size(*(math.ceil(side - 1e-6) for side in own))
    refuse_large(*size, largest, options.limits)
    costs = _costs(root, options.limits)
    if options.layers not in LAYERS_APART:
        return _vector(root, own, size, costs[root], options)
    groups = {_name_of(group): group for group in root if local_name(group) == "g" and _name_of(group)}
    hidden = [name for name, group in groups.items() if _is_hidden(group)]
    if options.layers == "all":
        for name in hidden:
            groups[name].set("style", _HIDING.sub("", groups[name].get("style", "")))
            groups[name].attrib.pop("display", None)
        hidden = []
    shown = {name: group for name, group in groups.items() if name not in hidden}
    if not shown:
        found = message("only hidden named groups; {layers:all} takes them") if hidden else _NO_GROUPS
        raise PictureError(message("has {}", found))
    for name in shown:
        if leads_out(name):
            raise PictureError(f"has a layer named {quoted(name)}, which would lead out of a folder")
    layers = Layers(root, groups, costs)
    _refuse_many(layers, shown, options.limits)
    drawings = [(name, _vector(layers.alone(name), own, size, layers.cost(name), options)) for name in shown]
    return as_sequence(drawings, len(hidden))


_HIDING = re.compile(r"display\s*:\s*none\s*;?")
_NO_GROUPS = message("no named groups to be frames; leave out {layers}, or name its groups")


class _Drawing(NamedTuple):
    """All that drawing needs: the SVG without its outermost size, that size, and the font; `cost` in elements."""

    text: str
    size: Size
    font: str
    family: str
    cost: int


def _vector(root: Element, own: tuple[float, float], size: Size, cost: int, options: ReadOptions) -> Vector:
    inner = Element(root.tag, {**root.attrib, "x": "0", "y": "0", "width": repr(own[0]), "height": repr(own[1])})
    inner.text = root.text
    inner.extend(root)
    text = ElementTree.tostring(inner, "unicode")
    family = font_family(options.font, options.limits) if options.font else ""
    return Vector(size, partial(_drawn, _Drawing(text, size, options.font, family, cost), limits=options.limits))


def _drawn(drawing: _Drawing, canvas: Size, limits: Limits) -> Pixels:
    """The drawing scaled to fill a canvas, so that art at an edge or in the middle stays in place."""
    request = {
        "svg": f'<svg xmlns="{NAMESPACE}" width="{canvas.w}" height="{canvas.h}" preserveAspectRatio="none" '
        f'viewBox="0 0 {drawing.size.w} {drawing.size.h}">{drawing.text}</svg>',
        "font": drawing.font,
        "family": drawing.family,
    }
    if drawing.cost * canvas.w * canvas.h < INLINE_COST:
        png = rendered(request)
    else:
        from ..workers.child import run_module

        try:
            more = {"memory": limits.process_bytes // 2}
            png = run_module(f"{__package__}.vector_child", json.dumps(request | more).encode(), limits.seconds)
        except TimeoutError:
            raise PictureError(
                "takes longer than {} seconds to draw; {}", limits.seconds, raise_hint("seconds")
            ) from None
        if not png:
            raise PictureError(
                "cannot be drawn, or takes more memory than a drawing may; {}", raise_hint("process_bytes")
            )
    pixels, _ = read_if_plain(png, canvas.w * canvas.h, limits)
    if pixels is None or pixels.shape[:2] != (canvas.h, canvas.w):
        raise PictureError("cannot be drawn at this size")
    return pixels


def rendered(request: dict[str, str]) -> bytes:
    """A PNG of an SVG. Raises PictureError."""
    from resvg_py import svg_to_bytes

    fonts: dict[str, Any] = {}
    if request["font"]:
        names = ("font_family", "serif_family", "sans_serif_family", "cursive_family", "fantasy_family")
        family = dict.fromkeys((*names, "monospace_family"), request["family"])
        style = f"text, tspan, textPath {{ font-family: '{request['family']}' !important }}"
        fonts = {"font_files": [request["font"]], "style_sheet": style, **family}
    try:
        return bytes(svg_to_bytes(svg_string=request["svg"], skip_system_fonts=True, **fonts))
    except ValueError as error:
        raise PictureError(f"is damaged: {' '.join(str(error).split())[:120]}") from None


@lru_cache(8)
def font_family(path: str, limits: Limits) -> str:
    """The family that a font file holds. Raises InputError."""
    from PIL import ImageFont

    try:
        family = ImageFont.truetype(io.BytesIO(read_regular(path, limits, "file_bytes"))).getname()[0] or ""
    except OSError as error:
        why = reason(error) if error.errno else "it is not a font in a known format"
        raise InputError("font {} cannot be read: {}", a_file(path), why) from None
    return re.sub(r"['\\\n]", "", family)


def _root(data: bytes, limits: Limits) -> Element:
    from defusedxml.common import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    if data.startswith(GZIPPED):
        data = _unpacked(data, limits)
    if len(data) > (most := limits.text_bytes):
        raise PictureError("is a drawing larger than {}; {}", bytes_shown(most), raise_hint("text_bytes"))
    try:
        root: Element = fromstring(data)
    except DefusedXmlException:
        raise PictureError("is refused: it declares entities") from None
    except (ParseError, ValueError, LookupError):
        raise PictureError("is not a picture in a known format") from None
    if root.tag != f"{_SVG}svg":
        raise PictureError("is not a picture in a known format")
    return root


def _unpacked(data: bytes, limits: Limits) -> bytes:
    unpacker = zlib.decompressobj(31)
    try:
        text = unpacker.decompress(data, limits.text_bytes + 1)
    except zlib.error:
        raise PictureError("is damaged: it cannot be unpacked") from None
    if len(text) <= limits.text_bytes and not unpacker.eof:
        raise PictureError("is damaged: its end is missing")
    return text


def _check(root: Element, largest: int, limits: Limits) -> None:
    """Raise PictureError for references to the outside, and for parts that cannot be drawn faithfully."""
    level, depth = [root], 0
    while level:
        depth += 1
        level = [child for element in level for child in element]
    if depth > (deepest := limits.nesting):
        raise PictureError("has elements nested more than {} deep; {}", deepest, raise_hint("nesting"))
    for element in root.iter():
        name = local_name(element)
        if name == "foreignObject":
            raise PictureError("has a foreign object, which only a browser can draw; remove it")
        if len(element.attrib) > MOST_ATTRIBUTES:
            raise PictureError(f"has an element with more than {MOST_ATTRIBUTES} attributes, which no drawing needs")
        links = [value for key in LINKS if (value := element.get(key)) is not None]
        if name == "image":
            for link in links:
                _check_image(link, largest)
        elif name != "a" and any(not link.strip().startswith("#") for link in links):
            raise PictureError(f"refers to something outside of itself, {quoted(links[0][:60])}; put it in")
        texts = (element.text or "",) if name == "style" else element.attrib.values()
        if any(_OUTSIDE.search(text) for text in texts):
            raise PictureError("refers to an outside file in its styles; embed it")


def _check_image(link: str, largest: int) -> None:
    start = _OWN_IMAGE.match(link.strip())
    if not start:
        raise PictureError(f"shows a picture from outside of itself, {quoted(link[:60])}; embed it")
    from PIL import Image

    try:
        with Image.open(io.BytesIO(base64.b64decode(link.strip()[start.end() :])), formats=EMBEDDED) as image:
            w, h = image.size
    except (binascii.Error, OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise PictureError("has a damaged embedded picture") from None
    if w * h > largest:
        raise PictureError(
            "has an embedded picture of more than {:,} pixels; {}", largest, raise_hint("picture_pixels")
        )


def _own_size(root: Element, given: Size | None) -> tuple[float, float]:
    """Return the width and height of a drawing in pixels: its own, or else the default ones, or else those of its view
    box."""
    w, h = _length(root.get("width")), _length(root.get("height"))
    if w and h:
        return w, h
    if given:
        return float(given.w), float(given.h)
    box = re.split(r"[\s,]+", (root.get("viewBox") or "").strip())
    across, down = map(_length, box[2:]) if len(box) == 4 else (None, None)
    if across and down:
        by_height = h / down if h else 1.0
        scale = w / across if w else by_height
        return across * scale, down * scale
    raise PictureError(message("has no size of its own; set one with {vector_size}"))


def _length(text: str | None) -> float | None:
    """A length in pixels; None without one, or for one relative to an unknown size."""
    found = _LENGTH.fullmatch(text or "")
    unit = _UNITS.get(found[2]) if found else None
    value = float(found[1]) * unit if found and unit else 0.0
    return value if 0 < value < 1e6 else None


def _costs(root: Element, limits: Limits) -> dict[Element, int]:
    """Estimate how many elements each one draws with its parts, each as often as it is used. An element that fills a
    layer of the whole canvas counts as LAYER, one of unknown cost as very many. Raises PictureError for too many."""
    by_id = {name: element for element in root.iter() if (name := element.get("id"))}
    costs: dict[Element, int] = {}
    counts: dict[Element, int] = {}
    waiting: list[tuple[Element, bool]] = [(root, False)]
    open_ones: set[Element] = set()
    while waiting:
        element, is_done = waiting.pop()
        parts = [*element, *(by_id[name] for name in _used(element) if name in by_id)]
        if is_done:
            open_ones.discard(element)
            costs[element] = _own_cost(element) + sum(costs.get(part, 0) for part in parts)
            counts[element] = 1 + sum(counts.get(part, 0) for part in parts)
        elif element not in costs and element not in open_ones:
            open_ones.add(element)
            waiting.append((element, True))
            waiting += [(part, False) for part in parts if part not in costs]
    if counts[root] > (most := limits.elements):
        raise PictureError(
            "draws more than {:,} elements, each as often as it is used; {}", most, raise_hint("elements")
        )
    attributes = sum(len(element.attrib) ** 2 for element in counts)
    rules = sum((element.text or "").count("{") for element in counts if local_name(element) == "style")
    if attributes > MOST_COMPARISONS or rules * len(counts) > MOST_COMPARISONS:
        costs = dict.fromkeys(costs, INLINE_COST)
    return costs


def _used(element: Element) -> Iterator[str]:
    """Return the names of the elements that an element draws besides its own parts."""
    for key in LINKS:
        if (link := element.get(key)) and local_name(element) == "use":
            yield link.strip().removeprefix("#")
    for value in element.attrib.values():
        yield from re.findall(r"url\(\s*[\"']?#([^\"')]+)", value)


def _own_cost(element: Element) -> int:
    name = local_name(element)
    style = (element.text or "") if name == "style" else element.get("style", "")
    is_dashed = "stroke-dasharray" in element.attrib or "dasharray" in style
    if name in _LABORIOUS or is_dashed or (name == "style" and ("url(" in style or _LAYERED.search(style))):
        return INLINE_COST
    return LAYER if any(map(_LAYERED.fullmatch, element.attrib)) or _LAYERED.search(style) else 1


def _name_of(group: Element) -> str:
    """Return what a group is called: by the label that a drawing program gave it, by its title (SVG 2, 5.8), or by its
    id."""
    labels = (value for key, value in group.attrib.items() if key.endswith("}label"))
    return next(labels, "") or group.findtext(f"{_SVG}title", "").strip() or group.get("id") or ""


def _is_hidden(group: Element) -> bool:
    style = group.get("style", "").replace(" ", "")
    return group.get("display") == "none" or "display:none" in style


def _refuse_many(layers: Layers, names: Collection[str], limits: Limits) -> None:
    """Raise PictureError for layers that would take too long: each is read and drawn by itself."""
    if sum(map(layers.elements, names)) > (most := LAYERED_DRAWINGS * limits.elements):
        raise PictureError("has layers of more than {:,} elements together; {}", most, raise_hint("elements"))
    if sum(layers.cost(name) >= INLINE_COST for name in names) > limits.layers:
        raise PictureError(
            "has more than {} layers that may take long to draw; {}", limits.layers, raise_hint("layers")
        )
