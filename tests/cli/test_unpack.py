"""`unpack`, as the installed program: what was packed is cut again, and comes back."""

import json
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from conftest import Run, art, decode, metadata, save, tree, unicode_names


@pytest.fixture
def sheet(run: Run, swim: Path, tmp_path: Path) -> Path:
    run("pack", "frames", "--out", "o", "--columns", "5", "--gap", "1", "--margin", "2")
    return tmp_path / "o.png"


@pytest.mark.parametrize(
    "how",
    [
        ["--cell", "8x8", "--margin", "2", "--gap", "1"],
        ["--columns", "5", "--rows", "3", "--margin", "2", "--gap", "1"],
    ],
)
def test_a_grid_comes_back(run: Run, sheet: Path, tmp_path: Path, how: list[str]) -> None:
    done = run("unpack", "o.png", "--out", "cut", "--margin", "2", "--gap", "1", *how)
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout == "cut 13 frames from o.png\n  3 rows: 5, 5 and 3\n  wrote cut/o_01.png … o_13.png\n"
    for number in range(1, 14):
        assert np.array_equal(decode(tmp_path / "cut" / f"o_{number:02d}.png"), art(8, 8, number))


def test_empty_cells_islands_and_json(run: Run, sheet: Path, tmp_path: Path) -> None:
    grid = ["--columns", "5", "--rows", "3", "--margin", "2", "--gap", "1"]
    said = json.loads(run("unpack", "o.png", "--out", "all", *grid, "--keep-empty", "--json").stdout)
    assert (len(said["files"]), said["rows"]) == (15, [5, 5, 5])
    blobs = np.zeros((20, 60, 4), np.uint8)
    for x in (2, 16, 40):
        blobs[4:14, x : x + 10] = (9, 9, 9, 255)
    blobs[4:14, 26:30] = blobs[4:14, 16:20]
    blobs[4:14, 30:36] = blobs[4:14, 16:22]
    save(tmp_path / "blobs.png", blobs)
    done = run("unpack", "blobs.png", "--islands", "--out", "cut")
    assert "cut 3 frames from blobs.png\n" in done.stdout
    assert done.stderr.startswith("agile-crate: warning: island 2 at 16,4 is 20×10 where others are about 10×10: ")
    assert decode(tmp_path / "cut" / "blobs_02.png").shape == (10, 20, 4)


@pytest.fixture
def harbor(run: Run, tmp_path: Path) -> dict[str, np.ndarray]:
    """A tight crate with everything that has to be undone, and its frames as drawn."""
    frames = {f"gull/swing/swing_{i:02d}": art(14 + i, 20, i) for i in range(1, 5)} | {"parcel": art(6, 5, 9)}
    for name, pixels in frames.items():
        pixels[:, :3] = 0
        save(tmp_path / "frames" / f"{name}.png", pixels)
    options = ("--turn", "--share-mirrored", "--mirrored", "left=gull/swing", "--gap", "1", "--max-size", "42x30")
    times = ("--loop", "gull/swing=back-and-forth", "--loop", "left=once", "--fps", "8", "--hold", "left:2=250ms")
    run(
        "pack", "frames", "--out", "o", "--layout", "tight", "--pivot", "0.5,0.9", "--metadata", "json,xml",
        *options, *times,
    )  # fmt: skip
    return frames | {
        name.replace("gull/swing/swing", "left/left"): p[:, ::-1] for name, p in frames.items() if "gull" in name
    }


@pytest.mark.parametrize("data", ["o.json", "o.xml"])
def test_a_crate_comes_back_frame_by_frame(run: Run, harbor: dict[str, np.ndarray], tmp_path: Path, data: str) -> None:
    assert len(metadata(tmp_path / "o.json")["sheets"]) > 1
    done = run("unpack", data, "--out", "back/all")
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout == f"unpacked 9 frames from {data}\n  wrote back/all/gull/swing/swing_01.png … parcel.png\n"
    assert sorted(tree(tmp_path / "back/all")) == sorted(f"{name}.png" for name in harbor)
    for name, pixels in harbor.items():
        found = decode(tmp_path / "back/all" / f"{name}.png")
        assert np.array_equal(found[found[..., 3] > 0], pixels[pixels[..., 3] > 0]), name
        assert np.array_equal(found[..., 3], pixels[..., 3]), name


