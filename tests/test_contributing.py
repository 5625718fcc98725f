"""CONTRIBUTING.md and docs/dev/recipes.md are true: the recipes work in a copy of the source; the walk names code."""

import importlib
import re
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from test_plan import LAYERS, SOURCE

TOP = Path(__file__).parents[1]
TEXT = (TOP / "CONTRIBUTING.md").read_text("utf-8") + (TOP / "docs/dev/recipes.md").read_text("utf-8")

STEP = re.compile(
    r"(?:Make|[Ii]n)\s`([\w/.]+)`(?:, (put before|add to) `(\w+)`|, (import))?:\n\n```\n(.*?)```", re.DOTALL
)

CHECKED_BY = "from agile_crate.core.inspect.findings import ANIMATION_CHECKS"


def section(title: str) -> str:
    return TEXT.split(f"## {title}\n")[1].split("\n## ")[0].split("\n### ")[0]


def follow(recipe: str, copy: Path) -> list[str]:
    """Take the steps of a recipe in a copy of the source; return the files that it touches."""
    files = []
    for path, verb, name, imports, code in STEP.findall(section(recipe)):
        file = copy / "agile_crate" / path
        files.append(path)
        if not (verb or imports):
            assert not file.exists()
            file.write_text(code, "utf-8")
            continue
        text = file.read_text("utf-8")
        if imports:
            text = text.replace("\nfrom .", f"\n{code}from .", 1)
        else:
            start = re.search(rf"^{name}\b.*?= *[({{\[]\n", text, re.MULTILINE | re.DOTALL)
            assert start, name
            text = (
                f"{text[: start.end()]}{code}{text[start.end() :]}"
                if verb == "add to"
                else f"{text[: start.start()]}{code}\n\n{text[start.start() :]}"
            )
        file.write_text(text, "utf-8")
    return files


@pytest.fixture
def copy(tmp_path: Path) -> Path:
    shutil.copytree(SOURCE, tmp_path / "agile_crate", ignore=shutil.ignore_patterns("__pycache__", "*.so"))
    return tmp_path


@pytest.fixture
def swim(copy: Path) -> Path:
    """Three frames of other sizes."""
    (copy / "frames").mkdir()
    for number in (1, 2, 3):
        Image.new("RGBA", (4 + number, 6 - number), (0, 90, 30 * number, 255)).save(
            copy / "frames" / f"swim_{number}.png"
        )
    return copy


def run(copy: Path, *words: str) -> subprocess.CompletedProcess[str]:
    """Run the program of the copy, in its folder."""
    code = "import sys; sys.path.insert(0, '.'); from agile_crate.cli.start import run; sys.exit(run())"
    return subprocess.run([sys.executable, "-c", code, *words], cwd=copy, capture_output=True, encoding="utf-8")


def test_a_new_layout(swim: Path) -> None:
    assert len(set(follow("A new layout", swim))) == 2
    done = run(swim, "pack", "frames", "--out", "otter", "--layout", "diagonal", "--gap", "1", "--json")
    assert done.returncode == 0, done.stderr
    assert np.asarray(Image.open(swim / "otter.png")).shape == (14, 20, 4)
    assert run(swim, "verify", "otter.json", "--against", "frames").returncode == 0
    assert "a staircase" in run(swim, "pack", "--help").stdout
    refused = run(swim, "pack", "frames", "--out", "otter", "--layout", "diagonal", "--columns", "2")
    assert (refused.returncode, refused.stderr.split(": ", 2)[2]) == (
        2,
        "--columns is for layouts with cells, and --layout is diagonal; leave one out\n",
    )


def test_a_new_check(swim: Path) -> None:
    assert len(set(follow("A new check", swim))) == 3
    for number in (1, 2, 3):
        Image.new("RGBA", (8, 8), (0, 0, 0, 200)).save(swim / "frames" / f"night_{number}.png")
    done = run(swim, "survey", "frames", "--code", "lights-out")
    assert "night" in done.stdout
    assert "every frame is black" in done.stdout
    assert "swim" not in done.stdout.split("lights-out")[1]


