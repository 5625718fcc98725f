"""A crate that uses everything that metadata can say, and crates of any names."""

import copy
from fractions import Fraction
from typing import Any

from hypothesis import strategies as st

from agile_crate.core.model.crate import Animation, Crate, Frame
from agile_crate.core.model.geometry import Block, Box, Cells, Offset, Point, Shape, Size
from agile_crate.core.model.sheet import Sheet, SkinImage

SHAPE = Shape(((Point(1, 2), Point(3.5, 2), Point(3, 4)), (Point(0, 0), Point(1, 0), Point(0, 1.25))), 0.5)

BLOCKS = (
    Block(3, 2, Offset(1, 4), Cells(Size(16, 10), 2, 1, gap=2)),
    Block(5, 1, Offset(40, 1), Cells(Size(7, 5), 3, 2, gap=2)),
)

SKINS = (SkinImage("rain & <coat>", "otter-rain.png", "23" * 32), SkinImage("normal", "otter-normal.png", plain=True))

FULL = Crate(
    name="otter",
    sheets=(
        Sheet("otter-1.png", Size(64, 32), Cells(Size(16, 16), 4, 2, 1, 2, down=True), "ab" * 32, gap=2, margin=1),
        Sheet("otter-2.png", Size(48, 48), None, "cd" * 32, gap=4, margin=2, edge_repeat=2),
        Sheet("otter-3.png", Size(50, 40), Cells(Size(8, 8), 3, 2, filled=(2, 3)), "ef" * 32),
        Sheet("otter-4.png", Size(90, 20), None, "01" * 32, gap=2, margin=1, blocks=BLOCKS, skins=SKINS),
    ),
    frames=(
        Frame("swim/swim_01", 0, Box(2, 2, 9, 4), Size(16, 16), Offset(3, 5), Point(8, 16), crc="0badcafe", edited=True),
        Frame('odd "names"\n\t✉ <&>', 1, Box(2, 2, 6, 10), Size(16, 16), Offset(3, 5), Point(7.5, 16), True, "xy", SHAPE),
        Frame("empty", 2, Box(0, 0, 0, 0), Size(8, 8), Offset(0, 0), Point(-3, 20)),
    ),
    animations=(
        Animation("swim", (0, 1, 0), (83, 84, 83), "back-and-forth"),
        Animation("dive", (2, 0), (500, 1), "once", times=3),
        Animation("dash", (0, 2, 1), (33, 34, 66), fps=Fraction(30000, 1001), beats=(1, 1, 2)),
    ),
    scale=0.5,
    alpha="premultiplied",
    generator="agile-crate 0.1.0",
    settings={"scale": "50%", "fps": ["12", "swim=24"], "dither": True},
    background="#20406f",
    files=("otter.css", "otter.xml", "otter.json"),
    file_sha256={"otter.css": "01" * 32},
    built_from="0f" * 32,
)  # fmt: skip


ABSENT = object()


def with_change(document: dict[str, Any], path: str, value: Any) -> dict[str, Any]:
    """A document with another value at a path such as ``frames/0/crc``, or without what is there."""
    changed = copy.deepcopy(document)
    *way, last = [int(step) if step.isdigit() else step for step in path.split("/")]
    place: Any = changed
    for step in way:
        place = place[step]
    if value is ABSENT:
        del place[last]
    else:
        place[last] = value
    return changed


def named(names: list[str]) -> Crate:
    """A crate with a frame and an animation of each name."""
    frames = tuple(Frame(name, 0, Box(0, 0, 1, 1), Size(1, 1), Offset(0, 0), Point(0.25, 1)) for name in names)
    animations = tuple(Animation(name, (index,), (100,)) for index, name in enumerate(names))
    return Crate("c", (Sheet("c.png", Size(1, 1)),), frames, animations)


XML_TEXT = st.text(st.characters(exclude_categories=["Cs", "Cc"], exclude_characters="\ufffe\uffff"), max_size=20)
"""Texts that XML can carry."""
