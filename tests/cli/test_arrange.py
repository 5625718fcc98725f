"""Layouts, as the installed program: where frames lie, what is said, and what `verify` finds in the written files."""

import json
import re
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

import agile_crate
from conftest import Run, art, decode, metadata, save


def spot(canvas: int, x: int, y: int, w: int, h: int, seed: int) -> np.ndarray:
    pixels = np.zeros((canvas, canvas, 4), np.uint8)
    pixels[y : y + h, x : x + w] = art(w, h, seed) | np.array([0, 0, 0, 255], np.uint8)
    return pixels


@pytest.fixture
def frames(tmp_path: Path) -> Path:
    """Three animations of 5, 3 and 4 frames; the second of walk is its fourth, the first of run mirrors that of walk."""
    for number in range(1, 6):
        seed = 2 if number == 4 else number
        w, h = 6 + seed, 12 - seed
        save(tmp_path / "frames" / "walk" / f"walk_{number}.png", spot(32, 3 + number, 9, w, h, seed))
    for number in range(1, 4):
        pixels = spot(32, 4, 9, 7, 11, 1)[:, ::-1] if number == 1 else spot(32, 5, 6, 20, 5, 10 + number)
        save(tmp_path / "frames" / "run" / f"run_{number}.png", pixels)
    for number in range(1, 5):
        save(tmp_path / "frames" / "dive" / f"dive_{number}.png", spot(32, 2, 3, 4 * number, 9, 20 + number))
    return tmp_path / "frames"


def packed(run: Run, tmp_path: Path, *options: str) -> tuple[dict, str]:
    quick = ["--effort", "quick"] if "tight" in options else []
    done = run("pack", "frames", "--out", "o", "--force", *options, *quick)
    assert done.returncode == 0, done.stderr
    proof = run("verify", "o.json", "--against", "frames")
    assert proof.returncode == 0, proof.stdout
    return metadata(tmp_path / "o.json"), done.stdout


def test_tight_sheets_store_equal_frames_once(run: Run, frames: Path, tmp_path: Path) -> None:
    document, said = packed(run, tmp_path, "--layout", "tight", "--gap", "1", "--margin", "2")
    by_name = {frame["name"]: frame for frame in document["frames"]}
    assert by_name["walk/walk_2"]["box"] == by_name["walk/walk_4"]["box"]
    assert by_name["walk/walk_2"]["offset"] == [5, 9]
    assert by_name["walk/walk_4"]["offset"] == [7, 9]
    assert "1 duplicate not stored again: saves 80 pixels (--store-duplicates stores all)" in said
    assert document["sheets"][0]["gap"] == 1
    assert "cells" not in document["sheets"][0]
    kept, _ = packed(run, tmp_path, "--layout", "tight", "--store-duplicates")
    assert len({tuple(frame["box"]) for frame in kept["frames"]}) == 12
    mirrored, said = packed(run, tmp_path, "--layout", "tight", "--share-mirrored", "--turn", "--mirrored", "back=walk")
    by_name = {frame["name"]: frame for frame in mirrored["frames"]}
    assert by_name["run/run_1"].get("mirror", by_name["walk/walk_1"].get("mirror")) == "x"
    assert "7 duplicates not stored again, " in said
    loaded = agile_crate.load(str(tmp_path / "o.json"))
    assert np.array_equal(loaded.frame("run/run_1"), decode(frames / "run" / "run_1.png"))
    assert np.array_equal(loaded.frame("back/back_3"), decode(frames / "walk" / "walk_3.png")[:, ::-1])


