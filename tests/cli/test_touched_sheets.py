"""A sheet that somebody painted on: pack does not overwrite it, unpack and show go on, verify says so."""

from __future__ import annotations

import json
import subprocess
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from conftest import art, decode, save, tree

Run = Callable[..., subprocess.CompletedProcess[str]]


@pytest.fixture
def touched(run: Run, swim: Path, tmp_path: Path) -> np.ndarray:
    """A crate whose sheet was painted on; the sheet's pixels now."""
    assert run("pack", "frames", "--out", "o", "--metadata", "json,xml", "--columns", "5").returncode == 0
    pixels = decode(tmp_path / "o.png").copy()
    pixels[2, 3] = (255, 0, 255, 255)
    save(tmp_path / "o.png", pixels)
    return pixels


def test_pack_keeps_what_was_painted(run: Run, touched: np.ndarray, tmp_path: Path) -> None:
    before = tree(tmp_path)
    for more in ([], ["--columns", "3"], ["--dry-run"], ["--max-size", "16x16"]):
        done = run("pack", "frames", "--out", "o", *more)
        assert (done.returncode, done.stdout, done.stderr) == (
            5,
            "",
            "agile-crate: error: o.png was changed since the last build, perhaps by hand; keep a copy, "
            "choose another --out, or overwrite it with --force\n",
        )
        assert tree(tmp_path) == before
    assert run("pack", "frames", "--out", "other").returncode == 0
    assert run("pack", "frames", "--out", "o", "--force").returncode == 0
    assert run("pack", "frames", "--out", "o").returncode == 0  # twice in a row
    assert run("verify", "o.json", "--against", "frames").returncode == 0


def test_unpack_and_show_go_on_with_a_warning(run: Run, touched: np.ndarray, tmp_path: Path) -> None:
    warning = "agile-crate: warning: o.json: sheet 'o.png' was changed since it was written; its pixels are taken as they are now\n"
    done = run("unpack", "o.json", "--out", "back")
    assert (done.returncode, done.stderr) == (0, warning)
    assert decode(tmp_path / "back/swim/swim_01.png")[2, 3].tolist() == [255, 0, 255, 255]
    done = run("unpack", "o.json", "--out", "again", "--json")
    assert json.loads(done.stdout)["warnings"] == [warning.removeprefix("agile-crate: warning: ").rstrip()]
    for out in ("o.view.png", "o.html", "o.gif"):
        done = run("show", "o.json", "--out", out)
        assert (done.returncode, done.stderr) == (0, warning)
    done = run("show", "o.json", "--against", "o.xml")
    assert (done.returncode, done.stderr) == (0, warning.replace("o.json", "o.xml") + warning)


def test_verify_says_so_and_which_frames_differ(run: Run, touched: np.ndarray) -> None:
    done = run("verify", "o.json", "--against", "frames")
    assert done.returncode == 1
    assert "  sheet 'o.png' was changed since it was written\n12 of 13 frames restored to the pixel\n" in done.stdout
    assert "swim/swim_01: differs in 1 pixel, first at 3,2: expected #" in done.stdout


def test_another_size_is_no_touch(run: Run, touched: np.ndarray, tmp_path: Path) -> None:
    Image.fromarray(art(9, 9)).save(tmp_path / "o.png")
    for command in (["unpack", "o.json", "--out", "back"], ["show", "o.json", "--out", "view.png"]):
        done = run(*command)
        assert (done.returncode, done.stdout) == (3, "")
        assert done.stderr == "agile-crate: error: o.json: sheet 'o.png' is 9×9, and the metadata says 40×24\n"
