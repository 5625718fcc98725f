"""Crate files as values: every key means what the option means; what is wrong is told with its place."""

from __future__ import annotations

import json
import tomllib
from typing import Any

import pytest
import tomlkit
from hypothesis import given
from hypothesis import strategies as st
from jsonschema import Draft202012Validator

from agile_crate.settings.crate_file import Order, WrongKeyError, as_key, orders_in
from agile_crate.settings.crate_schema import crate_schema
from agile_crate.settings.given import settings_from
from agile_crate.settings.table import options
from agile_crate.settings.toml_places import place_of

HEAD = 'from = ["frames"]\nout = "build/otter"\n'
SCHEMA = Draft202012Validator(crate_schema())


def orders(text: str) -> list[Order]:
    return [order.moved(lambda path: f"here/{path}") for order in orders_in(tomllib.loads(text))]


def only(text: str) -> Order:
    (order,) = orders(f"[crate.otter]\n{HEAD}{text}")
    return order


SAME = [
    ("gap = 2", {"gap": "2"}),
    ("fps = 23.976", {"fps": ["23.976"]}),
    ('fps = "30000/1001"', {"fps": ["30000/1001"]}),
    ("scale = 0.5", {"scale": "50%"}),
    ('scale = "50%"', {"scale": "50%"}),
    ("max-size = [1024, 512]", {"max_size": "1024x512"}),
    ('max-size = "1024x512"', {"max_size": "1024x512"}),
    ("pow2 = true", {"pow2": True}),
    ("pow2 = false", {}),
    ('metadata = ["json", "xml"]', {"metadata": "json,xml"}),
    ('metadata = "json"', {"metadata": "json"}),
    ('order = ["swim", "dive"]', {"order": "swim,dive"}),
    ('also-scale = ["50%", 0.25]', {"also_scale": "50%,25%"}),
    ("also-scale = 0.5", {"also_scale": "50%"}),
    ('mirrored = { swim_left = "swim" }', {"mirrored": ["swim_left=swim"]}),
    ('mirrored = ["swim_left=swim"]', {"mirrored": ["swim_left=swim"]}),
    ('rename = { "guard/idle" = "idle" }', {"rename": ["guard/idle=idle"]}),
    ('split = { gull = { glide = "1-20", land = "21-44" } }', {"split": ["gull=glide:1-20,land:21-44"]}),
    ('split = { gull = "glide:1-20,land:21-44" }', {"split": ["gull=glide:1-20,land:21-44"]}),
    ('hold = ["swim:3=2"]', {"hold": ["swim:3=2"]}),
    ("shift = [0, -3]", {"shift": ["0,-3"]}),
    ("pivot = [0.5, 1]", {"pivot": ["0.5,1"]}),
    ('pivot = "feet"', {"pivot": ["feet"]}),
    ('palette = ["#201830", "#f0f0f0"]', {"palette": "#201830,#f0f0f0"}),
    ('palette = "sea.gpl"', {"palette": "here/sea.gpl"}),
    ('template = ["t/engine.lua.j2"]', {"template": ["here/t/engine.lua.j2"]}),
    ('include = "swim/*"', {"include": ["swim/*"]}),
    ('aspect = "any"\nlayout = "tight"', {"aspect": "any", "layout": "tight"}),
    ("[crate.otter.animation.swim]\nfps = 16", {"fps": ["swim=16"]}),
    ("fps = 12\n[crate.otter.animation.swim]\nfps = 16", {"fps": ["12", "swim=16"]}),
    ('[crate.otter.animation.swim]\nhold = { 3 = 2, last = "200ms" }', {"hold": ["swim:3=2", "swim:last=200ms"]}),
    ('[crate.otter.animation.gull]\nsplit = { glide = "1-20", land = "21-44" }', {"split": ["gull=glide:1-20,land:21-44"]}),
    ('[crate.otter.animation."a=b.c"]\nloop = "once"', {"loop": ["a=b.c=once"]}),
    ("[crate.otter.animation.swim]\nshift = [1, 2]", {"shift": ["swim=1,2"]}),
]  # fmt: skip


