"""Settings as the lines of a crate file: what is read from them is what was typed."""

import tomllib
from dataclasses import replace

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from agile_crate.core.errors import UsageError
from agile_crate.crate_files.lines import crate_lines, key_line
from agile_crate.crate_files.spec import specs_in
from agile_crate.settings.given import settings_from
from agile_crate.settings.table import options

TYPED = {
    "include": st.lists(st.sampled_from(["swim/*", "a=b", "x,y"]), min_size=1, max_size=2),
    "rename": st.lists(st.sampled_from(["guard/idle=idle", "a b=c", "x.y=1", "dash"]), min_size=1, max_size=2, unique_by=lambda t: t[0]),
    "mirrored": st.just(["swim_left=swim"]),
    "split": st.sampled_from([["gull=glide:1-20,land:21-44"], ["gull=glide:1-3,5-9"], ["a:1-6,b:7-12"], ["a=b=c:1-6"], ["gull=a:1-2,b:3,a:4", "tern=c:1"]]),
    "frames": st.lists(st.sampled_from(["5-30", "swim=1,3,6-9", "a b=2"]), min_size=1, max_size=3, unique_by=lambda t: t.partition("=")[0]),
    "fps": st.lists(st.sampled_from(["12", "23.976", "30000/1001", "swim=24", "x.y=8"]), min_size=1, max_size=3),
    "hold": st.lists(st.sampled_from(["swim:3=2", "swim:3=3", "swim:last=4", "swim:4=200ms", "a:b:1=0.5", "last=200ms", "3=2", "-2=5"]), min_size=1, max_size=5),
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
    "drop_duplicates": st.booleans(), "drop_closing": st.just(True), "tolerance": st.just("4"), "reverse": st.just(True), "turn": st.just(True), "layout": st.just("tight"),
    "exclude": st.just(["*_1"]), "layers": st.just("flat"), "numbers": st.sampled_from([["3-9"], ["swim=1-3", "5-"]]), "every": st.sampled_from([["2"], ["swim=3", "2"]]),
    "reversed": st.just(["back=swim"]), "duration": st.sampled_from([["0.8s"], ["swim=900ms"]]), "limit": st.just(["frames=2000000"]), "vector_size": st.just("64x48"),
    "font": st.just("fonts/a.ttf"), "exposure": st.sampled_from(["1.5", "-2"]), "to_srgb": st.just(True), "color_key": st.sampled_from(["corner", "#ff00ff:3"]), "resample": st.just("pixel"),
    "clear_alpha": st.just("3"), "hard_alpha": st.just("128"), "align": st.just("top-left"), "outline": st.just("#201830:2:inner"), "trim": st.just("frame"), "trim_alpha": st.just("8"),
    "no_offsets": st.just(True), "snap_pivot": st.just(True), "fill_under": st.just(True), "shape": st.just("hull"), "shape_points": st.just("6"), "shape_of": st.just("animation"),
    "gap": st.just("2"), "margin": st.just("3"), "cushion": st.just("1"), "edge_repeat": st.just("1"), "share_mirrored": st.just(True), "aspect": st.just("2"), "effort": st.just("deep"),
    "one_sheet": st.just(True), "break_animations": st.just(True), "keep_places": st.just(True), "square": st.just(True), "multiple": st.just("4"), "compact": st.just(True),
    "template": st.just(["a.lua.j2", "b.h.j2"]), "set": st.just(["node=Otter", "a=b=c"]), "file_name": st.just("{name}_{sheet:02}"), "image": st.just("png"), "premultiply": st.just(True),
    "fit": st.just("64x64"), "fit_to": st.just("art"), "colors": st.just("16"), "dither": st.just(True), "matched": st.just(True), "canvas_multiple": st.just("4"), "recolor": st.sampled_from([["#aa3322=#2255aa"], ["#fff=#000", "#000=#fff"]]), "rows": st.just("2"), "cell": st.just("64x64"), "down": st.just(True),
    "digits": st.just("4"), "region": st.sampled_from(["420x420+131+58", "auto"]), "square_cells": st.just(True), "sequence": st.sampled_from([["mouth=open,half", "wink=eye*"], ["mouth=open"]]),
    "store_duplicates": st.just(True), "size": st.just("512x512"), "background": st.just("#20406f"), "optimize": st.just(True),
}  # fmt: skip


def test_every_setting_is_tried() -> None:
    assert TYPED.keys() == options().keys()


@given(st.data())
def test_what_is_read_is_what_was_typed(data: st.DataObject) -> None:
    names = data.draw(st.lists(st.sampled_from(sorted(TYPED)), unique=True, max_size=8))
    typed = {name: data.draw(TYPED[name]) for name in names}
    try:
        asked = settings_from(typed)
    except UsageError:  # contradictions, which no command line packs with
        assume(False)
    text = "\n".join(crate_lines("the otter", ["frames/a b", 'c"d'], "build/otter", typed))
    (order,) = specs_in(tomllib.loads(text), str)
    assert (order.name, order.inputs, order.out) == ("the otter", ("frames/a b", 'c"d'), "build/otter")
    given_back = settings_from(order.given)
    for hold in {hold[:2] for hold in asked.hold}:
        assert [one for one in given_back.hold if one[:2] == hold][-1] == [
            one for one in asked.hold if one[:2] == hold
        ][-1]
    for name in {name for name, *_ in asked.hold}:  # which counts of two for one frame, by its number and from the end
        assert [one for one in given_back.hold if one[0] == name][-1] == [one for one in asked.hold if one[0] == name][
            -1
        ]
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