def test_films_play_as_an_engine_would(run: Run, harbor: dict[str, np.ndarray], tmp_path: Path) -> None:
    said = json.loads(run("unpack", "o.json", "--out", "back", "--film", "--json").stdout)
    assert said["films"] == ["back/gull/swing.apng", "back/left.apng"]
    assert len(said["files"]) == 9
    frames = metadata(tmp_path / "o.json")["frames"]
    pivots = [frame["pivot"] for frame in frames[:4]]
    with Image.open(tmp_path / "back/gull/swing.apng") as film:
        assert (film.n_frames, film.info["loop"]) == (6, 0)
        for step, index in enumerate((0, 1, 2, 3, 2, 1)):
            film.seek(step)
            assert film.info["duration"] == 125
            pixels = harbor[frames[index]["name"]]
            corners = [[math.floor(0.5 - part) for part in pivot] for pivot in pivots]
            x, y = (corners[index][axis] - min(corner[axis] for corner in corners) for axis in (0, 1))
            part = np.asarray(film.convert("RGBA"))[y : y + pixels.shape[0], x : x + pixels.shape[1]]
            assert np.array_equal(part[pixels[..., 3] > 0], pixels[pixels[..., 3] > 0])
    with Image.open(tmp_path / "back/left.apng") as film:
        assert (film.n_frames, film.info["loop"]) == (4, 1)
        film.seek(1)
        assert film.info["duration"] == 250
    again = run("pack", "back/gull/swing.apng", "--out", "again")
    assert "packed 6 frames, 1 animation" in again.stdout


def hostile(change: Callable[[dict[str, Any]], object]) -> Callable[[Path], None]:
    def write(path: Path) -> None:
        document = metadata(path)
        change(document)
        path.write_text(json.dumps(document), "utf-8")

    return write


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        (lambda d: d["frames"][1].update(name="../../gull"), r"o.json: frame '../../gull' has a name that leads out of its folder, or nowhere"),
        (lambda d: d["frames"][1].update(name="/etc/gull"), "o.json: frame '/etc/gull' has a name that leads out of its folder, or nowhere"),
        (lambda d: d["frames"][1].update(name="a/"), "o.json: frame 'a/' has a name that leads out of its folder, or nowhere"),
        (lambda d: d["frames"][1].update(name="x" * 300), "which is longer than the 255 bytes that a file name can have"),
        (lambda d: d["frames"][1].update(name="PARCEL"), "o.json: frames 'PARCEL' and 'parcel' differ only in case"),
        (lambda d: d["animations"][0].update(name="../left"), "o.json: animation '../left' has a name that leads out of its folder, or nowhere"),
        (lambda d: d["frames"][1].update(canvas=[16_384, 16_385]), "o.json: frames[1].canvas: expected at most 268,435,456 pixels (--limit sheet-pixels=N allows more), found [16384, 16385]"),
        (lambda d: [f.update(canvas=[16_384, 16_384]) for f in d["frames"]], "o.json: its frames would take more than 8.00 GB"),
        (lambda d: d["frames"][1].update(box=[60, 30, 40, 40]), "is not inside its sheet"),
        (lambda d: d["frames"][1].update(offset=[40, 40]), "lie beside its canvas"),
        (lambda d: d["sheets"][0].update(image="../o-1.png"), "o.json: sheets[0].image: expected the name of a file in the same folder"),
        (lambda d: d["sheets"][0].update(image="gone.png"), "o.json: sheet 'gone.png' cannot be read: no such file or directory"),
        (lambda d: d.update(version=2), "o.json: version: expected 1, the only version this program reads, found 2"),
        (lambda d: d["animations"][0].update(frames=[99] * 4), "names frame 99, and the last one is 8"),
    ],
)  # fmt: skip
def test_hostile_metadata_writes_nothing(run: Run, harbor: object, tmp_path: Path, change: Any, sentence: str) -> None:
    hostile(change)(tmp_path / "o.json")
    before = tree(tmp_path)
    done = run("unpack", "o.json", "--out", "a/b/back", "--film")
    assert (done.returncode, done.stdout) == (3, "")
    assert sentence in done.stderr.replace("\n  ", " ")
    assert done.stderr.count("agile-crate: error: ") == 1
    assert tree(tmp_path) == before
    assert not (tmp_path / "a").exists()