def test_cushion_and_repeated_edges(run: Run, frames: Path, tmp_path: Path) -> None:
    plain = {f["name"]: f for f in packed(run, tmp_path, "--layout", "tight")[0]["frames"]}
    document, said = packed(run, tmp_path, "--layout", "tight", "--cushion", "3", "--edge-repeat", "2")
    assert "margin 2, gap 4, edges repeated by 2 pixels" in said
    assert "grew" not in said
    for frame in document["frames"]:
        before = plain[frame["name"]]
        assert frame["box"][2:] == [before["box"][2] + 6, before["box"][3] + 6]
        assert frame["offset"] == [before["offset"][0] - 3, before["offset"][1] - 3]  # beyond the canvas for some
        assert (frame["canvas"], frame["pivot"]) == (before["canvas"], before["pivot"])
    assert min(min(frame["offset"]) for frame in document["frames"]) < 0
    document, _ = packed(run, tmp_path, "--layout", "tight", "--edge-repeat", "2", "--turn")
    sheet = decode(tmp_path / "o.png").copy()
    for frame in document["frames"]:
        x, y, w, h = frame["box"]
        around = sheet[y - 2 : y + h + 2, x - 2 : x + w + 2]
        assert np.array_equal(around, np.pad(sheet[y : y + h, x : x + w], ((2, 2), (2, 2), (0, 0)), mode="edge"))
    x, y, w, h = document["frames"][3]["box"]
    sheet[y - 2, x - 1] ^= 255
    Image.fromarray(sheet).save(tmp_path / "o.png")
    found = run("verify", "o.json")
    assert found.returncode == 1
    assert f"its repeated edge differs in 1 pixel, first at {x - 1},{y - 2} of the sheet" in found.stdout
    document["sheets"][0]["edge_repeat"] = 10**9
    (tmp_path / "o.json").write_text(json.dumps(document))
    assert run("verify", "o.json").returncode == 1


def test_animations_stay_together_on_several_sheets(run: Run, frames: Path, tmp_path: Path) -> None:
    document, said = packed(run, tmp_path, "--layout", "tight", "--max-size", "34x34", "--gap", "1")
    on_sheet: dict[str, set[int]] = {}
    for one in document["frames"]:
        on_sheet.setdefault(one["name"].split("/")[0], set()).add(one["sheet"])
    assert {len(sheets) for sheets in on_sheet.values()} == {1}
    assert 2 <= len(document["sheets"]) <= 3
    assert "on sheet" in said
    done = run("pack", "frames", "--out", "p", "--layout", "tight", "--max-size", "34x34", "--gap", "1", "--one-sheet")
    assert done.returncode == 4
    assert done.stderr.startswith(
        "agile-crate: error: the frames need more than the one sheet of 34×34 that --one-sheet"
    )
    percent = [word for word in done.stderr.split() if word.endswith("%")][-1]
    again = ["--layout", "tight", "--max-size", "34x34", "--gap", "1", "--one-sheet", "--scale", percent]
    assert run("pack", "frames", "--out", "p", *again).returncode == 0


def test_animations_that_keep_a_sheet_from_being_full(run: Run, tmp_path: Path) -> None:
    for number in range(12):
        pixels = np.full((30, 30, 4), 15 * number + 60, np.uint8)
        save(tmp_path / "frames" / f"{('buoy', 'gull', 'otter', 'sea')[number // 3]}_{number % 3 + 1}.png", pixels)
    options = ["--layout", "tight", "--max-size", "120x30"]
    document, said = packed(run, tmp_path, *options, "--explain")
    assert [sheet["size"] for sheet in document["sheets"]] == [[90, 30]] * 4
    assert "proven: no smaller sheet that the settings allow can hold what is on it" in " ".join(said.split())
    told = "sheet 1 is 75% full, because animations such as 'gull' stay on one sheet each; parting them would need 3 sheets instead of 4 "
    assert told in " ".join(said.split())
    document, said = packed(run, tmp_path, *options, "--break-animations")
    assert [sheet["size"] for sheet in document["sheets"]] == [[120, 30]] * 3
    assert "stay on one sheet" not in said
    assert run("verify", "o.json", "--against", "frames").returncode == 0
    for wrong in (["--break-animations"], ["--layout", "tight", "--break-animations", "--one-sheet"]):
        assert run("pack", "frames", "--out", "p", *wrong).returncode == 2


