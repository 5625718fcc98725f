"""`pack`, as the installed program, on files."""

import json
import os
import zlib
from pathlib import Path

import numpy as np
import pyora
import pytest
from PIL import Image

from conftest import Run, art, decode, metadata, refusal, save, tree, unicode_names


def test_a_folder_becomes_a_sheet_and_metadata(run: Run, swim: Path, tmp_path: Path) -> None:
    done = run("pack", "frames", "--out", "build/otter")
    assert (done.returncode, done.stderr) == (0, "")
    assert sorted(tree(tmp_path / "build")) == ["otter.json", "otter.png"]
    said = metadata(tmp_path / "build/otter.json")
    assert (said["format"], said["version"], said["name"], said["scale"], said["alpha"]) == (
        "agile-crate", 1, "otter", 1, "straight",
    )  # fmt: skip
    (sheet,) = said["sheets"]
    assert sheet["image"] == "otter.png"
    assert sheet["size"] == [40, 24]
    assert sheet["cells"] == {"size": [8, 8], "columns": 5, "rows": 3, "margin": 0, "gap": 0}
    assert said["frames"][6] == {
        "name": "swim/swim_07", "sheet": 0, "box": [8, 8, 8, 8], "turned": False,
        "canvas": [8, 8], "offset": [0, 0], "pivot": [4, 8], "crc": f"{zlib.crc32(art(8, 8, 7).tobytes()):08x}",
    }  # fmt: skip
    assert said["animations"] == [
        {
            "name": "swim",
            "frames": list(range(13)),
            "durations": [83, 84, 83] * 4 + [83],
            "loop": "forever",
            "fps": [12, 1],
            "beats": [1] * 13,
        }
    ]
    pixels = decode(tmp_path / "build/otter.png")
    for index in range(13):
        x, y = index % 5 * 8, index // 5 * 8
        assert np.array_equal(pixels[y : y + 8, x : x + 8], art(8, 8, index + 1))
    assert not pixels[16:, 24:].any()


def test_the_summary_is_the_hand_off(run: Run, swim: Path) -> None:
    save(swim / "letter.png", art(4, 3))
    (swim / "notes.txt").touch()
    done = run("pack", "frames", "--out", "otter", "--columns", "4", "--gap", "1", "--margin", "2", "--fps", "swim=24")
    assert done.stdout == (
        "packed 14 frames, 1 animation, 1 sheet\n"
        "\n"
        "  sheet       size  columns × rows  frames  empty cells  area used  GPU memory\n"
        "  otter.png  39×39           4 × 4    0–13            2        55%      5.9 KB\n"
        "\n"
        "  cells 8×8, margin 2, gap 1, filled row by row\n"
        "\n"
        "  animation  first  last  frames  fps  seconds  pivot  loop\n"
        "  swim           0    12      13   24    0.542    4,8  forever\n"
        "\n"
        "  pivots count from the top left of the canvas, in pixels\n"
        "  1 still of no animation: frame 13\n"
        "  1 frame smaller than the 8×8 cell, aligned to its bottom (--align): 4×3 (1)\n"
        "  skipped: 1 file that is not a picture\n"
        "  wrote otter.png\n"
        "  wrote otter.json\n"
        "\n"
        "  to view it: agile-crate show otter.json --out otter.html\n"
    )
    assert max(map(len, done.stdout.splitlines())) <= 80


