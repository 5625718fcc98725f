"""In other people's builds: the examples of docs/crate-file.md, run by make and by ninja."""

import os
import re
import subprocess
from pathlib import Path

import pytest

from conftest import PROGRAM, Run, art, metadata, save, tool

PAGE = (Path(__file__).parents[2] / "docs" / "crate-file.md").read_text("utf-8")

TEXT = """
[crate.otter]
from = ["frames/the otter"]
out = "build/otter"
template = "list.txt.j2"
"""


@pytest.fixture
def project(tmp_path: Path) -> Path:
    for number in range(1, 4):
        save(tmp_path / "frames" / "the otter" / "swim" / f"swim $ #{number}.png", art(9, 9, number))
    (tmp_path / "list.txt.j2").write_text("{{ crate.name }}", "utf-8")
    (tmp_path / "otter.crate.toml").write_text(TEXT, "utf-8")
    return tmp_path


@pytest.mark.parametrize("builder", ["make", "ninja"])
def test_only_what_changed_is_built(project: Path, builder: str) -> None:
    (example,) = re.findall(rf"```{builder}\n(.*?)```", PAGE, re.DOTALL)
    (project / {"make": "Makefile", "ninja": "build.ninja"}[builder]).write_text(example, "utf-8")
    path = f"{PROGRAM.parent}{os.pathsep}{os.environ['PATH']}"

    def build() -> str:
        done = subprocess.run(
            [PROGRAM.with_name("ninja") if builder == "ninja" else tool("make")],
            cwd=project,
            capture_output=True,
            encoding="utf-8",
            env=os.environ | {"PATH": path, "MAKEFLAGS": ""},  # whoever runs the tests may be make
        )
        assert done.returncode == 0, done.stdout + done.stderr
        assert done.stderr == ""
        return done.stdout

    def frames() -> int:
        return len(metadata(project / "build" / "otter.json")["frames"])

    def settled() -> None:
        """As if all that is there had been built a while ago."""
        for path in (*project.rglob("*"), project):
            os.utime(path, (1_600_000_000, 1_600_000_000))
        for path in (project / "build").iterdir():
            os.utime(path, (1_600_000_100, 1_600_000_100))

    build()
    assert frames() == 3
    if builder == "make":
        settled()  # ninja notes times itself
    assert "agile-crate" not in build()
    save(project / "frames" / "the otter" / "swim" / "swim $ #4.png", art(9, 9, 4))
    assert "agile-crate" in build() or builder == "ninja"
    assert frames() == 4
    (project / "list.txt.j2").write_text("{{ crate.name }}!", "utf-8")
    build()
    assert (project / "build" / "otter.txt").read_text("utf-8") == "otter!"


def test_what_a_crate_was_built_from(run: Run, project: Path) -> None:
    done = run("pack", "otter.crate.toml", "--depfile", "otter.d", "--quiet")
    assert (done.returncode, done.stdout, done.stderr) == (0, "", "")
    first = (project / "otter.d").read_text("utf-8")
    target, *needed = [line.strip().removesuffix(" \\") for line in first.splitlines()]
    assert target == "build/otter.json:"
    assert needed == [
        "otter.crate.toml",
        r"frames/the\ otter/swim",
        r"frames/the\ otter",
        *(rf"frames/the\ otter/swim/swim\ $$\ \#{number}.png" for number in (1, 2, 3)),
        "list.txt.j2",
    ]
    (project / "otter.d").unlink()
    assert run("pack", "otter.crate.toml", "--depfile", "otter.d").stdout.startswith("otter: up to date")
    assert (project / "otter.d").read_text("utf-8") == first
    run("pack", "frames/the otter", "--out", "one/otter", "--metadata", "xml", "--depfile", "one.d")
    assert (project / "one.d").read_text("utf-8").startswith("one/otter.xml: \\\n")
    (project / "otter.d").unlink()
    (project / "frames" / "the otter" / "swim" / "swim $ #1.png").write_bytes(b"no picture")
    assert run("pack", "otter.crate.toml", "--depfile", "otter.d").returncode == 3
    assert not (project / "otter.d").exists()
