"""All files of a build come into place, or none, and what was there stays to the byte."""

import contextlib
import errno
import hashlib
import json
import os
import shutil
import signal
from collections.abc import Callable, Iterator
from functools import partial
from itertools import count
from pathlib import Path
from threading import Thread

import pytest

from agile_crate.core.errors import OutputError
from agile_crate.storage import lock
from agile_crate.storage.staging import settle, staged, work_name
from conftest import tree


def test_files_come_into_place_together_and_stale_ones_go(tmp_path: Path) -> None:
    (tmp_path / "a.png").write_bytes(b"old a")
    (tmp_path / "c.png").write_bytes(b"old c")
    with staged(tmp_path) as staging:
        assert staging.write("a.png", [b"new", b" a"]) == hashlib.sha256(b"new a").hexdigest()
        staging.write("a.json", [b"{}"])
        assert (tmp_path / "a.png").read_bytes() == b"old a"
        staging.commit(remove=["c.png"])
    assert tree(tmp_path) == {"a.png": b"new a", "a.json": b"{}"}


def full_disk() -> Iterator[bytes]:
    yield b"half"
    raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))


def test_a_full_disk_leaves_the_old_files(tmp_path: Path) -> None:
    (tmp_path / "b.png").write_bytes(b"old")
    with (
        pytest.raises(OutputError, match=r"b\.png cannot be written: no space left on device"),
        staged(tmp_path) as staging,
    ):
        staging.write("a.png", [b"new"])
        staging.write("b.png", full_disk())
    assert tree(tmp_path) == {"b.png": b"old"}


@pytest.mark.parametrize("links", [True, False])
@pytest.mark.parametrize("error", [OSError(errno.EIO, "Input/output error"), KeyboardInterrupt()])
def test_a_failure_while_moving_brings_everything_back(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, links: bool, error: BaseException
) -> None:
    old = {"a.png": b"old a", "b.json": b"old b"}
    for name, data in old.items():
        (tmp_path / name).write_bytes(data)
    replace, moved = os.replace, []

    def replace_until_the_third(source: Path, target: Path) -> None:
        moved.append(target)
        if len(moved) == 3:
            raise error
        replace(source, target)

    def no_links(*_: object) -> None:
        raise OSError(errno.EPERM, "Operation not permitted")

    monkeypatch.setattr(os, "replace", replace_until_the_third)
    if not links:
        monkeypatch.setattr(os, "link", no_links)
    with pytest.raises((OutputError, KeyboardInterrupt), match=r"^$|cannot be written"), staged(tmp_path) as staging:
        for name in ("new.png", "a.png", "b.json"):
            staging.write(name, [b"new"])
        staging.commit()
    assert tree(tmp_path) == old


def test_folders_made_for_a_build_that_failed_are_removed(tmp_path: Path) -> None:
    with pytest.raises(OutputError, match="no space left on device"), staged(tmp_path / "x" / "y") as staging:
        staging.write("b.png", full_disk())
    assert list(tmp_path.iterdir()) == []


def test_a_file_in_the_folders_place(tmp_path: Path) -> None:
    (tmp_path / "x").touch()
    with pytest.raises(OutputError, match="x cannot be written: is a file, not a folder"), staged(tmp_path / "x"):
        pass
    with pytest.raises(OutputError, match="y cannot be written: "), staged(tmp_path / "x" / "y"):
        pass


OLD = {"a.png": b"old a", "stale.png": b"stale", "o.json": b"old"}
NEW = {"a.png": b"new a", "walk/b.png": b"new b", "o.json": b"new"}
STEPS = ["replace", "link", "fsync", "unlink", "mkdir", "rmdir"]


def a_run(folder: Path) -> None:
    with staged(folder, "o") as staging:
        for name, data in NEW.items():
            staging.write(name, [data])
        staging.commit(remove=["stale.png"])


def dies_at(step: int, folder: Path, what: Callable[[], object], links: bool) -> bool:
    """Run a function in a process that is killed before its step-th system call that changes a file. Return True if it
    got that far."""
    child = os.fork()
    if child == 0:
        count = 0

        def counted(call: Callable[..., object]) -> Callable[..., object]:
            def made(*arguments: object, **named: object) -> object:
                nonlocal count
                count += 1
                if count == step:
                    os.kill(os.getpid(), signal.SIGKILL)
                return call(*arguments, **named)

            return made

        for name in STEPS:
            setattr(os, name, counted(getattr(os, name)))
        if not links:
            os.link = no_links
        what()
        os._exit(0)
    return os.WIFSIGNALED(os.waitpid(child, 0)[1])


def no_links(*_: object) -> None:
    raise OSError(errno.EPERM, "Operation not permitted")


