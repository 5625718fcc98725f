"""The published schemas take what we write and refuse what our reader refuses."""

from __future__ import annotations

import json
from typing import Any

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree

from agile_crate.core.crate.check import check_crate
from agile_crate.core.names import leads_out
from agile_crate.format.json_form import to_json
from agile_crate.format.schemas import schema
from agile_crate.format.xml_form import to_xml
from crates import ABSENT, FULL, XML_TEXT, named, with_change

JSON = json.loads(schema("json"))
CHECK = jsonschema.Draft202012Validator(JSON)
XSD = etree.XMLSchema(etree.fromstring(schema("xml").encode()))
DOCUMENT = json.loads(to_json(FULL))


def test_the_schemas_are_schemas_and_take_what_we_write() -> None:
    jsonschema.Draft202012Validator.check_schema(JSON)
    CHECK.validate(DOCUMENT)
    XSD.assertValid(etree.fromstring(to_xml(FULL).encode()))


@given(st.lists(XML_TEXT, max_size=3, unique=True))
def test_a_name_is_valid_if_it_stays_in_its_folder(names: list[str]) -> None:
    stays = not any(map(leads_out, names))
    assert CHECK.is_valid(json.loads(to_json(named(names)))) is stays
    assert XSD.validate(etree.fromstring(to_xml(named(names)).encode())) is stays
    assert any("leads out of its folder" in problem for problem in check_crate(named(names))) is not stays


@pytest.mark.parametrize(
    ("place", "value"),
    [
        ("format", "other"), ("version", 2), ("version", "1"), ("name", ABSENT), ("name", 3), ("alpha", "bent"), ("scale", "1"),
        ("background", "blue"), ("files", ["a/b"]), ("settings", []), ("frames", {}), ("sheets", ABSENT),
        ("sheets/0/image", "../otter.png"), ("sheets/0/image", "a\\b.png"), ("sheets/0/image", ".."), ("sheets/0/image", ""),
        ("sheets/0/size", [0, 4]), ("sheets/0/size", [4]), ("sheets/0/sha256", "xyz"), ("sheets/0/cells/columns", 0),
        ("sheets/0/cells/order", "up"), ("sheets/2/row_cells/filled", ABSENT), ("sheets/1/edge_repeat", -1),
        ("sheets/3/skins", []), ("sheets/3/skins/normal/image", "../x.png"), ("sheets/3/skins/normal/plain", "yes"),
        ("sheets/3/blocks", []), ("sheets/3/blocks/0/origin", [1]), ("sheets/3/blocks/0/first", ABSENT),
        ("sheets/3/cells", {"size": [4, 4], "columns": 1, "rows": 1}),
        ("frames/0/box", [1, 2, 3]), ("frames/0/box", [1, 2, 3, 4, 5]), ("frames/0/box/2", -1), ("frames/0/box/2", 1.5),
        ("frames/0/box/2", 2**31), ("frames/0/canvas/0", 0), ("frames/0/turned", 1), ("frames/0/mirror", "z"),
        ("frames/0/pivot", [1]), ("frames/0/pivot/0", None), ("frames/0/offset", ABSENT), ("frames/0/name", ABSENT),
        ("frames/0/sheet", -1), ("frames/1/shape/polygons", 3), ("animations/0/durations/0", 0), ("animations/0/durations", []),
        ("sha256", "ab"), ("built_from", "ab"), ("file_sha256", {"otter.css": "ab"}), ("file_sha256", {"../otter.css": "ab" * 32}), ("frames/0/crc", "12"),
        ("frames/0/touched", "yes"), ("animations/2/beats", ABSENT), ("animations/2/fps", [30]), ("animations/0/loop", "never"), ("animations/0/frames/0", "0"),
    ],
)  # fmt: skip
def test_the_json_schema_refuses(place: str, value: Any) -> None:
    assert not CHECK.is_valid(with_change(DOCUMENT, place, value))


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ('format="agile-crate"', 'format="other"'), ('version="1" g', 'version="2" g'), ('alpha="premultiplied"', 'alpha="bent"'),
        ('scale="0.5"', 'scale="half"'), ("#20406f", "blue"), ('"otter-1.png"', '"../otter.png"'), ('"otter-1.png"', '".."'),
        ('"otter-1.png"', '""'), ('size="64 32"', 'size="64"'), ('size="64 32"', 'size="0 32"'), ('columns="4"', 'columns="0"'),
        ('order="down"', 'order="up"'), (' filled="2 3"', ""), ('box="2 2 9 4"', 'box="2 2 9"'), ('box="2 2 9 4"', 'box="2 2 9 -4"'),
        ('box="2 2 9 4"', 'box="2 2 9 1.5"'), ('turned="false"', 'turned="no"'), ('mirror="xy"', 'mirror="z"'),
        ('pivot="8 16"', 'pivot="8"'), (' offset="3 5"', ""), ('durations="83 84 83"', 'durations="83 0 83"'),
        ('durations="83 84 83"', 'durations=""'), ('loop="once"', 'loop="never"'), ('name="empty"', 'name="swim/swim_01"'),
        ('crc="0badcafe"', 'crc="0BADCAFE"'), ('touched="true"', 'touched="yes"'), ('fps="30000 1001"', 'fps="30"'),
        (' origin="1 4"', ""), ('"otter-normal.png"', '"../x.png"'), ('plain="true"', 'plain="yes"'), ("<blocks>", '<cells size="4 4" columns="1" rows="1"/><blocks>'), ('name="dive"', 'name="swim"'), ("<frames>", "<weather/><frames>"),
    ],
)  # fmt: skip
def test_the_xml_schema_refuses(old: str, new: str) -> None:
    text = to_xml(FULL)
    assert old in text
    assert not XSD.validate(etree.fromstring(text.replace(old, new, 1).encode()))
