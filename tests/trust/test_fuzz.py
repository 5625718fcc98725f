"""Whatever a stranger feeds the program as crates, crate files, templates, words and requests, it ends with a result or
one sentence, in bounds, and writes below `out` alone. See `strangers`."""

import base64
import contextlib
import hashlib
import io
import json
import os
import shutil
import socket
import sqlite3
import subprocess
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from agile_crate.live.server import Answer, News, Server
from agile_crate.settings.table import options
from agile_crate.storage import cache as store
from agile_crate.storage.staging import work_name
from conftest import PROGRAM
from file_bytes import stored
from trust.attempt import Attempt, attempted
from trust.mutations import TEXTS, at_bounds, edited_json, edited_png, edited_xml, in_conflict, spliced, spliced_text
from trust.strangers import DEMO, SIGHTS, cases, frames

pytestmark = pytest.mark.usefixtures("quick")


@cache
def crate() -> dict[str, bytes]:
    """A crate that uses much of the format, made once by the installed program."""
    import tempfile

    with tempfile.TemporaryDirectory() as made:
        for name, data in frames().items():
            (Path(made) / name).parent.mkdir(exist_ok=True)
            (Path(made) / name).write_bytes(data)
        words = "pack frames --out out/o --layout tight --turn --trim frame --metadata json,xml,csv --also-scale 50% --shape hull --mirrored=dive=swim --gap 1 --cushion 1"
        subprocess.run([PROGRAM, *words.split()], cwd=made, check=True, capture_output=True)
        return {f"out/{path.name}": path.read_bytes() for path in (Path(made) / "out").iterdir()}


LOOKS: tuple[tuple[str, ...], ...] = (
    ("verify", "out/o.FORM"), ("verify", "out/o.FORM", "--against", "frames"), ("verify", "out/o.FORM", "--accept"), ("unpack", "out/o.FORM", "--out", "out/f"),
    ("unpack", "out/o.FORM", "--out", "out/f", "--film"), ("show", "out/o.FORM", "--out", "out/v.png"), ("show", "out/o.FORM", "--out", "out/v.html"),
    ("show", "out/o.FORM", "--out", "out/v.gif"), ("show", "out/o.FORM", "--out", "out/v.webp"), ("show", "out/o.FORM", "--out", "out/v.apng"), ("show", "out/o.FORM"), ("describe", "out/o.FORM", "--metadata", "css,csv", "--force"), ("pack", "frames", "--out", "out/o"),
    ("pack", "frames", "--out", "out/o", "--keep-edits"), ("pack", "frames", "--out", "out/o", "--layout", "tight", "--keep-places", "--force"),
)  # fmt: skip


@cases(72, 25_000)
@given(st.data())
def test_metadata(folder: Path, data: st.DataObject) -> None:
    form = data.draw(st.sampled_from(["json", "xml"]))
    seed = crate()[f"out/o.{form}"]
    if form == "json":
        document = json.loads(seed)
        if data.draw(st.booleans()):
            del document["sha256"]
        spoilt = data.draw(edited_json(document) | at_bounds(document) | in_conflict(seed))
    else:
        spoilt = data.draw(
            edited_xml(seed)
            | in_conflict(seed)
            | spliced_text(seed.decode(), "<frame ", "/>", '"', "&a;", "&#0;").map(str.encode)
        )
    words = [word.replace("FORM", form) for word in data.draw(st.sampled_from(LOOKS))]
    attempted(Attempt(crate() | frames() | {f"out/o.{form}": spoilt}, tuple(words)), folder)


@cases(24, 3_000)
@given(st.data())
def test_sheets_of_a_crate(folder: Path, data: st.DataObject) -> None:
    spoilt = data.draw(edited_png(crate()["out/o.png"]) | spliced(crate()["out/o.png"]))
    words = [word.replace("FORM", "json") for word in data.draw(st.sampled_from(LOOKS))]
    attempted(Attempt(crate() | frames() | {"out/o.png": spoilt}, tuple(words)), folder)


