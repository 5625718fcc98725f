"""Names, numbers, natural order, and which frames make up an animation.

A frame's name is its path below the input, without extension, with ``/``. Trailing digits are its number; what stands
before them, without the separator between the two, tells the numbered series of a folder apart. A folder that holds one
series names the animation: ``swim/swim_0003`` and ``swim/frame_0003`` are frame 3 of ``swim``. Where it holds several,
each is named by folder and series: ``guard/idle``, ``guard/run``.
"""

import re
import unicodedata
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from functools import lru_cache, partial
from typing import NamedTuple

from .other_words import OURS, spelled

_CHUNKS = re.compile(r"([0-9]+)")
_ADDRESS = re.compile(r"[A-Za-z][A-Za-z0-9+.:-]+://")
DIGITS = "0123456789"
MOST_DIGITS = 100
"""More of them are a name, and no number."""

SEPARATORS = " \t\n_.-"

NaturalKey = tuple[tuple[str | int, ...], str]


def natural_key(text: str) -> NaturalKey:
    """A sort key that orders runs of digits by value and the rest by letters, whatever their case.

    Ties (``a`` and ``A``, ``1`` and ``01``) are broken by the text as it stands, so the order is total and
    does not depend on the order of listing. Cost: linear in the length of the text.

    >>> sorted(["dive10", "dive9", "Dive1"], key=natural_key)
    ['Dive1', 'dive9', 'dive10']
    """
    chunks: list[str | int] = [*_CHUNKS.split(text.casefold())]  # letters and digits by turns: like meets like
    chunks[1::2] = map(int, chunks[1::2])
    return tuple(chunks), text


_known_key = lru_cache(1024)(natural_key)
"""The same for names that come again and again."""


def split_number(stem: str) -> tuple[str, int | None]:
    """A file name without extension, taken apart: what stands before the number, and the number.

    Blanks, underscores, dots and dashes between the two belong to neither; the number may stand in brackets.

    >>> split_number("swim_0003"), split_number("swim (12)"), split_number("0007"), split_number("parcel")
    (('swim', 3), ('swim', 12), ('', 7), ('parcel', None))
    """
    wrapped = stem.endswith(")")
    numbered = stem[:-1] if wrapped else stem
    before = numbered.rstrip(DIGITS)
    digits = len(numbered) - len(before)
    if not 0 < digits <= MOST_DIGITS or (wrapped and not before.endswith("(")):
        return stem, None
    return before.removesuffix("(" if wrapped else "").rstrip(SEPARATORS), int(numbered[len(before) :])


SAYS_NOTHING = frozenset(
    {"frame", "frames", "image", "img", "picture", "pic", "render", "untitled", "layer", "new", "export"}
)
"""Generic names of pictures and folders, in lower case."""


def number_of(name: str) -> int | None:
    """The number at the end of a frame's name.

    >>> number_of("swim/swim_0003"), number_of("parcels/letter")
    (3, None)
    """
    return split_number(name.rpartition("/")[2])[1]


class Matching(NamedTuple):
    """Names of frames, each with its counterpart in another art.

    pairs       by the name in the base
    missing     names that the other art lacks
    extra       names that only the other art has
    renumbered  those of the pairs whose numbers are written in another way: walk_01 and walk_1
    """

    pairs: dict[str, str]
    missing: list[str]
    extra: list[str]
    renumbered: list[tuple[str, str]]


def matched(names: Iterable[str], others: Iterable[str]) -> Matching:
    """Match equal names first. Match others by number if only one name on each side has that number.

    >>> matched(["walk_01", "walk_02"], ["walk_1", "walk_2", "walk_3"]).renumbered
    [('walk_01', 'walk_1'), ('walk_02', 'walk_2')]
    """
    names, others = list(names), dict.fromkeys(others)
    pairs = {name: name for name in names if name in others}
    ours, theirs = (_by_number(left for left in kind if left not in pairs) for kind in (names, others))
    renumbered = [
        (found[0], theirs[key][0]) for key, found in ours.items() if len(found) == 1 and len(theirs.get(key, ())) == 1
    ]
    pairs |= dict(renumbered)
    taken = frozenset(pairs.values())
    missing = [name for name in names if name not in pairs]
    return Matching(pairs, missing, [other for other in others if other not in taken], renumbered)


def _by_number(names: Iterable[str]) -> dict[tuple[str, str, int], list[str]]:
    """Return numbered names by their folder, the text before the number, and the number."""
    found: dict[tuple[str, str, int], list[str]] = defaultdict(list)
    for name in names:
        above, _, last = name.rpartition("/")
        before, number = split_number(last)
        if number is not None:
            found[above, before, number].append(name)
    return found


