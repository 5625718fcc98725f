"""Test the build cache: damage does no harm, its size is bounded, and it never stops a build."""

import hashlib
import json
import os
import sqlite3
import stat
import threading
from pathlib import Path

import pytest

from agile_crate.core.text import bytes_shown
from agile_crate.storage import cache as store
from agile_crate.storage.cache import UNCHANGED_FOR_NS, clear, held, opened, place
from conftest import Run

HOUR = 3600 * 10**9


def kept(key: bytes, value: bytes) -> None:
    with opened() as cache:
        cache.put(key, value)


def found(key: bytes) -> bytes | None:
    with opened() as cache:
        return cache.get(key)


def changed(folder: Path, statement: str, *values: object) -> None:
    connection = sqlite3.connect(folder / "store-1.sqlite")
    with connection:
        assert connection.execute(statement, values).rowcount > 0
    connection.close()


def test_what_was_put_comes_back(cache_folder: Path) -> None:
    kept(b"otter", b"swims")
    assert (found(b"otter"), found(b"gull")) == (b"swims", None)
    assert held(cache_folder).entries == 1
    assert held(cache_folder).bytes == sum(path.stat().st_size for path in cache_folder.iterdir())
    clear(cache_folder)
    assert (found(b"otter"), held(cache_folder).entries) == (None, 0)


@pytest.mark.parametrize("value", [b"swimS", b"swim", b"", b"swims!", "swims", 3, None])
def test_what_was_tampered_with_is_not_there(cache_folder: Path, value: object) -> None:
    kept(b"otter", b"swims")
    changed(cache_folder, "UPDATE entry SET value = ?", value)
    assert found(b"otter") is None
    kept(b"otter", b"swims")
    assert found(b"otter") == b"swims"


def test_a_value_under_another_key_is_not_there(cache_folder: Path) -> None:
    kept(b"otter", b"swims")
    changed(cache_folder, "UPDATE entry SET key = ?", b"gull")
    assert found(b"gull") is None


@pytest.mark.parametrize("damage", [b"no store at all", b"SQLite format 3\0" + b"\xff" * 9000, b""])
def test_a_damaged_store_is_begun_anew(cache_folder: Path, damage: bytes) -> None:
    kept(b"otter", b"swims")
    for path in cache_folder.iterdir():
        path.unlink()
    (cache_folder / "store-1.sqlite").write_bytes(damage)
    found(b"otter")
    kept(b"otter", b"dives")
    assert found(b"otter") == b"dives"


def test_a_store_damaged_in_the_middle(cache_folder: Path) -> None:
    for number in range(60):
        kept(b"%d" % number, bytes(4000))
    path = cache_folder / "store-1.sqlite"
    data = bytearray(path.read_bytes())
    data[4096 * 3 : -4096] = os.urandom(len(data) - 4096 * 4)
    path.write_bytes(data)
    for number in range(60):
        assert found(b"%d" % number) in (None, bytes(4000))
    kept(b"otter", b"swims")
    assert found(b"otter") == b"swims"


