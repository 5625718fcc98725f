"""Test events for changed files: the watched ones, once each, and none of ours."""

import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from agile_crate.core.errors import InputError
from agile_crate.sources.watched import Watch, watching


@pytest.fixture
def watch(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Watch]:
    monkeypatch.chdir(tmp_path)
    (tmp_path / "frames" / "swim").mkdir(parents=True)
    (tmp_path / "other").mkdir()
    with watching() as watch:
        yield watch


def names(watch: Watch, folder: Path) -> set[str]:
    return {os.path.relpath(path, os.path.realpath(folder)) for path in watch.next_burst()}


def test_what_is_wanted_is_told_and_nothing_else(watch: Watch, tmp_path: Path) -> None:
    watch.cover(["frames", "a.crate.toml"])
    (tmp_path / "other" / "a.png").write_bytes(b"1")
    (tmp_path / "b.crate.toml").write_bytes(b"1")
    (tmp_path / "frames" / ".agile-crate-1").write_bytes(b"1")
    assert not watch.any_within(0.3)
    (tmp_path / "frames" / "swim" / "a.png").write_bytes(b"1")
    (tmp_path / "a.crate.toml").write_bytes(b"1")
    assert names(watch, tmp_path) == {"frames/swim/a.png", "a.crate.toml"}
    (tmp_path / "frames" / "swim" / "a.png").read_bytes()
    assert not watch.any_within(0.3)  # reading is no change


def test_programs_that_save_by_renaming_are_seen(watch: Watch, tmp_path: Path) -> None:
    watch.cover(["frames", "a.crate.toml"])
    (tmp_path / "other" / "new").write_bytes(b"1")
    os.replace(tmp_path / "other" / "new", tmp_path / "a.crate.toml")
    assert "a.crate.toml" in names(watch, tmp_path)
    (tmp_path / "frames" / "swim" / "new~").write_bytes(b"1")
    os.replace(tmp_path / "frames" / "swim" / "new~", tmp_path / "frames" / "swim" / "a.png")
    assert "frames/swim/a.png" in names(watch, tmp_path)


def test_what_is_not_there_yet_is_waited_for(watch: Watch, tmp_path: Path) -> None:
    watch.cover(["later/frames/gull"])
    (tmp_path / "later").mkdir()
    assert names(watch, tmp_path) == {"later"}
    watch.cover(["later/frames/gull"])
    (tmp_path / "later" / "frames" / "gull").mkdir(parents=True)
    assert "later/frames" in names(watch, tmp_path)
    watch.cover(["later/frames/gull"])
    (tmp_path / "later" / "frames" / "gull" / "a.png").write_bytes(b"1")
    assert "later/frames/gull/a.png" in names(watch, tmp_path)


def test_a_folder_that_goes_and_comes_back_is_noticed(watch: Watch, tmp_path: Path) -> None:
    watch.cover(["frames/swim"])
    os.rename(tmp_path / "frames" / "swim", tmp_path / "other" / "swim")
    assert names(watch, tmp_path) == {"frames/swim"}
    watch.cover(["frames/swim"])
    os.rename(tmp_path / "other" / "swim", tmp_path / "frames" / "swim")
    assert names(watch, tmp_path) == {"frames/swim"}
    watch.cover(["frames/swim"])
    (tmp_path / "frames" / "swim" / "a.png").write_bytes(b"1")
    assert names(watch, tmp_path) == {"frames/swim/a.png"}


def test_of_listed_folders_only_their_own_entries_count(watch: Watch, tmp_path: Path) -> None:
    watch.cover(["frames/swim"], ["."])
    (tmp_path / "build").mkdir()
    assert names(watch, tmp_path) == {"build"}
    (tmp_path / "other" / "a.png").write_bytes(b"1")
    (tmp_path / "frames" / "swim" / "a.png").write_bytes(b"1")
    assert names(watch, tmp_path) == {"frames/swim/a.png"}


def test_what_is_no_longer_wanted_is_not_told(watch: Watch, tmp_path: Path) -> None:
    watch.cover(["frames", "other"])
    watch.cover(["other"])
    (tmp_path / "frames" / "swim" / "a.png").write_bytes(b"1")
    assert not watch.any_within(0.3)
    (tmp_path / "other" / "a.png").write_bytes(b"1")
    assert names(watch, tmp_path) == {"other/a.png"}


def test_a_system_that_watches_no_more_says_so(tmp_path: Path) -> None:
    class Full:
        def schedule(self, *_: Any, **__: Any) -> None:
            raise OSError(28, "inotify watch limit reached")

    told = f"^{tmp_path.parent} cannot be watched: inotify watch limit reached; raise the system's limit of watched files, or name"
    with pytest.raises(InputError, match=told):
        Watch(Full()).cover([str(tmp_path)])
    Watch(Full()).cover([])
