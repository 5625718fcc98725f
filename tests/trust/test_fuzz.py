"""Whatever a stranger feeds the program, it ends with a result or one sentence, in bounds, and writes below `out` alone.

Each test is one kind of input, spoilt by mutations that know its structure. A few of each here; `make trust` tries a
hundred thousand, and `tools/fuzz.py` lets one kind run for as long as you like, guided by what is covered.
"""

from __future__ import annotations

import base64
import io
import json
import os
import shutil
import socket
import sqlite3
import subprocess
import warnings
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image

import agile_crate
from agile_crate.exports.in_place import work_name
from agile_crate.live.server import Answer, News, Server
from agile_crate.settings.table import options
from agile_crate.store import cache as store
from conftest import PROGRAM, art
from trust.attempt import Attempt, attempted
from trust.mutations import TEXTS, edited_json, edited_png, edited_xml, edited_zip, spliced, spliced_text

if os.name != "posix":
    pytest.skip("its bounds are those of POSIX", allow_module_level=True)

LONG = float(os.environ.get("AGILE_CRATE_TRUST") or 0)
"""How many times the long form is wanted."""

DEMO = Path(agile_crate.__file__).parent / "demo"


def cases(few: int, many: int) -> Any:
    """So many here, and so many in the long form, which are others each time."""
    return settings(
        max_examples=int(many * LONG) or few, derandomize=not LONG, deadline=None, database=None,
        suppress_health_check=list(HealthCheck), print_blob=True,
    )  # fmt: skip


