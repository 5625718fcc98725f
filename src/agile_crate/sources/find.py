"""Which files are frames: folders, files and quoted patterns become a list of pictures with names.

Walking uses `os.scandir` and plain strings: one system call a folder and none a file on most systems, which
matters for thousands of small frames.
"""

from __future__ import annotations

import glob
import os
import re
import stat
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field
from typing import NamedTuple

from ..core.crate.file_names import HIDDEN_PREFIX
from ..core.errors import InputError, reason
from ..core.glued import GluedSeries, without_glue
from ..core.limits import Limits, raise_hint
from ..core.message import a_file, some_files
from ..core.names import animations_of, frame_key, natural_key
from ..core.text import counted, is_unicode, shown
from .source_formats import COMMON_ENDINGS

LEAST_ENTRIES, ENTRIES_A_FRAME = 100_000, 20
"""Entries of folders that may be looked at whatever the limit of frames, and for each of those."""


class NameRules(NamedTuple):
    """Rules for the names of files.

    digits    of a frame's number; 0 to find them out
    as_given  keep the order of the inputs instead of that of names
    """

    digits: int = 0
    as_given: bool = False


USUAL_RULES = NameRules()


class Found(NamedTuple):
    """A picture file: its path, its frame's name and animation, and its length in bytes."""

    path: str
    name: str
    animation: str | None
    length: int


@dataclass(slots=True)
class Search:
    """The result of searching inputs: the pictures, and counts of skipped files by kind."""

    own: AbstractSet[str]
    limits: Limits
    rules: NameRules = USUAL_RULES
    found: list[Found] = field(default_factory=list)
    skipped: Counter[str] = field(default_factory=Counter)
    taken: dict[str, None] = field(default_factory=dict)
    """Absolute paths of what was found, in the same order."""
    looked_at: int = 0
    """Entries of folders so far."""
    glued: tuple[GluedSeries, ...] = ()
    is_reordered: bool = False
    """Files were named one by one in another order than that of their names, which frames have."""


def find(inputs: Iterable[str], own: AbstractSet[str], limits: Limits, rules: NameRules = USUAL_RULES) -> Search:
    """Find the pictures in folders (with all below them), files and patterns, in the order of their frames in a crate.

    Folders are read in natural order. Hidden things, files that are not pictures, links that lead back into a folder
    they lie in, and outputs of builds are skipped and counted; `own` are absolute paths of outputs. A file met
    twice is taken once.
    Raises InputError for a missing or unreadable file, a named file that is no picture, and for two frames
    with one name.
    """
    search = searched(inputs, own, limits, rules)
    if twice := named_twice(search.found):
        first, other = twice[0]
        raise InputError(
            "two frames have the name '{}': {} and {}; rename one, or name the folder above them so that the "
            "folders' names tell them apart",
            shown(other.name),
            a_file(first.path),
            a_file(other.path),
        )
    return search


def searched(inputs: Iterable[str], own: AbstractSet[str], limits: Limits, rules: NameRules = USUAL_RULES) -> Search:
    """Find pictures as `find` does, but let two frames have one name."""
    search, inputs = Search(own, limits, rules), list(inputs)
    if not inputs:
        raise InputError("no inputs were given; name a folder, a file or a pattern of frames")
    for given in inputs:
        for path, base, named in _start(given):
            _take(path, base, named, search, limits)
    if not search.found:
        looked = some_files(inputs)
        extra = f" ({skipped_text(search.skipped)} skipped)" if search.skipped else ""
        raise InputError("no pictures were found in {}{}; name a folder that holds the frames", looked, extra)
    _refuse_odd_names(search.found)
    _name_animations(search)
    _put_in_order(search, inputs)
    return search


def _name_animations(search: Search) -> None:
    """Name the animation that each file belongs to."""
    folders = [os.path.dirname(path).replace(os.sep, "/") for path in search.taken]
    names, search.glued = without_glue([file.name for file in search.found], folders, search.rules.digits)
    triples = zip(search.found, names, animations_of(names, folders), strict=True)
    search.found = [file._replace(name=name, animation=animation) for file, name, animation in triples]