def test_explain(run: Run, frames: Path, tmp_path: Path) -> None:
    _, said = packed(run, tmp_path, "--layout", "tight", "--explain")
    assert "considered for o.png\n" in said
    assert sum(" taken\n" in line + "\n" for line in said.splitlines()) >= 1
    assert "bound: what is stored covers " in said
    document = json.loads(run("pack", "frames", "--out", "o", "--explain", "--json").stdout)
    assert {one["verdict"] for one in document["considered"]} >= {"taken", "longer than 3:1"}
    assert document["considered"][0]["size"] == [32, 384]
    assert "considered" not in json.loads(run("pack", "frames", "--out", "o", "--json").stdout)


def test_nothing_visible_and_very_little(run: Run, tmp_path: Path) -> None:
    for number in range(1, 4):
        save(tmp_path / "frames" / f"mist_{number}.png", np.zeros((9, 9, 4), np.uint8))
    document, _ = packed(run, tmp_path, "--layout", "tight")
    assert document["sheets"][0]["size"] == [1, 1]
    assert [frame["box"] for frame in document["frames"]] == [[0, 0, 0, 0]] * 3
    save(tmp_path / "frames" / "mist_2.png", spot(9, 3, 3, 1, 1, 1))
    document, _ = packed(run, tmp_path, "--layout", "tight", "--margin", "3")
    assert document["sheets"][0]["size"] == [7, 7]
    save(tmp_path / "frames" / "pole_1.png", art(2, 900) | np.array([0, 0, 0, 255], np.uint8))
    document, _ = packed(run, tmp_path, "--layout", "tight")
    assert document["sheets"][0]["size"] == [2, 901]


def test_a_grid_for_each_animation(run: Run, frames: Path, tmp_path: Path) -> None:
    save(tmp_path / "frames" / "buoy.png", spot(32, 5, 5, 9, 12, 40))
    document, said = packed(
        run, tmp_path, "--layout", "blocks", "--gap", "1", "--margin", "2", "--metadata", "json,xml"
    )
    (sheet,) = document["sheets"]
    assert [(block["first"], block["count"]) for block in sheet["blocks"]] == [(0, 4), (4, 3), (7, 5), (12, 1)]
    assert sheet["blocks"][0]["size"] == [16, 9]  # dive: all that is ever seen of it
    pixels = decode(tmp_path / "o.png")
    for block in sheet["blocks"]:  # as an engine cuts that knows nothing but the block
        x, y, (w, h) = *block["origin"], block["size"]
        for number in range(block["count"]):
            row, column = divmod(number, block["columns"])
            left, top = x + column * (w + 1), y + row * (h + 1)
            frame = document["frames"][block["first"] + number]
            dx, dy = frame["offset"]
            whole = decode(tmp_path / "frames" / f"{frame['name']}.png")
            assert (pixels[top : top + h, left : left + w] == whole[dy : dy + h, dx : dx + w]).all()
    assert "  blocks, each filled row by row; margin 2, gap 1\n" in said
    (line,) = [line.split() for line in said.splitlines() if line.startswith("  run ") and "×" in line]
    first, (dx, dy) = sheet["blocks"][1], document["frames"][4]["offset"]
    assert line[1:4] == ["4–6", "{},{}".format(*first["origin"]), "{}×{}".format(*first["size"])]
    assert line[-1] == f"{16 - dx},{32 - dy}"
    told = json.loads(run("pack", "frames", "--out", "o", "--layout", "blocks", "--json", "--dry-run").stdout)
    assert [(one["name"], one["is_still"]) for one in told["sheets"][0]["blocks"]] == [
        ("dive", False), ("run", False), ("walk", False), ("buoy", True)
    ]  # fmt: skip
    grid = packed(run, tmp_path, "--layout", "grid")[0]["sheets"][0]["size"]
    assert sheet["size"][0] * sheet["size"][1] < 0.4 * grid[0] * grid[1]