@pytest.mark.parametrize(("text", "typed"), SAME)
def test_a_key_means_what_the_option_means(text: str, typed: dict[str, object]) -> None:
    assert settings_from(only(text).given) == settings_from(typed)
    SCHEMA.validate(tomllib.loads(f"[crate.otter]\n{HEAD}{text}"))


def test_every_option_is_a_key_that_the_schema_knows() -> None:
    crate = crate_schema()["properties"]["crate"]["additionalProperties"]["properties"]
    assert {name.replace("_", "-") for name in options()} == set(crate) - {"from", "out", "animation", "skin"}
    Draft202012Validator.check_schema(crate_schema())


def test_defaults_are_for_every_crate_and_paths_begin_at_the_file() -> None:
    text = f"""
        [defaults]
        fps = 12
        gap = 1
        [crate.otter]
        {HEAD}
        gap = 2
        [crate.otter.animation.swim]
        fps = 16
        [crate.gull]
        from = "more/gull"
        out = "build/gull"
    """
    otter, gull = orders(text)
    assert (otter.name, otter.inputs, otter.out) == ("otter", ("here/frames",), "here/build/otter")
    assert otter.given == {"fps": ["12", "swim=16"], "gap": "2"}
    assert (gull.inputs, gull.given) == (("here/more/gull",), {"fps": "12", "gap": "1"})


WRONG = [
    ("gapp = 2", ("crate", "otter", "gapp"), "there is no key 'gapp' here; did you mean 'gap'?"),
    ('gap = "2"', ("crate", "otter", "gap"), "'gap' is to be a whole number from 0 to 16384, not a text"),
    ("gap = true", ("crate", "otter", "gap"), "'gap' is to be a whole number from 0 to 16384, not true or false"),
    ("gap = 1.5", ("crate", "otter", "gap"), "'gap' is to be a whole number from 0 to 16384, not a number"),
    ("gap = 1979-05-27", ("crate", "otter", "gap"), "'gap' is to be a whole number from 0 to 16384, not a date or time"),
    ("gap = -1", ("crate", "otter", "gap"), "'gap': '-1' is not a whole number from 0 to 16384"),
    ("pow2 = 1", ("crate", "otter", "pow2"), "'pow2' is to be true or false, not a whole number"),
    ('layout = "heap"', ("crate", "otter", "layout"), "'layout': 'heap' is not one of grid, strip, rows, blocks, tight"),
    ("metadata = [1]", ("crate", "otter", "metadata"), "'metadata' is to be a text, or a list of texts, not a list; it has a whole number in it"),
    ("mirrored = { a = 1 }", ("crate", "otter", "mirrored"), "'mirrored' is to be a table such as { swim_left = \"swim\" }, not a table; it has a whole number in it"),
    ("fps = nan", ("crate", "otter", "fps"), "'fps': 'nan' is not a number of frames a second: write one above 0 and up to 1000, such as 12, 23.976 or 30000/1001"),
    ('[crate.otter.animation.swim]\ngap = 2', ("crate", "otter", "animation", "swim", "gap"), "'gap' is not for one animation; write it above, for the whole crate"),
    ('[crate.otter.animation.swim]\nfpss = 2', ("crate", "otter", "animation", "swim", "fpss"), "there is no key 'fpss' here; did you mean 'fps'?"),
    ("[crate.otter.animation.swim]\nhold = { x = 2 }", ("crate", "otter", "animation", "swim", "hold"), "'hold': 'swim:x=2' does not say which frame is held how long: write animation:frame=factor or =time, such as swim:3=2, swim:3=200ms or swim:last=200ms"),
    ('[crate.otter.animation.swim]\nloop = "twice"', ("crate", "otter", "animation", "swim", "loop"), "'loop': 'twice' is not one of forever, once, back-and-forth"),
    ("animation = 3", ("crate", "otter", "animation"), "'animation' is to be a table, not a whole number"),
    ("turn = true", ("crate", "otter", "turn"), "turn is for the tight layout, and layout is grid; leave one out"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "keys", "sentence"), WRONG)