def _put_in_order(search: Search, inputs: Sequence[str]) -> None:
    """Put files in the order of their frames in a crate. Each input is one file if it was named by itself."""
    given = search.found
    search.found = _as_given(given) if search.rules.as_given else in_crate_order(given)
    named = [file.path for file in given]
    is_by_hand = named == inputs and named not in (sorted(named), sorted(named, key=str.casefold))
    search.is_reordered = is_by_hand and not search.rules.as_given and search.found != given


def _as_given(files: Sequence[Found]) -> list[Found]:
    """Return files in the order of the inputs, with each animation where its first frame is."""
    first: dict[str, int] = {}

    def key(place: int) -> int:
        animation = files[place].animation
        return place if animation is None else first.setdefault(animation, place)

    return [files[place] for place in sorted(range(len(files)), key=key)]


def named_twice(found: Iterable[Found]) -> list[tuple[Found, Found]]:
    """Yield pairs of files whose frames have the same name, the earlier file first."""
    first: dict[str, Found] = {}
    return [(other, file) for file in found if (other := first.setdefault(file.name, file)) is not file]


def in_crate_order(files: Iterable[Found]) -> list[Found]:
    """Return files in the order of their frames in a crate."""
    return sorted(files, key=lambda file: frame_key(file.name, file.animation))


def skipped_text(skipped: Mapping[str, int]) -> str:
    """Return the counts of skipped files, as part of a sentence.

    >>> skipped_text(Counter({"hidden file": 1, "file that is not a picture": 2}))
    '2 files that are not pictures, 1 hidden file'
    """
    plurals = {NOT_A_PICTURE: "files that are not pictures", OWN: "outputs of a build", LOOP: LOOP.replace("k ", "ks ")}
    return ", ".join(counted(count, what, plurals.get(what, "")) for what, count in sorted(skipped.items()))


HIDDEN = "hidden file"
NOT_A_PICTURE = "file that is not a picture"
LOOP = "link back to a folder above"
OWN = "output of a build"
SPECIAL = "special file"
REPEATED = "file met twice"


_DEEP = re.compile(r"(\*\*[/\\]+){2,}" if os.sep == "\\" else r"(\*\*/+){2,}")


def _start(given: str) -> Iterator[tuple[str, str, bool]]:
    """The paths that one input stands for, each with the folder below which its name begins, and whether it was
    named by itself."""
    if os.path.lexists(given):
        yield given, given if os.path.isdir(given) else os.path.dirname(given), True
        return
    if not glob.has_magic(given):
        raise InputError("{} does not exist; check the path", a_file(given))
    given = _DEEP.sub(f"**{os.sep}", given)  # repeated, it means the same and takes exponentially longer
    fixed = fixed_part(given)
    matches = sorted(glob.glob(given, recursive=True), key=natural_key)
    if not matches:
        raise InputError("nothing matches the pattern {}; check it, and quote it", a_file(given))
    for match in matches:
        yield match, fixed, False


def fixed_part(given: str) -> str:
    """Return the folder that holds all matches of a pattern; an input without wildcards stays as it is."""
    while glob.has_magic(given) and not os.path.lexists(given):
        given = os.path.dirname(given)
    return given


def _take(path: str, base: str, named: bool, search: Search, limits: Limits) -> None:
    try:
        status = os.stat(path)
    except OSError as error:
        raise InputError("{} cannot be read: {}", a_file(path), reason(error)) from None
    if stat.S_ISDIR(status.st_mode):
        _walk(path, base, [(status.st_dev, status.st_ino)], search, limits)
    elif named or is_picture_name(path):
        _take_file(path, os.path.abspath(path), base, status, search)
    else:
        search.skipped[NOT_A_PICTURE] += 1