def animation_of(name: str, folder: str, is_alone: bool) -> str | None:
    """The animation that a frame belongs to, or None for a picture without a number.

    `folder` is the name of the folder that the file lies in, `is_alone` whether that holds no other numbered series.
    Directly below the input a series is named by itself, and by the folder only if its own name says nothing.

    >>> animation_of("swim/up/01", "up", True), animation_of("walk_sw/walk_01", "walk_sw", True)
    ('swim/up', 'walk_sw')
    >>> animation_of("guard/idle_01", "guard", False), animation_of("walk_01", "otter", True)
    ('guard/idle', 'walk')
    >>> animation_of("0001", "swim", True), animation_of("frame_01", "swim", True), animation_of("parcel", "swim", True)
    ('swim', 'swim', None)
    """
    path, _, stem = name.rpartition("/")
    series, number = split_number(stem)
    if number is None:
        return None
    if path:
        return without_repetition(path if is_alone or not series else f"{path}/{series}")
    by_folder = not series or (is_alone and series.casefold() in SAYS_NOTHING)
    return (folder or "frames") if by_folder else series


def animations_of(names: Sequence[str], folders: Sequence[str]) -> list[str | None]:
    """Return the animation of each frame, or None; `folders` are the paths of those that the files lie in. Which series
    a folder holds decides on the names of its animations."""
    series: dict[str, set[str]] = defaultdict(set)
    for folder, name in zip(folders, names, strict=True):
        before, number = split_number(name.rpartition("/")[2])
        if number is not None:
            series[folder].add(before)
    return [
        animation_of(name, folder.rpartition("/")[2], len(series[folder]) == 1)
        for folder, name in zip(folders, names, strict=True)
    ]


def without_repetition(path: str) -> str:
    """Return a path without its last part if that only repeats the one before.

    >>> without_repetition("otter/swim/swim"), without_repetition("swim"), without_repetition("/swim")
    ('otter/swim', 'swim', 'swim')
    """
    above, _, last = path.strip("/").rpartition("/")
    return above if above and above.rpartition("/")[2] == last else path.strip("/")


def frame_key(name: str, animation: str | None) -> tuple[object, ...]:
    """The sort key of a frame in its crate: animations first in natural order, then pictures without a number.

    Within an animation the order is by number, then by name.
    """
    if animation is None:
        return (1, natural_key(name))
    return (0, _known_key(animation), number_of(name), natural_key(name))


class Clash(NamedTuple):
    """Different names that some file systems and engines cannot tell apart, or cannot hold at once, and why."""

    names: tuple[str, ...]
    why: str


def clashes(names: Sequence[str], ending: str = "") -> list[Clash]:
    """Return the groups of names that clash, each in order. With an `ending`, each name is that of a file below a
    folder.

    >>> clashes(["dive", "Dive", "swim"]), clashes(["a", "a.png/b"], ".png")[0].why
    ([Clash(names=('dive', 'Dive'), why='differ only in case')], 'need a file and a folder of one name')
    """
    groups: dict[str, list[str]] = defaultdict(list)
    for name in names:
        groups[_folded(name)].append(name)
    found = [Clash(tuple(group), _difference(group)) for group in groups.values() if len(group) > 1]
    if ending and any("/" in name for name in names):
        folders = {above: group[0] for name, group in groups.items() for above in _folders(name)}
        files = ((group[0], folders.get(name + ending)) for name, group in groups.items())
        found += [Clash((file, other), "need a file and a folder of one name") for file, other in files if other]
    return found


def _folded(name: str) -> str:
    if name.isascii():
        return name.lower()
    return unicodedata.normalize("NFC", unicodedata.normalize("NFC", name).casefold())


def _folders(name: str) -> Iterator[str]:
    while name := name.rpartition("/")[0]:
        yield name


def _difference(names: Sequence[str]) -> str:
    differences = (
        (str.casefold, "differ only in case"),
        (partial(unicodedata.normalize, "NFC"), "differ only in how accents are stored"),
    )
    for folded, why in differences:
        if len(set(map(folded, names))) == 1:
            return why
    return "differ only in case and in how accents are stored"


def nearest(name: str, known: Iterable[str], least: float = 0.5) -> str | None:
    """Return the known name that somebody may have meant, None if none is close: ours for another word, or the closest
    one in any case. `least` is how close it must be, from 0 to 1.

    >>> nearest("DEBUG", ["swim", "debug"]), nearest("swin", ["swim"]), nearest("x", ["swim"])
    ('debug', 'swim', None)
    >>> nearest("--padding", ["--gap", "--order"])
    '--gap'
    """
    import difflib

    folded: dict[str, str] = {}
    ours = OURS.get(spelled(name))
    for word in known:
        if ours and spelled(word) == ours:
            return word
        folded.setdefault(word.casefold(), word)
    near = difflib.get_close_matches(name.casefold(), folded, 1, least)
    return folded[near[0]] if near else None


def is_address(given: str) -> bool:
    """Return True if an input is no path but an address.

    >>> is_address("https://host/frames"), is_address("memory://frames"), is_address("C://frames"), is_address("a/b")
    (True, True, False, False)
    """
    return _ADDRESS.match(given) is not None


def leads_out(name: str) -> bool:
    """Return True if a name, taken as a path, would lead out of its folder or nowhere, on any platform.

    >>> [leads_out(name) for name in ("swim/swim_01", "../evil", "/evil", "a//b", "a/..", "..a", "a\\\\..", "")]
    [False, True, True, True, True, False, True, True]
    """
    return "\0" in name or any(part in ("", ".", "..") for part in re.split(r"[/\\]", name))
