"""The sheets of a crate: the facts about each image."""

from __future__ import annotations

from typing import NamedTuple

from .geometry import Block, Cells, Size


class SkinImage(NamedTuple):
    """The image of a sheet in other art, and the SHA-256 of its file. `plain`: it is no art, and straight alpha without
    a background whatever the crate's sheets are."""

    name: str
    image: str
    sha256: str = ""
    plain: bool = False


class Sheet(NamedTuple):
    """One output image. `sha256` is of the image file, in hex; empty while it has not been written.

    `gap` and `margin` are kept by all boxes; `edge_repeat` is how many pixels each box's edge is repeated outwards.
    A sheet may have `cells`, or `blocks` that hold all of its frames, or neither.
    """

    image: str
    size: Size
    cells: Cells | None = None
    sha256: str = ""
    gap: int = 0
    margin: int = 0
    edge_repeat: int = 0
    blocks: tuple[Block, ...] = ()
    skins: tuple[SkinImage, ...] = ()
