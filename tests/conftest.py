"""Shared by all tests: drawing pictures, running the installed program, finding other programs to compare with."""

import json
import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterable, Iterator
from functools import cache
from itertools import product
from pathlib import Path
from typing import Any

import jsonschema
import numpy as np
import pytest
from hypothesis import settings
from lxml import etree
from PIL import Image

import agile_crate
import independent_reader
from agile_crate.core.model.variant import base_of
from agile_crate.format.schemas import schema
from agile_crate.pipeline.job import BuildJob
from agile_crate.settings.given import settings_from
from prepared_program import run_prepared

LONG = bool(os.environ.get("AGILE_CRATE_TRUST"))
"""True in the long form, `make trust`."""

settings.register_profile("steady", deadline=None, derandomize=True, max_examples=300 if LONG else 40)
settings.load_profile("steady")

# In the background of a shell Ctrl-C is ignored, and the programs that tests start would inherit that.
signal.signal(signal.SIGINT, signal.default_int_handler)

Run = Callable[..., subprocess.CompletedProcess[str]]
"""The type of the fixture `run`."""

PROGRAM = Path(sys.executable).with_name("agile-crate")


unicode_names = pytest.mark.skipif(sys.getfilesystemencoding() == "ascii", reason="file names are ASCII here")
"""For tests whose files have other letters in their names."""


