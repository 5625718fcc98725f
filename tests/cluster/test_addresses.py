"""Frames from addresses: the same crate as from a folder, and nothing that a server says is believed."""

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import fsspec
import pytest

from agile_crate.commands import remote_build
from agile_crate.commands.pack import pack
from agile_crate.core.errors import InputError, UsageError
from agile_crate.core.limits import USUAL
from agile_crate.core.model.variant import base_of
from agile_crate.crate_files.spec import CrateSpec
from agile_crate.pipeline.context import Context, working
from agile_crate.settings.table import Settings
from agile_crate.sources import fetch
from agile_crate.workers import cluster
from conftest import art, job, save


@pytest.fixture
def there(tmp_path: Path) -> Iterator[Any]:
    """A folder of frames, in memory and on disk."""
    system = fsspec.filesystem("memory")
    for name in ("otter/swim_1", "otter/swim_2", "otter/deep/0003", "buoy"):
        path = save(tmp_path / "frames" / f"{name}.png", art(20, 10, len(name)))
        system.pipe(f"/frames/{name}.png", path.read_bytes())
    system.pipe("/frames/otter/notes.txt", b"not a picture")
    yield system
    system.rm("/frames", recursive=True)


@pytest.fixture
def context() -> Iterator[Context]:
    with working(threads=2) as made:
        yield made


@pytest.mark.parametrize("inputs", [["frames"], ["frames/otter"], ["frames/otter/", "frames/buoy.png"], ["frames/ott*"],
    ["frames/otter/deep/0003.png"], ["frames/*/swim_*"]], ids=str)  # fmt: skip
def test_an_address_stands_for_what_lies_there(
    there: Any, context: Context, inputs: list[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    pack(job(inputs, "a/otter"), context)
    pack(job([f"memory://{given}" for given in inputs], "b/otter"), context)
    one, other = ({path.name: path.read_bytes() for path in Path(folder).iterdir()} for folder in "ab")
    assert one == other
    assert there.exists("/frames/buoy.png")


@pytest.mark.parametrize(
    ("given", "error", "told"),
    [
        ("memory://nothing", InputError, "memory://nothing does not exist; check the address"),
        ("memory://frames/nothing*", InputError, "memory://frames/nothing* has no pictures; check the address"),
        ("nosuch://frames", InputError, "nosuch://frames cannot be read: Protocol not known: nosuch"),
        ("zip::memory://a.zip", UsageError, "zip::memory://a.zip is an address within another; name the files themselves"),
        ("http://127.0.0.1:9/frames", InputError, "http://127.0.0.1:9/frames cannot be read: "),
        ("memory://bad", InputError, "memory://bad/a.png is not a picture in a known format"),
    ],
)  # fmt: skip
def test_what_cannot_be_fetched_is_told(
    there: Any, context: Context, given: str, error: type[Exception], told: str, tmp_path: Path
) -> None:
    there.pipe("/bad/a.png", b"text")
    with pytest.raises(error, match="^" + re.escape(told)):
        pack(job(given, str(tmp_path / "out" / "otter")), context)
    assert not (tmp_path / "out").exists()


class Liar:
    """A file system whose listing leads out of the folder, or whose files never end."""

    def __init__(self, names: list[str]) -> None:
        self.names = names

    def exists(self, _: str) -> bool:
        return True

    isdir = exists

    def find(self, _: str) -> list[str]:
        return self.names

    def open(self, *_: str) -> Any:
        return open("/dev/zero", "rb")  # noqa: SIM115


@pytest.mark.parametrize(
    ("names", "told"),
    [
        (["/frames/../../evil.png"], "memory://frames has a file with a path that leads out of it: /frames/../../evil.png; it was not"),
        (["/elsewhere/evil.png"], "memory://frames has a file with a path that leads out of it: /elsewhere/evil.png; it was not"),
        (["/frames/a.png"], "/frames/a.png is larger than 1.0 KB"),
        (["/frames/a.png", "/frames/b.png", "/frames/c.png"], "memory://frames has more than 2 files; name a part of it, or limit='frames=N' allows more"),
    ],
)  # fmt: skip
def test_what_a_server_says_is_not_believed(
    names: list[str], told: str, context: Context, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("fsspec.core.url_to_fs", lambda _: (Liar(names), "/frames"))
    with pytest.raises(InputError, match="^" + re.escape(told)):
        pack(job("memory://frames", tmp_path / "out" / "otter", limit=["frames=2", "file-bytes=1024"]), context)


def test_files_that_are_sent_stay_in_their_folder(tmp_path: Path) -> None:
    root = str(tmp_path / "root")
    fetch.write_uploads([("/frames/otter/1.png", b"one"), ("C:\\frames\\2.png", b"two")], root)
    assert (tmp_path / "root" / "frames" / "otter" / "1.png").read_bytes() == b"one"
    assert fetch.below(root, "/frames/otter") == f"{root}/frames/otter"
    with pytest.raises(InputError, match=r"/a/../../evil.png leads out of its folder; it was skipped"):
        fetch.write_uploads([("/a/../../evil.png", b"evil")], root)
    assert not (tmp_path / "evil.png").exists()


def test_a_worker_without_memory_says_so(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_: object, **__: object) -> None:
        raise MemoryError

    worker = cluster.Worker("tcp://far:1", 1, 1 << 30, str(tmp_path))
    monkeypatch.setattr(cluster, "this_worker", lambda: worker)
    monkeypatch.setattr(remote_build, "pack", full)
    spec = CrateSpec("otter", base_of(["frames"]), "out/otter", {}, Settings())
    error = remote_build.build_remotely(remote_build.RemoteTask(spec, "program", USUAL, None))
    assert isinstance(error, InputError)
    assert str(error) == "its frames do not fit into the memory of the worker tcp://far:1"
    assert list(tmp_path.iterdir()) == []