@cases(12, 2_000)
@given(st.data())
def test_paint_anywhere(folder: Path, data: st.DataObject) -> None:
    """A pixel of a sheet is painted, and the digests are made anew: the proof finds it, wherever it lies."""
    document = json.loads(crate()["out/o.json"])
    with Image.open(io.BytesIO(crate()["out/o.png"])) as image:
        pixels = np.array(image.convert("RGBA"))
    y, x = data.draw(st.integers(0, pixels.shape[0] - 1)), data.draw(st.integers(0, pixels.shape[1] - 1))
    color = (*data.draw(st.tuples(*[st.integers(0, 255)] * 3)), data.draw(st.integers(1, 255)))
    is_same = tuple(pixels[y, x]) == color
    pixels[y, x] = color
    del document["sha256"]
    painted = stored(pixels)
    document["sheets"][0]["sha256"] = hashlib.sha256(painted).hexdigest()
    files = frames() | {"out/o.png": painted, "out/o.json": json.dumps(document).encode()}
    done = attempted(Attempt(files, ("verify", "out/o.json", "--against", "frames")), folder)
    assert done.status == (0 if is_same else 1), done.told


SKINNED = """[crate.o]
from = "base"
out = "out/o"
outline = "#0000ff:{width}"
{more}
[crate.o.skin.rain]
from = "rain"
[crate.o.skin.normal]
from = "rain"
plain = true
"""

WITH_OUTLINES = ("", 'trim = "frame"', 'layout = "tight"', 'canvas = "common"', 'trim = "sheet"', 'scale = "200%"', 'shape = "contour"', "colors = 4")  # fmt: skip


@cases(16, 2_000)
@given(st.data())
def test_outlines_of_skins(folder: Path, data: st.DataObject) -> None:
    """Figures of any size anywhere on their canvases, in the base and in a skin: all come back."""
    files: dict[str, bytes] = {}
    for number in (1, 2):
        side = data.draw(st.integers(1, 9))
        for skin in ("base", "rain"):
            pixels = np.zeros((side, side, 4), np.uint8)
            x, y = data.draw(st.integers(0, side)), data.draw(st.integers(0, side))
            h, w = data.draw(st.integers(0, 5)), data.draw(st.integers(0, 5))
            pixels[y : y + h, x : x + w] = (number * 40, 90, 9, 255)
            files[f"{skin}/swim_{number}.png"] = stored(pixels)
    width, more = data.draw(st.integers(1, 3)), data.draw(st.sampled_from(WITH_OUTLINES))
    files["o.crate.toml"] = SKINNED.format(width=width, more=more).encode()
    done = attempted(Attempt(files, ("pack", "o.crate.toml")), folder)
    assert done.status == 0, done.told
    done = attempted(Attempt(files | done.files, ("verify", "out/o.json", "--against", "o.crate.toml")), folder)
    assert done.status == 0, done.told


@cases(24, 5_000)
@given(st.data())
def test_journals(folder: Path, data: st.DataObject) -> None:
    """A folder of a stranger's may hold what an interrupted run seems to have left."""
    moves = [["o.png", True], ["walk/o.json", False], ["x.txt", False]]
    journal = {"moves": moves, "removed": ["o.csv"], "made": ["walk"]}
    work = f"out/{work_name('o')}"
    left = {
        f"{work}/{number}.{end}": b"left" for number in range(4) for end in ("new", "old") if data.draw(st.booleans())
    }
    name = data.draw(st.sampled_from(["journal", "journal.undone"]))
    words = data.draw(st.sampled_from(["pack frames --out out/o", "verify out/o.json", "survey out"])).split()
    files = crate() | frames() | left | {f"{work}/{name}": data.draw(edited_json(journal))}
    attempted(Attempt(files, tuple(words)), folder)


TOML = """\
[defaults]
fps = 12
metadata = ["json", "xml"]
[crate.otter]
from = ["frames"]
out = "out/otter"
layout = "tight"
max-size = [1024, 1024]
outline = "#0000ff:1"
mirrored = { dive = "swim" }
also-scale = ["50%"]
[crate.otter.animation.swim]
hold = { 3 = 2, last = "200ms" }
loop = "once"
[crate.otter.skin.rain]
from = ["frames"]
plain = true
"""


def _keys() -> tuple[str, ...]:
    keys = [name.replace("_", "-") for name in options()]
    return tuple(f"\n{key} = {value}" for key in keys for value in ("", "[]\n", "{}\n"))


