"""Metadata as XML, format version 1: it says what the JSON form says, under the same names.

Texts and numbers are attributes; lists of numbers are attributes with blanks between them (the list type of XML
Schema). One line a sheet, a block, a frame and an animation. Names are kept exactly: tabs and line ends are written as
character references, which parsers hand on unchanged (XML 1.0, section 3.3.3).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from typing import Any, TypeVar

from ..core.errors import InputError, OutputError
from ..core.limits import Limits
from ..core.message import a_file
from ..core.model.crate import Animation, Crate, Frame
from ..core.model.geometry import Shape
from ..core.model.sheet import Sheet
from ..core.text import quoted, shown
from .document import Document, animation_of, head_of, sheet_of, to_seal
from .read_document import FormError, crate_of
from .seal import sealed

T = TypeVar("T")

_ESCAPES = str.maketrans(
    {"&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;", "\t": "&#9;", "\n": "&#10;", "\r": "&#13;"}
)
_DECLARATION, _SEAL = '<?xml version="1.0" encoding="UTF-8"?>', ' sha256=""'

_NOT_CARRIED = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")
"""Characters that XML 1.0 cannot carry (section 2.2), not even as references."""

_PLAIN = re.compile(r"[\w/.@+ -]*", re.ASCII)

_NUMBER = re.compile(r"-?[0-9]{1,20}(\.[0-9]{1,20})?([eE][-+]?[0-9]{1,3})?")


def escaped(text: str) -> str:
    """A text as it stands in an attribute. Raises OutputError for characters that XML cannot carry."""
    if _PLAIN.fullmatch(text):
        return text
    if found := _NOT_CARRIED.search(text):
        raise OutputError(
            "the name {} has the character U+{:04X}, which XML cannot carry; rename it, or leave xml out of {metadata}",
            quoted(text),
            ord(found[0]),
        )
    return text.translate(_ESCAPES)


def to_xml(crate: Crate) -> str:
    """The document, with a newline at its end. The same crate gives the same text. Raises OutputError as `escaped`."""
    lists: tuple[tuple[str, Iterable[str]], ...] = (
        ("sheets", map(_sheet, crate.sheets)),
        ("frames", map(_frame, crate.frames)),
        ("animations", map(_animation, crate.animations)),
    )
    lines = [_DECLARATION, *_head(crate)]
    for name, elements in lists:
        lines += [f"  <{name}>", *elements, f"  </{name}>"]
    return sealed("\n".join([*lines, "</crate>", ""]), _SEAL)


def resealed(text: bytes, digests: Mapping[str, str], edited: Collection[int]) -> str:
    """Return a document with new digests of files, by name, and with these frames as the edited ones. All else stays,
    including what this program does not know."""
    from xml.etree.ElementTree import tostring

    from defusedxml.ElementTree import fromstring

    root = fromstring(text, forbid_dtd=True)
    for sheet in root.find("sheets").findall("sheet"):
        sheet.set("sha256", digests[sheet.get("image")])
        for skin in sheet.findall("skins/skin"):
            skin.set("sha256", digests.get(skin.get("image"), skin.get("sha256", "")))
    for file in root.findall("files/file[@sha256]"):
        file.set("sha256", digests.get(file.get("name"), file.get("sha256")))
    for index, frame in enumerate(root.find("frames").findall("frame")):
        frame.attrib.pop("edited", None)
        frame.attrib |= {"edited": "true"} if index in edited else {}
    root.attrib = to_seal(dict(root.items()))
    made = tostring(root, encoding="unicode").replace(" />", "/>")  # no > stands in a value: it would be escaped
    return sealed(f"{_DECLARATION}\n{made}\n", _SEAL)


def _head(crate: Crate) -> Iterator[str]:
    head = to_seal(head_of(crate))
    files, settings, digests = (head.pop(key, {}) for key in ("files", "settings", "file_sha256"))
    yield f"<crate{_attributes(head)}>"
    if files:
        yield "  <files>"
        yield from (
            f"    <file{_attributes({'name': name} | ({'sha256': digests[name]} if name in digests else {}))}/>"
            for name in files
        )
        yield "  </files>"
    if settings:
        yield "  <settings>"
        yield from (_setting(name, value) for name, value in settings.items())
        yield "  </settings>"


def _setting(name: str, value: Any) -> str:
    """Return the value of a setting: a text as ``value``, several as elements; a bare one is true."""
    if isinstance(value, list):
        inner = "".join(f'<item value="{escaped(text)}"/>' for text in value)
        return f'    <setting name="{escaped(name)}">{inner}</setting>'
    attribute = "" if value is True else f' value="{escaped(value)}"'
    return f'    <setting name="{escaped(name)}"{attribute}/>'


def _sheet(sheet: Sheet) -> str:
    entry = sheet_of(sheet)
    grids = [(key, entry.pop(key)) for key in ("cells", "row_cells") if key in entry]
    inner = "".join(f"<{key}{_attributes(grid)}/>" for key, grid in grids)
    if blocks := entry.pop("blocks", None):
        lines = "".join(f"      <block{_attributes(block)}/>\n" for block in blocks)
        inner = f"<blocks>\n{lines}    </blocks>"
    if skins := entry.pop("skins", None):
        elements = "".join(f"<skin{_attributes({'name': name} | skin)}/>" for name, skin in skins.items())
        inner += f"<skins>{elements}</skins>"
    return _element("sheet", entry, inner)


def _frame(frame: Frame) -> str:
    """A frame's element, formatted directly for speed: crates have many."""
    x, y, w, h = frame.box
    mirror = f' mirror="{frame.mirror}"' if frame.mirror else ""
    crc = (f' crc="{frame.crc}"' if frame.crc else "") + (' edited="true"' if frame.edited else "")
    attributes = (
        f'name="{escaped(frame.name)}" sheet="{frame.on_sheet}" box="{x} {y} {w} {h}" '
        f'turned="{"true" if frame.turned else "false"}" canvas="{frame.canvas.w} {frame.canvas.h}" '
        f'offset="{frame.offset.x} {frame.offset.y}" pivot="{frame.pivot.x!r} {frame.pivot.y!r}"{mirror}{crc}'
    )
    inner = f">{_shape(frame.shape)}</frame>" if frame.shape else "/>"
    return f"    <frame {attributes}{inner}"


