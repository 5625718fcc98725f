"""Test hostile files: each has 3 GB of address space and 20 seconds, and gets a result or one sentence."""

import json
import os
import struct
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from agile_crate.cli.main import main
from conftest import LONG, PROGRAM, art, save
from file_bytes import chunk, layered, png, stored
from prepared_program import run_prepared
from trust.attempt import judge

LIMIT, SECONDS = 3 << 30, 20


@pytest.fixture(autouse=True)
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.chdir(tmp_path)
    return tmp_path


def run(*words: str | bytes) -> subprocess.CompletedProcess[bytes]:
    done = run_prepared(list(map(os.fsdecode, words)), Path.cwd(), LIMIT, SECONDS)
    out, err = (text.encode("utf-8", "surrogateescape") for text in (done.stdout, done.stderr))
    told = err + out
    assert done.returncode not in (70, -11), told
    assert b"Traceback" not in told
    assert b"\x1b" not in told.replace(b"\x1b[?25h", b""), told
    return subprocess.CompletedProcess(words, done.returncode, out, err)


def dots(side: int) -> bytes:
    return stored(
        np.tile(np.array([[[9, 9, 9, 255], [0] * 4], [[0] * 4, [0] * 4]], np.uint8), (side // 2, side // 2, 1))
    )


def later_pages() -> bytes:
    small, large = Image.new("L", (8, 8)), Image.new("L", (13_000, 13_000))
    return stored(small, "TIFF", save_all=True, append_images=[large, large], compression="tiff_deflate")


LAYER = '<layer src="data/a.png" name="{0}" x="{0}" y="{0}"/>'
BIG, GROUP = 'w="8192" h="8192"', '<stack opacity="0.9">'

PICTURES: dict[str, tuple[Callable[[], bytes], tuple[str, ...], int]] = {
    "many layers": (lambda: layered(f"<image {BIG}><stack><stack>{''.join(map(LAYER.format, range(2000)))}</stack></stack></image>", {"data/a.png": stored(art(3, 3))}), ("--max-size", "8192x8192"), 0),
    "nested groups": (lambda: layered(
        f"<image {BIG}><stack>{GROUP * 31}{LAYER.format(0)}{(LAYER.format(0) + '</stack>') * 31}</stack></image>",
        {"data/a.png": png((8192, 8192, 8, 6, 0, 0, 0), bytes(8192 * (1 + 4 * 8192)))}), ("--layers", "flat"), 3),
    "900 digits": (lambda: layered(f'<image w="9" h="9"><stack><layer src="data/a.png" name="{"9" * 900}"/><layer src="data/a.png" name="8"/></stack></image>', {"data/a.png": stored(art(3, 3))}), (), 0),
    "narrow, 16 bits": (lambda: png((16, 30_000, 16, 6, 0, 0, 0), (b"\4" + bytes(range(128))) * 30_000), ("--scale", "50%", "--max-size", "16384x16384"), 0),
    "4 × 65,536, 16 bits": (lambda: png((4, 65_536, 16, 0, 0, 0, 0), (b"\1" + bytes(8)) * 65_536), ("--scale", "25%", "--max-size", "16384x16384"), 0),
    "too long": (lambda: png((1, 200_000, 8, 0, 0, 0, 0), b"\0\1" * 200_000), (), 3),
    "16 bits, moving": (lambda: png((1, 1, 16, 0, 0, 0, 0), b"\0\1\2", chunk(b"acTL", struct.pack(">II", 2, 0)), *[chunk(b"fcTL", bytes(26))] * 2), (), 3),
    "more pictures than said": (lambda: png((1, 1, 8, 0, 0, 0, 0), b"\0\1", chunk(b"acTL", struct.pack(">II", 1, 0)), *[chunk(b"fcTL", bytes(26))] * 3), (), 3),
    "later pages": (lambda: later_pages(), (), 3),
    "dots, contour": (lambda: dots(2000), ("--shape", "contour"), 2),
    "dots, hull": (lambda: dots(2000), ("--shape", "hull"), 0),
}  # fmt: skip


@pytest.mark.parametrize("name", PICTURES)
def test_pictures(name: str, folder: Path) -> None:
    make, options, status = PICTURES[name]
    data = make()
    (folder / ("a.ora" if data[:2] == b"PK" else "a.tif" if data[:2] == b"II" else "a.png")).write_bytes(data)
    (path,) = folder.iterdir()
    done = run("pack", path.name, "--out", "o", *options)
    assert done.returncode == status, done.stderr
    if status:
        assert sorted(folder.iterdir()) == [path]


def test_dots_are_no_islands(folder: Path) -> None:
    (folder / "a.png").write_bytes(dots(3000))
    done = run("unpack", "a.png", "--out", "f", "--islands")
    assert (done.returncode, b"islands, and 10,000 are the most" in done.stderr) == (3, True)


def large_film(document: dict[str, Any]) -> None:
    document["frames"][0]["canvas"] = [16_384, 16_384]
    count = 40 if LONG else 9
    document["animations"] = [{"name": "a", "frames": [0] * count, "durations": [100] * count}]


def crowded(document: dict[str, Any]) -> None:
    frame = document["frames"][0]
    document["frames"] = [
        frame | {"name": f"f{n}", "box": [n % 4, n % 3, 4, 4], "crc": ""} for n in range(20_000 if LONG else 2_000)
    ]


def repeated_sheet(document: dict[str, Any]) -> None:
    document["sheets"] *= 30


def on_a_pipe(document: dict[str, Any]) -> None:
    os.mkfifo("pipe.png")
    document["sheets"][0]["image"] = "pipe.png"


DOCUMENTS = {
    "no frames": lambda document: document.update(frames=[], animations=[]), "nothing": lambda document: document.update(frames=[], animations=[], sheets=[]),
    "the longest": lambda document: document.update(animations=[{"name": "a", "frames": [0], "durations": [2**31 - 1], "loop": "once", "times": 2**31 - 1}]),
    "the longest by beats": lambda document: document.update(animations=[{"name": "a", "frames": [0], "durations": [2**31 - 1], "loop": "once", "fps": [1000, 1], "beats": [2**31 - 1]}]),
    "a film of 16,384²": large_film, "boxes on each other": crowded, "one sheet 30 times": repeated_sheet, "a pipe": on_a_pipe,
}  # fmt: skip

COMMANDS = (
    ("verify", "b.json"), ("unpack", "b.json", "--out", "f", "--film"), ("show", "b.json", "--out", "v.svg"), ("show", "b.json", "--out", "v.gif"),
    ("show", "b.json", "--out", "v.webp"), ("show", "b.json", "--out", "v.apng"), ("describe", "b.json", "--metadata", "css,csv"), ("show", "b.json", "--out", "v.html"), ("show", "b.json", "--out", "v.png"), ("show", "o.json", "--against", "b.json"),
)  # fmt: skip


@pytest.mark.parametrize("name", DOCUMENTS)
def test_documents(name: str, folder: Path) -> None:
    save(folder / "a.png", art(8, 8))
    assert run("pack", "a.png", "--out", "o").returncode == 0
    document = json.loads((folder / "o.json").read_text())
    del document["sha256"]
    DOCUMENTS[name](document)
    (folder / "b.json").write_text(json.dumps(document))
    with_chart = name in ("no frames", "the longest", "a film of 16,384²")  # each takes a second or two
    which = list(DOCUMENTS).index(name)
    for number, command in enumerate(COMMANDS):
        if not LONG and ((number + which) % 3 == 0 or ("v.svg" in command and not with_chart)):
            continue  # others for each document
        done = run(*command)
        judge(done.returncode, done.stdout.decode(), done.stderr.decode())


def test_what_is_no_file_is_not_waited_for(folder: Path) -> None:
    save(folder / "f/a.png", art(8, 8))
    for name in ("p.png", "p.json", "p.gpl", "p.t.j2", "p.ttf", "f/x.json", "f/y.png"):
        os.mkfifo(name)
    (folder / "word.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><text y="9">m</text></svg>'
    )
    for words, status in (
        (["pack", "p.png", "--out", "o"], 3), (["survey", "p.png"], 3), (["verify", "p.json"], 3), (["unpack", "p.json", "--out", "u"], 3),
        (["unpack", "p.png", "--out", "u", "--cell", "8x8"], 3), (["pack", "f", "--out", "p"], 5), (["pack", "f", "--out", "o", "--palette", "p.gpl"], 3),
        (["pack", "f", "--out", "o", "--template", "p.t.j2"], 3), (["pack", "word.svg", "--out", "o", "--font", "p.ttf"], 3), (["verify", "/dev/zero"], 3), (["pack", "/dev/zero", "--out", "o"], 3),
        (["unpack", "/dev/zero", "--out", "u", "--cell", "8x8"], 3), (["pack", "f", "--out", "o"], 0),
    ):  # fmt: skip
        assert run(*words).returncode == status, words


N = "x\0y"

NULLS = (
    ["pack", N, "--out", "o"], ["pack", "a.png", "--out", N], *(["pack", "a.png", "--out", "o", f"--{name}={N}"] for name in ("palette", "font", "file-name")),
    ["pack", "a.png", "--out", "o", f"--template={N}.x.j2"], ["pack", "c.crate.toml"], ["pack", "d.crate.toml"], ["pack", "e.crate.toml"], ["pack", f"{N}.crate.toml"],
    ["unpack", "a.png", "--islands", "--out", N], ["unpack", "a.png", "--out", "u", "--boxes", N], ["unpack", N, "--islands", "--out", "u"], ["verify", N], ["verify", "g.json", "--against", N],
    ["show", N, "--out", "v.png"], ["show", "g.json", "--out", f"{N}.png"], ["show", "g.json", "--against", N], ["survey", N], ["survey", "a.png", "--sarif", N], ["survey", "a.png", "--baseline", N],
    ["describe", N, "--metadata", "css"], ["describe", "g.json", "--metadata", "css", "--out", N], ["draft", N, "--out", "d.toml"], ["draft", "a.png", "--out", f"{N}.toml"], ["demo", N],
)  # fmt: skip


@pytest.mark.parametrize("words", NULLS, ids=" ".join)
def test_null_characters_in_paths(folder: Path, words: list[str], capsys: pytest.CaptureFixture[str]) -> None:
    """No shell passes them on, but crate files and scripts do."""
    save(folder / "a.png", art(8, 8))
    for name, key in (("c", "out"), ("d", "from"), ("e", "palette")):
        keys = {"out": "p", "from": "a.png"} | {key: "a\\u0000b"}
        text = "".join(f'{key} = "{value}"\n' for key, value in keys.items())
        (folder / f"{name}.crate.toml").write_text(f"[crate.o]\n{text}", "utf-8")
    assert main(["pack", "a.png", "--out", "g"]) == 0
    before = sorted(folder.rglob("*"))
    capsys.readouterr()
    status, said = main(words), capsys.readouterr()
    judge(status, said.out, said.err)
    assert status in (2, 3, 5)
    assert sorted(folder.rglob("*")) == before


def test_odd_arguments_and_folders(folder: Path) -> None:
    save(folder / "a.png", art(8, 8))
    for words, status in (
        (["pack", "a.png", "--out", "o", "--shift=-+5,0"], 2), (["pack", b"\xff.png", "--out", "o"], 3), ([b"\xff"], 2), (["pack", "a.png", b"--\xff"], 2),
        (["pack", "a.png", "--out", b"\xff"], 2), (["pack", "a.png", "--out", "o", "--file-name", b"\xff"], 2), (["pack", "a.png", "--out", "n/" * 1500 + "o"], 2),
        (["pack", "deep/" + "**/" * 40 + "*.png", "--out", "o"], 3), (["pack", "a.png", "--out", "o", "--include", "\x1b]31m"], 2),
    ):  # fmt: skip
        assert run(*words).returncode == status, words
    os.makedirs("deep/" + "d/" * 300)
    (folder / "t.x.j2").write_text('{{ "\\ud800" }}')
    for words in (
        ["pack", "deep", "--out", "o"],
        ["survey", "deep"],
        ["pack", "a.png", "--out", "o", "--template", "t.x.j2"],
    ):
        assert run(*words).returncode == 3, words
    (folder / "t.l-u.j2").write_text("{{ crate.name }}")
    for _ in range(2):
        assert run("pack", "a.png", "--out", "o", "--template", "t.l-u.j2").returncode == 0


@pytest.mark.parametrize("stream", ["stdout", "stderr"])
@pytest.mark.parametrize("is_closed", [True, False])
def test_a_build_stands_where_nothing_can_be_said_of_it(folder: Path, stream: str, is_closed: bool) -> None:
    save(folder / "a.png", art(8, 8))
    redirected = {"stdout": "1", "stderr": "2"}[stream] + (">&-" if is_closed else ">/dev/full")
    for words, status in (("pack a.png --out o", 0), ("pack a.png --out o --json", 0), ("verify none.json", 3)):
        done = subprocess.run(f"'{PROGRAM}' {words} {redirected}", shell=True, capture_output=True, check=False)
        assert (done.returncode, b"Traceback" in done.stderr) == (status, False), (words, done.stderr)
    assert run("verify", "o.json", "--against", "a.png").returncode == 0
    if stream == "stdout" and not is_closed:
        done = subprocess.run(f"'{PROGRAM}' verify o.json >/dev/full", shell=True, capture_output=True, check=False)
        assert (done.returncode, b"the output could not be printed: no space left" in done.stderr) == (5, True)


if sys.platform == "win32":
    pytest.skip("limits and pipes are those of POSIX", allow_module_level=True)


CRATE_FILES = {
    "a key of many parts": "a." * 9_000 + "b = 1", "a table of many parts": "[" + "a." * 9_000 + "b]",
    "lists in lists": "x = [" + "[" * 4_000, "an open text": '"' * 15_000, "a million lines": "\n" * 900_000,
}  # fmt: skip


@pytest.mark.parametrize("name", CRATE_FILES)
def test_crate_files_that_take_readers_long(name: str) -> None:
    Path("post.crate.toml").write_text(CRATE_FILES[name], "utf-8")
    done = run("pack", "post.crate.toml")
    assert (done.returncode, done.stdout) == (3, b"")
    assert done.stderr.startswith(b"agile-crate: error: post.crate.toml")