@cases(36, 10_000)
@given(st.data())
def test_crate_files(folder: Path, data: st.DataObject) -> None:
    words = ("[crate.x]\n", "[", "]", "[[", "]]", "{", "}", '"""', "'''", "1979-05-27", "true", "nan", '"out/otter"', '["frames"]', "defaults", "skin", "animation", "\r\n", *_keys())  # fmt: skip
    text = data.draw(spliced_text(TOML, *words))
    command = data.draw(st.sampled_from([("--dry-run",), ("--dry-run", "--json"), ()]))
    if not command and (
        'out = "out/otter"' not in text or ".." in text or "out" in text.replace('out = "out/otter"', "")
    ):
        command = ("--dry-run",)  # it may say where its outputs go
    files = frames() | {"otter.crate.toml": text.encode("utf-8", "replace")}
    attempted(Attempt(files, ("pack", "otter.crate.toml", *command)), folder)


JINJA = ("{{", "}}", "{%", "%}", "{% for f in frames %}", "{% endfor %}", "{{ f.name }}", "frames", "crate", "animations", "loop", "range(10**9)", "'x' * 10**10", ".__class__", "['__globals__']",
    "|map", "|list", "|join", "cycler", "lipsum", "namespace()", "{% include 'x' %}", "{% import '/etc/passwd' as p %}", "{% macro m() %}{{ m() }}{% endmacro %}{{ m() }}", "1/0", "**", "fail('no')")  # fmt: skip


@cases(2, 1_200)
@given(st.data())
def test_templates(folder: Path, data: st.DataObject) -> None:
    text = data.draw(
        spliced_text((DEMO / "templates" / "table.lua.j2").read_text("utf-8"), *JINJA)
        | st.lists(st.sampled_from(JINJA), max_size=8).map("".join)
    )
    files = frames() | {"t.lua.j2": text.encode("utf-8", "replace")}
    attempted(Attempt(files, ("pack", "frames", "--out", "out/o", "--template", "t.lua.j2")), folder)


TOKENS = st.sampled_from(["swim", "dive", "1", "2", "3", "0", "-1", "16384", "last", "feet", "center", "corner", "#fff", "#201830", "px", "ms", "s", "%", "x", "X", ":", "=", ",", "-", ".", "/", "*", "{", "}",
    "{name}", "{frames}", "json", "tight", "grid", "50%", "0.5", "1e3", "any", "own", "common", "inner", "twice", "é", " ", "\0", "..", "[", "!"])  # fmt: skip


@st.composite
def option(draw: st.DrawFn) -> list[str]:
    name, (kind, _) = draw(st.sampled_from(sorted(options().items())))
    given = "--" + name.replace("_", "-")
    if kind.read is None:
        return [given]
    value = draw(st.sampled_from(kind.choices or ("1",)) | st.lists(TOKENS, max_size=6).map("".join) | TEXTS)
    return [f"{given}={value}"]


@cases(72, 20_000)
@given(st.data())
def test_options(folder: Path, data: st.DataObject) -> None:
    words = [word for words in data.draw(st.lists(option(), min_size=1, max_size=4)) for word in words]
    is_large = any(word.startswith(("--size", "--multiple", "--optimize", "--pow2")) for word in words)
    if data.draw(st.booleans()) or is_large:
        words.append("--dry-run")
    attempted(Attempt(frames(), ("pack", "frames", "--out", "out/o", *words)), folder)


@cases(24, 6_000)
@given(st.data())
def test_names_of_files(folder: Path, data: st.DataObject) -> None:
    name = (
        st.lists(TOKENS | TEXTS, min_size=1, max_size=4)
        .map("".join)
        .map(lambda text: text.replace("\0", "").replace("\\", "")[:120].strip("/"))
    )
    drawn = {f"art/{one}.png" for one in data.draw(st.lists(name, min_size=1, max_size=3))}
    names = {
        one for one in drawn if ".." not in one.split("/") and all(len(part.encode()) < 200 for part in one.split("/"))
    }
    files = dict(zip(sorted(set(map(os.path.normpath, names))), frames().values(), strict=False))
    files = {one: data for one, data in files.items() if not any(other.startswith(f"{one}/") for other in files)}
    commands = (
        *SIGHTS,
        ("pack", "art", "--out", "out/o", "--metadata", "json,xml,css,csv", "--file-name", "{name}_{animation}"),
        ("survey", "art", "--json"),
        ("survey", "art", "--page", "out/s.html"),
    )
    attempted(Attempt(files, data.draw(st.sampled_from(commands))), folder)