def test_indices_boxes_and_cells_that_changed_are_reported(run: Run, swim: Path, tmp_path: Path) -> None:
    assert run("pack", "frames", "--out", "o", "--columns", "4").returncode == 0
    (swim / "swim" / "swim_01.png").unlink()
    line = ("pack", "frames", "--out", "o", "--columns", "6")
    dry = run(*line, "--dry-run").stdout
    assert (
        "  since the last build: 1 frame removed (swim/swim_01)\n"
        "  the grid changed: 4 × 4 cells of 8×8 became 6 × 2 cells of 8×8\n"
        "  for games that keep indices or boxes: 12 frames with another index, 12 frames with another box\n"
    ) in dry
    changed = json.loads(run(*line, "--json").stdout)
    assert (changed["reindexed"], changed["moved"]) == (12, 12)
    assert changed["grid_change"] == "the grid changed: 4 × 4 cells of 8×8 became 6 × 2 cells of 8×8"
    same = json.loads(run(*line, "--json").stdout)
    assert (same["reindexed"], same["moved"], same["grid_change"]) == (0, 0, None)
    rows = [json.loads(run(*line[:-2], "--layout", "rows", "--json").stdout)["grid_change"] for _ in range(2)]
    assert rows == ["the grid changed: 6 × 2 cells of 8×8 became 12 × 1 cells of 8×8", None]
    run(*line)
    tight = run(*line[:-2], "--layout", "tight").stdout
    assert "  the grid changed: 6 × 2 cells of 8×8 became a layout without cells\n" in tight
    document = json.loads((tmp_path / "o.json").read_text("utf-8"))
    document["sheets"][0]["cells"] = {"size": [[1], {}], "columns": "x", "rows": None}
    (tmp_path / "o.json").write_text(json.dumps(document), "utf-8")
    assert (run(*line, "--force").returncode, run("verify", "o.json").returncode) == (0, 0)


def test_frames_beyond_one_sheet_go_on_to_the_next(run: Run, swim: Path, tmp_path: Path) -> None:
    done = run("pack", "frames", "--out", "o/otter", "--columns", "2", "--max-size", "16x24")
    said = metadata(tmp_path / "o/otter.json")
    assert [(s["image"], s["size"]) for s in said["sheets"]] == [
        ("otter-1.png", [16, 24]),
        ("otter-2.png", [16, 24]),
        ("otter-3.png", [16, 8]),
    ]
    assert [f["sheet"] for f in said["frames"]] == [0] * 6 + [1] * 6 + [2]
    assert np.array_equal(decode(tmp_path / "o/otter-2.png")[:8, 8:], art(8, 8, 8))
    assert "  swim           0    12      13   12    1.083    4,8  forever  1, 2, 3\n" in done.stdout
    again = run("pack", "frames", "--out", "o/otter")
    assert "  removed o/otter-3.png, a file of the last build\n" in again.stdout
    assert sorted(tree(tmp_path / "o")) == ["otter.json", "otter.png"]


def test_a_dry_run_says_the_same_and_writes_nothing(run: Run, swim: Path, tmp_path: Path) -> None:
    dry = run("pack", "frames", "--out", "build/otter", "--dry-run")
    assert not (tmp_path / "build").exists()
    wet = run("pack", "frames", "--out", "build/otter")
    dry_said = dry.stdout.replace("would pack", "packed").replace("would write", "wrote")
    assert wet.stdout == dry_said + "\n  to view it: agile-crate show build/otter.json --out build/otter.html\n"


def test_json_for_scripts(run: Run, swim: Path, tmp_path: Path) -> None:
    said = json.loads(run("pack", "frames", "--out", "o", "--json", "--loop", "swim=once", "--fps", "23.976").stdout)
    assert said["files"] == [str(tmp_path / "o.png"), str(tmp_path / "o.json")]
    assert said["sheets"][0]["gpu_bytes"] == 40 * 24 * 4
    assert said["sheets"][0]["empty_cells"] == 2
    (animation,) = said["animations"]
    assert (animation["first"], animation["last"], animation["fps"], animation["loop"]) == (0, 12, 23.976, "once")
    assert animation["seconds"] == 0.542


def test_quiet_and_verbose(run: Run, swim: Path) -> None:
    assert run("pack", "frames", "--out", "o", "--quiet").stdout == ""
    assert "  6 swim/swim_07: sheet 0, box [8, 8, 8, 8]\n" in run("pack", "frames", "--out", "o", "--verbose").stdout


ODD_NAMES = ["two words", "quo'te \"s", "new\nline", "snö ✉", "-dash", "$HOME", "a=b", "%s", "[x]*"]


