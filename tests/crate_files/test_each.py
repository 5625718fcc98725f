"""`[each."art/*"]`: a crate for every folder that matches, keys that override, skins by pattern, and mistakes."""

import re
import tomllib
from collections.abc import Sequence
from fnmatch import fnmatch

import pytest

from agile_crate.crate_files.keys import WrongKeyError
from agile_crate.crate_files.spec import CrateSpec, specs_in

FOLDERS = (
    "art/gull", "art/lantern", "art/otter", "build", "outfits/gull-scarf", "outfits/otter-raincoat", "outfits/otter-scarf",
    "scenes/sea/base", "scenes/sea/night", "scenes/pier/base",
)  # fmt: skip

EACH = """
[defaults]
fps = 10
[each."art/*"]
out = "build/{name}"
gap = 2
template = ["texts/{name}.txt.j2"]
file-name = "{name}_{frames}"
"""


def folders(pattern: str) -> Sequence[tuple[str, str]]:
    begin, end = pattern.split("*")
    fitting = [path for path in FOLDERS if fnmatch(path, pattern) and path.count("/") == pattern.count("/")]
    return [(path[len(begin) : len(path) - len(end)], path) for path in fitting]


def specs(text: str) -> dict[str, CrateSpec]:
    return {spec.name: spec for spec in specs_in(tomllib.loads(text), lambda path: f"here/{path}", folders)}


def test_every_folder_is_a_crate() -> None:
    found = specs(EACH)
    assert list(found) == ["gull", "lantern", "otter"]
    otter = found["otter"]
    assert (otter.inputs, otter.out) == (("here/art/otter",), "here/build/otter")
    given = {"fps": "10", "gap": "2", "template": ["here/texts/otter.txt.j2"], "file_name": "{name}_{frames}"}
    assert otter.given == given


def test_a_crate_overrides_keys_and_others_stay() -> None:
    more = """
[each."art/*".animation.swim]
fps = 12
loop = "once"
[crate.otter]
gap = 4
from = ["art/otter", "more/otter"]
[crate.otter.animation.swim]
fps = 16
[crate.buoy]
from = "vectors/buoy"
out = "build/buoy"
"""
    found = specs(EACH + more)
    assert list(found) == ["gull", "lantern", "otter", "buoy"]
    assert found["otter"].inputs == ("here/art/otter", "here/more/otter")
    assert found["otter"].given["fps"] == ["10", "swim=16"]
    assert found["gull"].given["fps"] == ["10", "swim=12"]
    assert [spec.given.get("gap") for spec in found.values()] == ["2", "2", "4", None]
    assert [spec.given.get("loop") for spec in found.values()] == [["swim=once"]] * 3 + [None]


def test_skins_by_pattern() -> None:
    more = """
skins = "outfits/{name}-*"
[each."art/*".skin.scarf]
missing = "base"
[each."art/*".skin.night]
recolor = { "#ffffff" = "#102040" }
[crate.lantern]
skin = { lit = { from = "lights/lantern" } }
"""
    found = specs(EACH + more)
    skins = {name: {skin.name: skin for skin in spec.variants[1:]} for name, spec in found.items()}
    assert {name: list(own) for name, own in skins.items()} == {
        "gull": ["scarf", "night"], "lantern": ["night", "lit"], "otter": ["raincoat", "scarf", "night"]
    }  # fmt: skip
    assert skins["otter"]["scarf"].layers == (("here/outfits/otter-scarf",),)
    assert [skins["otter"][name].may_miss for name in ("raincoat", "scarf")] == [False, True]


def test_the_base_is_no_skin_of_itself() -> None:
    text = """
[each."scenes/*"]
from = "scenes/{name}/base"
out = "build/{name}"
skins = "scenes/{name}/*"
[crate.otter]
from = "art/otter"
out = "build/otter"
skins = "outfits/otter-*"
"""
    folders_of = {"scenes/*": [("sea", "scenes/sea"), ("pier", "scenes/pier")]}
    found = specs_in(tomllib.loads(text), str, lambda pattern: folders_of.get(pattern) or folders(pattern))
    skins = {spec.name: [skin.name for skin in spec.variants[1:]] for spec in found}
    assert skins == {"sea": ["night"], "pier": [], "otter": ["raincoat", "scarf"]}


def test_the_folder_of_outputs_is_no_crate() -> None:
    text = '[each."*"]\nout = "build/{name}"'
    found = specs_in(tomllib.loads(text), str, lambda _: [("art", "art"), ("build", "build")])
    assert [spec.name for spec in found] == ["art"]


NO_FROM = 'name the folders that hold the frames, such as from = ["frames/otter"]'

WRONG = [
    ("gap = 2", "gapp = 2", "gapp", "unknown key 'gapp'; did you mean 'gap'?"),
    ("gap = 2", 'gap = "wide"', "gap", "'gap' is to be a whole number from 0 to 16384, not a text"),
    ("build/{name}", "build/all", "out", "'out' must be a path with {name}, such as out = \"build/{name}\""),
    ("art/*", "arts/*", "", "no folder matches 'arts/*'; check the pattern, which starts at the crate file's folder"),
    ("art/*", "a*/*", "", "'a*/*' must have one *, and no other wildcard, such as \"art/*\" or \"art/*/frames\"; the * stands for the crate's name"),
    ("gap = 2", 'except = ["gul"]', "except", "no folder of 'art/*' is named 'gul'; did you mean 'gull'?"),
    ("gap = 2", "except = 3", "except", "'except' is to be a path, or a list of paths, not a whole number"),
    ("gap = 2", "skins = 3", "skins", "'skins' must be a pattern of folders, such as \"outfits/*\""),
    ("gap = 2", 'skins = "outfits"', "skins", "'outfits' must have one *, and no other wildcard, such as \"art/*\" or \"art/*/frames\"; the * stands for the crate's name"),
    ("gap = 2", 'layout = "strip"\nturn = true', "turn", "turn is for the tight layout, and layout is strip; leave one out"),
]  # fmt: skip


@pytest.mark.parametrize(("old", "new", "key", "sentence"), WRONG)
def test_what_is_wrong_is_told_with_its_key(old: str, new: str, key: str, sentence: str) -> None:
    text = EACH.replace(old, new)
    with pytest.raises(WrongKeyError, match=f"^{re.escape(sentence)}$") as caught:
        specs(text)
    pattern = new if old == "art/*" else "art/*"
    assert caught.value.keys == ("each", pattern, *([key] if key else []))


def test_names_that_clash_and_names_that_are_unknown() -> None:
    other = '\n[each."outfits/*-scarf"]\nout = "other/{name}"'
    sentence = "two folders make a crate named 'gull', by 'art/*' and 'outfits/*-scarf'; leave it out of one with except = ['gull']"
    with pytest.raises(WrongKeyError, match=f"^{re.escape(sentence)}$"):
        specs(EACH + other)
    with pytest.raises(
        WrongKeyError, match=re.escape(f"'oter' has no 'from': {NO_FROM}; or did you mean otter from [each]?")
    ):
        specs(EACH + "[crate.oter]\ngap = 3")