def _shape(shape: Shape) -> str:
    polygons = "".join(
        f'<polygon points="{_list(n for point in polygon for n in point)}"/>' for polygon in shape.polygons
    )
    return f'<shape tolerance="{shape.tolerance!r}">{polygons}</shape>'


def _animation(animation: Animation) -> str:
    return _element("animation", animation_of(animation), "")


def _element(name: str, attributes: Document, inner: str) -> str:
    return f"    <{name}{_attributes(attributes)}" + (f">{inner}</{name}>" if inner else "/>")


def _attributes(attributes: Document) -> str:
    return "".join([f' {key}="{_value(value)}"' for key, value in attributes.items()])


def _value(value: Any) -> str:
    if isinstance(value, str):
        return escaped(value)
    if isinstance(value, bool):
        return "true" if value else "false"
    return repr(value) if isinstance(value, (int, float)) else _list(value)


def _list(numbers: Iterable[float]) -> str:
    return " ".join(map(repr, numbers))


def from_xml(text: bytes, origin: str, limits: Limits) -> Crate:
    """The crate that a document describes. Raises InputError that names `origin` (the file) and the place in it."""
    try:
        return crate_of(document_from(text, origin), limits)
    except FormError as error:
        raise InputError("{}: {}", a_file(origin), error.message) from None


def document_from(text: bytes, origin: str) -> Document:
    """Return the document as plain, unchecked values. Raises InputError as `from_xml` does.

    Documents that declare a type or entities are refused before they can grow.
    """
    from xml.etree.ElementTree import ParseError

    from defusedxml.common import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    try:
        root = fromstring(text, forbid_dtd=True)
    except ParseError as error:
        line, column = error.position
        raise InputError("{}, line {}, column {}: not valid XML", a_file(origin), line, column + 1) from None
    except DefusedXmlException:
        raise InputError("{}: declares a document type or entities; metadata has none", a_file(origin)) from None
    except (ValueError, LookupError):  # an encoding that nobody knows
        raise InputError("{}: not valid XML, in UTF-8", a_file(origin)) from None
    try:
        return _document(root)
    except FormError as error:
        raise InputError("{}: {}", a_file(origin), error.message) from None


