"""The same inputs give the same bytes: on one processor and several, by threads and processes, under any hash seed,
locale, time zone, umask and width, whatever order a folder lists its files in; by every Python that is here, and from
wheel, source archive and checkout. A wheel and a source archive are the same when they are built again."""

import hashlib
import os
import shutil
import subprocess
import sys
import zipfile
from pathlib import Path
from typing import Any

import pytest

from conftest import LONG, PROGRAM, art, save, tree

if sys.platform != "linux":
    pytest.skip("asks the system for things that Linux has", allow_module_level=True)

ROOT = Path(__file__).parents[2]

PROJECT = """\
[defaults]
metadata = ["json", "xml", "css", "csv"]
template = "list.txt.j2"
also-scale = ["50%"]
[crate.otter]
from = "frames"
out = "out/otter"
layout = "tight"
colors = 9
dither = true
trim = "frame"
outline = "#201830"
hard-alpha = 128
[crate.otter.skin.rain]
from = "frames"
[crate.many]
from = "many"
out = "out/many"
scale = "60%"
max-size = [256, 256]
metadata = "json"
"""

SAME: dict[str, dict[str, Any]] = {
    "one processor, another seed, zone and width": {"processors": 1, "PYTHONHASHSEED": "2", "LC_ALL": "C", "LANG": "tr_TR.UTF-8", "TZ": "Asia/Kathmandu", "COLUMNS": "30"},
    "file names in ASCII, umask, warnings as errors": {"LC_ALL": "C", "PYTHONUTF8": "0", "PYTHONCOERCECLOCALE": "0", "umask": 0o077, "PYTHONWARNINGS": "error", "PYTHONDEVMODE": "1"},
    "two builders, listed backwards": {"more": ["--jobs", "2"], "backwards": True},
    "little memory": {"more": ["--memory", "1MB"], "PYTHONHASHSEED": "3"},
}  # fmt: skip


@pytest.fixture(scope="module")
def drawn(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return project(tmp_path_factory.mktemp("drawn"))


def project(folder: Path, backwards: bool = False) -> Path:
    """Two crates: few frames with much that is done to them, and so many small ones that processes read them."""
    pictures = {f"frames/swim/swim_{n}.png": art(40, 30, n) for n in range(8)} | {"frames/old otter.png": art(9, 9)}
    pictures |= {f"many/dive_{n:03d}.png": art(8 + n % 5, 6, n) for n in range(520)}
    for name in sorted(pictures, reverse=backwards):
        save(folder / name, pictures[name])
    (folder / "o.crate.toml").write_text(PROJECT, "utf-8")
    (folder / "list.txt.j2").write_text("{{ crate.settings }}{% for frame in frames %}{{ frame }}{% endfor %}", "utf-8")
    return folder


def built(folder: Path, program: Any = PROGRAM, way: dict[str, Any] | None = None) -> dict[str, str]:
    """The digests of what is built in a folder, in a way of its own."""
    way = dict(way or {})
    more, umask, processors = way.pop("more", []), way.pop("umask", 0o022), way.pop("processors", 0)
    way.pop("backwards", None)

    def first() -> None:
        os.umask(umask)
        if processors:
            os.sched_setaffinity(0, sorted(os.sched_getaffinity(0))[:processors])

    command = [program, "pack", "o.crate.toml", "--rebuild", "--quiet", *more]
    done = subprocess.run(
        command, cwd=folder, env=os.environ | way, preexec_fn=first, capture_output=True, encoding="utf-8"
    )
    assert (done.returncode, done.stderr) == (0, ""), done.stderr
    return {name: hashlib.sha256(data).hexdigest() for name, data in tree(folder / "out").items()}


@pytest.fixture(scope="module")
def usual(tmp_path_factory: pytest.TempPathFactory, drawn: Path) -> dict[str, str]:
    made = built(Path(shutil.copytree(drawn, tmp_path_factory.mktemp("usual") / "project")))
    assert len(made) > 20
    return made


@pytest.mark.parametrize("way", SAME)
def test_the_same_bytes(way: str, usual: dict[str, str], drawn: Path, tmp_path: Path) -> None:
    backwards = SAME[way].get("backwards", False)
    folder = project(tmp_path, backwards) if backwards else Path(shutil.copytree(drawn, tmp_path / "project"))
    assert built(folder, way=SAME[way]) == usual


def package(kind: str, out: Path) -> Path:
    """A wheel or a source archive, built of a clean copy without the compiled parts."""
    copy = out / "copy"
    ignored = shutil.ignore_patterns(".*", "build", "__pycache__", "*.so", "node_modules")
    shutil.copytree(ROOT, copy, ignore=ignored)
    code = f"from hatchling import build; print(build.build_{kind}({str(out)!r}))"
    environment = os.environ | {"AGILE_CRATE_PLAIN": "1", "PYTHONHASHSEED": str(len(out.name))}
    done = subprocess.run(
        [sys.executable, "-c", code], cwd=copy, env=environment, capture_output=True, encoding="utf-8", check=True
    )
    shutil.rmtree(copy)
    return out / done.stdout.split()[-1]


@pytest.mark.parametrize("kind", ["wheel", "sdist"])
def test_packages_are_the_same_when_built_again(kind: str, tmp_path: Path) -> None:
    made = []
    for name in ("one", "another"):
        (tmp_path / name).mkdir()
        made.append(package(kind, tmp_path / name).read_bytes())
    assert made[0] == made[1]
    if kind == "wheel":
        (path,) = (tmp_path / "one").glob("*.whl")
        names = zipfile.ZipFile(path).namelist()
        assert "agile_crate/core/limits.py" in names
        assert not [name for name in names if "test" in name or name.endswith((".pyc", ".so"))]


def pythons() -> list[str]:
    """Every Python that this program knows and that runs here, by its command; a shim may name one that is not there."""
    found = (shutil.which(f"python3.{minor}") for minor in range(11, 20))
    asked = os.environ.get("AGILE_CRATE_PYTHONS", "").split(os.pathsep)
    there = [path for path in (*found, *asked) if path] if LONG else []
    return [path for path in there if not subprocess.run([path, "-c", ""], capture_output=True, check=False).returncode]


@pytest.mark.skipif(not LONG, reason="a part of the long form: make trust")
@pytest.mark.parametrize("way", ["wheel", "sdist", "editable"])
@pytest.mark.parametrize("python", pythons())
def test_every_python_and_every_install(python: str, way: str, usual: dict[str, str], tmp_path: Path) -> None:
    subprocess.run([python, "-m", "venv", tmp_path / "env"], check=True)
    (tmp_path / "made").mkdir()
    what = ["--editable", str(ROOT)] if way == "editable" else [str(package(way, tmp_path / "made"))]
    subprocess.run([tmp_path / "env/bin/pip", "install", "--quiet", *what], check=True, capture_output=True)
    (tmp_path / "project").mkdir()
    assert built(project(tmp_path / "project"), tmp_path / "env/bin/agile-crate") == usual