def _walk(folder: str, base: str, above: list[tuple[int, int]], search: Search, limits: Limits) -> None:
    if len(above) > (deepest := search.limits.nesting):
        raise InputError(
            "{} has folders nested more than {} deep; name the one that holds the frames, or {}",
            a_file(base),
            deepest,
            raise_hint("nesting"),
        )
    try:
        with os.scandir(folder) as listing:
            entries = sorted(listing, key=lambda entry: natural_key(entry.name))
    except OSError as error:
        raise InputError("the folder {} cannot be read: {}", a_file(folder), reason(error)) from None
    search.looked_at += len(entries)
    if search.looked_at > max(LEAST_ENTRIES, ENTRIES_A_FRAME * (most := search.limits.frames)):
        raise InputError(
            "{} holds too many files to look through for {:,} frames; name the folders of frames, or {}",
            a_file(base),
            most,
            raise_hint("frames"),
        )
    built = _sheets_among(folder, {entry.name for entry in entries}, limits)
    absolute = os.path.join(os.path.abspath(folder), "")
    for entry in entries:
        if entry.name.startswith(HIDDEN_PREFIX):
            continue
        if entry.name.startswith("."):
            search.skipped[HIDDEN] += 1
            continue
        if entry.name in built or absolute + entry.name in search.own:
            search.skipped[OWN] += 1
            continue
        try:
            is_folder = entry.is_dir()
            if not is_folder and not is_picture_name(entry.name):
                search.skipped[NOT_A_PICTURE] += 1
                continue
            status = os.stat(entry.path) if is_folder else entry.stat()  # on Windows an entry knows no inode
        except OSError as error:
            raise InputError("{} cannot be read: {}", a_file(entry.path), reason(error)) from None
        if not is_folder:
            _take_file(entry.path, absolute + entry.name, base, status, search)
        elif (identity := (status.st_dev, status.st_ino)) in above:
            search.skipped[LOOP] += 1
        else:
            _walk(entry.path, base, [*above, identity], search, limits)


def _sheets_among(folder: str, names: AbstractSet[str], limits: Limits) -> set[str]:
    """Return the files of a folder that are sheets of builds. The metadata next to them names them, and they are
    unchanged; or the metadata is unchanged, and they still have their sizes."""
    sheets: set[str] = set()
    for name in names:
        if name.endswith((".json", ".xml")) and any(map(is_picture_name, names)):
            from ..format.files import outputs_of_build

            outputs = outputs_of_build(os.path.join(folder, name), limits)
            for image in names & outputs.images.keys():
                size = outputs.sizes[image] if outputs.is_sealed else None
                if _is_sheet(os.path.join(folder, image), outputs.images[image], size, limits):
                    sheets.add(image)
    return sheets


def _is_sheet(path: str, sha256: str, size: list[int] | None, limits: Limits) -> bool:
    from ..core.png_chunks import PictureError
    from ..format.regular import read_regular
    from ..format.seal import binary_sha256
    from .pictures import picture_size

    try:
        data = read_regular(path, limits, "file_bytes")
        return binary_sha256(data) == sha256 or (
            size is not None and list(picture_size(data, limits.sheet_pixels, limits)) == size
        )
    except (OSError, PictureError):
        return False


def _take_file(path: str, absolute: str, base: str, status: os.stat_result, search: Search) -> None:
    if absolute in search.own:
        search.skipped[OWN] += 1
    elif not stat.S_ISREG(status.st_mode):
        search.skipped[SPECIAL] += 1
    elif absolute in search.taken:
        search.skipped[REPEATED] += 1
    else:
        if len(search.found) >= (most := search.limits.frames):
            raise InputError("{} holds more than {:,} pictures; {}", a_file(base or path), most, raise_hint("frames"))
        search.taken[absolute] = None
        name = os.path.splitext(path[len(base) :].lstrip(os.sep) if base else path)[0].replace(os.sep, "/")
        if len(name) > (longest := search.limits.name_characters):
            raise InputError(
                "{} has a name of {:,} characters, and {:,} are the most; {}",
                a_file(path),
                len(name),
                longest,
                raise_hint("name_characters"),
            )
        search.found.append(Found(path, name, None, status.st_size))


def is_picture_name(path: str) -> bool:
    """Return True if a file's ending is that of a picture."""
    ending = os.path.splitext(path)[1].lower()
    if ending in COMMON_ENDINGS:
        return True
    if not ending:
        return False
    from .pictures import picture_endings

    return ending in picture_endings()


def _refuse_odd_names(found: Sequence[Found]) -> None:
    """Raise InputError for names that metadata cannot hold."""
    not_text = [file.path for file in found if not is_unicode(file.name)]
    if not_text:
        raise InputError("{}: the file name is not valid Unicode text; rename it", some_files(not_text))
