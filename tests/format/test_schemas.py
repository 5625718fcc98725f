"""The published schemas take what we write, and refuse what our reader refuses, which says why."""

import json
from collections.abc import Callable
from pathlib import Path

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree

from agile_crate.core.crate.check import check_crate
from agile_crate.core.errors import InputError
from agile_crate.core.limits import USUAL
from agile_crate.core.names import leads_out
from agile_crate.format.json_form import from_json, to_json
from agile_crate.format.schemas import schema
from agile_crate.format.xml_form import from_xml, to_xml
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


LINES = [
    line.split(" => ")
    for line in Path(__file__).with_name("wrong.txt").read_text("utf-8").splitlines()
    if " => " in line
]
"""Changes of a full document, and the reader's message for each; see that file."""


def told(reader: Callable[[], object]) -> str:
    """The reader's message about a document, or a dash."""
    try:
        reader()
    except InputError as error:
        return str(error).removeprefix("otter: ")
    return "—"


@pytest.mark.parametrize(("change", "said"), [line for line in LINES if "→" not in line[0]])
def test_the_json_schema_refuses_what_the_reader_does(change: str, said: str) -> None:
    place, _, value = change.partition(" =")
    wrong = with_change(DOCUMENT, place, json.loads(value) if value else ABSENT)
    assert not CHECK.is_valid(wrong)
    assert told(lambda: from_json(json.dumps(wrong), "otter", USUAL)) == said


@pytest.mark.parametrize(("change", "said"), [line for line in LINES if "→" in line[0]])
def test_the_xml_schema_refuses_what_the_reader_does(change: str, said: str) -> None:
    old, new = change.split(" → ")
    wrong = to_xml(FULL).replace(old, new, 1).encode()
    assert wrong != to_xml(FULL).encode()
    assert not XSD.validate(etree.fromstring(wrong))
    assert told(lambda: from_xml(wrong, "otter", USUAL)) == said
