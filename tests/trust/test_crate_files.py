"""Crate files of strangers, read: orders or one sentence. And a project whose builds are killed: the same files after."""

from __future__ import annotations

import os
import random
import shutil
import subprocess
import time
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from agile_crate.core.errors import InputError
from agile_crate.jobs.crate_file import read_crate_file
from conftest import PROGRAM, art, save, tree

LONG = bool(os.environ.get("AGILE_CRATE_TRUST"))

TEXT = """
[defaults]
fps = 12
metadata = ["json", "xml"]
[crate.otter]
from = ["frames/otter"]
out = "build/otter"
layout = "tight"
max-size = [1024, 1024]
mirrored = { swim_left = "swim" }
[crate.otter.animation.swim]
hold = { 3 = 2, 5 = "200ms" }
[crate."gull 2"]
from = 'frames/gull'
out = '''build/gull'''
"""

PIECES = st.sampled_from(
    ["[", "]", "[[", "{", "}", "=", ".", ",", '"', "'", '"""', "\n", "#", "true", "-1", "1e9", "nan", "1979-05-27",
     "\\u0000", "\x00", "\ud7ff", "[crate.x]\n", "from=1\n", "../", "a" * 300, "9" * 40, "defaults", "animation", "\r\n", "\ufeff"]
)  # fmt: skip
CHANGES = st.lists(
    st.tuples(st.integers(0, len(TEXT)), st.integers(0, 12), PIECES | st.text(max_size=6)), min_size=1, max_size=6
)


@given(CHANGES)
@settings(max_examples=20_000 if LONG else 400, deadline=2000)
def test_orders_or_one_sentence(tmp_path_factory: pytest.TempPathFactory, changes: list[tuple[int, int, str]]) -> None:
    text = TEXT
    for at, gone, piece in changes:
        text = text[:at] + piece + text[at + gone :]
    path = tmp_path_factory.getbasetemp() / "post.crate.toml"
    path.write_bytes(text.encode("utf-8", "surrogatepass"))
    told = sentence(path)
    assert told is None or (told.startswith(str(path)) and "\n" not in told)


def sentence(path: Path) -> str | None:
    """What is said of a crate file, None if it can be built."""
    try:
        assert read_crate_file(str(path)).orders
    except InputError as error:
        return str(error)
    return None


@given(st.binary(max_size=60))
@settings(max_examples=5_000 if LONG else 200, deadline=2000)
def test_any_bytes(tmp_path_factory: pytest.TempPathFactory, data: bytes) -> None:
    path = tmp_path_factory.getbasetemp() / "any.crate.toml"
    path.write_bytes(data)
    with pytest.raises(InputError):
        read_crate_file(str(path))


def test_builds_that_are_killed_leave_nothing_wrong_behind(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Killed at random moments, with frames that come and go between: a last build gives what one without a cache gives."""
    chance = random.Random(16)
    project = tmp_path / "project"
    for number in range(1, 25):
        save(project / "frames" / "swim" / f"swim_{number:02d}.png", art(40, 40, number))
    (project / "post.crate.toml").write_text(
        '[crate.post]\nfrom = "frames"\nout = "build/post"\nmax-size = [128, 128]\nlayout = "tight"\n', "utf-8"
    )
    command = [str(PROGRAM), "pack", "post.crate.toml", "--quiet"]

    def built() -> dict[str, bytes]:
        subprocess.run(command, cwd=project, check=True)
        return {name: data for name, data in tree(project / "build").items() if not name.startswith(".")}

    began = time.perf_counter()
    built()
    whole = time.perf_counter() - began
    for turn in range(100 if LONG else 5):
        number = chance.randrange(1, 25)
        save(project / "frames" / "swim" / f"swim_{number:02d}.png", art(40, 40, 100 + turn))
        process = subprocess.Popen(command, cwd=project, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        time.sleep(chance.random() * whole)
        process.kill()
        process.wait()
    after = built()
    monkeypatch.setenv("AGILE_CRATE_CACHE", "off")
    shutil.rmtree(project / "build")
    assert built() == after
