"""Turn valid files into hostile ones: strategies that know the structure of the file."""

import copy
import io
import json
import struct
import zipfile
import zlib
from collections.abc import Sequence
from typing import Any

from hypothesis import strategies as st
from lxml import etree

NUMBERS = st.sampled_from(
    [n.to_bytes(size, order) for size in (1, 2, 4, 8) for order in ("big", "little")
     for n in (0, 1, 2, 0x7F, 0xFF, 0x7FFF, 0xFFFF, 0x7FFFFFFF, 0xFFFFFFFF, 1 << 63) if n < 1 << 8 * size]
)  # fmt: skip

TEXTS = st.sampled_from(
    ["", " ", "\n", "\t", "\0", "\x1b[31m", "\u202e", "é", "✉", "/", "\\", "../", "..", "a/../../b", "/etc/passwd", "C:\\x", "x" * 300, "n/" * 40, "9" * 40, "0" * 60 + "1",
     "-1", "-0", "0", "1e9", "1e999", "nan", "inf", "1/0", "0.5", "50%", "1:2:3", "=", ":", ",", "=,", "*", "**", "[", "]", "{", "}", "{{", "%", "$x", "#", "#fff", "#ff00ff80",
     "swim", "dive", "last", "true", "null", "CON", "aux.png", "~", "'", '"', "<", ">", "&", ";", "--", "-", "\ufeff", "\ufffe"]
)  # fmt: skip

VALUES = st.sampled_from(
    [None, True, False, 0, -1, 1, 2, 7, 1 << 16, (1 << 31) - 1, 1 << 31, 1 << 64, 10**400, 0.5, -0.0, 1e308, float("inf"), float("nan"), [], {}, [[]], [0] * 5, ["a"], {"a": 1}]
) | TEXTS  # fmt: skip


@st.composite
def spliced(draw: st.DrawFn, data: bytes, pieces: st.SearchStrategy[bytes] = NUMBERS) -> bytes:
    """Bytes of which a few stretches are overwritten, taken out, put in, or written twice."""
    for _ in range(draw(st.integers(1, 4))):
        at, piece = draw(st.integers(0, len(data))), draw(pieces)
        way = draw(st.integers(0, 4))
        if way == 4:
            piece = data[at : at + draw(st.integers(1, 200))] * 2
        gone = (len(piece), 0, draw(st.integers(0, 12)), len(data), 0)[way]
        data = data[:at] + piece + data[at + gone :]
    return data


def spliced_text(text: str, *words: str) -> st.SearchStrategy[str]:
    """Text of which a few stretches are other words; `words` are those of its own language."""
    pieces = (st.sampled_from(words) | TEXTS) if words else TEXTS
    encoded = pieces.map(lambda piece: piece.encode("utf-8", "surrogatepass"))
    return spliced(text.encode(), encoded).map(lambda data: data.decode("utf-8", "replace"))


PNG = b"\x89PNG\r\n\x1a\n"
CHUNKS = (b"IHDR", b"PLTE", b"IDAT", b"IEND", b"tRNS", b"gAMA", b"cHRM", b"sRGB", b"iCCP", b"sBIT", b"eXIf", b"iTXt", b"zTXt", b"acTL", b"fcTL", b"fdAT", b"pHYs", b"AAAA")  # fmt: skip


