"""Artists' jobs on sheets that engines slice: cells, canvases, regions, centering, and the memory that they take."""

import json
import re
from pathlib import Path

import numpy as np
import pytest

import agile_crate
from conftest import Run, art, decode, metadata, refusal, save


def dot(size: tuple[int, int], at: tuple[int, int], side: int = 8) -> np.ndarray:
    """A picture of this size with a square at a place."""
    pixels = np.zeros((size[1], size[0], 4), np.uint8)
    pixels[at[1] : at[1] + side, at[0] : at[0] + side] = (200, 80, 40, 255)
    return pixels


@pytest.fixture
def drift(tmp_path: Path) -> Path:
    """A small figure that drifts over large canvases."""
    for number in range(1, 13):
        save(tmp_path / "drift" / f"drift_{number:02}.png", dot((300, 240), (40 + 2 * number, 100 + number % 3)))
    return tmp_path


def test_a_strip_that_does_not_fit_is_a_warning(drift: Path, run: Run) -> None:
    done = run("pack", "drift", "--out", "o", "--layout", "strip", "--max-size", "2048")
    assert done.stderr == (
        "agile-crate: warning: 2 sheets, because the largest sheet is 2048×2048; on one sheet, --max-size 3600x240 would "
        "hold all, --scale 56% would fit, or --layout grid would put it in rows\n"
    )
    assert "2 sheets, because" not in done.stdout
    assert run("pack", "drift", "--out", "o", "--layout", "strip", "--max-size", "3600x240").stderr == ""


def test_a_mostly_empty_grid_compares_its_memory(drift: Path, run: Run) -> None:
    done = run("pack", "drift", "--out", "o")
    remark = re.search(
        r"the cells are mostly empty: (.*) of GPU memory; --layout tight takes about (.*), --layout blocks about (.*)\n",
        done.stdout,
    )
    assert remark is not None
    assert remark.groups() == ("3.3 MB", "3.0 KB", "14.1 KB")
    for layout in ("tight", "blocks"):
        assert "mostly empty" not in run("pack", "drift", "--out", layout, "--layout", layout).stdout
    for number in range(1, 13):
        save(drift / "full" / f"full_{number}.png", art(300, 240, number))
    assert "mostly empty" not in run("pack", "full", "--out", "f").stdout


def test_cells_that_are_too_small_name_what_is_visible(drift: Path, run: Run) -> None:
    begin = "frame 'drift_01' (and 11 more) is 300×240, larger than the cell, "
    assert refusal(run("pack", "drift", "--out", "o", "--cell", "24x24")) == (
        4, f"{begin}24×24; all that is visible lies in 30×10: give --cell 30x10 with --trim sheet, or use --scale",
    )  # fmt: skip
    code, sentence = refusal(run("pack", "drift", "--out", "o", "--cell", "32x32"))
    assert (code, sentence) == (4, f"{begin}32×32; all that is visible lies in 30×10, so --trim sheet makes them fit")
    assert run("pack", "drift", "--out", "o", "--cell", "32x32", "--trim", "sheet").returncode == 0
    assert run("pack", "drift", "--out", "o", "--cell", "30x10", "--trim", "sheet").returncode == 0
    assert "give a larger --cell" in refusal(run("pack", "drift", "--out", "o", "--cell", "9x9", "--trim", "sheet"))[1]


@pytest.mark.parametrize("align", ["center", "bottom", "top-left"])
def test_trim_and_canvas_recenter_together(drift: Path, run: Run, align: str) -> None:
    words = ["--trim", "sheet", "--canvas", "100x61", "--align", align, "--mirrored", "back=drift"]
    done = run("pack", "drift", "--out", "o", "--columns", "4", *words)
    assert "the visible art of all frames, " in done.stdout
    assert "cells 100×61" in done.stdout
    loaded = agile_crate.load(drift / "o.json")
    shown = np.any([loaded.frame(f"drift_{number:02}")[..., 3] > 0 for number in range(1, 13)], axis=0)
    rows, columns = np.flatnonzero(shown.any(1)), np.flatnonzero(shown.any(0))
    seen = columns[0], rows[0], 100 - 1 - columns[-1], 61 - 1 - rows[-1]
    if align == "center":
        assert abs(seen[0] - seen[2]) <= 1
        assert abs(seen[1] - seen[3]) <= 1
    else:
        assert seen[1 if align == "top-left" else 3] == 0
    for number in range(1, 13):
        assert np.array_equal(loaded.frame(f"back_{number:02}"), loaded.frame(f"drift_{number:02}")[:, ::-1])
    assert run("verify", "o.json", "--against", "drift").returncode == 0
    assert (
        "would cut off visible pixels"
        in refusal(run("pack", "drift", "--out", "o", "--trim", "sheet", "--canvas", "20"))[1]
    )


