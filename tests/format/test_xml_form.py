"""XML says what JSON says, and refuses what it should."""

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.errors import InputError, OutputError
from agile_crate.core.limits import USUAL
from agile_crate.core.model.crate import Crate
from agile_crate.format.document import document_of, first_difference
from agile_crate.format.json_form import from_json, to_json
from agile_crate.format.xml_form import from_xml, to_xml
from crates import FULL, XML_TEXT, named

XML = to_xml(FULL)


def test_both_forms_come_back_the_same() -> None:
    assert from_xml(XML.encode(), "otter.xml", USUAL) == from_json(to_json(FULL), "otter.json", USUAL) == FULL
    assert from_json(to_json(FULL, compact=True), "otter.json", USUAL) == FULL
    assert to_json(FULL, compact=True).count("\n") == 1
    rows = document_of(FULL)["sheets"][2]  # who knows full rows only must not count by them
    assert ("cells" in rows, rows["row_cells"]["filled"]) == (False, (2, 3))
    bare = Crate("c", (), (), ())
    assert from_xml(to_xml(bare).encode(), "c.xml", USUAL) == bare


def test_a_line_for_each_frame() -> None:
    frames = [line for line in XML.splitlines() if "<frame " in line]
    assert frames[0] == (
        '    <frame name="swim/swim_01" sheet="0" box="2 2 9 4" turned="false" canvas="16 16" '
        'offset="3 5" pivot="8 16" crc="0badcafe" edited="true"/>'
    )
    assert 'name="odd &quot;names&quot;&#10;&#9;✉ &lt;&amp;&gt;"' in frames[1]
    assert '<shape tolerance="0.5"><polygon points="1 2 3.5 2 3 4"/>' in frames[1]
    assert len(frames) == 3


@given(st.lists(XML_TEXT, max_size=4))
def test_any_name_comes_back(names: list[str]) -> None:
    crate = named([*names, " two  blanks ", "a\tb\nc\rd", "'", "]]>", "&amp;"])
    assert from_xml(to_xml(crate).encode(), "c.xml", USUAL) == crate


@pytest.mark.parametrize("letter", ["\0", "\x01", "\x0b", "\x1f", "\ufffe", "\uffff"])
def test_what_xml_cannot_carry_is_an_error(letter: str) -> None:
    with pytest.raises(
        OutputError, match=rf"has the character U\+{ord(letter):04X}, which XML cannot carry; rename it"
    ):
        to_xml(named([f"a{letter}b"]))


BOMB = '<!DOCTYPE crate [<!ENTITY a "otter"><!ENTITY b "&a;&a;&a;&a;&a;&a;">]><crate name="&b;"/>'


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        (b"", "otter.xml, line 1, column 1: not valid XML"),
        (b"<crate>\n <frames>\n</crate>", "otter.xml, line 3, column 3: not valid XML"),
        (BOMB.encode(), "otter.xml: declares a document type or entities; metadata has none"),
        (b'<!DOCTYPE crate SYSTEM "file:///etc/passwd"><crate/>', "declares a document type or entities"),
        (b'<?xml version="1.0" encoding="nonsense"?><crate/>', "otter.xml"),
        (b"<otter/>", "otter.xml: expected the element crate, found otter"),
        (b"<crate/>", 'otter.xml: format: expected "agile-crate"'),
        (XML.replace('canvas="16 16"', 'canvas="99999 99999"').encode(), "frames[0].canvas: expected at most 268,435,456 pixels"),
        (XML.replace('name="swim" frames', 'name="swim" name="x" frames').encode(), "not valid XML"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_told_with_its_place(text: bytes, sentence: str) -> None:
    with pytest.raises(InputError, match=re.escape(sentence)):
        from_xml(text, "otter.xml", USUAL)


def test_what_is_not_known_is_ignored() -> None:
    text = XML.replace("<frames>", "<weather/><frames>").replace('box="2 2 9 4"', 'box="2 2 9 4" weight="3"')
    assert from_xml(text.encode(), "otter.xml", USUAL) == FULL


def test_where_two_documents_differ() -> None:
    mine = document_of(FULL)
    frames = (*FULL.frames[:2], FULL.frames[2]._replace(name="sea"))
    assert first_difference(mine, document_of(FULL)) == ""
    its = document_of(FULL._replace(frames=frames))
    assert first_difference(mine, its) == 'frames[2].name is "sea", not "empty"'
    assert first_difference(mine, document_of(FULL._replace(frames=frames[:2]))) == "frames has 2 entries, not 3"
    assert first_difference(mine, document_of(FULL._replace(background=""))) == "background is only in one of them"