@st.composite
def edited_png(draw: st.DrawFn, data: bytes) -> bytes:
    """A PNG with chunks changed, moved, doubled, and put in; checksums and compression are right for the most part."""
    chunks, at = [], len(PNG)
    while at < len(data):
        (length,) = struct.unpack_from(">I", data, at)
        chunks.append((data[at + 4 : at + 8], data[at + 8 : at + 8 + length]))
        at += 12 + length
    for _ in range(draw(st.integers(1, 3))):
        which = draw(st.integers(0, len(chunks) - 1))
        kind, content = chunks[which]
        match draw(st.sampled_from(["content", "pixels", "head", "gone", "double", "move", "kind", "new"])):
            case "content":
                chunks[which] = kind, draw(spliced(content))
            case "pixels":
                chunks = [(k, zlib.compress(draw(spliced(unpacked(c)))) if k == b"IDAT" else c) for k, c in chunks]
            case "head":
                start, end = draw(st.sampled_from([(0, 4), (4, 8), (8, 9), (9, 10), (10, 11), (11, 12), (12, 13)]))
                value = draw(st.sampled_from([0, 1, 2, 3, 4, 5, 6, 8, 16, 255, 9000, 1 << 20, (1 << 31) - 1]))
                header = bytearray(chunks[0][1].ljust(13, b"\0")[:13])
                header[start:end] = value.to_bytes(4)[start - end :]
                chunks[0] = b"IHDR", bytes(header)
            case "gone" if len(chunks) > 1:
                del chunks[which]
            case "double":
                chunks.insert(which, chunks[which])
            case "move":
                chunks.insert(draw(st.integers(0, len(chunks) - 1)), chunks.pop(which))
            case "kind":
                chunks[which] = draw(st.sampled_from(CHUNKS)), content
            case _:
                chunks.insert(which, (draw(st.sampled_from(CHUNKS)), draw(st.binary(max_size=40))))
    wrong = draw(st.integers(0, 20))
    made = PNG
    for n, (kind, content) in enumerate(chunks, 1):
        checksum = zlib.crc32(kind + content) ^ (n == wrong)
        made += struct.pack(">I", len(content)) + kind + content + struct.pack(">I", checksum)
    return made


def unpacked(data: bytes) -> bytes:
    try:
        return zlib.decompressobj().decompress(data, 1 << 20)
    except zlib.error:
        return data


@st.composite
def edited_zip(draw: st.DrawFn, entries: dict[str, bytes], text: str, *words: str) -> bytes:
    """An archive with another text in its entry of that name, other entries, and a few bytes that are wrong."""
    entries = dict(entries)
    match draw(st.sampled_from(["text", "text", "entry", "gone", "more"])):
        case "text":
            entries[text] = draw(
                edited_xml(entries[text]) | spliced_text(entries[text].decode(), *words).map(str.encode)
            )
        case "entry":
            name = draw(st.sampled_from(sorted(entries)))
            entries[name] = draw(edited_png(entries[name]) if entries[name][:4] == PNG[:4] else spliced(entries[name]))
        case "gone":
            del entries[draw(st.sampled_from(sorted(entries)))]
        case _:
            entries[draw(TEXTS.filter(lambda name: name.strip("\0")))] = draw(st.binary(max_size=30))
    stream = io.BytesIO()
    way = draw(st.sampled_from([zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA]))
    with zipfile.ZipFile(stream, "w", way) as archive:
        for name, data in entries.items():
            archive.writestr(name, data)
    data = stream.getvalue()
    return draw(spliced(data)) if draw(st.integers(0, 2)) == 0 else data


@st.composite
def edited_tree(draw: st.DrawFn, document: Any) -> Any:
    """A JSON document with a few values of another kind, gone, doubled, exchanged, or deeply nested."""
    document = copy.deepcopy(document)
    for _ in range(draw(st.integers(1, 3))):
        places = list(_places(document))
        holder, key = draw(st.sampled_from(places)) if places else ([document], 0)
        match draw(st.sampled_from(["value", "value", "gone", "double", "other", "near", "deep", "many", "key"])):
            case "gone":
                del holder[key]
            case "double" if isinstance(holder, list):
                holder.insert(key, copy.deepcopy(holder[key]))
            case "other" if places:
                other, there = draw(st.sampled_from(places))
                if other is not holder or not isinstance(key, type(there)):
                    holder[key] = copy.deepcopy(other[there]) if _has(other, there) else None
            case "near" if isinstance(holder[key], int):
                holder[key] += draw(st.integers(-2, 2))
            case "deep":
                value: Any = 1
                for _ in range(draw(st.sampled_from([3, 90, 400]))):
                    value = [value]
                holder[key] = value
            case "many" if isinstance(holder, list):
                holder[key:key] = [copy.deepcopy(holder[key]) for _ in range(300)]
            case "key" if isinstance(holder, dict):
                holder[str(draw(VALUES))[:400]] = holder.pop(key)
            case _:
                holder[key] = copy.deepcopy(draw(VALUES))
    return document


def _has(holder: Any, key: Any) -> bool:
    return key in holder if isinstance(holder, dict) else key < len(holder)