def test_pivots_at_each_pieces_own_center(tmp_path: Path, run: Run) -> None:
    for name, at, side in (("arm", (250, 20), 31), ("head", (30, 40), 20)):
        save(tmp_path / "pieces" / f"{name}.png", dot((310, 187), at, side))
    own = ["--layout", "tight", "--no-offsets"]
    done = run("pack", "pieces", "--out", "o", *own, "--pivot", "art:center")
    assert done.stderr == ""
    assert [frame["pivot"] for frame in metadata(tmp_path / "o.json")["frames"]] == [[15.5, 15.5], [10, 10]]
    assert run("verify", "o.json", "--against", "pieces").returncode == 0
    done = run("pack", "pieces", "--out", "o", *own, "--pivot", "center")
    assert "the pivot lies outside the canvas of 2 frames: arm and head" in done.stderr
    run("pack", "pieces", "--out", "o", "--pivot", "art:0.5,1")
    assert [frame["pivot"] for frame in metadata(tmp_path / "o.json")["frames"]] == [[265.5, 51], [40, 60]]


def test_pivots_from_the_bottom(drift: Path, run: Run) -> None:
    done = run("pack", "drift", "--out", "o", "--pivot", "bottom-left:0.3,0")
    assert re.search(r"pivot +from bottom left +loop\n +drift .* 90,240 +90,0 +forever", done.stdout)
    assert "from bottom left" not in run("pack", "drift", "--out", "o", "--pivot", "bottom-left").stdout
    run("pack", "drift", "--out", "p", "--pivot", "bottom-right:10px,20px")
    assert {tuple(frame["pivot"]) for frame in metadata(drift / "p.json")["frames"]} == {(290, 220)}
    assert run("verify", "p.json", "--against", "drift").returncode == 0
    (animation,) = json.loads(run("pack", "drift", "--out", "o", "--json").stdout)["animations"]
    assert (animation["pivot"], animation["pivot_from_bottom"], animation["rows"]) == ([150, 240], [150, 0], [1, 4])


def test_paint_outside_of_all_boxes_names_the_cushion(drift: Path, run: Run) -> None:
    words = ["pack", "drift", "--out", "o", "--layout", "tight", "--size", "64"]
    run(*words)
    sheet = decode(drift / "o.png").copy()
    x, y, w, h = metadata(drift / "o.json")["frames"][0]["box"]
    sheet[y : y + h, x + w + 2] = (255, 255, 255, 255)
    save(drift / "o.png", sheet)
    code, sentence = refusal(run(*words, "--keep-edits"))
    assert "8 painted pixels of o.png outside of all frames (--cushion 3 makes room)" in sentence
    for recorded in ("0", "as much as you like"):
        document = metadata(drift / "o.json")
        document["settings"]["cushion"] = recorded
        (drift / "o.json").write_text(json.dumps(document))
        sentence = refusal(run("verify", "o.json", "--accept"))[1]
        assert "8 visible pixels lie outside of all frames (pack's --cushion 3 makes room); erase them" in sentence
    run(*words, "--cushion", "3", "--force")
    sheet = decode(drift / "o.png").copy()
    x, y, w, h = metadata(drift / "o.json")["frames"][0]["box"]
    sheet[y + 3 : y + h - 3, x + w - 1] = (255, 255, 255, 255)
    save(drift / "o.png", sheet)
    assert run(*words, "--cushion", "3", "--keep-edits").returncode == code - 5 == 0


