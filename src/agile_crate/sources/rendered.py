"""Rendered light in the open OpenEXR format: read in a process of its own (`rendered_child`), which may fail as it
likes.

Half and float channels, associated alpha, linear light, primaries as the file says (ITU-R BT.709 where it does not).
The canvas is the display window; the data window says where on it the pixels lie.
"""

from __future__ import annotations

import json
from importlib.util import find_spec

import numpy as np

from ..core.limits import raise_hint
from ..core.message import Message, Setting
from ..core.names import leads_out
from ..core.png_chunks import PictureError
from ..core.text import few, quoted
from ..workers.child import run_module
from .decoded import DecodedFile, as_sequence
from .read_options import LAYERS_APART, ReadOptions


def read_rendered(data: bytes, largest: int, options: ReadOptions) -> DecodedFile:
    """Decode a render: one picture or, where layers are frames, each of its layers by name. Raises PictureError."""
    if find_spec("OpenEXR") is None:
        raise PictureError("is an OpenEXR render; to read those, install agile-crate[exr]")
    limits = options.limits
    child_options = {"largest": largest, "exposure": options.exposure, "layers": options.layers in LAYERS_APART}
    try:
        output = run_module(
            f"{__package__}.rendered_child",
            json.dumps(child_options | {"limits": limits._asdict()}).encode() + b"\n" + data,
            limits.seconds,
        )
    except TimeoutError:
        raise PictureError("takes longer than {} seconds to read; {}", limits.seconds, raise_hint("seconds")) from None
    head, _, pixels = output.partition(b"\n")
    try:
        answer = json.loads(head)
    except ValueError:
        raise PictureError(
            "is damaged, or takes more memory than a render may; {}", raise_hint("process_bytes")
        ) from None
    if "error" in answer:
        raise PictureError(
            Message("", tuple(part if isinstance(part, str) else Setting(*part) for part in answer["error"]))
        )
    names, (w, h) = answer["layers"], answer["size"]
    pictures = np.frombuffer(pixels, np.uint8).reshape(len(names), h, w, 4)
    if options.layers in LAYERS_APART:
        for name in names:
            if leads_out(name):
                raise PictureError(f"has a layer named {quoted(name)}, which would lead out of a folder")
        layers = as_sequence(list(zip(names, pictures, strict=True)))
        return DecodedFile(layers, is_endless=answer["is_endless"])
    if len(names) != 1:
        raise PictureError(
            "has no picture besides its layers {}; take them as frames with {layers:separate}", few(map(quoted, names))
        )
    return DecodedFile(pictures[0], is_endless=answer["is_endless"])