def test_what_is_in_the_way_stays(run: Run, harbor: object, tmp_path: Path) -> None:
    save(tmp_path / "back" / "parcel.png", art(3, 3))
    before = tree(tmp_path)
    done = run("unpack", "o.json", "--out", "back")
    assert (done.returncode, tree(tmp_path)) == (5, before)
    assert (
        done.stderr == "agile-crate: error: parcel.png already exists in back; choose another --out, or give --force\n"
    )
    assert run("unpack", "o.json", "--out", "back", "--force").returncode == 0
    (tmp_path / "file").write_text("")
    done = run("unpack", "o.json", "--out", "file")
    assert done.returncode == 5
    assert "file cannot be written: is a file, not a folder" in done.stderr


@pytest.fixture
def figures(tmp_path: Path) -> list[np.ndarray]:
    """touching.png: standing figures, the second and the third of which touch, and below them some with a fallen one."""
    y, x = np.mgrid[:20, :14]
    shape = ((x - 6.5) / 7) ** 2 + ((y - 9.5) / 10) ** 2 <= 1
    drawn = [np.where(shape[..., None], np.uint8([30 * n, 90, 40, 255]), np.uint8(0)) for n in range(1, 7)]
    fallen = np.rot90(drawn[5])
    sheet = np.zeros((48, 76, 4), np.uint8)
    for figure, (left, bottom) in zip(drawn[:5], [(2, 22), (18, 22), (32, 22), (2, 46), (20, 46)], strict=True):
        sheet[bottom - 20 : bottom, left : left + 14] = figure
    sheet[2:22, 50:64] = drawn[5]
    sheet[32:46, 40:60] = fallen
    save(tmp_path / "touching.png", sheet)
    return [*drawn[:3], drawn[5], *drawn[3:5], fallen]


def test_touching_figures_come_apart_and_stand_on_one_ground(
    run: Run, figures: list[np.ndarray], tmp_path: Path
) -> None:
    done = run("unpack", "touching.png", "--islands", "--split-touching", "--name-rows", "walk,fall", "--out", "cut")
    assert (done.returncode, done.stderr) == (0, "")
    assert "cut 7 frames from touching.png\n  2 rows: 4 and 3\n" in done.stdout
    assert "  split from 32,2 to 32,21, where 8 pixels touched, in the box 18,2, 28×20: please check\n" in done.stdout
    names = [f"walk/walk_{n:02}.png" for n in range(1, 5)] + [f"fall/fall_{n:02}.png" for n in range(1, 4)]
    assert sorted(tree(tmp_path / "cut")) == sorted(names)
    for name, figure in zip(names, figures, strict=True):
        assert np.array_equal(decode(tmp_path / "cut" / name), figure)
    assert run("pack", "cut", "--out", "o", "--layout", "rows").returncode == 0
    document = metadata(tmp_path / "o.json")
    assert [animation["name"] for animation in document["animations"]] == ["fall", "walk"]
    bottoms = {frame["box"][1] + frame["box"][3] for frame in document["frames"][:3]}
    assert bottoms == {20}  # in the first row of cells, which are as high as a standing figure


def test_boxes_are_written_corrected_and_cut(run: Run, figures: list[np.ndarray], tmp_path: Path) -> None:
    cut = ("unpack", "touching.png", "--out", "cut")
    done = run(*cut, "--islands", "--dry-run", "--boxes-out", "boxes.csv", "--json")
    said = json.loads(done.stdout)
    assert (said["dry_run"], said["rows"], len(said["files"])) == (True, [3, 3], 6)
    assert not (tmp_path / "cut").exists()
    text = (tmp_path / "boxes.csv").read_text("utf-8")
    lines = text.splitlines()
    assert lines[:3] == ["name,x,y,w,h", "touching_01,2,2,14,20", "touching_02,18,2,28,20"]
    there = run(*cut, "--islands", "--boxes-out", "boxes.csv")
    assert there.stderr == "agile-crate: error: boxes.csv already exists; choose another --boxes-out, or give --force\n"
    lines[2:3] = ["swim/swim_1,18,2,14,20", '"swim/swim_2", 32,2,14,20']
    (tmp_path / "boxes.csv").write_text("\n".join(lines), "utf-8")
    done = run(*cut, "--boxes", "boxes.csv")
    assert (done.returncode, done.stderr) == (0, "")
    assert "cut 7 frames from touching.png\n  1 row: 7\n" in done.stdout
    assert np.array_equal(decode(tmp_path / "cut/swim/swim_2.png"), figures[2])
    lines[4] = "sw,20,2,20,20"
    (tmp_path / "boxes.csv").write_text("\n".join(lines), "utf-8")
    assert run(*cut, "--boxes", "boxes.csv", "--force").stderr == (
        "agile-crate: warning: boxes 2 and 4 overlap: what lies in both is in both frames\n"
        "agile-crate: warning: boxes 3 and 4 overlap: what lies in both is in both frames\n"
    )