@cases(9, 3_000)
@given(st.data())
def test_what_is_kept(folder: Path, cache_folder: Path, data: st.DataObject) -> None:
    """If bytes of the store change, the files of a build stay the same; where a value is forged, with its digest,
    they do, or `verify`, which reads no store, finds it."""
    project = frames() | {"otter.crate.toml": TOML.split("[crate.otter.skin")[0].encode()}
    shutil.rmtree(cache_folder, ignore_errors=True)
    build = Attempt(project, ("pack", "otter.crate.toml"))
    wanted = attempted(build, folder)
    (store_file,) = cache_folder.glob("*.sqlite")
    if is_forged := data.draw(st.booleans()):
        forge(store_file, data)
    else:
        store_file.write_bytes(data.draw(spliced(store_file.read_bytes())))
    made = attempted(build, folder)
    assert (wanted.status, made.status) == (0, 0), made.told
    if made.files != wanted.files:
        assert is_forged
        proofs = [("verify", f"out/{name}.json", "--against", "otter.crate.toml") for name in ("otter", "otter@50")]
        assert 1 in [attempted(Attempt(project | made.files, proof), folder).status for proof in proofs]


def forge(store_file: Path, data: st.DataObject) -> None:
    with contextlib.closing(sqlite3.connect(store_file)) as connection, connection:
        rows = connection.execute("SELECT key, value FROM entry ORDER BY key").fetchall()
        key, value = data.draw(st.sampled_from(rows))
        forged = data.draw(spliced(value))
        new = (forged, store._digest(key, forged), key)
        connection.execute("UPDATE entry SET value = ?, digest = ? WHERE key = ?", new)


def serving() -> Server:
    pages = {"": Answer("text/html", b"<p>otter</p>"), "1/0.png": Answer("image/png", b"\x89PNG")}
    return Server(pages.get, lambda path: News("hello", "3") if path == "1/events" else None)


@pytest.fixture(scope="module")
def server() -> Iterator[Server]:
    with contextlib.closing(serving()) as server:
        yield server


@cases(48, 8_000)
@given(st.data())
def test_requests(server: Server, data: st.DataObject) -> None:
    """A page is only served to who knows the token and names this host, whatever else a request may be."""
    token = server.address.rsplit("/", 2)[1]
    whole = f"GET /{token}/ HTTP/1.1\r\nHost: {server.host}\r\nOrigin: http://{server.host}\r\nAccept: */*\r\nContent-Length: 0\r\n\r\n"
    more = ("\r\n", "HEAD", "POST", "HTTP/1.0", "Host: otter.example\r\n", "Origin: null\r\n", "Transfer-Encoding: chunked\r\n", "%2e%2e/", "1/0.png", "?", "\r", ":")  # fmt: skip
    sent = data.draw(spliced_text(whole, *more))
    port = int(server.host.partition(":")[2])
    with socket.create_connection(("127.0.0.1", port), timeout=30) as connection:
        connection.sendall(sent.encode())
        connection.shutdown(socket.SHUT_WR)
        said = b""
        while piece := connection.recv(65536):
            said += piece
    assert b"Traceback" not in said
    assert b"otter</p>" not in said or (token in sent and server.host in sent)


FOUND = Path(__file__).parent / "corpus"


def keep(name: str, attempt: Attempt) -> None:
    """Write a found case to the corpus."""
    files = {path: base64.b64encode(data).decode() for path, data in attempt.files.items()}
    (FOUND / f"{name}.json").write_text(json.dumps({"words": attempt.words, "files": files}, indent=1) + "\n", "utf-8")


def kept(path: Path) -> Attempt:
    said = json.loads(path.read_text("utf-8"))
    return Attempt({name: base64.b64decode(data) for name, data in said["files"].items()}, tuple(said["words"]))


@pytest.mark.parametrize("path", sorted(FOUND.glob("*.json")), ids=lambda path: path.stem)
def test_what_was_found_before(path: Path, folder: Path) -> None:
    attempted(kept(path), folder)