def test_a_region_of_every_canvas(drift: Path, run: Run) -> None:
    words = ["--region", "60x40+30+90", "--scale", "200%", "--resample", "pixel"]
    done = run("pack", "drift", "--out", "o", *words)
    assert done.stderr == ""
    loaded = agile_crate.load(drift / "o.json")
    source = decode(drift / "drift" / "drift_05.png")[90:130, 30:90]
    assert np.array_equal(loaded.frame("drift_05"), source.repeat(2, 0).repeat(2, 1))
    assert run("verify", "o.json", "--against", "drift").returncode == 0
    done = run("pack", "drift", "--out", "p", "--region", "20x40+30+90")
    assert done.stderr.startswith(
        "agile-crate: warning: --region cuts off visible pixels of 11 frames, 64 at most: drift_02"
    )
    (drift / "c.crate.toml").write_text(
        '[crate.o]\nfrom = ["drift"]\nout = "c"\nregion = "60x40+30+90"\nscale = 2\nresample = "pixel"\n'
    )
    assert run("pack", "c.crate.toml").returncode == 0
    assert decode(drift / "c.png").tobytes() == decode(drift / "o.png").tobytes()
    assert refusal(run("pack", "drift", "--out", "q", "--region", "20x40")) == (
        2, "--region: '20x40' is not a region: write width x height + left + top in pixels, such as 420x420+131+58, or auto, or animation",
    )  # fmt: skip


def test_a_region_of_a_drawing_in_vectors(tmp_path: Path, run: Run) -> None:
    """The region is keyed and counted as for pixels: by the corner of the whole drawing."""
    (tmp_path / "buoy.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="20" height="10"><rect width="20" height="10" fill="#0f0"/>'
        '<rect x="4" y="2" width="12" height="6" fill="#f00"/></svg>'
    )
    done = run("pack", "buoy.svg", "--out", "o", "--color-key", "corner", "--region", "8x4+4+2", "--scale", "2")
    assert done.stderr == "agile-crate: warning: --region cuts off visible pixels of 1 frame, 40 at most: buoy\n"
    assert (agile_crate.load(tmp_path / "o.json").frame("buoy") == (255, 0, 0, 255)).all()
    assert run("verify", "o.json", "--against", "buoy.svg").returncode == 0


def test_a_region_that_is_found(drift: Path, run: Run) -> None:
    save(drift / "art" / "gull_1.png", dot((300, 240), (10, 10)))
    for file in (drift / "drift").iterdir():
        file.rename(drift / "art" / file.name)
    done = run("pack", "art", "--out", "o", "--region", "auto", "--mirrored", "back=drift")
    assert "the region is 62x100+10+10" in done.stdout
    loaded = agile_crate.load(drift / "o.json")
    assert np.array_equal(loaded.frame("drift_05"), decode(drift / "art" / "drift_05.png")[10:110, 10:72])
    assert np.array_equal(loaded.frame("back_05"), loaded.frame("drift_05")[:, ::-1])
    done = run("pack", "art", "--out", "p", "--region", "animation", "--scale", "50%", "--also-scale", "50%")
    assert "the region of 'drift' is 30x10+42+100" in done.stdout
    assert "the region of 'gull' is 8x8+10+10" in done.stdout
    for data in ("o.json", "p.json", "p@50.json"):
        assert run("verify", data, "--against", "art").returncode == 0
    refused = run("pack", "art", "--out", "q", "--region", "auto", "--canvas-multiple", "4")
    assert refusal(refused)[0] == 2
    save(drift / "none" / "none_1.png", np.zeros((8, 8, 4), np.uint8))
    assert (
        refusal(run("pack", "none", "--out", "q", "--region", "auto"))[1]
        == "--region: nothing is visible of 'none_1'; leave it out"
    )


def test_square_cells(drift: Path, run: Run) -> None:
    done = run("pack", "drift", "--out", "o", "--fit", "128", "--square-cells", "--also-scale", "50%")
    assert "cells 128×128" in done.stdout
    assert "cells 64×64" in done.stdout
    assert "cells 300×300" in run("pack", "drift", "--out", "p", "--square-cells").stdout
    for data in ("o.json", "o@50.json", "p.json"):
        assert run("verify", data, "--against", "drift").returncode == 0
    assert {tuple(frame["pivot"]) for frame in metadata(drift / "o.json")["frames"]} == {(64, 102)}


def test_mirrored_frames_are_named_as_the_drawn_ones(tmp_path: Path, run: Run) -> None:
    for seed, name in enumerate(("down/down_01", "down/down_02", "left/0", "guard/idle_1", "guard/run_1")):
        save(tmp_path / "art" / f"{name}.png", art(8, 8, seed))
    done = run(
        "pack",
        "art",
        "--out",
        "o",
        "--mirrored",
        "downleft=down",
        "--mirrored",
        "right=left",
        "--reversed",
        "guard/rest=guard/idle",
    )
    names = {frame["name"] for frame in metadata(tmp_path / "o.json")["frames"]}
    assert done.returncode == 0
    assert names >= {"downleft/downleft_01", "downleft/downleft_02", "right/0", "guard/rest_1"}