@pytest.mark.parametrize("links", [True, False])
def test_whenever_it_is_killed_the_next_run_makes_it_whole(tmp_path: Path, links: bool) -> None:
    """At every single step of a run; and at every third of those, at every step of the run that settles it."""
    seen = set()
    for step in count(1):
        folder = tmp_path / str(step)
        folder.mkdir()
        for name, data in OLD.items():
            (folder / name).write_bytes(data)
        died = dies_at(step, folder, partial(a_run, folder), links)
        if died and step % 3 == 0:
            for later in count(1):
                copy = tmp_path / f"{step}-{later}"
                shutil.copytree(folder, copy)
                if not dies_at(later, copy, partial(settle, copy, ["o"]), links):
                    break
                settle(copy, ["o"])
                assert tree(copy) in (OLD, NEW), (step, later)
        told = [str(note) for note in settle(folder, ["other", "o"])]
        assert tree(folder) in (OLD, NEW), (step, told)
        assert (not died and not told) or len(told) <= 1
        seen |= {(tree(folder) == NEW, note.split(str(folder))[1]) for note in told}
        assert settle(folder, ["o"]) == []
        if not died:
            break
    assert step > 20
    cleared = " were deleted"
    assert seen == {(False, cleared), (True, cleared), (True, " was finished: its files are in place")}


@pytest.mark.parametrize("links", [True, False])
def test_what_cannot_be_finished_is_undone(tmp_path: Path, links: bool) -> None:
    undone = 0
    for step in range(12, 40):
        folder = tmp_path / str(step)
        folder.mkdir()
        for name, data in OLD.items():
            (folder / name).write_bytes(data)
        if not dies_at(step, folder, partial(a_run, folder), links):
            break
        if list(folder.glob(".agile-crate-*/2.new")) and not list(folder.glob(".agile-crate-*/2.old")):
            (folder / "o.json").unlink(missing_ok=True)
            (folder / "o.json").mkdir()  # a folder in the last one's place
            (folder / "o.json" / "x").touch()
        told = [str(note) for note in settle(folder, ["o"])]
        now = tree(folder)
        if now.pop("o.json/x", None) is not None:
            undone += any("undone" in note for note in told)
            assert {**now, "o.json": b"old"} == OLD
    assert undone > 2


@pytest.mark.parametrize("said", [
    {"moves": [["../out.txt", False]], "removed": [], "made": []}, {"moves": [], "removed": ["../keep.txt"], "made": []},
    {"moves": [["/tmp/agile-crate-trial", True]], "removed": [], "made": []}, {"moves": [["away/x.png", False]], "removed": [], "made": []},
    {"moves": [], "removed": ["away/keep.txt"], "made": []}, {"moves": [], "removed": [], "made": ["../made"]}, {"moves": 3}, [],
])  # fmt: skip
def test_a_strangers_journal_leads_nowhere(tmp_path: Path, said: object) -> None:
    folder, away = tmp_path / "in", tmp_path / "away"
    work = folder / work_name("o")
    for path in (work, away):
        path.mkdir(parents=True)
    (tmp_path / "keep.txt").write_text("keep")
    (away / "keep.txt").write_text("keep")
    (folder / "away").symlink_to(away)
    (work / "0.new").write_bytes(b"new")
    (work / "journal").write_text(json.dumps(said))
    before = tree(tmp_path)
    with contextlib.suppress(OutputError):
        settle(folder, ["o"])
    after = tree(tmp_path)
    for kept in ("keep.txt", "away/keep.txt"):
        assert after[kept] == b"keep"
    assert set(after) <= set(before) | {f"in/{work.name}/journal.undone"}


def test_no_link_is_followed_on_the_way(tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "away").mkdir()
    (tmp_path / "in" / "walk").symlink_to(tmp_path / "away")
    with pytest.raises(OutputError, match="walk is a link"), staged(tmp_path / "in") as staging:
        staging.write("walk/a.png", [b"new"])
        staging.commit()
    assert list((tmp_path / "away").iterdir()) == []


def test_one_run_waits_for_another_and_says_so_once(tmp_path: Path) -> None:
    said: list[str] = []
    results: list[int] = []

    def other() -> None:
        with staged(tmp_path, "o", lambda: said.append("waiting")) as staging:
            results.append((tmp_path / "a.png").stat().st_size)
            staging.write("a.png", [b"second"])
            staging.commit()

    with staged(tmp_path, "o") as staging:
        with (
            pytest.raises(OutputError, match="another run is writing the same files"),
            staged(tmp_path, "o", wait=False),
        ):
            pass
        with staged(tmp_path, "p") as apart:  # other files do not wait
            apart.commit()
        thread = Thread(target=other)
        thread.start()
        thread.join(1.5)
        staging.write("a.png", [b"first"])
        staging.commit()
    thread.join()
    assert (said, results, tree(tmp_path)) == (["waiting"], [5], {"a.png": b"second"})


def test_waiting_for_another_run_ends(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(lock, "MOST_POLLS", 2)
    monkeypatch.setattr(lock, "POLL_S", 0.01)
    with staged(tmp_path, "otter") as first:
        first.write("otter.png", [b"pixels"])
        with (
            pytest.raises(OutputError, match="and has been for ten minutes; end it, or try again later"),
            staged(tmp_path, "otter"),
        ):
            pass
        first.commit()
    assert (tmp_path / "otter.png").read_bytes() == b"pixels"