def test_blocks_on_several_sheets_and_their_shapes(run: Run, frames: Path, tmp_path: Path) -> None:
    blocks = ["--layout", "blocks", "--gap", "1"]
    document, said = packed(run, tmp_path, *blocks, "--max-size", "64x64", "--trim", "off")
    assert [len(sheet["blocks"]) for sheet in document["sheets"]] == [1] * 12  # only one canvas fits
    assert "on sheet\n" in said
    document, _ = packed(run, tmp_path, *blocks, "--rows", "1", "--trim", "frame")
    assert [block["columns"] for block in document["sheets"][0]["blocks"]] == [4, 3, 5]
    assert [block["size"] for block in document["sheets"][0]["blocks"]] == [[16, 9], [20, 11], [11, 11]]
    document, said = packed(run, tmp_path, *blocks, "--columns", "2", "--trim", "frame", "--align", "top-left")
    assert [block["rows"] for block in document["sheets"][0]["blocks"]] == [2, 2, 3]
    assert document["frames"][4]["box"][:2] == document["sheets"][0]["blocks"][1]["origin"]
    assert "smaller than the cells of their block, aligned to the top-left of its cell (--align)\n" in said
    one_sheet = [*blocks, "--one-sheet", "--max-size", "40x40"]
    done = run("pack", "frames", "--out", "p", *one_sheet)
    assert done.returncode == 4
    percent = [word for word in done.stderr.split() if word.endswith("%")][-1]
    assert run("pack", "frames", "--out", "p", *one_sheet, "--scale", percent).returncode == 0


def places(document: dict) -> dict[str, tuple[str, list[int], bool]]:
    images = [sheet["image"] for sheet in document["sheets"]]
    return {one["name"]: (images[one["sheet"]], one["box"], one["turned"]) for one in document["frames"]}


def test_frames_stay_where_they_were(run: Run, frames: Path, tmp_path: Path) -> None:
    options = ["--layout", "tight", "--gap", "1", "--turn", "--share-mirrored", "--max-size", "36x24"]
    before, _ = packed(run, tmp_path, *options)
    assert len(before["sheets"]) > 1
    again, said = packed(run, tmp_path, *options, "--keep-places")
    assert places(again) == places(before)
    assert "10 of 10 boxes where they were: " in said
    for number in (5, 6):
        save(frames / "dive" / f"dive_{number}.png", spot(32, 2, 3, 6, 5, 30 + number))  # new
    save(frames / "walk" / "walk_5.png", spot(32, 2, 3, 14, 9, 44))  # another size
    save(frames / "walk" / "walk_3.png", spot(32, 9, 3, 9, 9, 45))  # other pixels, the same size
    (frames / "run" / "run_2.png").unlink()
    for number in (1, 2):
        save(frames / "fly" / f"fly_{number}.png", spot(32, 2, 3, 8, 8, 60 + number))
    after, said = packed(run, tmp_path, *options, "--keep-places")
    moved = {name for name, place in places(after).items() if places(before).get(name) != place}
    assert moved == {"dive/dive_5", "dive/dive_6", "walk/walk_5", "fly/fly_1", "fly/fly_2"}
    assert "8 of 13 boxes where they were: " in said
    same, _ = packed(run, tmp_path, *options, "--keep-places")
    assert places(same) == places(after)


def test_renamed_frames_keep_their_places(run: Run, frames: Path, tmp_path: Path) -> None:
    options = ["--layout", "tight", "--gap", "1", "--turn", "--share-mirrored", "--max-size", "36x24"]
    before, _ = packed(run, tmp_path, *options)
    (frames / "run").rename(frames / "sprint")
    for path in sorted((frames / "sprint").iterdir()):
        path.rename(path.with_name(path.name.replace("run", "sprint")))
    save(frames / "sprint" / "sprint_9.png", spot(32, 2, 3, 6, 5, 77))  # new
    after, said = packed(run, tmp_path, *options, "--keep-places")
    found = {name.replace("sprint", "run"): place for name, place in places(after).items()}
    assert found.pop("run/run_9")
    assert found == places(before)
    assert "10 of 11 boxes where they were: " in said


