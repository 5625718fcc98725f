"""Nineteen jobs as artists have them, each done by one command line or two, and checked to the pixel by the independent
reader, which knows docs/programmers/format.md alone."""

import json
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

import independent_reader
from conftest import Run, decode, metadata, save


def figure(step: int = 0, *, w: int = 14, h: int = 20, tint: int = 0) -> np.ndarray:
    """A small figure with hard edges: a body, a head, and an arm that moves with the step."""
    pixels = np.zeros((h, w, 4), np.uint8)
    pixels[h // 3 :, 2 : w - 2] = (120 + tint, 70, 40, 255)
    pixels[: h // 3, 4 : w - 4] = (200, 160 + tint % 90, 120, 255)
    pixels[h // 2, : 2 + step % (w - 3)] = (60, 20 + 20 * step % 230, 90, 255)
    return pixels


def on(canvas: tuple[int, int], pixels: np.ndarray, left: int, top: int) -> np.ndarray:
    """A picture on a larger canvas (w, h)."""
    result = np.zeros((canvas[1], canvas[0], 4), np.uint8)
    result[top : top + pixels.shape[0], left : left + pixels.shape[1]] = pixels
    return result


def drawn(folder: Path, name: str, pictures: Iterable[np.ndarray], first: int = 1) -> list[np.ndarray]:
    """An animation's folder of numbered pictures."""
    pictures = list(pictures)
    for number, pixels in enumerate(pictures, first):
        save(folder / name / f"{name}_{number:02}.png", pixels)
    return pictures


class Bench:
    """The folder that a job is done in: what is run there must go well, and every crate must come back."""

    def __init__(self, run: Run, folder: Path) -> None:
        self.run, self.folder, self.frames = run, folder, folder / "frames"

    def does(self, *words: object) -> str:
        done = self.run(*words)
        assert (done.returncode, done.stderr) == (0, ""), done.stderr
        return done.stdout

    def packed(self, *options: object, against: str = "frames", out: str = "out") -> tuple[dict, dict[str, np.ndarray]]:
        """The metadata and, by the independent reader, the frames of a crate of the folder `frames`."""
        self.does("pack", against, "--out", out, *options)
        return self.result(out, against)

    def result(self, out: str = "out", against: str = "frames") -> tuple[dict, dict[str, np.ndarray]]:
        path = next(path for end in (".json", ".xml") if (path := self.folder / f"{out}{end}").exists())
        assert "match their sources, pixel for pixel" in self.does("verify", path.name, "--against", against)
        return independent_reader.read(path), independent_reader.restored(path)


@pytest.fixture
def bench(run: Run, tmp_path: Path) -> Bench:
    return Bench(run, tmp_path)


def same(found: np.ndarray, expected: np.ndarray) -> bool:
    return found.shape == expected.shape and np.array_equal(found, expected)


def bounds(pixels: np.ndarray) -> tuple[int, int, int, int]:
    """Left, top, width and height of what is visible."""
    rows, columns = np.flatnonzero(pixels[..., 3].any(axis=1)), np.flatnonzero(pixels[..., 3].any(axis=0))
    return int(columns[0]), int(rows[0]), int(np.ptp(columns)) + 1, int(np.ptp(rows)) + 1


def test_a_drawn_character_is_shrunk_into_equal_boxes(bench: Bench) -> None:
    drawn(bench.frames, "idle", (on((160, 200), figure(n, w=84, h=120), 40 + n, 60) for n in range(4)))
    document, frames = bench.packed("--fit", "48", "--fit-to", "art", "--trim", "animation", "--cell", "48")
    assert document["sheets"][0]["cells"]["size"] == [48, 48]
    assert {tuple(frame["box"][2:]) for frame in document["frames"]} == {(35, 48)}
    assert max(bounds(pixels)[3] for pixels in frames.values()) == 48


def test_a_power_of_two_atlas_with_xml(bench: Bench) -> None:
    pictures = drawn(bench.frames, "swim", (on((32, 32), figure(n), 3 + n, 5) for n in range(9)))
    _, frames = bench.packed("--layout", "tight", "--pow2", "--metadata", "xml")
    assert not (bench.folder / "out.json").exists()
    assert all(side & (side - 1) == 0 for side in decode(bench.folder / "out.png").shape[:2])
    assert all(same(frames[f"swim/swim_{n:02}"], pixels) for n, pixels in enumerate(pictures, 1))


def test_a_range_of_a_render_in_eight_columns(bench: Bench) -> None:
    pictures = drawn(bench.frames, "render", (figure(n, tint=n) for n in range(30)), first=0)
    document, frames = bench.packed("--numbers", "3-26", "--columns", "8")
    assert [frame["name"] for frame in document["frames"]] == [f"render/render_{n:02}" for n in range(3, 27)]
    assert (document["sheets"][0]["cells"]["columns"], document["sheets"][0]["cells"]["rows"]) == (8, 3)
    assert same(frames["render/render_17"], pictures[17])
    assert document["frames"][9]["box"][:2] == [14, 20]


def test_right_facing_frames_and_their_mirror_images(bench: Bench) -> None:
    for name in ("walk_right", "run_right", "walk_left"):
        drawn(bench.frames, name, (figure(n, tint=len(name)) for n in range(3)))
    document, frames = bench.packed("--include", "*_right/*", "--mirrored", "*_left=*_right")
    assert [one["name"] for one in document["animations"]] == ["run_left", "run_right", "walk_left", "walk_right"]
    for n in range(1, 4):
        assert same(frames[f"walk_left/walk_left_{n:02}"], frames[f"walk_right/walk_right_{n:02}"][:, ::-1])


def test_touching_figures_are_cut_and_stand_on_one_ground(bench: Bench) -> None:
    shapes = [figure(0, tint=10 * n)[:, 2:-2] for n in range(4)] + [np.rot90(figure(0, tint=50)[:, 2:-2])]
    sheet = np.zeros((30, 90, 4), np.uint8)
    for left, pixels in zip((2, 14, 28, 42, 58), shapes, strict=True):
        sheet[28 - pixels.shape[0] : 28, left : left + pixels.shape[1]] = pixels
    sheet[20, 12:14] = (1, 2, 3, 255)  # where the first two hold hands
    save(bench.folder / "sheet.png", sheet)
    cut = bench.run("unpack", "sheet.png", "--islands", "--split-touching", "--name-rows", "otter", "--out", "frames")
    assert cut.returncode == 0
    assert cut.stderr.endswith("it has no thin place, so it was left whole\n")  # the fallen one
    document, frames = bench.packed("--align", "bottom", "--layout", "strip")
    assert len(frames) == 5
    ground = {
        frame["box"][1] + bounds(frames[frame["name"]])[1] + bounds(frames[frame["name"]])[3]
        for frame in document["frames"]
    }
    assert ground == {document["sheets"][0]["size"][1]}
    assert sum(int((pixels[..., 3] > 0).sum()) for pixels in frames.values()) == int((sheet[..., 3] > 0).sum())


def test_four_animations_by_ranges_with_two_rates_and_a_hold(bench: Bench) -> None:
    pictures = drawn(bench.frames, "all", (figure(n, tint=n) for n in range(20)))
    document, frames = bench.packed(
        "--split", "idle:1-4,walk:5-12,jump:13-16,fall:17-last", "--fps", "8", "--fps", "walk=12", "--hold",
        "fall:last=500ms",
    )  # fmt: skip
    lengths = {one["name"]: len(one["frames"]) for one in document["animations"]}
    assert lengths == {"fall": 4, "idle": 4, "jump": 4, "walk": 8}
    durations = {one["name"]: one["durations"] for one in document["animations"]}
    assert durations["fall"] == [125, 125, 125, 500]
    assert durations["walk"][:3] == [83, 84, 83]
    assert same(frames["jump_13"], pictures[12])


def test_a_total_length_in_seconds(bench: Bench) -> None:
    drawn(bench.frames, "dive", (figure(n) for n in range(7)))
    document, _ = bench.packed("--duration", "1.5s", "--loop", "once")
    (dive,) = document["animations"]
    assert (sum(dive["durations"]), len(dive["durations"]), dive["loop"]) == (1500, 7, "once")


def test_a_strip_named_by_size_and_count_with_origin_and_polygons(bench: Bench) -> None:
    drawn(bench.frames, "spin", (on((24, 24), figure(n), 5, 3) for n in range(5)))
    name = "{name}_{cell_width}x{cell_height}_{frames}"
    document, frames = bench.packed("--layout", "strip", "--file-name", name, "--pivot", "0.5,1", "--shape", "hull")
    assert document["sheets"][0]["image"] == "out_24x24_5.png"
    assert document["sheets"][0]["size"] == [5 * 24, 24]
    for frame in document["frames"]:
        assert frame["pivot"] == [12, 24]
        (polygon,) = frame["shape"]["polygons"]
        left, top, w, h = bounds(frames[frame["name"]])
        assert {min(x for x, _ in polygon), max(x for x, _ in polygon)} == {left, left + w}
        assert {min(y for _, y in polygon), max(y for _, y in polygon)} == {top, top + h}


def test_three_by_four_directions_with_a_special_character_in_the_name(bench: Bench) -> None:
    for name in ("down", "left", "right", "up"):
        drawn(bench.frames, name, (figure(n, tint=3 * len(name)) for n in range(3)))
    document, _ = bench.packed("--layout", "rows", "--order", "down,left,right,up", out="$otter")
    assert document["sheets"][0]["image"] == "$otter.png"
    assert document["sheets"][0]["size"] == [3 * 14, 4 * 20]
    boxes = {frame["name"]: frame["box"][:2] for frame in document["frames"]}
    for row, name in enumerate(("down", "left", "right", "up")):
        assert [boxes[f"{name}/{name}_{n:02}"] for n in (1, 2, 3)] == [[14 * n, 20 * row] for n in range(3)]


def test_a_turntable_in_eight_colors_without_a_hitch(bench: Bench) -> None:
    turn = [figure(n, tint=9 * n) for n in range(8)]
    drawn(bench.frames, "turn", [*turn, turn[0]])
    document, frames = bench.packed("--colors", "8", "--drop-closing")
    assert len(document["animations"][0]["frames"]) == 8
    colors = {tuple(pixel) for pixels in frames.values() for pixel in pixels.reshape(-1, 4).tolist() if pixel[3]}
    assert len(colors) <= 8
    with Image.open(bench.folder / "out.png") as image:
        assert image.mode == "P"


def test_a_labeled_quick_look(bench: Bench) -> None:
    pictures = drawn(bench.frames, "swim", (figure(n) for n in range(6)))
    assert bench.does("show", "frames", "--out", "look.png") == "wrote look.png\n"
    view = decode(bench.folder / "look.png")
    assert view.shape[1] >= 640
    assert not (bench.folder / "out.png").exists()
    tones = {tuple(pixel) for pixel in view.reshape(-1, 4)[:, :3].tolist()}
    assert tuple(pictures[0][-1, 5, :3].tolist()) in tones


def test_one_pivot_and_then_a_retouched_sheet(bench: Bench) -> None:
    pictures = drawn(bench.frames, "idle", (on((32, 32), figure(n), 8, 9) for n in range(4)))
    document, _ = bench.packed("--pivot", "16px,29px", "--trim", "animation")
    assert {tuple(frame["pivot"]) for frame in document["frames"]} == {(16, 29)}
    sheet = decode(bench.folder / "out.png").copy()
    x, y = document["frames"][2]["box"][:2]
    sheet[y + 3, x + 5] = (255, 0, 0, 255)
    save(bench.folder / "out.png", sheet)
    bench.does("pack", "frames", "--out", "out", "--pivot", "16px,29px", "--trim", "animation", "--keep-edits")
    document, frames = bench.result()
    resealed = pictures[2].copy()
    resealed[9 + 3, 8 + 5] = (255, 0, 0, 255)
    assert same(frames["idle/idle_03"], resealed)
    assert same(frames["idle/idle_02"], pictures[1])


def test_a_repeated_render_in_four_directions(bench: Bench) -> None:
    for name in ("east", "north", "south", "west"):
        drawn(bench.frames, name, (figure(n // 2, tint=len(name)) for n in range(8)))  # rendered on twos
    document, frames = bench.packed("--drop-duplicates", "--fps", "24", "--layout", "rows")
    assert len(frames) == 16
    for one in document["animations"]:
        assert (len(one["frames"]), sum(one["durations"]), one["beats"]) == (4, 333, [2, 2, 2, 2])


def test_centered_with_padding(bench: Bench) -> None:
    pictures = drawn(bench.frames, "pop", (figure(0, w=8 + 2 * n, h=10 + 2 * n) for n in range(4)))
    document, _ = bench.packed("--align", "center", "--cell", "24", "--gap", "4", "--margin", "2", "--columns", "2")
    sheet = decode(bench.folder / "out.png")
    assert document["sheets"][0]["size"] == [2 + 24 + 4 + 24 + 2] * 2
    for index, pixels in enumerate(pictures):
        h, w = pixels.shape[:2]
        x, y = (2 + 28 * at + (24 - side) // 2 for at, side in ((index % 2, w), (index // 2, h)))
        assert same(sheet[y : y + h, x : x + w], pixels)


def test_drawings_of_other_sizes_on_one_canvas(bench: Bench) -> None:
    pictures = drawn(bench.frames, "grow", (figure(n, w=10 + 2 * n, h=12 + 3 * n) for n in range(4)))
    document, frames = bench.packed("--canvas", "common", "--align", "bottom")
    assert {tuple(frame["canvas"]) for frame in document["frames"]} == {(16, 21)}
    for n, pixels in enumerate(pictures, 1):
        h, w = pixels.shape[:2]
        assert same(frames[f"grow/grow_{n:02}"], on((16, 21), pixels, (16 - w) // 2, 21 - h))


def test_a_strip_of_an_exact_size_shifted_as_one(bench: Bench) -> None:
    pictures = drawn(bench.frames, "hover", (on((144, 144), figure(n, w=40, h=60), 44, 40) for n in range(8)))
    _, frames = bench.packed("--layout", "strip", "--size", "1152x144", "--shift", "0,-12")
    assert decode(bench.folder / "out.png").shape == (144, 1152, 4)
    for n, pixels in enumerate(pictures, 1):
        assert same(frames[f"hover/hover_{n:02}"], np.roll(pixels, -12, axis=0))


def test_one_smallest_common_canvas_named_after_the_character(bench: Bench) -> None:
    pictures = drawn(bench.frames, "frame", (on((64, 64), figure(n), 20 + 2 * n, 30 - n) for n in range(4)))
    document, frames = bench.packed("--rename", "otter", "--trim", "sheet", "--no-offsets", out="otter")
    union = np.max([pixels[..., 3] for pixels in pictures], axis=0)
    left, top, w, h = bounds(np.dstack([union] * 4))
    assert [one["name"] for one in document["animations"]] == ["otter"]
    assert {tuple(frame["canvas"]) for frame in document["frames"]} == {(w, h)}
    for n, pixels in enumerate(pictures, 1):
        assert same(frames[f"otter_{n:02}"], pixels[top : top + h, left : left + w])


def test_cropped_alike_with_a_hold(bench: Bench) -> None:
    pictures = drawn(bench.frames, "wave", (on((40, 40), figure(n), 10 + n, 12) for n in range(5)))
    document, frames = bench.packed("--trim", "animation", "--fps", "10", "--hold", "3=4")
    assert document["animations"][0]["durations"] == [100, 100, 400, 100, 100]
    *_, w, h = bounds(np.max(pictures, axis=0))
    assert {tuple(frame["box"][2:]) for frame in document["frames"]} == {(w, h)}
    assert all(same(frames[f"wave/wave_{n:02}"], pixels) for n, pixels in enumerate(pictures, 1))


def test_eight_directions_three_of_them_mirrored_over_a_ground_marker(bench: Bench) -> None:
    for name in ("n", "ne", "e", "se", "s"):
        drawn(bench.frames, f"walk_{name}", (on((24, 24), figure(n, tint=7 * len(name)), 5, 3) for n in range(3)))
    mirrored: list[Any] = []
    for new, old in (("nw", "ne"), ("w", "e"), ("sw", "se")):
        mirrored += ["--mirrored", f"walk_{new}=walk_{old}"]
    document, frames = bench.packed("--layout", "rows", "--pivot", "12px,21px", *mirrored)
    assert len(document["animations"]) == 8
    for new, old in (("nw", "ne"), ("w", "e"), ("sw", "se")):
        for n in range(1, 4):
            assert same(frames[f"walk_{new}/walk_{new}_{n:02}"], frames[f"walk_{old}/walk_{old}_{n:02}"][:, ::-1])
    said = json.loads(
        bench.does("show", "out.json", "--out", "look.gif", "--ground", "rosette", "--zoom", "2", "--json")
    )
    assert said["files"] == ["look.gif"]
    assert metadata(bench.folder / "out.json")["frames"][0]["pivot"] == [12, 21]
