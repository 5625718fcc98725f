"""Draw one SVG in a process of its own, which bounds the resources that an untrusted drawing can use.

Reads a request from stdin, JSON: `svg`, `font`, `family`, and the bytes of `memory` that it may take. Writes a PNG to
stdout, or nothing if that cannot be.
"""

from __future__ import annotations

import contextlib
import json
import sys

from ..core.png_chunks import PictureError
from ..platform import bound_memory
from .vector import rendered

if __name__ == "__main__":
    request = json.loads(sys.stdin.buffer.read())
    bound_memory(request.pop("memory"))
    with contextlib.suppress(PictureError, MemoryError):
        sys.stdout.buffer.write(rendered(request))
