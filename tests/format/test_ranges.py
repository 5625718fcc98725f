"""One table of ranges: the reader and both schemas agree on every number at its edges, and `verify` on the rest."""

import copy
import json
from typing import Any

import pytest
from lxml import etree

from agile_crate.core.crate.check import check_crate
from agile_crate.core.errors import InputError
from agile_crate.core.limits import USUAL
from agile_crate.core.model.geometry import Box
from agile_crate.core.model.ranges import LARGEST_NUMBER, RANGES
from agile_crate.format.json_form import from_json, to_json
from agile_crate.format.xml_form import to_xml
from conftest import json_schema, xml_schema
from crates import FULL

PLACES: dict[str, tuple[tuple[Any, ...], str]] = {
    "scale": (("scale",), 'scale="0.5"'),
    "sheets.size": (("sheets", 1, "size", 0), 'size="48 48"'),
    "sheets.margin": (("sheets", 1, "margin"), 'margin="2"'),
    "sheets.gap": (("sheets", 1, "gap"), 'gap="4"'),
    "sheets.edge_repeat": (("sheets", 1, "edge_repeat"), 'edge_repeat="2"'),
    "cells.size": (("sheets", 0, "cells", "size", 0), 'size="16 16"'),
    "cells.columns": (("sheets", 0, "cells", "columns"), 'columns="4"'),
    "cells.rows": (("sheets", 0, "cells", "rows"), 'rows="2"'),
    "cells.margin": (("sheets", 0, "cells", "margin"), 'margin="1"'),
    "cells.gap": (("sheets", 0, "cells", "gap"), 'gap="2"'),
    "cells.filled": (("sheets", 2, "row_cells", "filled", 0), 'filled="2 3"'),
    "blocks.first": (("sheets", 3, "blocks", 0, "first"), 'first="3"'),
    "blocks.count": (("sheets", 3, "blocks", 0, "count"), 'count="2"'),
    "blocks.origin": (("sheets", 3, "blocks", 0, "origin", 0), 'origin="1 4"'),
    "blocks.size": (("sheets", 3, "blocks", 0, "size", 0), 'size="16 10"'),
    "blocks.columns": (("sheets", 3, "blocks", 0, "columns"), 'columns="2"'),
    "blocks.rows": (("sheets", 3, "blocks", 0, "rows"), 'rows="1"'),
    "frames.sheet": (("frames", 0, "sheet"), 'sheet="0"'),
    "frames.box": (("frames", 0, "box", 0), 'box="2 2 9 4"'),
    "frames.canvas": (("frames", 0, "canvas", 0), 'canvas="16 16"'),
    "frames.offset": (("frames", 0, "offset", 0), 'offset="3 5"'),
    "frames.pivot": (("frames", 0, "pivot", 0), 'pivot="8 16"'),
    "shape.points": (("frames", 1, "shape", "polygons", 0, 0, 0), 'points="1 2 '),
    "shape.tolerance": (("frames", 1, "shape", "tolerance"), 'tolerance="0.5"'),
    "animations.frames": (("animations", 0, "frames", 0), 'frames="0 1 0"'),
    "animations.durations": (("animations", 0, "durations", 0), 'durations="83 84 83"'),
    "animations.times": (("animations", 1, "times"), 'times="3"'),
    "animations.fps": (("animations", 2, "fps", 0), 'fps="30000 1001"'),
    "animations.beats": (("animations", 2, "beats", 0), 'beats="1 1 2"'),
}
"""The place of a number of each range in a full document, as JSON and as XML."""

DOCUMENT, XML = json.loads(to_json(FULL)), to_xml(FULL)


def reads(document: dict[str, Any]) -> bool:
    try:
        from_json(json.dumps(document), "o.json", USUAL)
    except InputError:
        return False
    return True


@pytest.mark.parametrize("key", RANGES)
def test_reader_and_schemas_agree_at_the_edges(key: str) -> None:
    allowed, (path, attribute) = RANGES[key], PLACES[key]
    numbers: list[float] = [allowed.least - 1, allowed.least, allowed.least + 1, LARGEST_NUMBER - 1, LARGEST_NUMBER]
    if key == "frames.canvas":
        numbers.remove(LARGEST_NUMBER - 1)  # too many pixels, which is another rule
    for number in numbers:
        document = copy.deepcopy(DOCUMENT)
        at = document
        for step in path[:-1]:
            at = at[step]
        at[path[-1]] = number
        name, equals, values = attribute.partition('="')
        others = values.rstrip('" ').split()[1:]
        text = " ".join([str(number), *others]) + ('"' if attribute.endswith('"') else " ")
        assert attribute in XML
        changed = XML.replace(attribute, f"{name}{equals}{text}", 1)
        found = (
            reads(document),
            json_schema().is_valid(document),
            xml_schema().validate(etree.fromstring(changed.encode())),
        )
        assert found == (allowed.holds(number),) * 3, (key, number)


@pytest.mark.parametrize(
    ("path", "value", "told"),
    [
        (("frames", 0, "box"), [2, 2, 0, 4], "its box [2, 2, 0, 4] is empty one way and not the other"),
        (("frames", 0, "box"), [2, 2, 9, 0], "is empty one way and not the other"),
        (("frames", 0, "name"), "../../evil", "frame '../../evil' has a name that leads out of its folder"),
        (("frames", 0, "name"), "a\\..\\evil", "leads out of its folder"),
        (("animations", 0, "name"), "/swim", "animation '/swim' has a name that leads out of its folder"),
        (("animations", 0, "times"), 2, "animation 'swim' is shown 2 times and back-and-forth; only what is shown once"),
    ],
)  # fmt: skip
def test_rules_between_values_hold_in_the_schemas_and_in_verify(path: tuple[Any, ...], value: Any, told: str) -> None:
    document = copy.deepcopy(DOCUMENT)
    at = document
    for step in path[:-1]:
        at = at[step]
    at[path[-1]] = value
    assert not json_schema().is_valid(document)
    crate = from_json(json.dumps(document), "o.json", USUAL)
    assert any(told in problem for problem in check_crate(crate))
    if path[-1] != "times":  # a rule between two attributes is beyond XML Schema 1.0
        assert not xml_schema().validate(etree.fromstring(to_xml(crate).encode()))


def test_thousands_of_overlaps_are_a_few_sentences() -> None:
    frame = FULL.frames[0]
    piled = (frame._replace(name=f"f{n}", box=Box(n % 40, n // 40, 9, 4)) for n in range(1600))
    sheet = FULL.sheets[1]._replace(gap=0, margin=0, edge_repeat=0)
    crate = FULL._replace(sheets=(sheet,), frames=tuple(piled), animations=())
    overlaps = [problem for problem in check_crate(crate) if "overlap" in problem]
    assert len(overlaps) == 6
    assert overlaps[-1].startswith("sheet 'otter-2.png': ")
    assert "more pairs of boxes overlap" in overlaps[-1]