@pytest.fixture(autouse=True)
def _quick(monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing here asks whether a disk kept what it was told."""
    monkeypatch.setattr(os, "fsync", os.fstat)


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("stranger")


def picture(image: Image.Image, kind: str, **more: Any) -> bytes:
    stream = io.BytesIO()
    image.save(stream, kind, **more)
    return stream.getvalue()


@cache
def frames() -> dict[str, bytes]:
    return {f"frames/swim_{n}.png": picture(Image.fromarray(art(8, 6, n)), "PNG") for n in (1, 2, 3)}


@cache
def seeds() -> list[tuple[str, bytes]]:
    """A small picture in every way of storing one that there is here, each with its ending."""
    colours = Image.fromarray(art(9, 7))
    more = [Image.fromarray(art(9, 7, n)) for n in (1, 2)]
    indexed = colours.convert("RGB").quantize(8)
    found = [(".png", picture(colours.convert(mode), "PNG")) for mode in ("1", "L", "LA", "RGB", "RGBA")]
    found += [(".png", picture(Image.fromarray(art(9, 7)[..., 0].astype(np.uint16) * 257), "PNG"))]
    found += [(".png", picture(indexed, "PNG", transparency=b"\0\x80")), (".png", picture(indexed, "PNG", bits=4))]
    found += [
        (f".{kind.lower()}", picture(colours, kind, save_all=True, append_images=more, duration=80))
        for kind in ("PNG", "GIF", "WEBP")
    ]
    Image.init()
    for kind in sorted({*Image.SAVE} - {"PDF", "EPS", "WMF", "BUFR", "GRIB", "HDF5", "PALM", "SPIDER"}):
        for mode in ("RGBA", "RGB", "L", "1"):
            try:
                with warnings.catch_warnings():
                    warnings.simplefilter("ignore")
                    data = picture(colours.convert(mode), kind)
                    Image.open(io.BytesIO(data)).load()
            except (OSError, ValueError, KeyError, SystemError):
                continue
            found.append((f".{kind.lower()}", data))
            break
    return found


@cache
def small() -> bytes:
    return picture(Image.fromarray(art(9, 7)), "PNG")


SIGHTS = (
    ("pack", "art", "--out", "out/o"), ("survey", "art"), ("pack", "art", "--out", "out/o", "--scale", "50%", "--layout", "tight", "--trim", "frame"),
    ("pack", "art", "--out", "out/o", "--colors", "4", "--to-srgb", "--dry-run"), ("draft", "art", "--out", "out/o.crate.toml"),
)  # fmt: skip


@cases(72, 30_000)
@given(st.data())
def test_pictures(folder: Path, data: st.DataObject) -> None:
    ending, seed = data.draw(st.sampled_from(seeds()))
    spoilt = data.draw(edited_png(seed) if ending == ".png" and data.draw(st.booleans()) else spliced(seed))
    cut = ("unpack", f"art/a{ending}", "--out", "out/f", "--cell", "3x3", "--limit", "frames=1000")
    words = data.draw(st.sampled_from([*SIGHTS, cut]))
    attempted(Attempt({f"art/a{ending}": spoilt, "art/b.png": small()}, words), folder)


LAYERS = {
    "mimetype": b"image/openraster",
    "stack.xml": b'<image version="0.0.6" w="10" h="8"><stack><layer name="top" src="data/a.png" x="3" y="-1" opacity="0.5"/><stack name="group" x="1" y="2" opacity="0.9">'
    b'<layer src="data/b.png" composite-op="svg:multiply"/><layer src="data/a.png" visibility="hidden"/></stack></stack></image>',
}  # fmt: skip


@cases(36, 12_000)
@given(st.data())
def test_layered_documents(folder: Path, data: st.DataObject) -> None:
    parts = {f"data/{name}.png": picture(Image.fromarray(art(4, 3, n)), "PNG") for n, name in enumerate("ab")}
    spoilt = data.draw(edited_zip(LAYERS | parts, "stack.xml", "stack", "layer", 'src="', "data/a.png", "svg:screen"))
    words = data.draw(st.sampled_from([*SIGHTS, (*SIGHTS[0], "--layers", "flat")]))
    attempted(Attempt({"art/a.ora": spoilt}, words), folder)


DRAWING = (
    b'<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="24" height="16" viewBox="0 0 24 16"><defs><g id="a"><circle r="3" fill="#c40"/></g>'
    b'<linearGradient id="g"><stop offset="0" stop-color="red"/><stop offset="1" stop-color="blue" stop-opacity=".5"/></linearGradient></defs>'
    b'<g id="swim_1" label="swim_1"><use href="#a" x="5" y="5" transform="rotate(20)"/></g><g id="swim_2"><rect width="8" height="6" fill="url(#g)"/>'
    b'<path d="M2 2 L9 3 Q4 5 1 9 z" stroke="#fff" stroke-width="1"/><text x="2" y="9">otter</text></g></svg>'
)


@cases(24, 6_000)
@given(st.data())
def test_drawings(folder: Path, data: st.DataObject) -> None:
    words = (
        "<use ",
        'href="#a"',
        'href="file:///etc/passwd"',
        "<image ",
        "100%",
        "1e9",
        "url(#g)",
        "<g>",
        "</g>",
        "<style>",
        "viewBox",
        "transform",
    )
    spoilt = data.draw(edited_xml(DRAWING) | spliced_text(DRAWING.decode(), *words).map(str.encode))
    more = data.draw(st.sampled_from([(), ("--vector-size", "30x20"), ("--layers", "separate"), ("--scale", "200%")]))
    attempted(Attempt({"art/a.svg": spoilt}, (*SIGHTS[0], *more)), folder)


@cases(2, 300)
@given(st.data())
def test_renders(folder: Path, data: st.DataObject) -> None:
    (seed, *_) = sorted((DEMO / "rendered").rglob("*.exr"))
    attempted(Attempt({"art/a.exr": data.draw(spliced(seed.read_bytes()))}, SIGHTS[0]), folder)


PALETTE = "; the otter's\n#201830\n4a7c94\n// more\n#ffffff\n"


@cases(24, 5_000)
@given(st.data())
def test_palettes_and_lists_of_what_is_allowed(folder: Path, data: st.DataObject) -> None:
    text = data.draw(spliced_text(PALETTE, "#", ";", "//", "ffffff", "\r\n")).encode()
    allowed = {"allowed": [{"code": "copies", "frames": ["swim_1", "swim_2"]}], "version": 1}
    files, words = data.draw(
        st.sampled_from([({"p.txt": text}, (*SIGHTS[0], "--palette", "p.txt")), ({"p.png": data.draw(edited_png(small()))}, (*SIGHTS[0], "--palette", "p.png")),
            ({"a.json": data.draw(edited_json(allowed))}, ("survey", "art", "--allowed", "a.json"))])
    )  # fmt: skip
    attempted(Attempt(files | {"art/a.png": small()}, words), folder)


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
    ("show", "out/o.FORM", "--out", "out/v.gif"), ("show", "out/o.FORM"), ("describe", "out/o.FORM", "--metadata", "css,csv", "--force"), ("pack", "frames", "--out", "out/o"),
    ("pack", "frames", "--out", "out/o", "--keep-touches"), ("pack", "frames", "--out", "out/o", "--layout", "tight", "--keep-places", "--force"),
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
        spoilt = data.draw(edited_json(document))
    else:
        spoilt = data.draw(
            edited_xml(seed) | spliced_text(seed.decode(), "<frame ", "/>", '"', "&a;", "&#0;").map(str.encode)
        )
    words = [word.replace("FORM", form) for word in data.draw(st.sampled_from(LOOKS))]
    attempted(Attempt(crate() | frames() | {f"out/o.{form}": spoilt}, tuple(words)), folder)


@cases(24, 3_000)
@given(st.data())
def test_sheets_of_a_crate(folder: Path, data: st.DataObject) -> None:
    spoilt = data.draw(edited_png(crate()["out/o.png"]) | spliced(crate()["out/o.png"]))
    words = [word.replace("FORM", "json") for word in data.draw(st.sampled_from(LOOKS))]
    attempted(Attempt(crate() | frames() | {"out/o.png": spoilt}, tuple(words)), folder)


@cases(24, 5_000)
@given(st.data())
def test_journals(folder: Path, data: st.DataObject) -> None:
    """A folder of a stranger's may hold what an interrupted run seems to have left."""
    journal = {
        "moves": [["o.png", True], ["walk/o.json", False], ["x.txt", False]],
        "removed": ["o.csv"],
        "made": ["walk"],
    }
    work = f"out/{work_name('o')}"
    left = {
        f"{work}/{number}.{end}": b"left" for number in range(4) for end in ("new", "old") if data.draw(st.booleans())
    }
    name = data.draw(st.sampled_from(["journal", "journal.undone"]))
    words = data.draw(
        st.sampled_from([("pack", "frames", "--out", "out/o"), ("verify", "out/o.json"), ("survey", "out")])
    )
    attempted(Attempt(crate() | frames() | left | {f"{work}/{name}": data.draw(edited_json(journal))}, words), folder)


TOML = """\
[defaults]
fps = 12
metadata = ["json", "xml"]
[crate.otter]
from = ["frames"]
out = "out/otter"
layout = "tight"
max-size = [1024, 1024]
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
    return tuple(f"\n{name.replace('_', '-')} = " for name in options())


@cases(36, 10_000)
@given(st.data())
def test_crate_files(folder: Path, data: st.DataObject) -> None:
    words = (
        "[crate.x]\n",
        "[",
        "]",
        "[[",
        "]]",
        "{",
        "}",
        '"""',
        "'''",
        "1979-05-27",
        "true",
        "nan",
        '"out/otter"',
        '["frames"]',
        "defaults",
        "skin",
        "animation",
        "\r\n",
        *_keys(),
    )
    text = data.draw(spliced_text(TOML, *words))
    command = data.draw(st.sampled_from([("--dry-run",), ("--dry-run", "--json"), ()]))
    if not command and (
        'out = "out/otter"' not in text or ".." in text or "out" in text.replace('out = "out/otter"', "")
    ):
        command = ("--dry-run",)  # it may say where its outputs go
    attempted(
        Attempt(
            frames() | {"otter.crate.toml": text.encode("utf-8", "replace")}, ("pack", "otter.crate.toml", *command)
        ),
        folder,
    )