def test_a_code_that_is_not_in_the_table_does_not_load(swim: Path) -> None:
    follow("A new check", swim)
    table = swim / "agile_crate/core/inspect/finding.py"
    table.write_text(table.read_text("utf-8").replace('"lights-out": ', '"lights-of": '), "utf-8")
    loaded = subprocess.run([sys.executable, "-c", CHECKED_BY], cwd=swim, capture_output=True, encoding="utf-8")
    assert loaded.stderr.endswith("ValueError: core/inspect/finding.py: CODES does not have lights-out\n")


def test_a_new_output(swim: Path) -> None:
    assert len(set(follow("A new output", swim))) == 2
    (swim / "post.crate.toml").write_text(
        '[crate.otter]\nfrom = ["frames"]\nout = "otter"\nmetadata = ["list", "css", "json"]\n', "utf-8"
    )
    done = run(swim, "pack", "post.crate.toml")
    assert done.returncode == 0, done.stderr
    names = "swim_1\nswim_2\nswim_3\n"
    assert (swim / "otter.frames.txt").read_text("utf-8") == names
    assert (swim / "otter.css").read_text("utf-8").startswith("/* 3 frames")
    assert run(swim, "verify", "post.crate.toml").returncode == 0
    (swim / "otter.frames.txt").write_text("swim_1\n", "utf-8")
    changed = run(swim, "verify", "otter.json", "--against", "post.crate.toml")
    assert changed.returncode == 1
    assert "otter.frames.txt" in changed.stdout + changed.stderr
    assert run(swim, "describe", "otter.json", "--metadata", "list", "--out", "names").returncode == 0
    assert (swim / "names.frames.txt").read_text("utf-8") == names


def test_a_new_source(swim: Path) -> None:
    assert len(set(follow("A new source", swim))) == 2
    pixels = np.arange(4 * 3 * 4, dtype=np.uint8).reshape(3, 4, 4) + 60
    for number in (1, 2):
        (swim / "frames" / f"parcel_{number}.parcel").write_bytes(b"PARCEL\x04\x00\x03\x00" + pixels.tobytes())
    assert run(swim, "pack", "frames", "--out", "otter", "--include", "parcel*").returncode == 0
    assert run(swim, "verify", "otter.json", "--against", "frames").returncode == 0
    assert np.array_equal(np.asarray(Image.open(swim / "otter.png"))[:3, :4], pixels)
    (swim / "frames" / "parcel_2.parcel").write_bytes(b"PARCEL\x04\x00\x03\x00")
    broken = run(swim, "pack", "frames", "--out", "otter")
    assert broken.returncode == 3
    assert "parcel_2.parcel is cut short; export it again or remove it" in broken.stderr


@pytest.mark.parametrize(
    "name",
    re.findall(
        r"`((?:commands|pipeline|storage|sources|core|exports|workers)\.[\w.]+)`",
        section("One frame, from its PNG to the sheet and back"),
    ),
)
def test_the_walk_names_what_exists(name: str) -> None:
    parts = ["agile_crate", *name.split(".")]
    for cut in range(len(parts), 1, -1):
        try:
            found: object = importlib.import_module(".".join(parts[:cut]))
        except ModuleNotFoundError:
            continue
        for part in parts[cut:]:
            found = getattr(found, part)
        return
    pytest.fail(name)


def test_the_walk_has_at_most_eight_steps_and_the_packages_are_those_of_the_plan() -> None:
    assert len(re.findall(r"^\d+\. ", section("One frame, from its PNG to the sheet and back"), re.MULTILINE)) <= 8
    listed = re.findall(r"^  (\w+)", section("The packages"), re.MULTILINE)
    assert [{"__init__": "agile_crate"}.get(name, name) for name in listed] == [
        name for name in LAYERS if name != "__main__"
    ]
