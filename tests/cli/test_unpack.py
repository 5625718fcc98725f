"""`unpack`, as the installed program: what was packed is cut again, and comes back."""

from __future__ import annotations

import json
import subprocess
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from conftest import art, decode, save, tree

Run = Callable[..., subprocess.CompletedProcess[str]]


@pytest.fixture
def sheet(run: Run, swim: Path, tmp_path: Path) -> Path:
    run("pack", "frames", "--out", "o", "--columns", "5", "--gap", "1", "--margin", "2")
    return tmp_path / "o.png"


@pytest.mark.parametrize(
    "how",
    [
        ["--cell", "8x8", "--margin", "2", "--gap", "1"],
        ["--columns", "5", "--rows", "3", "--margin", "2", "--gap", "1"],
    ],
)
def test_a_grid_comes_back(run: Run, sheet: Path, tmp_path: Path, how: list[str]) -> None:
    done = run("unpack", "o.png", "--out", "cut", "--margin", "2", "--gap", "1", *how)
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout == "cut 13 frames from o.png\n  3 rows: 5, 5 and 3\n  wrote cut/o_01.png … o_13.png\n"
    for number in range(1, 14):
        assert np.array_equal(decode(tmp_path / "cut" / f"o_{number:02d}.png"), art(8, 8, number))


def test_empty_cells_islands_and_json(run: Run, sheet: Path, tmp_path: Path) -> None:
    grid = ["--columns", "5", "--rows", "3", "--margin", "2", "--gap", "1"]
    said = json.loads(run("unpack", "o.png", "--out", "all", *grid, "--keep-empty", "--json").stdout)
    assert (len(said["files"]), said["rows"]) == (15, [5, 5, 5])
    blobs = np.zeros((20, 60, 4), np.uint8)
    for x in (2, 16, 40):
        blobs[4:14, x : x + 10] = (9, 9, 9, 255)
    blobs[4:14, 26:30] = blobs[4:14, 16:20]
    blobs[4:14, 30:36] = blobs[4:14, 16:22]
    save(tmp_path / "blobs.png", blobs)
    done = run("unpack", "blobs.png", "--islands", "--out", "cut")
    assert "cut 3 frames from blobs.png\n" in done.stdout
    assert done.stderr.startswith("agile-crate: warning: island 2 at 16,4 is 20 pixels wide where its row has 10: ")
    assert decode(tmp_path / "cut" / "blobs_02.png").shape == (10, 20, 4)


@pytest.mark.parametrize(
    ("arguments", "status", "sentence"),
    [
        (["o.png"], 2, "say how to cut the sheet, in one way: --cell, or --columns and --rows, or --islands"),
        (["o.png", "--cell", "8x8", "--islands"], 2, "say how to cut the sheet, in one way"),
        (["o.png", "--columns", "5"], 2, "say how to cut the sheet, in one way"),
        (["o.png", "--columns", "0", "--rows", "2"], 2, "--columns: '0' is not a whole number from 1 to 16384"),
        (["o.png", "--cell", "99x8"], 2, "a cell of 99×8 is larger than the sheet, 48×30"),
        (["gone.png", "--islands"], 3, "gone.png cannot be read: no such file or directory"),
        (["o.json", "--islands"], 3, "o.json is not a picture in any format that can be read"),
        (["empty.png", "--islands"], 3, "empty.png shows nothing: every pixel is transparent"),
        (
            ["o.png", "--cell", "8x8", "--out", "there"],
            5,
            "already in there: o_01.png; choose another --out",
        ),
    ],
)
def test_what_cannot_be_cut(
    run: Run, sheet: Path, tmp_path: Path, arguments: list[str], status: int, sentence: str
) -> None:
    save(tmp_path / "empty.png", np.zeros((4, 4, 4), np.uint8))
    save(tmp_path / "there" / "o_01.png")
    before = tree(tmp_path)
    done = run("unpack", "--out", "cut", *arguments)
    assert (done.returncode, done.stdout) == (status, "")
    assert done.stderr.startswith(f"agile-crate: error: {sentence}")
    assert tree(tmp_path) == before