JINJA = ("{{", "}}", "{%", "%}", "{% for f in frames %}", "{% endfor %}", "{{ f.name }}", "frames", "crate", "animations", "loop", "range(10**9)", "'x' * 10**10", ".__class__", "['__globals__']",
    "|map", "|list", "|join", "cycler", "lipsum", "namespace()", "{% include 'x' %}", "{% import '/etc/passwd' as p %}", "{% macro m() %}{{ m() }}{% endmacro %}{{ m() }}", "1/0", "**", "fail('no')")  # fmt: skip


@cases(2, 1_200)
@given(st.data())
def test_templates(folder: Path, data: st.DataObject) -> None:
    text = data.draw(
        spliced_text((DEMO / "templates" / "table.lua.j2").read_text("utf-8"), *JINJA)
        | st.lists(st.sampled_from(JINJA), max_size=8).map("".join)
    )
    attempted(
        Attempt(
            frames() | {"t.lua.j2": text.encode("utf-8", "replace")},
            ("pack", "frames", "--out", "out/o", "--template", "t.lua.j2"),
        ),
        folder,
    )


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
    more = (
        ["--dry-run"]
        if data.draw(st.booleans())
        or any(word.startswith(("--size", "--multiple", "--squeeze", "--pow2")) for word in words)
        else []
    )
    attempted(Attempt(frames(), ("pack", "frames", "--out", "out/o", *words, *more)), folder)


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
    """Bytes of the store are changed, or its values, with digests that are right: the files of a build stay the same."""
    project = frames() | {"otter.crate.toml": TOML.split("[crate.otter.skin")[0].encode()}
    shutil.rmtree(cache_folder, ignore_errors=True)
    wanted: dict[str, bytes] = {}
    for turn in range(2):
        for name, content in (project | wanted).items():
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            (folder / name).write_bytes(content)
        if turn:
            spoil(cache_folder, data)
        status, told = attempted(Attempt(project, ("pack", "otter.crate.toml")), folder)
        assert status == 0, told


