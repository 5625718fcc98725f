"""Propose crates for folders of frames: one crate, one with skins, or one for each of several folders alike.

Only names decide. The guess goes into a draft, which the user reviews.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

from ..core.names import SAYS_NOTHING, natural_key, split_number

BASES = ("base", "default", "plain", "body", "normal")
"""Names of folders with the base art, next to folders of skins."""

DIRECTIONS = frozenset({
    "left", "right", "up", "down", "front", "back", "side", "north", "south", "east", "west", "n", "s", "e", "w",
    "ne", "nw", "se", "sw", "northeast", "northwest", "southeast", "southwest",
})  # fmt: skip
"""Folder names of directions, which recur in many animations and do not identify skins."""


class ProposedCrate(NamedTuple):
    """A crate: its name, the folder of its base art, and its skins by name with their folders."""

    name: str
    folder: str
    skins: tuple[tuple[str, str], ...] = ()


class Proposal(NamedTuple):
    """Crates for a folder. With a `pattern`, one table makes all of them; `skins` is the pattern of their skins'
    folders, if any."""

    crates: tuple[ProposedCrate, ...]
    pattern: str = ""
    skins: str = ""


def proposals_for(folder: str, name: str, frames: Iterable[str]) -> list[Proposal]:
    """Return proposals for a folder, from its frames' names below it. `name` is that of a single crate."""
    if not {*folder}.isdisjoint("*?[{"):  # a pattern would mean something else
        return [Proposal((ProposedCrate(name, folder),))]
    children = _children(frames)
    members = {child: names for child, names in children.items() if child}
    if base := _base_of(folder.rpartition("/")[2], members):
        return [Proposal((_with_skins(name, folder, base, members),))]
    large = [child for child, names in members.items() if _is_crate(child, names)]
    if "" in children or len(large) < 2 or 2 * len(large) < len(members):
        return [Proposal((ProposedCrate(name, folder),))]
    dressed: dict[str, list[ProposedCrate]] = defaultdict(list)
    plain: list[ProposedCrate] = []
    for child in sorted(members, key=natural_key):
        inner = _children(members[child])
        if "" not in inner and (base := _base_of(child, inner)):
            dressed[base].append(_with_skins(child, f"{folder}/{child}", base, inner))
        else:
            plain.append(ProposedCrate(child, f"{folder}/{child}"))
    found = [Proposal(tuple(crates), f"{folder}/*/{base}", f"{folder}/{{name}}/*") for base, crates in dressed.items()]
    if plain and not dressed:
        return [Proposal(tuple(plain), f"{folder}/*")]
    return [*found, *(Proposal((crate,)) for crate in plain)]


def _children(names: Iterable[str]) -> dict[str, list[str]]:
    """Group names by their first folder, and remove it. Names without a folder have the key ``""``."""
    found: dict[str, list[str]] = defaultdict(list)
    for name in names:
        child, slash, rest = name.partition("/")
        found[child if slash else ""].append(rest if slash else name)
    return found


def _is_crate(folder: str, names: Sequence[str]) -> bool:
    """Return True for a folder of several animations, or of folders of animations. Directions of one animation, such as
    walk/left and walk/walk_left_01, are none by themselves."""
    series = {(*name.split("/")[:-1], split_number(name.rpartition("/")[2])[0]) for name in names}
    own = [parts for parts in series if any(_says_something(_without(folder, part)) for part in parts)]
    return len(own) > 1 or any(len(parts) > 1 for parts in own)


def _without(folder: str, word: str) -> str:
    return word.removeprefix(folder).strip("_- .")


def _base_of(folder: str, members: Mapping[str, Sequence[str]]) -> str:
    """Return the folder of the base art if the others hold the same frames in other art, so that they are its skins;
    empty if not. A skin may lack frames, but has none of its own. The base is called so, or as the folder that holds
    it: characters have the same frames, too, and none of them is the base of another."""
    named = [child for child in members if child.casefold() in (*BASES, folder.casefold())]
    if len(members) < 2 or len(named) != 1:
        return ""
    (base,) = named
    names = set(members[base])
    is_told_by_names = all(map(_says_something, _animations(names))) and len(_animations(names)) > 1
    half = len(names) / 2
    return (
        base if is_told_by_names and all(half <= len(own) and names.issuperset(own) for own in members.values()) else ""
    )


def _animations(names: Iterable[str]) -> set[str]:
    """Return a word for each series of frames: the last folder, or the text before the number."""
    return {name.rpartition("/")[0].rpartition("/")[2] or split_number(name)[0] for name in names}


def _says_something(animation: str) -> bool:
    return animation.casefold() not in SAYS_NOTHING | DIRECTIONS | {""}


def _with_skins(name: str, folder: str, base: str, members: Mapping[str, Sequence[str]]) -> ProposedCrate:
    others = sorted((child for child in members if child != base), key=natural_key)
    return ProposedCrate(name, f"{folder}/{base}", tuple((child, f"{folder}/{child}") for child in others))