def test_a_fresh_arrangement_is_advised_where_much_is_lost(run: Run, tmp_path: Path) -> None:
    for number in range(1, 9):
        save(tmp_path / "frames" / f"gull_{number}.png", art(30, 30, number) | np.array([0, 0, 0, 255], np.uint8))
    packed(run, tmp_path, "--layout", "tight")
    for number in range(2, 9):
        (tmp_path / "frames" / f"gull_{number}.png").unlink()
    document, said = packed(run, tmp_path, "--layout", "tight", "--keep-places")
    assert document["sheets"][0]["size"] != [30, 30]
    assert (
        "1 of 1 box where they were: 12% full, 100% in a fresh arrangement; leave --keep-places out once to arrange them afresh\n"
        in said
    )
    (tmp_path / "o.json").unlink()
    done = run("pack", "frames", "--out", "o", "--layout", "tight", "--keep-places")
    assert "agile-crate: warning: --keep-places: o.json is missing, so any frame may have moved\n" in done.stderr
    document, said = metadata(tmp_path / "o.json"), done.stdout
    assert document["sheets"][0]["size"] == [30, 30]
    assert "where they were" not in said


def test_a_frame_that_alone_makes_all_cells_large_is_named(run: Run, tmp_path: Path) -> None:
    for number in range(1, 10):
        save(tmp_path / "frames" / f"swim_{number}.png", art(20, 16, number))
    save(tmp_path / "frames" / "preview.png", art(80, 30))
    told = "  cells are 80×30 because of 'preview'; all others fit 20×16\n"
    assert told in run("pack", "frames", "--out", "o").stdout
    assert told not in run("pack", "frames", "--out", "o", "--cell", "80x30").stdout
    assert "because of" not in run("pack", "frames", "--out", "o", "--exclude", "preview").stdout
    save(tmp_path / "frames" / "other.png", art(80, 30))
    assert "because of" not in run("pack", "frames", "--out", "o").stdout


@pytest.mark.parametrize(
    ("options", "ways"),
    [
        ("--layout strip", ["--max-size 5120x128", "--scale 80%"]),
        ("--max-size 1000x700", ["--max-size 2560x1280", "--scale 45%"]),
        ("--layout rows --size 600x2048", ["--size 16384x256", "--scale 58%"]),
        ("--columns 3 --max-size 1000x700 --gap 1", ["--max-size 386x8642", "--scale 7%"]),
    ],
)
def test_several_sheets_say_what_would_hold_all(run: Run, tmp_path: Path, options: str, ways: list[str]) -> None:
    count = 200 if "strip" not in options else 40
    for number in range(count):
        save(tmp_path / "frames" / f"swim_{number + 1:03}.png", art(128, 128, number % 7))
    said = run("pack", "frames", "--out", "o", *options.split(), "--json")
    said = json.loads(said.stdout)
    kind = "warnings" if "strip" in options else "remarks"  # a strip in pieces is no strip
    (remark,) = [remark for remark in said[kind] if "on one sheet, " in remark]
    found = re.split(r" would (?:hold all|fit|put it in rows)(?:, or |, )?", remark.partition("on one sheet, ")[2])
    assert found == [*ways, *["--layout grid"] * ("strip" in options), ""]
    for way in ways:
        name, value = way.split()
        again = options.split()
        if name in again:
            again[again.index(name) + 1] = value
        else:
            again += [name, value]
        said = run("pack", "frames", "--out", "p", *again, "--dry-run", "--json")
        assert len(json.loads(said.stdout)["sheets"]) == 1, way
