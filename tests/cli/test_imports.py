"""Commands load only modules they use, because start-up dominates small jobs. Counted in modules."""

import re
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from agile_crate.cli.main import COMMANDS
from conftest import PROGRAM, save

HEAVY = {
    "numpy", "PIL", "scipy", "jinja2", "matplotlib", "rich", "watchdog", "http", "socketserver", "sqlite3", "tomllib", "tomlkit",
    "defusedxml", "xml", "oxipng", "pyspng", "zlib_ng", "platformdirs", "argcomplete", "asyncio", "multiprocessing", "traceback", "distributed", "dask", "fsspec", "tempfile",
}  # fmt: skip

OURS = {
    f"agile_crate.{floor}"
    for floor in ("commands", "crate_files", "pipeline", "views", "live", "sources", "exports", "format", "storage")
}

SETTINGS = {"agile_crate.settings", "dataclasses", "inspect"}
"""Modules that only commands with settings load."""

PACKING = HEAVY - {"numpy", "zlib_ng", "traceback", "tempfile"} | {
    "agile_crate.views", "agile_crate.live", "agile_crate.storage.cache", "agile_crate.crate_files.read",
    "agile_crate.pipeline.previous_layout", "agile_crate.crate_files.up_to_date", "agile_crate.storage.frame_cache", "agile_crate.sources.sheets",
    "agile_crate.sources.open_raster", "agile_crate.sources.color_profile", "agile_crate.pipeline.skins",
    "agile_crate.core.arrange.tight_layout", "agile_crate.core.arrange.blocks_layout", "agile_crate.core.inspect", "agile_crate.core.arrange.tight",
    "agile_crate.core.frame.scale", "agile_crate.core.frame.palette", "agile_crate.core.frame.shape", "agile_crate.exports.css",
    "agile_crate.format.xml_form", "agile_crate.crate_files.spec", "agile_crate.workers.processes", "agile_crate.workers.cluster",
    "agile_crate.sources.pictures", "agile_crate.sources.fetch", "agile_crate.sources.deferred", "agile_crate.workers.tasks",
}  # fmt: skip
"""Modules that packing plain PNGs in a grid does not load, such as Pillow; it loads `pyspng` to read."""


def loaded(folder: Path, *words: object) -> set[str]:
    """The modules that a command loads."""
    command = [sys.executable, "-X", "importtime", PROGRAM, *map(str, words)]
    done = subprocess.run(command, cwd=folder, capture_output=True, encoding="utf-8", check=True)
    return set(re.findall(r"^import time:[ \d|]+\|\s+([\w.]+)$", done.stderr, re.MULTILINE))


def among(modules: set[str], forbidden: set[str]) -> set[str]:
    return {one for one in modules if any(one == name or one.startswith(f"{name}.") for name in forbidden)}


@pytest.mark.parametrize("command", ["", *COMMANDS])
def test_help_loads_next_to_nothing(tmp_path: Path, command: str) -> None:
    modules = loaded(tmp_path, *filter(None, [command]), "--help")
    has_settings = command in ("adopt", "pack", "watch")
    settings = set() if has_settings else SETTINGS
    modules -= {"agile_crate.exports", "agile_crate.exports.formats"} if has_settings else set()
    demo = {"agile_crate.demo"} if command != "demo" else set()
    assert among(modules, HEAVY | OURS | settings | demo) == set()
    assert sum(one.startswith("agile_crate") for one in modules) < (48 if has_settings else 20)


@pytest.mark.parametrize("options", [["--dry-run"], []])
def test_a_pack_of_frames_loads_what_it_uses(swim: Path, tmp_path: Path, options: list[str]) -> None:
    modules = loaded(tmp_path, "pack", "frames", "--out", "o", "--quiet", *options)
    assert among(modules, PACKING - {"pyspng"}) == set()
    assert "pyspng" in modules


def test_a_crate_file_with_nothing_to_do_loads_no_pixels(run: Callable[..., Any], swim: Path, tmp_path: Path) -> None:
    (tmp_path / "p.crate.toml").write_text('[crate.o]\nfrom = "frames"\nout = "o"\n', "utf-8")
    assert run("pack", "p.crate.toml").returncode == 0
    heavy = {"numpy", "PIL", "scipy", "jinja2", "rich", "tomlkit", "watchdog", "http", "agile_crate.pipeline.load"}
    for more in ((), ("--check",)):
        assert among(loaded(tmp_path, "pack", "p.crate.toml", "--quiet", *more), heavy) == set()


def test_a_look_at_the_sheet_needs_no_browser_and_no_charts(run: Callable[..., Any], tmp_path: Path) -> None:
    save(tmp_path / "frames" / "swim_1.png")
    assert run("pack", "frames", "--out", "o").returncode == 0
    sheet = loaded(tmp_path, "show", "o.json", "--out", "sheet.png", "--quiet")
    page = loaded(tmp_path, "show", "o.json", "--out", "page.html", "--quiet")
    never = {
        "matplotlib", "scipy", "watchdog", "http", "sqlite3", "tomlkit", "agile_crate.live", "agile_crate.commands.watch",
    }  # fmt: skip
    assert among(sheet, never | {"jinja2"}) == set()
    assert among(page, never) == set()
