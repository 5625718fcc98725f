"""Crates of many kinds, as `pack` wrote them, for the readers to read; and their source frames."""

import json
from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from threading import Thread
from typing import Any

import numpy as np
import pytest

from conftest import art, check_metadata, save
from prepared_program import run_prepared

READERS = Path(__file__).parents[2] / "readers"
TABLE = Path(__file__).parents[2] / "src/agile_crate/demo/templates/table.lua.j2"

KINDS = {
    "grid": ("--columns", "5", "--metadata", "json,xml,css,csv"),
    "rows": ("--layout", "rows", "--trim", "animation", "--gap", "1", "--metadata", "json,css"),
    "trimmed": ("--layout", "tight", "--pivot", "feet", "--cushion", "1", "--metadata", "json,css", "--effort", "quick"),
    "turned": ("--layout", "tight", "--turn", "--gap", "1", "--effort", "quick"),
    "mirrored": ("--layout", "tight", "--turn", "--share-mirrored", "--mirrored", "left=swim", "--effort", "quick"),
    "sheets": ("--layout", "tight", "--max-size", "48x48", "--trim", "frame", "--metadata", "json,css", "--effort", "quick"),
    "edges": ("--layout", "tight", "--edge-repeat", "1", "--effort", "quick"),
}  # fmt: skip


@dataclass(frozen=True)
class Crate:
    """A crate on disk: its metadata file, what that says, and the source pictures by frame name."""

    path: Path
    document: dict[str, Any]
    sources: dict[str, np.ndarray]


def _frames(folder: Path) -> dict[str, np.ndarray]:
    """Frames of several sizes with empty rims, soft edges and one that is wholly empty."""
    pictures: dict[str, np.ndarray] = {}
    for animation, count, (w, h) in (("swim", 5, (24, 15)), ("dive", 4, (13, 20))):
        for number in range(1, count + 1):
            pixels = art(w, h, number + len(animation) * (animation == "dive"))
            pixels[: 1 + number % 3], pixels[-1], pixels[:, : 2 + number % 4], pixels[:, w - number :] = 0, 0, 0, 0
            pictures[f"{animation}/{animation}_{number:02d}"] = pixels
    pictures["dive/dive_04"][:] = 0
    pictures["parcel"] = np.pad(art(9, 7, 40), ((1, 1), (1, 1), (0, 0)))
    for name, pixels in pictures.items():
        save(folder / f"{name}.png", pixels)
    return pictures


@pytest.fixture(scope="session")
def crates(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Crate]:
    """One crate of each kind; swim goes back and forth by beats of 1/7 s, dive is shown once, its frames no multiples."""
    top = tmp_path_factory.mktemp("crates")
    sources = _frames(top / "frames")
    sources |= {
        name.replace("swim/swim", "left/left"): pixels[:, ::-1] for name, pixels in sources.items() if "swim" in name
    }
    times = ("--fps", "swim=7", "--hold", "swim:2=3", "--loop", "swim=back-and-forth", "--loop", "dive=once",
             "--hold", "dive:2=100ms")  # fmt: skip
    made = {}
    for kind, options in KINDS.items():
        path = top / "out" / kind
        words = ["pack", str(top / "frames"), "--out", str(path), *times, *options, "--template", str(TABLE)]
        assert run_prepared(words, top).returncode == 0
        check_metadata(path)
        document = json.loads(path.with_suffix(".json").read_text("utf-8"))
        made[kind] = Crate(path.with_suffix(".json"), document, sources)
    return made


@pytest.fixture(params=KINDS)
def crate(request: pytest.FixtureRequest, crates: dict[str, Crate]) -> Crate:
    return crates[request.param]


def times_of(animation: dict[str, Any]) -> Iterator[tuple[float, int]]:
    """Times to ask for, with the frame that is shown then, as docs/programmers/format.md tells it: at the first and the
    last millisecond of a step, and at every beat of a clock that adds beats up, with all its rounding."""
    frames, lengths, unit = animation["frames"], animation["durations"], 1.0
    if "beats" in animation:
        lengths, unit = animation["beats"], 1000 / (animation["fps"][0] / animation["fps"][1])
    order = list(zip(frames, lengths, strict=True))
    if animation["loop"] == "back-and-forth":
        order += order[-2:0:-1]
    yield -1, frames[0] if animation["loop"] == "once" else order[-1][0]
    clock = 0.0
    for turn in range(3):
        for frame, length in order:
            shown = frames[-1] if animation["loop"] == "once" and turn > 0 else frame
            for _ in range(length if unit > 1 else 1):
                yield clock, shown
                clock += unit if unit > 1 else length
            yield clock - 1, shown


@pytest.fixture
def site(tmp_path: Path) -> Iterator[str]:
    """The address of the test's own folder, served on this machine."""
    handler = partial(_Quiet, directory=str(tmp_path))
    server = ThreadingHTTPServer(("127.0.0.1", 0), handler)
    thread = Thread(target=server.serve_forever, args=(0.02,), daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{server.server_port}"
    server.shutdown()
    server.server_close()
    thread.join()


class _Quiet(SimpleHTTPRequestHandler):
    def log_message(self, format: str, *arguments: Any) -> None:
        pass


@pytest.fixture(scope="session")
def worn(tmp_path_factory: pytest.TempPathFactory) -> Crate:
    """A crate with a skin, `coat`, and the sources of that."""
    top = tmp_path_factory.mktemp("worn")
    sources = {f"swim/swim_{number:02d}": art(14, 11, 50 + number) for number in (1, 2, 3)}
    for number, (name, pixels) in enumerate(sources.items()):
        save(top / "frames" / f"{name}.png", art(14, 11, number))
        save(top / "coat" / f"{name}.png", pixels)
    (top / "o.crate.toml").write_text(
        f'[crate.o]\nfrom = "frames"\nout = "out/o"\nlayout = "tight"\ntemplate = "{TABLE.as_posix()}"\n'
        '[crate.o.skin.coat]\nfrom = "coat"\n',
        "utf-8",
    )
    assert run_prepared(["pack", "o.crate.toml"], top).returncode == 0
    path = top / "out" / "o.json"
    return Crate(path, json.loads(path.read_text("utf-8")), sources)