def _document(root: Any) -> Document:
    """Return the document of the elements, with each attribute as the value it looks like; `crate_of` checks the
    rest."""
    if root.tag != "crate":
        raise FormError(f"expected the element crate, found {shown(root.tag)}")
    head = _read(root, {"version": _scalar, "scale": _scalar, "adopted": _truth})
    files = _children(root, "files", "file", lambda element, _: (element.get("name"), element.get("sha256")))
    settings = _children(root, "settings", "setting", _read_setting)
    return (
        head
        | ({"files": [name for name, _ in files]} if files is not None else {})
        | {"file_sha256": {name: digest for name, digest in files or () if digest is not None}}
        | ({"settings": _by_name(settings, "settings")} if settings is not None else {})
        | {
            key: found
            for key, child, read in (
                ("sheets", "sheet", _read_sheet),
                ("frames", "frame", _read_frame),
                ("animations", "animation", _read_animation),
            )
            if (found := _children(root, key, child, read)) is not None
        }
    )


def _children(root: Any, key: str, child: str, read: Callable[[Any, str], Any]) -> list[Any] | None:
    parents = root.findall(key)
    if not parents:
        return None
    if len(parents) > 1:
        raise FormError(f"the element {key} appears twice")
    return [read(element, f"{key}[{index}]") for index, element in enumerate(parents[0].findall(child))]


def _read_setting(element: Any, _: str) -> tuple[Any, Any]:
    items = [item.get("value") for item in element.findall("item")]
    return element.get("name"), items or element.get("value", True)


def _by_name(pairs: Iterable[tuple[Any, T]], place: str) -> dict[str, T]:
    """Map the names of elements to their values. Raises FormError for a missing or repeated name."""
    found: dict[str, T] = {}
    for index, (name, value) in enumerate(pairs):
        if name is None:
            raise FormError(f"{place}[{index}]: the key 'name' is missing")
        if name in found:
            raise FormError(f"{place}: the name {quoted(name)} appears twice")
        found[name] = value
    return found


def _read_sheet(element: Any, place: str) -> Document:
    entry = _read(element, dict.fromkeys(("margin", "gap", "edge_repeat"), _scalar) | {"size": _numbers})
    for key in ("cells", "row_cells"):
        if (grid := _only(element, key, place)) is not None:
            whole = dict.fromkeys(("columns", "rows", "margin", "gap"), _scalar)
            entry[key] = _read(grid, whole | {"size": _numbers, "filled": _numbers})
    if (blocks := _only(element, "blocks", place)) is not None:
        whole = dict.fromkeys(("first", "count", "columns", "rows"), _scalar)
        entry["blocks"] = [
            _read(element, whole | {"origin": _numbers, "size": _numbers}) for element in blocks.findall("block")
        ]
    if (skins := _only(element, "skins", place)) is not None:
        found = [_read(element, {"plain": _truth}) for element in skins.findall("skin")]
        entry["skins"] = _by_name(((element.pop("name", None), element) for element in found), f"{place}.skins")
    return entry


def _read_frame(element: Any, place: str) -> Document:
    lists = dict.fromkeys(("box", "canvas", "offset", "pivot"), _numbers)
    entry = _read(element, lists | {"sheet": _scalar, "turned": _truth, "edited": _truth})
    if (shape := _only(element, "shape", place)) is not None:
        polygons = [_numbers(polygon.get("points", "")) for polygon in shape.findall("polygon")]
        pairs = [[list(points[at : at + 2]) for at in range(0, len(points), 2)] for points in polygons]
        entry["shape"] = _read(shape, {"tolerance": _scalar}) | {"polygons": pairs}
    return entry


def _read_animation(element: Any, _: str) -> Document:
    lists = dict.fromkeys(("frames", "durations", "fps", "beats"), _numbers)
    return _read(element, lists | {"times": _scalar})


def _only(element: Any, key: str, place: str) -> Any:
    found = element.findall(key)
    if len(found) > 1:
        raise FormError(f"{place}.{key}: the element appears twice")
    return found[0] if found else None


def _read(element: Any, kinds: dict[str, Callable[[str], Any]]) -> Document:
    return {key: kinds[key](text) if key in kinds else text for key, text in element.attrib.items()}


def _scalar(text: str) -> Any:
    """Return a number if the text is one; else the text, which `crate_of` will refuse, naming its place."""
    if not (found := _NUMBER.fullmatch(text)):
        return text
    return float(text) if found[1] or found[2] else int(text)


def _truth(text: str) -> Any:
    return {"true": True, "1": True, "false": False, "0": False}.get(text, text)


def _numbers(text: str) -> list[Any]:
    return list(map(_scalar, text.split()))
