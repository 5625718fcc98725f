"""Crate files as values: every key means what the option means; what is wrong is told with its place."""

import json
import re
import shlex
import tomllib
from pathlib import Path
from typing import Any

import pytest
import tomlkit
from hypothesis import given
from hypothesis import strategies as st
from jsonschema import Draft202012Validator

from agile_crate.crate_files.keys import WrongKeyError
from agile_crate.crate_files.schema import crate_schema
from agile_crate.crate_files.spec import CrateSpec, as_key, specs_in
from agile_crate.crate_files.toml_places import place_of
from agile_crate.settings.given import settings_from
from agile_crate.settings.table import options

HEAD = 'from = ["frames"]\nout = "build/otter"\n'
SCHEMA = Draft202012Validator(crate_schema())


def specs(text: str) -> list[CrateSpec]:
    return specs_in(tomllib.loads(text), lambda path: f"here/{path}")


def only(text: str) -> CrateSpec:
    (spec,) = specs(f"[crate.otter]\n{HEAD}{text}")
    return spec


LINES = [
    line.split(" => ")
    for line in Path(__file__).with_name("keys.txt").read_text("utf-8").splitlines()
    if " => " in line
]
"""Lines of a crate file with what they mean as options, or what is said of them; see there."""


@pytest.mark.parametrize(("text", "words"), [line for line in LINES if " @ " not in line[0]])
def test_a_key_means_what_the_option_means(text: str, words: str) -> None:
    text = text.replace("; ", "\n")
    typed: dict[str, list[str | bool]] = {}
    for word in shlex.split(words):
        name, equals, value = word.removeprefix("--").partition("=")
        typed.setdefault(name.replace("-", "_"), []).append(value if equals else True)
    wanted = {name: values[0] if len(values) == 1 else values for name, values in typed.items()}
    assert settings_from(only(text).given) == settings_from(wanted)
    SCHEMA.validate(tomllib.loads(f"[crate.otter]\n{HEAD}{text}"))


def test_every_option_is_a_key_that_the_schema_knows() -> None:
    crate = crate_schema()["properties"]["crate"]["additionalProperties"]["properties"]
    assert {name.replace("_", "-") for name in options()} == set(crate) - {"from", "out", "animation", "skin", "skins"}
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
    otter, gull = specs(text)
    assert (otter.name, otter.inputs, otter.out) == ("otter", ("here/frames",), "here/build/otter")
    assert otter.given == {"fps": ["12", "swim=16"], "gap": "2"}
    assert (gull.inputs, gull.given) == (("here/more/gull",), {"fps": "12", "gap": "1"})


@pytest.mark.parametrize(("text", "sentence"), [line for line in LINES if " @ " in line[0]])
def test_what_is_wrong_is_told_with_its_key(text: str, sentence: str) -> None:
    text, _, key = text.replace("; ", "\n").rpartition(" @ ")
    with pytest.raises(WrongKeyError, match=key) as caught:
        only(text)
    inside = ("animation", "swim") if ".swim]" in text else ()
    assert caught.value.keys == ("crate", "otter", *inside, key)
    assert caught.value.message.spelled(as_key) == sentence


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        ("", "there is no crate in it: write [crate.NAME] with from and out"),
        ("crate = 3", "'crate' is to be a table, not a whole number"),
        ("[crates.otter]", "unknown key 'crates'; did you mean 'crate'?"),
        ('[crate.otter]\nout = "x"', "'otter' has no 'from': name the folders that hold the frames, such as from = [\"frames/otter\"]"),
        ('[crate.otter]\nfrom = []\nout = "x"', "'from' is empty: name the folders that hold the frames, such as from = [\"frames/otter\"]"),
        ('[crate.otter]\nfrom = [3]\nout = "x"', "'from' is to be a path, or a list of paths, not a whole number"),
        ('[crate.otter]\nfrom = "x"\nout = 3', "'out' is to be a text, not a whole number"),
        ('[defaults]\nout = "x"', "unknown key 'out'; did you mean 'layout'?"),
    ],
)  # fmt: skip
def test_a_file_without_what_it_needs(text: str, sentence: str) -> None:
    with pytest.raises(WrongKeyError, match="^" + re.escape(sentence) + "$"):
        specs(text)


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
