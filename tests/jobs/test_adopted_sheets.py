"""Sheets that somebody else made, as they are: metadata in place, pixels untouched."""

import json
from pathlib import Path

import numpy as np
import pytest

import agile_crate
from conftest import Run, art, check_metadata, decode, metadata, refusal, save


@pytest.fixture
def sheet(tmp_path: Path) -> Path:
    """Four columns and three rows of 16×12, of which the last two cells are empty."""
    pixels = np.zeros((36, 64, 4), np.uint8)
    for number in range(10):
        y, x = 12 * (number // 4), 16 * (number % 4)
        pixels[y + 2 : y + 11, x + 2 : x + 13] = art(11, 9, number + 1)
        pixels[y + 5 : y + 9, x + 5 : x + 11] = (200, 10 * number, 40, 255)
    return save(tmp_path / "old" / "gull.png", pixels)


@pytest.mark.parametrize("cells", [["--cell", "16x12"], ["--columns", "4", "--rows", "3"]])
def test_a_grid_gets_metadata_in_place(sheet: Path, run: Run, cells: list[str]) -> None:
    before = sheet.read_bytes()
    done = run(
        "adopt",
        "old/gull.png",
        *cells,
        "--name-rows",
        "fly,land,rest",
        "--fps",
        "fly=8",
        "--hold",
        "rest:last=2",
        "--pivot",
        "feet",
    )
    assert done.stdout.startswith("adopted 10 frames, 3 animations, 1 sheet\n")
    assert done.stderr == ""
    document = metadata(sheet.with_suffix(".json"))
    assert document["sheets"][0]["cells"] == {"size": [16, 12], "columns": 4, "rows": 3, "margin": 0, "gap": 0}
    assert [animation["name"] for animation in document["animations"]] == ["fly", "land", "rest"]
    assert document["animations"][0]["durations"] == [125] * 4
    assert document["animations"][2]["durations"] == [83, 167]
    assert document["frames"][1]["pivot"][1] == 11
    assert (
        run("verify", "old/gull.json").stdout == "old/gull.json: 1 sheet, 10 frames, 3 animations, all checks passed\n"
    )
    check_metadata(sheet.with_suffix(""))
    assert sheet.read_bytes() == before
    assert np.array_equal(
        agile_crate.load(sheet.with_suffix(".json")).frame("land/land_02"), decode(sheet)[12:24, 16:32]
    )


def test_twice_in_a_row(sheet: Path, run: Run) -> None:
    run("adopt", "old/gull.png", "--cell", "16x12", "--metadata", "json,xml,css")
    assert sorted(path.name for path in sheet.parent.iterdir()) == ["gull.css", "gull.json", "gull.png", "gull.xml"]
    check_metadata(sheet.with_suffix(""))
    done = run("adopt", "old/gull.png", "--cell", "16x12", "--rename", "gull=fly", "--mirrored", "left=fly")
    assert done.returncode == 0
    assert sorted(path.name for path in sheet.parent.iterdir()) == ["gull.json", "gull.png"]
    loaded = agile_crate.load(sheet.with_suffix(".json"))
    assert np.array_equal(loaded.frame("left_03"), loaded.frame("fly_03")[:, ::-1])
    assert run("verify", "old/gull.json").returncode == 0
    assert run("unpack", "old/gull.json", "--out", "back").returncode == 0
    assert run("pack", "back", "--out", "new", "--columns", "4").returncode == 0


def test_islands_and_boxes(sheet: Path, run: Run) -> None:
    done = run("adopt", "old/gull.png", "--islands", "--json")
    document = json.loads(done.stdout)
    assert (document["command"], document["frames"]) == ("adopt", 10)
    boxes = [frame["box"] for frame in metadata(sheet.with_suffix(".json"))["frames"]]
    assert run("verify", "old/gull.json").returncode == 0
    rows = [f"wing_{number},{','.join(map(str, box))}" for number, box in enumerate(boxes[:4], 1)]
    (sheet.parent / "boxes.csv").write_text("\n".join(["name,x,y,w,h", *rows]))
    done = run("adopt", "old/gull.png", "--boxes", "old/boxes.csv")
    assert "visible pixels of the sheet are in no frame" in done.stderr
    assert [frame["box"] for frame in metadata(sheet.with_suffix(".json"))["frames"]] == boxes[:4]
    assert run("verify", "old/gull.json").returncode == 0  # what is beside them was there before
    (sheet.parent / "boxes.csv").write_text("name,x,y,w,h\na,0,0,16,12\nb,8,0,16,12")
    code, sentence = refusal(run("adopt", "old/gull.png", "--boxes", "old/boxes.csv"))
    assert (code, sentence.endswith("; cut the sheet with unpack, and pack its frames")) == (3, True), sentence


def test_a_solid_background_is_recorded(sheet: Path, run: Run) -> None:
    pixels = decode(sheet).copy()
    clear = pixels[..., 3:] < 255
    save(sheet, np.where(clear, np.array([255, 0, 255, 255], np.uint8), pixels))
    done = run("adopt", "old/gull.png", "--islands", "--color-key", "corner", "--join", "3")
    assert done.returncode == 0, done.stderr
    assert metadata(sheet.with_suffix(".json"))["background"] == "#ff00ff"
    assert run("verify", "old/gull.json").returncode == 0
    check_metadata(sheet.with_suffix(""))


def test_what_others_wrote_is_safe(sheet: Path, run: Run) -> None:
    (sheet.parent / "gull.json").write_text('{"frames": 3}')
    assert refusal(run("adopt", "old/gull.png", "--cell", "16x12")) == (
        5, "gull.json already exists and is not from adopting this sheet; move it away, or overwrite it with --force",
    )  # fmt: skip
    assert run("adopt", "old/gull.png", "--cell", "16x12", "--force").returncode == 0
    save(sheet.parent.parent / "swim_1.png", art(8, 8))
    assert (
        "gull.png already exists and is not from a build" in refusal(run("pack", "swim_1.png", "--out", "old/gull"))[1]
    )
    run("pack", "swim_1.png", "--out", "packed")
    assert "packed.json already exists" in refusal(run("adopt", "packed.png", "--cell", "8"))[1]
    pixels = decode(sheet).copy()
    pixels[5, 5] = (1, 2, 3, 255)
    save(sheet, pixels)
    assert run("verify", "old/gull.json").returncode == 1
    assert run("verify", "old/gull.json", "--accept").returncode == 0


@pytest.mark.parametrize(
    ("words", "sentence"),
    [
        ("--cell 16x12 --islands", "choose one way to cut the sheet: --cell, --columns with --rows, --islands or --boxes"),
        ("--cell 99", "a cell of 99×99 is larger than the sheet, 64×36"),
        ("--cell 16x12 --metadata none", "--metadata none would write nothing; leave it out"),
        ("--cell 16x12 --fps fly=8", "--fps: unknown animation 'fly'; the only animation is gull"),
    ],
)  # fmt: skip
def test_one_sentence(sheet: Path, run: Run, words: str, sentence: str) -> None:
    before = sheet.read_bytes()
    assert refusal(run("adopt", "old/gull.png", *words.split()))[1] == sentence
    assert [path.name for path in sheet.parent.iterdir()] == ["gull.png"]
    assert sheet.read_bytes() == before


def test_from_a_script(sheet: Path) -> None:
    adopted = agile_crate.adopt(sheet, cell=(16, 12), fps={"gull": 8}, pivot=(0.5, 1))
    assert [path.name for path in adopted.files] == ["gull.json"]
    assert adopted.crate.frames[3].pivot == (8, 12)
    with pytest.raises(agile_crate.UsageError, match="trim cannot be used here: the sheet stays as it is"):
        agile_crate.adopt(sheet, cell=(16, 12), trim="frame")