def art(w: int, h: int, seed: int = 0) -> np.ndarray:
    """A picture of shape (h, w, 4) with flat, soft and empty parts, different for each seed."""
    y, x = np.mgrid[:h, :w]
    pixels = np.stack((x * 5 + seed * 31, y * 7, x ^ y, (x + y + seed) * 9), axis=2).astype(np.uint8)
    pixels[(x + 2 * y + seed) % 3 == 0] = (40, 120, 200, 255)
    pixels[(x // 3 + y // 3 + seed) % 4 == 0] = 0
    return pixels


def met(first: Iterable[Any], second: Iterable[Any]) -> list[tuple[Any, Any]]:
    """Pairs in which each of the first and each of the second stands; all pairs in the long form."""
    first, second = list(first), list(second)
    if LONG:
        return list(product(first, second))
    return [(first[n % len(first)], second[n % len(second)]) for n in range(max(len(first), len(second)))]


def job(inputs: object, out: object, **settings: Any) -> BuildJob:
    """A build of one folder, or of a list of inputs."""
    listed = list(map(str, inputs)) if isinstance(inputs, (list, tuple)) else [str(inputs)]
    return BuildJob(str(out), settings_from(settings), base_of(listed))


def save(path: Path, pixels: np.ndarray | None = None, **options: Any) -> Path:
    path.parent.mkdir(parents=True, exist_ok=True)
    Image.fromarray(art(8, 6) if pixels is None else pixels).save(path, **options)
    return path


def decode(path: Path) -> np.ndarray:
    with Image.open(path) as image:
        return np.asarray(image.convert("RGBA"))


def tool(name: str) -> str:
    """The path of a program to compare with; on CI it must be there."""
    found = shutil.which(name, path="/usr/bin:" + os.environ["PATH"])
    if found is None:
        (pytest.fail if os.environ.get("CI") else pytest.skip)(f"the program {name} is not installed")
    return found


@pytest.fixture(autouse=True)
def cache_folder(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Give each test its own build cache."""
    folder = tmp_path_factory.mktemp("cache")
    monkeypatch.setenv("AGILE_CRATE_CACHE", str(folder))
    # What Matplotlib finds out about the fonts here takes a second, and is the same in every test.
    monkeypatch.setenv("MPLCONFIGDIR", str(tmp_path_factory.getbasetemp() / "matplotlib"))
    return folder


@pytest.fixture(scope="session")
def browser(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Any]:
    """The distribution's Chromium, without a screen; one for all, as Playwright wants it."""
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        context = playwright.chromium.launch_persistent_context(
            tmp_path_factory.mktemp("browser"), executable_path=tool("chromium"), args=["--no-sandbox"], headless=True,
            viewport={"width": 1280, "height": 800},
        )  # fmt: skip
        yield context
        context.close()


@pytest.fixture
def run(tmp_path: Path) -> Run:
    """Return a function that runs the installed program in the test's own folder. Whatever `pack` writes must be valid
    by the schemas, and what an independent reader makes of it must be what the program's own makes of it."""

    def run(*arguments: object, cwd: Path = tmp_path, **options: Any) -> subprocess.CompletedProcess[str]:
        words = list(map(str, arguments))
        if options or not hasattr(os, "fork"):
            done = subprocess.run(
                [PROGRAM, *words], cwd=cwd, capture_output=True, encoding="utf-8", timeout=900, **options
            )
        else:
            done = run_prepared(words, cwd)
        writes_metadata = "--out" in words and not {"--dry-run", "none"}.intersection(words)
        if words[:1] == ["pack"] and writes_metadata and done.returncode == 0:
            check_metadata(Path(cwd) / words[words.index("--out") + 1])
        return done

    return run


def check_metadata(out: Path) -> None:
    """Validate a crate's JSON and XML, if present, by the published schemas, and restore its frames twice."""
    stem = out.parent / out.name.removesuffix(".json").removesuffix(".png").removesuffix(".webp")
    found = [path for ending in (".json", ".xml") if (path := stem.parent / (stem.name + ending)).is_file()]
    assert found
    for path in found:
        if path.suffix == ".json":
            json_schema().validate(json.loads(path.read_text("utf-8")))
        else:
            xml_schema().assertValid(etree.fromstring(path.read_bytes()))
        if independent_reader.is_small(path):
            loaded = agile_crate.load(path)
            frames = {frame["name"]: frame for frame in independent_reader.read(path)["frames"]}
            for name, pixels in independent_reader.restored(path).items():
                assert np.array_equal(pixels, loaded.frame(name)), (path, name)
                is_source = independent_reader.crc(frames[name], pixels) == frames[name]["crc"]
                assert is_source != frames[name].get("edited", False), (path, name)


@cache
def json_schema() -> Any:
    return jsonschema.Draft202012Validator(json.loads(schema("json")))


@cache
def xml_schema() -> Any:
    return etree.XMLSchema(etree.fromstring(schema("xml").encode()))


@pytest.fixture(scope="session")
def _demo_once(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Made once, by the first of the workers that wants it."""
    shared = tmp_path_factory.getbasetemp()
    folder = (shared.parent if "PYTEST_XDIST_WORKER" in os.environ else shared) / "demo"
    try:
        folder.mkdir()
    except FileExistsError:
        while not (folder / "made").exists():
            time.sleep(0.1)
    else:
        try:
            said = subprocess.run([PROGRAM, "demo"], cwd=folder, check=True, capture_output=True, encoding="utf-8")
            (folder / "said.txt").write_text(said.stdout + said.stderr, "utf-8")
        finally:
            (folder / "made").touch()  # the other workers wait for it, come what may
    return folder / "otter-post"


@pytest.fixture
def demo(_demo_once: Path, tmp_path: Path) -> Path:
    """The output of `agile-crate demo`, with its builds, in the test's own folder."""
    return Path(shutil.copytree(_demo_once, tmp_path / "otter-post"))


@pytest.fixture
def demo_said(_demo_once: Path) -> str:
    """The text that `agile-crate demo` printed."""
    return _demo_once.with_name("said.txt").read_text("utf-8")


@pytest.fixture
def swim(tmp_path: Path) -> Path:
    """A folder `frames` with thirteen frames of swim, 8×8 each."""
    for number in range(1, 14):
        save(tmp_path / "frames" / "swim" / f"swim_{number:02d}.png", art(8, 8, number))
    return tmp_path / "frames"


def refusal(done: subprocess.CompletedProcess[str]) -> tuple[int, str]:
    """The exit code, and the one sentence of an error."""
    begins = "agile-crate: error: "
    assert (done.stderr.startswith(begins), done.stderr.endswith("\n")) == (True, True), done.stderr
    return done.returncode, done.stderr.removeprefix(begins).removesuffix("\n")


def metadata(path: Path) -> dict[str, Any]:
    return json.loads(path.read_text("utf-8"))


def tree(folder: Path) -> dict[str, bytes]:
    """Every file below a folder with its bytes, hidden ones too."""
    return {str(p.relative_to(folder)): p.read_bytes() for p in sorted(folder.rglob("*")) if p.is_file()}