def test_where_none_can_be_kept_nothing_is_known(cache_folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("AGILE_CRATE_CACHE", "off")
    assert place() is None
    kept(b"otter", b"swims")
    assert found(b"otter") is None
    (cache_folder / "file").write_bytes(b"")
    monkeypatch.setenv("AGILE_CRATE_CACHE", str(cache_folder / "file" / "below"))
    kept(b"otter", b"swims")
    assert found(b"otter") is None


def test_it_lies_in_the_users_cache_folder(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv("AGILE_CRATE_CACHE")
    assert place() is not None
    assert str(place()).endswith("agile-crate")


@pytest.mark.skipif(os.name != "posix", reason="rights are told otherwise there")
def test_its_folder_is_made_for_the_user_alone(cache_folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("AGILE_CRATE_CACHE", str(cache_folder / "its own"))
    kept(b"swim", b"otter")
    assert stat.S_IMODE((cache_folder / "its own").stat().st_mode) == 0o700


def test_what_was_not_used_for_longest_goes_first(cache_folder: Path) -> None:
    limit = 40_000
    for number in range(8):
        with opened(limit) as one:
            one.put(b"%d" % number, bytes(4000))
    with opened(limit) as one:
        assert one.get(b"0") is not None
    with opened(limit) as one:
        one.put(b"more", bytes(9000))
    with opened(limit) as one:
        assert [number for number in range(8) if one.get(b"%d" % number)] == [0, 4, 5, 6, 7]
        assert one.get(b"more") is not None
    assert held(cache_folder).entries == 6


def test_two_at_once(cache_folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(store, "LOCK_TIMEOUT_S", 60)  # whoever waits for longer goes on without, which is no fault

    def fill(first: int) -> None:
        with opened() as one:
            for number in range(first, first + 200):
                one.put(b"%d" % number, b"%d" % number)

    threads = [threading.Thread(target=fill, args=(100 * n,)) for n in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    with opened() as one:
        assert all(one.get(b"%d" % number) == b"%d" % number for number in range(500))
    assert held(cache_folder).entries == 500


@pytest.fixture
def frame(tmp_path: Path) -> Path:
    """A file that was last changed an hour ago, as far as its times tell."""
    path = tmp_path / "frame.png"
    path.write_bytes(b"otter")
    return path


def known(path: Path) -> str:
    with opened() as one:
        return one.sha256(str(path))


def noted(path: Path, later: int = HOUR) -> None:
    """Take the digest, as if at a later time."""
    with opened() as one:
        one._now += later
        data, sha256 = one.noted(str(path), path.read_bytes)
    assert (data, sha256) == (path.read_bytes(), hashlib.sha256(path.read_bytes()).hexdigest())


def test_a_file_that_did_not_change_is_known(frame: Path) -> None:
    assert known(frame) == ""
    noted(frame)
    assert known(frame) == hashlib.sha256(b"otter").hexdigest()


def test_a_file_that_was_changed_just_before_is_not_known(frame: Path) -> None:
    noted(frame, 0)
    assert known(frame) == ""
    noted(frame, UNCHANGED_FOR_NS // 2)
    assert known(frame) == ""


def test_every_change_is_seen(frame: Path, tmp_path: Path) -> None:
    times = frame.stat()

    def same_times() -> None:
        os.utime(frame, ns=(times.st_atime_ns, times.st_mtime_ns))

    for change in (
        lambda: frame.write_bytes(b"gulls"),  # the same length
        lambda: frame.write_bytes(b"otters"),
        lambda: os.replace(shutil_copy(frame, tmp_path / "copy"), frame),
    ):
        noted(frame)
        assert known(frame)
        change()
        same_times()
        assert known(frame) == ""
    frame.unlink()
    assert known(frame) == ""
    frame.mkdir()
    assert known(frame) == ""


def shutil_copy(source: Path, target: Path) -> Path:
    target.write_bytes(source.read_bytes())
    return target


def test_a_file_that_changes_while_it_is_read_is_not_known(frame: Path) -> None:
    def read() -> bytes:
        data = frame.read_bytes()
        frame.write_bytes(b"another")
        return data

    with opened() as one:
        one._now += HOUR
        assert one.noted(str(frame), read)[0] == b"otter"
    assert known(frame) == ""


def test_a_digest_that_was_tampered_with_is_not_known(frame: Path, cache_folder: Path) -> None:
    noted(frame)
    value = sqlite3.connect(cache_folder / "store-1.sqlite").execute("SELECT value FROM entry").fetchone()[0]
    changed(cache_folder, "UPDATE entry SET value = ?", value[:-32] + hashlib.sha256(b"gull").digest())
    assert known(frame) == ""


def test_the_command_says_how_much_there_is_and_deletes_it(
    run: Run, cache_folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    kept(b"otter", b"swims")
    size = held(cache_folder).bytes
    assert (
        run("cache").stdout
        == f"{cache_folder}: 1 entry, {bytes_shown(size)}; limit {bytes_shown(store.LARGEST_BYTES)}\n"
    )
    said = json.loads(run("cache", "--clear", "--json").stdout)
    assert (said["entries"], said["bytes"], said["cleared"]) == (1, size, True)
    assert run("cache").stdout == f"{cache_folder}: 0 entries, 0 B; limit {bytes_shown(store.LARGEST_BYTES)}\n"
    monkeypatch.setenv("AGILE_CRATE_CACHE", "off")
    assert run("cache").stdout == "the build cache is off (AGILE_CRATE_CACHE)\n"


def test_versions_lie_beside_each_other(cache_folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    kept(b"otter", b"swims")
    monkeypatch.setattr(store, "VERSION", 2)
    assert found(b"otter") is None
    clear(cache_folder)
    assert list(cache_folder.iterdir()) == []
