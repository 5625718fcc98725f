"""Further text formats of a crate that is there, without its sources."""

import json
import shutil
from pathlib import Path

import pytest

from conftest import Run, tree


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