def _places(document: Any) -> Sequence[tuple[Any, Any]]:
    keys = document if isinstance(document, dict) else range(len(document)) if isinstance(document, list) else ()
    return [(document, key) for key in keys] + [place for key in keys for place in _places(document[key])]


def edited_json(document: Any) -> st.SearchStrategy[bytes]:
    return edited_tree(document).map(lambda made: json.dumps(made).encode()) | spliced_text(
        json.dumps(document), "[", "]", "{", "}", "null", '"', "\\ud800", "1e400", ","
    ).map(str.encode)


@st.composite
def in_conflict(draw: st.DrawFn, data: bytes) -> bytes:
    """A text that a merge could not join: a few stretches of lines between markers, one side changed; or markers that
    are none."""
    lines = data.split(b"\n")
    for _ in range(draw(st.integers(1, 3))):
        start = draw(st.integers(0, len(lines)))
        ours = lines[start : start + draw(st.integers(0, 3))]
        theirs = draw(spliced(b"\n".join(ours)) | st.just(b"\n".join(ours)))
        base = [b"||||||| base", *ours] if draw(st.booleans()) else []
        marked = [b"<<<<<<< HEAD", *ours, *base, b"=======", theirs, b">>>>>>> other"]
        for _ in range(draw(st.sampled_from([0, 0, 0, 1]))):
            marked.pop(draw(st.integers(0, len(marked) - 1)))
        lines[start : start + len(ours)] = marked
    return b"\n".join(lines)


BOUNDS = st.sampled_from(
    [1, 2, 65_535, 65_536, 655_350, (1 << 24) - 1, 1 << 24, 65_535_000, (1 << 31) - 2, (1 << 31) - 1, 1 << 31]
)
"""Numbers at the bounds of the metadata or of a film's format."""


@st.composite
def at_bounds(draw: st.DrawFn, document: Any) -> bytes:
    """A document with times, showings and rates at the ends of what it can hold."""
    changed = copy.deepcopy(document)
    for animation in changed["animations"]:
        count = len(animation["frames"])
        animation["durations"] = [draw(BOUNDS) for _ in range(count)]
        for key in ("fps", "beats"):
            animation.pop(key, None)
        if draw(st.booleans()):
            animation |= {"loop": "once", "times": draw(BOUNDS)}
        if draw(st.booleans()):
            animation |= {"fps": [draw(BOUNDS), draw(BOUNDS)], "beats": [draw(BOUNDS) for _ in range(count)]}
    for frame in changed["frames"]:
        if draw(st.integers(0, 3)) == 0:
            frame["pivot"] = [draw(BOUNDS) * draw(st.sampled_from([1, -1])) for _ in range(2)]
    return json.dumps(changed).encode()


ENTITIES = b'<!DOCTYPE a [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;&a;&a;"><!ENTITY c SYSTEM "file:///etc/passwd">]>'


@st.composite
def edited_xml(draw: st.DrawFn, data: bytes) -> bytes:
    """XML with elements and attributes changed, gone, doubled and moved."""
    root = etree.fromstring(data)
    for _ in range(draw(st.integers(1, 3))):
        elements = [one for one in root.iter() if isinstance(one.tag, str)]
        element = draw(st.sampled_from(elements))
        keys = sorted(element.attrib)
        match draw(st.sampled_from(["value", "value", "value", "gone", "double", "move", "key", "nest", "tag"])):
            case "gone" if element is not root:
                element.getparent().remove(element)
            case "double" if element is not root:
                element.addnext(copy.deepcopy(element))
            case "move":
                target = draw(st.sampled_from(elements))
                target.append(copy.deepcopy(element))
            case "nest":
                for _ in range(draw(st.sampled_from([2, 40, 150]))):
                    element = etree.SubElement(element, element.tag)
            case "tag":
                element.tag = draw(st.sampled_from([one.tag for one in elements]))
            case "key" if keys:
                del element.attrib[draw(st.sampled_from(keys))]
            case _:
                value = draw(VALUES.map(str))
                element.attrib[draw(st.sampled_from(keys or ["x"]))] = "".join(c for c in value if c.isprintable())
    text: bytes = etree.tostring(root)
    return ENTITIES + text if draw(st.integers(0, 15)) == 0 else text