@unicode_names
def test_odd_names_are_kept_as_they_are(run: Run, tmp_path: Path) -> None:
    for index, name in enumerate(ODD_NAMES):
        save(tmp_path / "f" / f"{name} {index}.png", art(5, 5, index))
    for out in ("-dash", "$HOME", "quo'te\nline", "otter.v2"):
        done = run("pack", "f", "--out", out)
        assert (done.returncode, done.stderr) == (0, "")
        assert (tmp_path / f"{out}.png").is_file()
        assert "\n  new\\nline " in done.stdout
        said = metadata(tmp_path / f"{out}.json")
        assert sorted(f["name"] for f in said["frames"]) == sorted(f"{n} {i}" for i, n in enumerate(ODD_NAMES))
        assert said["sheets"][0]["image"] == f"{out}.png"
        assert run("verify", f"./{out}.json", "--against", "f").returncode == 0
    os.rename(tmp_path / "f", tmp_path / "-f")
    assert run("pack", "--out=o.png", "--", "-f").returncode == 0
    assert (tmp_path / "o.json").is_file()


def test_never_packed_into_itself(run: Run, swim: Path, tmp_path: Path) -> None:
    first = run("pack", ".", "--out", "build/otter")
    assert "packed 13 frames" in first.stdout
    second = run("pack", ".", "--out", "build/otter")
    assert "packed 13 frames" in second.stdout
    assert "skipped: 2 outputs of a build\n" in second.stdout
    run("pack", "frames", "--out", "frames/otter")
    beside = run("pack", "frames", "--out", "frames/otter")
    assert "packed 13 frames" in beside.stdout
    other = run("pack", "frames", "--out", "frames/gull", "--max-size", "16x16")
    assert "packed 13 frames" in other.stdout
    assert "1 output of a build" in other.stdout
    assert "6 outputs of a build" in run("pack", "frames", "--out", "frames/otter", "--dry-run").stdout


def test_names_that_differ_only_in_case_are_refused(run: Run, tmp_path: Path) -> None:
    save(tmp_path / "f" / "Swim_1.png")
    save(tmp_path / "f" / "swim_1.png")
    done = run("pack", "f", "--out", "o")
    assert refusal(done) == (
        3,
        "the names 'Swim_1' and 'swim_1' differ only in case, and some file systems and engines cannot tell them apart; rename one",
    )
    assert not (tmp_path / "o.json").exists()
    assert run("pack", "f", "--out", "o", "--exclude", "Swim_1").returncode == 0  # one of them left out is fine


def test_an_animated_picture_is_a_sequence_with_its_own_times(run: Run, swim: Path, tmp_path: Path) -> None:
    frames = [Image.fromarray(art(8, 8, seed) | np.array([0, 0, 0, 255], np.uint8)) for seed in range(3)]
    frames[0].save(swim / "gull.png", save_all=True, append_images=frames[1:], duration=[40, 80, 120], loop=2)
    frames[0].save(swim / "cut.gif", save_all=True, append_images=frames[1:], duration=50)
    done = run("pack", "frames", "--out", "o", "--exclude", "cut/*", "--order", "swim")
    assert done.returncode == 0
    said = metadata(tmp_path / "o.json")
    assert [f["name"] for f in said["frames"][13:]] == ["gull/01", "gull/02", "gull/03"]
    assert said["animations"][1] == {
        "name": "gull", "frames": [13, 14, 15], "durations": [40, 80, 120], "loop": "once", "times": 2,
        "fps": [25, 1], "beats": [1, 2, 3],
    }  # fmt: skip
    assert "3  25 + holds    0.240    4,8  once\n" in done.stdout
    assert run("verify", "o.json", "--against", "frames").stdout.endswith(
        "all 16 frames match their sources, pixel for pixel\n"
    )
    run("pack", "frames", "--out", "o", "--exclude", "cut/*", "--fps", "gull=10", "--loop", "gull=forever")
    assert metadata(tmp_path / "o.json")["animations"][0] == {
        "name": "gull", "frames": [0, 1, 2], "durations": [100, 100, 100], "loop": "forever", "fps": [10, 1],
        "beats": [1, 1, 1],
    }  # fmt: skip
    whole = (swim / "cut.gif").read_bytes()
    (swim / "cut.gif").write_bytes(whole[:-3])
    done = run("pack", "frames", "--out", "o")
    assert refusal(done) == (
        3,
        "frames/cut.gif is cut short: 2 pictures of it could be read; export it again or remove it",
    )