def test_what_is_wrong_is_told_with_its_key(text: str, keys: tuple[str, ...], sentence: str) -> None:
    from agile_crate.core.sentence import Sentence

    with pytest.raises(WrongKeyError) as caught:
        only(text)
    assert caught.value.keys == keys
    assert Sentence(caught.value.sentence).spelled(as_key) == sentence


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        ("", "there is no crate in it: write [crate.NAME] with from and out"),
        ("crate = 3", "'crate' is to be a table, not a whole number"),
        ("[crates.otter]", "there is no key 'crates' here; did you mean 'crate'?"),
        ('[crate.otter]\nout = "x"', "'otter' has no 'from': name the folders that hold the frames, such as from = [\"frames/otter\"]"),
        ('[crate.otter]\nfrom = []\nout = "x"', "'from' is empty: name the folders that hold the frames, such as from = [\"frames/otter\"]"),
        ('[crate.otter]\nfrom = [3]\nout = "x"', "'from' is to be a path, or a list of paths, not a whole number"),
        ('[crate.otter]\nfrom = "x"\nout = 3', "'out' is to be a text, not a whole number"),
        ('[defaults]\nout = "x"', "there is no key 'out' here; did you mean 'rows'?"),
    ],
)  # fmt: skip
def test_a_file_without_what_it_needs(text: str, sentence: str) -> None:
    with pytest.raises(WrongKeyError) as caught:
        orders(text)
    if "did you mean" in sentence and "'out'" in sentence:
        sentence = sentence.partition(";")[0]
        assert caught.value.sentence.startswith(sentence)
    else:
        assert caught.value.sentence == sentence


TEXT = """# otter.crate.toml
[crate . "ot\\u0074er"]   # a quoted name
from = [ # several lines
  'a', "b]", '''
  c = 3''',
]
a.b . "c d" = 1
table = { one = 1, "two" = [ { three = 3 } ] }
'lit' = \"\"\"
gap = 2
\"\"\"
[[list]]
x = 1
"""


@pytest.mark.parametrize(
    ("keys", "place"),
    [
        (("crate", "otter"), (2, 1)), (("crate", "otter", "from"), (3, 1)), (("crate", "otter", "a", "b", "c d"), (7, 1)),
        (("crate", "otter", "table", "one"), (8, 11)), (("crate", "otter", "table", "two", "three"), (8, 32)),
        (("crate", "otter", "lit"), (9, 1)), (("list",), (12, 1)), (("list", "x"), (13, 1)), (("crate", "gull"), (2, 1)), ((), (1, 1)),
    ],
)  # fmt: skip
def test_where_a_key_stands(keys: tuple[str, ...], place: tuple[int, int]) -> None:
    tomllib.loads(TEXT)
    assert place_of(TEXT, keys) == place


WORDS = st.text(st.characters(categories=["L", "N"], max_codepoint=0x2FF), min_size=1, max_size=6)
VALUES = st.recursive(
    st.integers(-9, 9) | st.booleans() | st.text(max_size=8).map(lambda text: text.replace("\r", "")),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(WORDS, inner, max_size=3),
    max_leaves=8,
)


def inline(value: Any) -> str:
    if isinstance(value, dict):
        return "{" + ", ".join(f"{json.dumps(key)} = {inline(one)}" for key, one in value.items()) + "}"
    if isinstance(value, list):
        return "[" + ",  ".join(map(inline, value)) + "]"
    return str(tomlkit.item(value).as_string())


@given(st.dictionaries(WORDS, st.dictionaries(WORDS, VALUES, min_size=1, max_size=4), min_size=1, max_size=3))
def test_every_key_of_any_document_is_found_on_its_line(document: dict[str, dict[str, Any]]) -> None:
    lines: list[str] = []
    keys: dict[int, tuple[str, ...]] = {}
    for table, inside in document.items():
        keys[len(lines) + 1] = (table,)
        lines.append(f"[{json.dumps(table)}] # [comment]")
        for key, value in inside.items():
            keys[len(lines) + 1] = (table, key)
            lines += [f"{json.dumps(key)} = {inline(value)}", ""]
    text = "\n".join(lines)
    assert tomllib.loads(text).keys() == document.keys()
    assert {line: place_of(text, way)[0] for line, way in keys.items()} == {line: line for line in keys}
