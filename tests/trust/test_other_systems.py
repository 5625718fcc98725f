"""Simulate other systems: names they refuse, paths they write with other
signs, folders that look past case, processes that cannot be forked."""

import os
import subprocess
import sys
from pathlib import Path, PureWindowsPath

import numpy as np
import pytest

from agile_crate.core.crate.file_names import not_held
from agile_crate.core.errors import UsageError
from agile_crate.core.limits import USUAL
from agile_crate.core.names import leads_out
from agile_crate.exports import depfile
from agile_crate.sources import find as finding
from agile_crate.storage.previous_build import target_of
from conftest import Run, art, decode, save, tree, unicode_names

RESERVED = ["con", "PRN", "aux.swim", "nul", "COM1", "lpt9.a", "COM¹", "ends with a dot.", "ends with a blank ", "colon:", "star*", "ask?", "pipe|", 'quote"', "less<", "tab\t", "back\\slash"]  # fmt: skip


@unicode_names
@pytest.mark.parametrize("name", RESERVED)
def test_names_that_windows_refuses(name: str, tmp_path: Path, run: Run) -> None:
    """Frames keep such names; unpacking writes them under others, on every system alike, and says so."""
    assert not_held(name)
    if "\\" in name:  # a frame's name cannot have it anywhere
        return
    save(tmp_path / "frames" / name / "swim.png", art(6, 5))
    save(tmp_path / "frames" / "otter.png", art(7, 5))
    assert run("pack", "frames", "--out", "out/o").returncode == 0
    assert all(not not_held(part) for path in tree(tmp_path / "out") for part in Path(path).parts)
    done = run("unpack", "out/o.json", "--out", "back")
    assert (done.returncode, done.stderr.count("written under names that every platform allows")) == (0, 1)
    (back,) = (path for path in tree(tmp_path / "back") if path != "otter.png")
    assert not any(not_held(part) for part in Path(back).parts)
    assert np.array_equal(decode(tmp_path / "back" / back)[..., 3], art(6, 5)[..., 3])


@pytest.mark.parametrize("out", ["build\\", "C:otter", "build/ot:ter", "build/\\\\server"])
def test_outputs_keep_to_names_that_all_can_have(out: str) -> None:
    with pytest.raises(UsageError, match="out"):
        target_of(out)


@pytest.mark.parametrize("name", ["..\\otter", "C:\\otter", "C:otter", "\\\\server\\otter", "a\\..\\..\\b", "\\otter"])
def test_names_lead_out_by_the_signs_of_any_system(name: str) -> None:
    assert leads_out(name) or any(not_held(part) for part in name.split("/"))
    assert PureWindowsPath("frames", name).parts[:2] != ("frames", "otter")


def test_paths_with_backslashes_become_names_with_slashes(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = save(tmp_path / "swim\\swim_1.png")
    monkeypatch.setattr(os, "sep", "\\")
    try:
        (found,) = finding.find([str(path)], frozenset(), USUAL).found
        escaped = depfile._escaped("frames\\old otter.png")
    finally:
        monkeypatch.undo()
    assert found.name.endswith("swim/swim_1")
    assert escaped == "frames/old\\ otter.png"


def test_a_folder_that_looks_past_case(tmp_path: Path, run: Run) -> None:
    for name in ("swim/Otter.png", "swim/otter.png"):
        save(tmp_path / "frames" / name)
    done = run("pack", "frames", "--out", "o")
    assert done.returncode == 3
    assert "differ only in case" in done.stderr
    assert sorted(os.listdir(tmp_path)) == ["frames"]


CHILD = "import agile_crate.platform as s; s.FORKS = False; from agile_crate.cli.main import main; import sys; sys.exit(main(sys.argv[1:])) if __name__ == '__main__' else None"


def test_where_nothing_can_be_forked(tmp_path: Path) -> None:
    """Small files are read by threads, and builders begin from nothing: the same files."""
    for number in range(510):
        save(tmp_path / "frames" / f"swim_{number}.png", art(5, 4, number))
    text = "".join(f'[crate.{name}]\nfrom = "frames"\nout = "{{0}}/{name}"\n' for name in ("otter", "gull"))
    made = []
    for folder, begin in (("forked", ["-m", "agile_crate"]), ("spawned", ["child.py"])):
        (tmp_path / "o.crate.toml").write_text(text.format(folder), "utf-8")
        (tmp_path / "child.py").write_text(CHILD, "utf-8")
        command = [sys.executable, *begin, "pack", "o.crate.toml", "--jobs", "2", "--quiet"]
        done = subprocess.run(command, cwd=tmp_path, capture_output=True, encoding="utf-8", check=False)
        assert (done.returncode, done.stderr) == (0, "")
        made.append(tree(tmp_path / folder))
    assert made[0] == made[1]
    assert len(made[0]) == 4