def spoil(cache_folder: Path, data: st.DataObject) -> None:
    (path,) = cache_folder.glob("*.sqlite")
    if data.draw(st.booleans()):
        path.write_bytes(data.draw(spliced(path.read_bytes())))
        return
    with sqlite3.connect(path) as connection:
        rows = connection.execute("SELECT key, value FROM entry ORDER BY key").fetchall()
        key, value = data.draw(st.sampled_from(rows))
        spoilt = data.draw(spliced(value))
        connection.execute(
            "UPDATE entry SET value = ?, digest = ? WHERE key = ?", (spoilt, store._digest(key, spoilt), key)
        )
    connection.close()


@pytest.fixture(scope="module")
def server() -> Any:
    pages = {"": Answer("text/html", b"<p>otter</p>"), "1/0.png": Answer("image/png", b"\x89PNG")}
    server = Server(pages.get, lambda path: News("hello", "3") if path == "1/events" else None)
    yield server
    server.close()


@cases(48, 8_000)
@given(st.data())
def test_requests(server: Server, data: st.DataObject) -> None:
    """A page is only served to who knows the token and names this host, whatever else a request may be."""
    token = server.address.rsplit("/", 2)[1]
    whole = f"GET /{token}/ HTTP/1.1\r\nHost: {server.host}\r\nOrigin: http://{server.host}\r\nAccept: */*\r\nContent-Length: 0\r\n\r\n"
    sent = data.draw(
        spliced_text(
            whole,
            "\r\n",
            "HEAD",
            "POST",
            "HTTP/1.0",
            "Host: otter.example\r\n",
            "Origin: null\r\n",
            "Transfer-Encoding: chunked\r\n",
            "%2e%2e/",
            "1/0.png",
            "?",
            "\r",
            ":",
        )
    )
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
    """Writes a case that was found to the corpus."""
    files = {path: base64.b64encode(data).decode() for path, data in attempt.files.items()}
    (FOUND / f"{name}.json").write_text(json.dumps({"words": attempt.words, "files": files}, indent=1) + "\n", "utf-8")


def kept(path: Path) -> Attempt:
    said = json.loads(path.read_text("utf-8"))
    return Attempt({name: base64.b64decode(data) for name, data in said["files"].items()}, tuple(said["words"]))


@pytest.mark.parametrize("path", sorted(FOUND.glob("*.json")), ids=lambda path: path.stem)
def test_what_was_found_before(path: Path, folder: Path) -> None:
    attempted(kept(path), folder)
