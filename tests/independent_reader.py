"""A reader of the metadata written from docs/programmers/format.md alone. It shares no code with the program: standard
library, Pillow and NumPy. Every crate that a test packs by the command line is restored by it, and compared."""

import json
import zlib
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np
from PIL import Image


def read(path: Path) -> dict[str, Any]:
    """The document, from either form."""
    return (
        json.loads(path.read_text("utf-8")) if path.suffix == ".json" else from_xml(ElementTree.parse(path).getroot())
    )


def from_xml(root: ElementTree.Element) -> dict[str, Any]:
    def numbers(text: str) -> list[float]:
        return [float(word) if "." in word or "e" in word else int(word) for word in text.split()]

    def shape(element: ElementTree.Element) -> dict[str, Any]:
        points = [numbers(polygon.attrib["points"]) for polygon in element.iter("polygon")]
        polygons = [[list(point) for point in zip(one[::2], one[1::2], strict=True)] for one in points]
        return {"polygons": polygons, "tolerance": float(element.get("tolerance", 0))}

    frames = [
        {
            "name": element.attrib["name"],
            "sheet": int(element.attrib["sheet"]),
            "turned": element.get("turned", "false") in ("true", "1"),
            "mirror": element.get("mirror", ""),
            "crc": element.attrib["crc"],
            "edited": element.get("edited", "false") in ("true", "1"),
            **{key: numbers(element.attrib[key]) for key in ("box", "canvas", "offset", "pivot")},
            **{one.tag: shape(one) for one in element.iter("shape")},
        }
        for element in root.find("frames") or ()
    ]
    animations = [
        {"name": a.attrib["name"], "frames": numbers(a.attrib["frames"]), "durations": numbers(a.attrib["durations"])}
        for a in root.find("animations") or ()
    ]
    sheets = [
        {"image": e.attrib["image"], "skins": {skin.attrib["name"]: skin.attrib for skin in e.iter("skin")}}
        for e in root.find("sheets") or ()
    ]
    return {**root.attrib, "sheets": sheets, "frames": frames, "animations": animations}


def restored(path: Path, skin: str = "") -> dict[str, np.ndarray]:
    """Every frame on its whole canvas, straight alpha, by name; in a skin, if one is named that is art."""
    document = read(path)
    images = [(sheet["skins"][skin] if skin else sheet)["image"] for sheet in document["sheets"]]
    sheets = [np.asarray(Image.open(path.parent / image).convert("RGBA")) for image in images]
    return {one["name"]: restore(document, sheets[one["sheet"]], one) for one in document["frames"]}


def restore(document: dict[str, Any], sheet: np.ndarray, frame: dict[str, Any]) -> np.ndarray:
    x, y, w, h = frame["box"]
    pixels = sheet[y : y + h, x : x + w]
    if frame.get("turned", False):
        pixels = np.rot90(pixels)  # by 90° counterclockwise
    width, height = frame["canvas"]
    canvas = np.zeros((height, width, 4), np.uint8)
    if background := document.get("background"):
        canvas[:] = [int(background[at : at + 2], 16) for at in (1, 3, 5)] + [255]
    left, top = frame["offset"]
    for row in range(max(0, -top), min(pixels.shape[0], height - top)):  # what reaches beyond the canvas is left out
        for column in range(max(0, -left), min(pixels.shape[1], width - left)):
            canvas[top + row, left + column] = pixels[row, column]
    mirror = frame.get("mirror", "")
    canvas = canvas[:, ::-1] if "x" in mirror else canvas
    canvas = canvas[::-1] if "y" in mirror else canvas
    if document.get("alpha", "straight") == "premultiplied":
        stored, alpha = canvas[..., :3].astype(int), np.maximum(canvas[..., 3:].astype(int), 1)
        canvas = np.dstack((np.minimum((stored * 255 + alpha // 2) // alpha, 255), canvas[..., 3])).astype(np.uint8)
    return canvas


def crc(frame: dict[str, Any], pixels: np.ndarray) -> str:
    """The CRC of a frame as it was restored."""
    (left, top), (w, h), (width, height) = frame["offset"], frame["box"][2:], frame["canvas"]
    w, h = (h, w) if frame.get("turned", False) else (w, h)
    left = width - left - w if "x" in frame.get("mirror", "") else left
    top = height - top - h if "y" in frame.get("mirror", "") else top
    part = pixels[max(0, top) : max(0, top + h), max(0, left) : max(0, left + w)].copy()
    part[part[..., 3] == 0] = 0
    return f"{zlib.crc32(part.tobytes()):08x}"


def is_small(path: Path) -> bool:
    """Pixel by pixel takes its time: larger crates are left to the other tests."""
    return sum(frame["canvas"][0] * frame["canvas"][1] for frame in read(path)["frames"]) <= 40_000
