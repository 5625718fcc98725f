"""All files of a build come into place, or none, and what was there stays to the byte."""

import errno
import hashlib
import os
from collections.abc import Iterator
from pathlib import Path

import pytest

from agile_crate.core.errors import OutputError
from agile_crate.exports.in_place import staged
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
    with pytest.raises((OutputError, KeyboardInterrupt)), staged(tmp_path) as staging:
        for name in ("new.png", "a.png", "b.json"):
            staging.write(name, [b"new"])
        staging.commit()
    assert tree(tmp_path) == old


def test_folders_made_for_a_build_that_failed_are_removed(tmp_path: Path) -> None:
    with pytest.raises(OutputError), staged(tmp_path / "x" / "y") as staging:
        staging.write("b.png", full_disk())
    assert list(tmp_path.iterdir()) == []


def test_a_file_in_the_folders_place(tmp_path: Path) -> None:
    (tmp_path / "x").touch()
    with pytest.raises(OutputError, match="x cannot be written: is a file, not a folder"), staged(tmp_path / "x"):
        pass
    with pytest.raises(OutputError, match="y cannot be written: "), staged(tmp_path / "x" / "y"):
        pass
