"""Pixels that find no room in memory lie in a file that nobody sees, and are the same."""

import errno
import os
import tempfile
from pathlib import Path

import numpy as np
import pytest

from agile_crate import platform
from agile_crate.core.errors import OutputError
from agile_crate.platform import machine_memory
from agile_crate.storage import pixel_store as rooms
from agile_crate.storage.pixel_store import PixelStore, default_limit
from conftest import art


def test_what_is_moved_is_the_same_and_nobody_can_change_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    monkeypatch.setattr(rooms, "SEGMENT_BYTES", 1 << 12)
    room = PixelStore(1000)
    arrays = [art(7 + n, 5 + n, n)[:, ::-1] for n in range(20)] + [art(90, 70), art(1, 1)[:0]]  # one above a segment
    moved = [room.moved(array) for array in arrays]
    assert all(np.array_equal(one, other) for one, other in zip(arrays, moved, strict=True))
    assert not any(array.flags.writeable for array in moved if array.size)
    assert room.in_file >= sum(array.nbytes for array in arrays)
    assert list(tmp_path.iterdir()) == []  # the file has no name
    room.next_step()
    room.close()
    assert np.array_equal(moved[3], arrays[3])  # what is held stays


def test_a_step_may_take_half_since_the_one_before_is_still_there() -> None:
    room = PixelStore(1000)
    assert [room.has_room(size) for size in (300, 201, 200, 1)] == [True, False, True, False]
    room.next_step()
    assert room.has_room(500)


def test_a_full_disk_is_told_with_what_to_do(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_: int) -> None:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    monkeypatch.setattr(os, "posix_fallocate", full)
    room = PixelStore(1)
    with pytest.raises(
        OutputError, match=rf"takes? more than memory allows, and .*{tmp_path.name} has no room .*: no "
    ):
        room.moved(art(3, 3))
    room.close()


def test_the_default_is_a_third_of_what_this_group_may_use(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    whole = machine_memory()
    assert default_limit() == whole // 3 > 1 << 26
    limits = (tmp_path / "absent", tmp_path / "narrow", tmp_path / "none")
    limits[1].write_text(f"{1 << 20}\n")
    limits[2].write_text("max\n")
    monkeypatch.setattr(platform, "GROUP_LIMITS", tuple(map(str, limits)))
    assert machine_memory() == 1 << 20
