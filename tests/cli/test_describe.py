"""Further text formats of a crate that is there, without its sources."""

from __future__ import annotations

import json
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from conftest import tree

Run = Callable[..., subprocess.CompletedProcess[str]]


@pytest.fixture
def crate(run: Run, swim: Path, tmp_path: Path) -> Path:
    (tmp_path / "names.uv.txt.j2").write_text("{% for f in frames %}{{ f.name }} {{ pace }}\n{% endfor %}", "utf-8")
    run(
        "pack", "frames", "--out", "all/o", "--metadata", "json,xml,css,csv", "--template", "names.uv.txt.j2",
        "--set", "pace=7",
    )  # fmt: skip
    run("pack", "frames", "--out", "o")
    shutil.rmtree(swim)
    return tmp_path


def test_they_are_what_pack_would_have_written(run: Run, crate: Path) -> None:
    command = ("describe", "o.json", "--template", "names.uv.txt.j2", "--set", "pace=7", "--metadata", "css,csv,xml")
    done = run(*command)
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout.startswith("described o.json in 5 files\n  wrote o.uv.txt\n")
    for name in ("o.uv.txt", "o.css", "o.frames.csv", "o.animations.csv"):
        assert (crate / name).read_bytes() == (crate / "all" / name).read_bytes()
    assert (crate / "o.uv.txt").read_text("utf-8").splitlines()[0] == "swim/swim_01 7"
    assert run("verify", "o.xml").returncode == 0
    before = tree(crate)
    assert run(*command).returncode == 0  # twice in a row: they are as they should be
    assert tree(crate) == before


def test_from_xml_and_elsewhere(run: Run, crate: Path) -> None:
    said = json.loads(
        run("describe", "all/o.xml", "--metadata", "json", "--compact", "--out", "new/p", "--json").stdout
    )
    assert [Path(path).name for path in said["files"]] == ["p.json"]
    mine, its = (json.loads((crate / name).read_text("utf-8")) for name in ("new/p.json", "all/o.json"))
    assert {**mine, "sha256": ""} == {**its, "sha256": ""}


@pytest.mark.parametrize(
    ("words", "status", "told"),
    [
        (["o.json"], 2, "say what to write: --template, or formats with --metadata"),
        (
            ["o.json", "--metadata", "json"],
            2,
            "two files would be called 'o.json'; leave one out, or give another --out",
        ),
        (["o.json", "--metadata", "lua"], 2, "--metadata: there is no format 'lua'"),
        (["o.json", "--template", "x.j2"], 2, "--template: 'x.j2' does not say what it makes"),
        (["o.json", "--template", "none.txt.j2"], 3, "none.txt.j2 cannot be read: no such file or directory"),
        (["o.json", "--template", "names.uv.txt.j2"], 3, "names.uv.txt.j2: line 1: 'pace' is undefined; nothing was"),
        (
            ["o.json", "--template", "names.uv.txt.j2", "--set", "crate=1"],
            2,
            "--set: 'crate=1' is not a variable: write",
        ),
        (["none.json", "--metadata", "css"], 3, "none.json cannot be read: no such file or directory"),
        (["o.png", "--metadata", "css"], 3, "o.png is not text in UTF-8; name the metadata file, not the picture"),
        (["all/o.json", "--metadata", "css", "--out", "o"], 5, "o.css is already in "),
    ],
)
def test_one_sentence_and_nothing_written(run: Run, crate: Path, words: list[str], status: int, told: str) -> None:
    (crate / "o.css").write_text("mine", "utf-8")
    before = tree(crate)
    done = run("describe", *words)
    assert (done.returncode, done.stdout) == (status, "")
    assert done.stderr.startswith(f"agile-crate: error: {told}")
    assert tree(crate) == before
    if status == 5:
        assert run("describe", *words, "--force").returncode == 0
