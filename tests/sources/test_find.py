import os
from pathlib import Path

import pytest

from agile_crate.core.errors import InputError
from agile_crate.core.limits import USUAL
from agile_crate.format.regular import read_head, read_regular
from agile_crate.sources.find import find
from conftest import save


@pytest.fixture
def here(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.chdir(tmp_path)
    for name in (
        "a/swim/swim_10.png",
        "a/swim/swim_9.png",
        "a/dive_1.png",
        "a/letter.png",
        "a/more/up/01.tga",
        "b/swim_1.png",
    ):
        save(tmp_path / name)
    return tmp_path


def names(*inputs: str, own: frozenset[str] = frozenset()) -> list[str]:
    return [file.name for file in find(inputs, own, USUAL).found]


def test_folders_are_read_through_in_natural_order(here: Path) -> None:
    assert names("a") == ["dive_1", "more/up/01", "swim/swim_9", "swim/swim_10", "letter"]
    assert names("a") == names("a/") == names("./a") == names(str(here / "a"))


def test_the_animation_of_bare_numbers_is_their_folder(here: Path) -> None:
    by_name = {file.name: file.animation for file in find(["a", "a/more/up"], frozenset(), USUAL).found}
    assert by_name["more/up/01"] == "more/up"
    os.chdir(here / "a/more/up")
    assert [file.animation for file in find(["."], frozenset(), USUAL).found] == ["up"]
    assert [file.animation for file in find(["01.tga"], frozenset(), USUAL).found] == ["up"]


def test_a_folder_of_one_series_names_the_animation(here: Path) -> None:
    for name in ("walk_SW/walk_01", "guard/idle_1", "guard/run_1", "Walk/frame_01", "mixed/dot_1", "mixed/still"):
        save(here / "c" / f"{name}.png")
    by_name = {file.name: file.animation for file in find(["c"], frozenset(), USUAL).found}
    assert by_name == {
        "walk_SW/walk_01": "walk_SW", "guard/idle_1": "guard/idle", "guard/run_1": "guard/run", "Walk/frame_01": "Walk",
        "mixed/dot_1": "mixed", "mixed/still": None,
    }  # fmt: skip
    assert [file.animation for file in find(["c/walk_SW"], frozenset(), USUAL).found] == ["walk"]
    assert [file.animation for file in find(["c/Walk"], frozenset(), USUAL).found] == ["Walk"]
    assert [file.animation for file in find(["c/guard/idle_*", "c/guard/run_1.png"], frozenset(), USUAL).found] == [
        "idle",
        "run",
    ]
    assert [file.animation for file in find(["c/*/idle_*"], frozenset(), USUAL).found] == ["guard"]


def test_files_and_patterns(here: Path) -> None:
    assert names("b/swim_1.png", "a/letter.png") == ["swim_1", "letter"]
    assert names("a/*/swim_*.png") == ["swim/swim_9", "swim/swim_10"]
    assert names("a/**/*.tga") == ["more/up/01"]
    assert names("a/s*") == ["swim/swim_9", "swim/swim_10"]
    save(here / "odd[1]" / "x.png")
    assert names("odd[1]") == ["x"]


def test_skipped_files_are_counted(here: Path) -> None:
    for name in ("notes.txt", "no_ending", ".hidden.png"):
        (here / "a" / name).write_bytes(b"x")
    (here / "a" / ".folder").mkdir()
    os.mkfifo(here / "a" / "pipe.png")
    (here / "a" / "loop").symlink_to(here / "a")
    (here / "a" / "swim" / "up").symlink_to("../..", target_is_directory=True)
    search = find(["a", "a/letter.png"], frozenset(), USUAL)
    assert dict(search.skipped) == {
        "file that is not a picture": 2, "hidden file": 2, "special file": 1, "link back to a folder above": 2,
        "file met twice": 1,
    }  # fmt: skip


def test_a_link_to_another_folder_is_followed(here: Path) -> None:
    (here / "a" / "linked").symlink_to(here / "b")
    assert "linked/swim_1" in names("a")


def test_outputs_are_no_inputs(here: Path) -> None:
    save(here / "a" / "build" / "otter.png")
    own = frozenset({str(here / "a" / "letter.png")})
    assert names("a", own=own) == ["dive_1", "more/up/01", "swim/swim_9", "swim/swim_10", "build/otter"]
    assert find(["a"], own, USUAL).skipped == {"output of a build": 1}


@pytest.mark.parametrize(
    ("inputs", "sentence"),
    [
        (["c"], "c does not exist; check the path"),
        (["a/*.gif"], r"nothing matches the pattern a/\*.gif; check it, and quote it"),
        (["empty"], "no pictures were found in empty; name a folder that holds the frames"),
        (["text"], r"no pictures were found in text \(1 file that is not a picture skipped\)"),
        (["dangling"], "dangling/gone.png cannot be read: no such file or directory"),
        (["circle"], "circle/round.png cannot be read: too many levels of symbolic links"),
        (["clash"], "two frames have the name '01': clash/01.gif and clash/01.png; rename one"),
        (["a", "b", "b2"], "two frames have the name 'swim_1': b/swim_1.png and b2/swim_1.png"),
        (["surrogate"], "the file name is not valid Unicode text; rename it"),
    ],
)
def test_what_cannot_be_taken_is_said(here: Path, inputs: list[str], sentence: str) -> None:
    (here / "empty").mkdir()
    (here / "text").mkdir()
    (here / "text" / "notes.txt").touch()
    (here / "dangling").mkdir()
    (here / "dangling" / "gone.png").symlink_to("nowhere.png")
    (here / "circle").mkdir()
    (here / "circle" / "round.png").symlink_to("round.png")
    save(here / "b2" / "swim_1.png")
    save(here / "clash" / "01.png")
    save(here / "clash" / "01.gif")
    (here / "surrogate").mkdir()
    (here / "surrogate" / os.fsdecode(b"bad\xff.png")).touch()
    with pytest.raises(InputError, match=sentence):
        find(inputs, frozenset(), USUAL)


def test_folders_are_told_apart_where_listings_have_no_inodes(here: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """On Windows an entry of a listing has device and inode 0; folders within folders are no loops there either."""
    import os

    from agile_crate.sources import find as module

    class Entry:
        def __init__(self, entry: os.DirEntry[str]) -> None:
            self.name, self.path, self._entry = entry.name, entry.path, entry

        def is_dir(self) -> bool:
            return self._entry.is_dir()

        def stat(self) -> os.stat_result:
            real = list(self._entry.stat())
            real[1:3] = [0, 0]
            return os.stat_result(real)

    class Listing(list[Entry]):
        def __enter__(self) -> list[Entry]:
            return self

        def __exit__(self, *_: object) -> None:
            pass

    scandir = os.scandir
    plain = names("a")
    assert "more/up/01" in plain
    monkeypatch.setattr(module.os, "scandir", lambda folder: Listing(map(Entry, scandir(folder))))
    assert names("a") == plain


def test_a_file_is_read_whole_and_never_beyond_what_was_agreed(tmp_path: Path) -> None:
    path = tmp_path / "a"
    for size in (0, 1, 70_000):
        path.write_bytes(b"x" * size)
        assert read_regular(path, USUAL._replace(file_bytes=size), "file_bytes") == b"x" * size
        assert read_head(path, 1) == b"x" * min(1, size)
        if size:
            with pytest.raises(OSError, match="it is larger than"):
                read_regular(path, USUAL._replace(file_bytes=size - 1), "file_bytes")
    assert b"Pid" in read_regular("/proc/self/status", USUAL, "file_bytes")  # its size is said to be 0
    with pytest.raises(OSError, match="it is not a regular file"):
        read_regular("/dev/zero", USUAL, "file_bytes")