def test_opaque_sheets_take_a_color_key_or_are_warned_of(run: Run, figures: list[np.ndarray], tmp_path: Path) -> None:
    sheet = decode(tmp_path / "touching.png").copy()
    sheet[sheet[..., 3] == 0] = (250, 0, 250, 255)
    save(tmp_path / "opaque.png", sheet)
    done = run("unpack", "opaque.png", "--islands", "--out", "one")
    assert "cut 1 frame from" in done.stdout
    assert done.stderr == (
        "agile-crate: warning: the sheet has no transparent pixels, so it is one island: name its background "
        "color with --color-key, such as --color-key corner\n"
    )
    for key in ("corner", "#fa00fa"):
        done = run("unpack", "opaque.png", "--islands", "--split-touching", "--color-key", key, "--out", key.strip("#"))
        assert (done.returncode, done.stderr) == (0, "")
        assert np.array_equal(decode(tmp_path / key.strip("#") / "opaque_03.png"), figures[2])


@unicode_names
def test_names_that_clash_on_some_platforms_are_refused_before_anything_is_written(run: Run, tmp_path: Path) -> None:
    """By pack and survey where frames are gathered, and by verify where metadata says so."""
    for number, (names, told) in enumerate(
        (
            (("run01", "run02", "Run05"), "the animations 'Run' and 'run' differ only in case"),
            (("m\u00f6we", "mo\u0308we"), "differ only in how accents are stored"),
            (("a", "a.png/b"), "the names 'a' and 'a.png/b' need a file and a folder of one name"),
        )
    ):
        for name in names:
            save(tmp_path / f"f{number}" / f"{name}.{'webp' if name == 'a' else 'png'}", art(6, 6, len(name)))
        done = run("pack", f"f{number}", "--out", "o")
        assert (done.returncode, done.stderr.count("\n")) == (3, 1)
        assert told in done.stderr
        assert told.rpartition("'")[2] in " ".join(run("survey", f"f{number}").stdout.split())
    save(tmp_path / "g" / "a.png")
    save(tmp_path / "g" / "b.png", art(5, 5))
    assert run("pack", "g", "--out", "o").returncode == 0
    hostile(lambda d: d["frames"][1].update(name="a.png/b"))(tmp_path / "o.json")
    done = run("verify", "o.json")
    assert (done.returncode, "frames 'a' and 'a.png/b' need a file and a folder of one name" in done.stdout) == (
        1,
        True,
    )


def test_names_that_some_platforms_cannot_have_are_written_under_others(run: Run, tmp_path: Path) -> None:
    names = ["CON", "a:b", "a_b", "dive.", " end. ", "bell\a", 'a"b?*|']
    for seed, name in enumerate(names):
        save(tmp_path / "frames" / f"{name}.png", art(7, 5, seed))
    assert run("pack", "frames", "--out", "o").returncode == 0
    done = run("unpack", "o.json", "--out", "back")
    assert (done.returncode, done.stderr) == (
        0,
        "agile-crate: warning: written under names that every platform allows: ' end. .png' as 'end_.png', 'a\"b?*|.png' as "
        "'a_b___.png', 'a:b.png' as 'a_b-2.png', 'bell\\x07.png' as 'bell_.png' and 'CON.png' as 'CON_.png'\n",
    )
    safe = "CON_.png a_b-2.png a_b.png a_b___.png bell_.png dive..png end_.png"
    assert sorted(tree(tmp_path / "back")) == safe.split()
    assert np.array_equal(decode(tmp_path / "back" / "a_b-2.png"), decode(tmp_path / "frames" / "a:b.png"))
