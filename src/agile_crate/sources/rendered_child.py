"""Read one OpenEXR file in a process of its own, which contains the effects of a malformed file and the library's
output.

Reads a request from stdin: a line of JSON (`largest`, `exposure`, `layers`, `limits`), then the file. Writes to stdout
a line of JSON, `error` (the end of a sentence) or `size` and the names of `layers`, then their pixels.
"""

from __future__ import annotations

import io
import json
import os
import sys
from typing import Any, NamedTuple

import numpy as np

from ..core.frame.srgb import CHROMATICITY, from_light
from ..core.limits import Limits, raise_hint
from ..core.model.geometry import Box
from ..core.pixels import Pixels
from ..core.png_chunks import PictureError
from ..platform import bound_memory
from .decoded import refuse_large

SQUARE = 0.001
"""By how much the sides of a pixel may differ that is taken as square."""

COLORS, BRIGHTNESS = ("R", "G", "B"), ("Y", "Y", "Y")


class RenderLayer(NamedTuple):
    """A layer's name, empty for the picture itself, and its channels by their last names, on the canvas at a place."""

    name: str
    channels: dict[str, Any]
    data: Box
    canvas: Box
    chromaticity: tuple[float, ...]

    @property
    def names(self) -> tuple[str, ...]:
        """The channels of its red, green and blue; none if it is no picture."""
        for names in (COLORS, BRIGHTNESS):
            if self.channels.keys() >= set(names):
                return names
        return ()


def main() -> None:
    out = os.fdopen(os.dup(1), "wb")
    quiet = os.open(os.devnull, os.O_WRONLY)
    os.dup2(quiet, 1)
    os.dup2(quiet, 2)
    head, _, data = sys.stdin.buffer.read().partition(b"\n")
    options = json.loads(head)
    limits = Limits(**options.pop("limits"))
    bound_memory(limits.process_bytes)
    try:
        answer, pictures = _read(data, limits=limits, **options)
    except PictureError as error:
        answer, pictures = {"error": error.message.parts}, []
    except Exception:  # of whatever kind: the file is a stranger's, and the library's errors are too
        answer, pictures = {"error": ["is damaged, or of a kind of OpenEXR that cannot be read"]}, []
    out.write(json.dumps(answer).encode() + b"\n")
    for pixels in pictures:
        out.write(pixels.tobytes())
    out.close()


def _read(
    data: bytes, largest: int, exposure: float, layers: bool, limits: Limits
) -> tuple[dict[str, Any], list[Pixels]]:
    import OpenEXR

    with OpenEXR.File(io.BytesIO(data), header_only=True) as file:
        count = len(file.parts)
        for part in file.parts:
            _refuse(part, largest, limits)
    with OpenEXR.File(io.BytesIO(data), separate_channels=True) as file:
        if len(file.parts) < count:
            raise PictureError("is damaged: its pixels cannot be read")
        found = [layer for part in file.parts for layer in _layers(part)]
    pictures = [layer for layer in found if layer.names]
    if not pictures:
        raise PictureError("has no colors: neither red, green and blue, nor a brightness")
    canvases = {layer.canvas for layer in pictures}
    if len(pictures) > (most := limits.layers):
        raise PictureError("has more than {:,} layers; {}", most, raise_hint("layers"))
    if len(canvases) > 1:
        raise PictureError("has layers of several sizes")
    plain = [layer for layer in pictures if not layer.name]
    if not layers and plain:
        pictures = plain[:1]
    (canvas,) = canvases
    for layer in pictures:
        _refuse_odd_channels(layer)
    is_endless = any(np.isposinf(layer.channels[name]).any() for layer in pictures for name in layer.names)
    names = [layer.name or "picture" for layer in pictures]
    return {"size": canvas.size, "layers": names, "is_endless": bool(is_endless)}, [
        _drawn(layer, exposure) for layer in pictures
    ]


def _window(pair: Any) -> Box:
    (left, top), (right, bottom) = (map(int, corner) for corner in pair)
    return Box(left, top, right - left + 1, bottom - top + 1)


def _refuse(part: Any, largest: int, limits: Limits) -> None:
    header = part.header
    for box in (_window(header["dataWindow"]), _window(header["displayWindow"])):
        if min(box.size) < 1:
            raise PictureError("is damaged: it declares an empty size")
        refuse_large(*box.size, largest, limits)
    if abs((ratio := float(header.get("pixelAspectRatio", 1))) - 1) > SQUARE:
        raise PictureError(f"has pixels that are not square (their sides are {ratio:.4g} to 1); render square ones")
    if "deep" in str(part.type()):
        raise PictureError("holds deep pixels; flatten it first")


def _layers(part: Any) -> list[RenderLayer]:
    """The channels of a part, those of one layer together: ``glow.R`` is red of the layer ``glow``."""
    by_name: dict[str, dict[str, Any]] = {}
    for full, channel in part.channels.items():
        if full.rpartition(".")[2] in ("RY", "BY"):
            raise PictureError("stores brightness, and colors apart at half its size; save it as red, green and blue")
        if channel.xSampling != 1 or channel.ySampling != 1:
            continue  # no picture has channels at part of its size
        layer, _, name = full.rpartition(".")
        channels = by_name.setdefault(layer, {})
        if name.upper() in channels:
            raise PictureError(f"has two channels {name.upper()!r} that differ only in case; leave one out")
        channels[name.upper()] = channel.pixels
    data, canvas = _window(part.header["dataWindow"]), _window(part.header["displayWindow"])
    chromaticity = part.header.get("chromaticities")
    primaries = (*chromaticity[6:], *chromaticity[:6]) if chromaticity else CHROMATICITY
    whole = part.name()
    return [
        RenderLayer("/".join(filter(None, (whole, *name.split(".")))), channels, data, canvas, tuple(primaries))
        for name, channels in by_name.items()
    ]


def _refuse_odd_channels(layer: RenderLayer) -> None:
    where = f"its layer {layer.name!r}" if layer.name else "it"
    if {"AR", "AG", "AB"} & layer.channels.keys():
        raise PictureError(f"cannot be taken: {where} has an alpha of its own for each color; save it with one alpha")
    for name in (*layer.names, "A"):
        if name in layer.channels and layer.channels[name].dtype.kind != "f":
            raise PictureError(f"cannot be taken: {where} stores {name} as whole numbers; save it as half or float")


def _drawn(layer: RenderLayer, exposure: float) -> Pixels:
    """A layer on its whole canvas; what lies beyond that is left out."""
    light = np.stack([layer.channels[name].astype(np.float32) for name in layer.names], axis=-1)
    alpha = layer.channels.get("A")
    pixels = from_light(light, None if alpha is None else alpha.astype(np.float32), exposure, layer.chromaticity)
    canvas, data = layer.canvas, layer.data
    result = np.zeros((canvas.h, canvas.w, 4), np.uint8)
    left, top = max(data.x, canvas.x), max(data.y, canvas.y)
    right, bottom = min(data.right, canvas.right), min(data.bottom, canvas.bottom)
    if left < right and top < bottom:
        seen = pixels[top - data.y : bottom - data.y, left - data.x : right - data.x]
        result[top - canvas.y : bottom - canvas.y, left - canvas.x : right - canvas.x] = seen
    return result


if __name__ == "__main__":
    main()