def test_a_layered_document_is_a_sequence_or_one_picture(run: Run, tmp_path: Path) -> None:
    project = pyora.Project.new(12, 10)
    for seed, name in enumerate(("nod", "wave")):
        project.add_layer(Image.fromarray(art(6, 5, seed)), name, offsets=(seed + 1, 2))
    (tmp_path / "f").mkdir()
    project.save(str(tmp_path / "f" / "otter.ora"))
    done = run("pack", "f", "--out", "o", "--layout", "strip")
    assert (done.returncode, done.stderr) == (0, "")
    said = metadata(tmp_path / "o.json")
    assert [(f["name"], f["canvas"]) for f in said["frames"]] == [("otter/nod", [12, 10]), ("otter/wave", [12, 10])]
    assert said["animations"][0]["name"] == "otter"
    assert np.array_equal(decode(tmp_path / "o.png")[2:7, 14:20], art(6, 5, 1))
    assert run("verify", "o.json", "--against", "f").returncode == 0
    run("pack", "f", "--out", "o", "--layers", "flat")
    assert [f["name"] for f in metadata(tmp_path / "o.json")["frames"]] == ["otter"]
    assert run("verify", "o.json", "--against", "f").returncode == 0


TAKES = [
    (["--frames", "5-8"], ["swim_05", "swim_06", "swim_07", "swim_08"], [83, 84, 83, 83]),
    (["--frames", "swim=12-,1"], ["swim_12", "swim_13", "swim_01"], [83, 84, 83]),
    (["--every", "3", "--fps", "30"], ["swim_01", "swim_04", "swim_07", "swim_10", "swim_13"], [100] * 5),
    (["--every", "5", "--reverse", "--duration", "1s"], ["swim_11", "swim_06", "swim_01"], [333, 334, 333]),
    (["--frames", "1-3", "--hold", "swim:2=2", "--fps", "10"], ["swim_01", "swim_02", "swim_03"], [100, 200, 100]),
    (["--exclude", "*1?", "--exclude", "*0[2-8]"], ["swim_01", "swim_09"], [83, 84]),
    (["--rename", "swim=dash", "--frames", "dash=1-2", "--fps", "dash=20"], ["dash_01", "dash_02"], [50, 50]),
]


@pytest.mark.parametrize(("options", "names", "times"), TAKES)
def test_what_is_taken_and_that_the_proof_takes_the_same(
    run: Run, swim: Path, tmp_path: Path, options: list[str], names: list[str], times: list[int]
) -> None:
    done = run("pack", "frames", "--out", "o", *options)
    assert (done.returncode, done.stderr) == (0, "")
    said = metadata(tmp_path / "o.json")
    assert [frame["name"].removeprefix("swim/") for frame in said["frames"]] == names
    assert said["animations"][0]["durations"] == times
    proof = run("verify", "o.json", "--against", "frames")
    assert proof.stdout == (
        f"o.json: 1 sheet, {len(names)} frames, 1 animation, all checks passed\n"
        f"all {len(names)} frames match their sources, pixel for pixel\n"
    )


def test_animations_made_from_others(run: Run, swim: Path, tmp_path: Path) -> None:
    line = "pack frames --out o --columns 13 --split swim=start:1-4,go:5-13 --mirrored go_left=go"
    done = run(*f"{line} --reversed stop=start --order start,go,go_left,stop --fps stop=24".split())
    assert (done.returncode, done.stderr) == (0, "")
    said = metadata(tmp_path / "o.json")
    assert {a["name"]: len(a["frames"]) for a in said["animations"]} == {"start": 4, "go": 9, "go_left": 9, "stop": 4}
    assert said["frames"][13]["name"] == "go_left_05"
    assert said["frames"][22]["name"] == "stop_04"
    assert np.array_equal(decode(tmp_path / "o.png")[8:16, :8], art(8, 8, 5)[:, ::-1])
    assert said["settings"] == {
        "split": ["swim=start:1-4,go:5-13"], "mirrored": ["go_left=go"], "reversed": ["stop=start"], "order": "start,go,go_left,stop", "fps": ["stop=24"],
    }  # fmt: skip
    assert run("verify", "o.json", "--against", "frames").stdout.endswith(
        "all 26 frames match their sources, pixel for pixel\n"
    )
