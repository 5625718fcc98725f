"""Settings as the lines of a crate file: what is read from them is what was typed."""

from __future__ import annotations

import tomllib
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.settings.crate_file import orders_in
from agile_crate.settings.draft import crate_lines, key_line
from agile_crate.settings.given import settings_from
from agile_crate.settings.table import options

TYPED = {
    "include": st.lists(st.sampled_from(["swim/*", "a=b", "x,y"]), min_size=1, max_size=2),
    "rename": st.lists(st.sampled_from(["guard/idle=idle", "a b=c", "x.y=1"]), min_size=1, max_size=2, unique_by=lambda t: t[0]),
    "mirrored": st.just(["swim_left=swim"]),
    "split": st.sampled_from([["gull=glide:1-20,land:21-44"], ["gull=glide:1-3,5-9"]]),
    "frames": st.lists(st.sampled_from(["5-30", "swim=1,3,6-9", "a b=2"]), min_size=1, max_size=3, unique_by=lambda t: t.partition("=")[0]),
    "fps": st.lists(st.sampled_from(["12", "23.976", "30000/1001", "swim=24", "x.y=8"]), min_size=1, max_size=3),
    "hold": st.lists(st.sampled_from(["swim:3=2", "swim:4=200ms", "a:b:1=0.5"]), min_size=1, max_size=3, unique=True),
    "order": st.sampled_from(["swim", "swim,dive"]),
    "loop": st.sampled_from([["once"], ["swim=once", "back-and-forth"]]),
    "scale": st.sampled_from(["0.5", "50%", "2", "1/3"]),
    "palette": st.sampled_from(["#201830,#f0f0f0", "#201830"]),
    "canvas": st.sampled_from(["common", "96x64"]),
    "shift": st.sampled_from([["0,-3"], ["swim=1,2", "0,1"]]),
    "pivot": st.sampled_from([["feet"], ["0.5,1"], ["48px,90px"], ["top-left", "swim=feet"]]),
    "columns": st.sampled_from(["8"]),
    "max_size": st.sampled_from(["1024x512"]),
    "metadata": st.sampled_from(["json", "json,xml"]),
    "also_scale": st.sampled_from(["50%", "50%,0.25", "0.5"]),
    "pow2": st.just(True),
    "drop_copies": st.booleans(),
}  # fmt: skip


@given(st.fixed_dictionaries({}, optional=TYPED))
def test_what_is_read_is_what_was_typed(typed: dict[str, object]) -> None:
    text = "\n".join(crate_lines("the otter", ["frames/a b", 'c"d'], "build/otter", typed))
    (order,) = orders_in(tomllib.loads(text))
    assert (order.name, order.inputs, order.out) == ("the otter", ("frames/a b", 'c"d'), "build/otter")
    given_back, asked = settings_from(order.given), settings_from(typed)
    held, wanted = ({(name, frame): hold for name, frame, hold in one.hold} for one in (given_back, asked))
    assert held == wanted
    assert replace(given_back, hold=()) == replace(asked, hold=())


@pytest.mark.parametrize(
    ("field", "typed", "line"),
    [
        ("gap", "2", "gap = 2"), ("scale", "0.5", "scale = 0.5"), ("scale", "50%", 'scale = "50%"'),
        ("max_size", "64x32", "max-size = [64, 32]"), ("metadata", "json,xml", 'metadata = ["json", "xml"]'),
        ("metadata", "json", 'metadata = "json"'), ("mirrored", ["a=b", "c d=e"], 'mirrored = { a = "b", "c d" = "e" }'),
        ("pow2", True, "pow2 = true"), ("also_scale", "50%,0.25", 'also-scale = ["50%", 0.25]'),
        ("include", ["swim/*", "dive/*"], 'include = ["swim/*", "dive/*"]'), ("color_key", "corner:12", 'color-key = "corner:12"'),
    ],
)  # fmt: skip
def test_values_stand_in_tomls_own_types(field: str, typed: str | list[str], line: str) -> None:
    assert field in options()
    assert key_line(field, typed) == line
