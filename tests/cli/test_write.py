"""Test the files that `pack` writes next to the sheet, with the installed program: formats, names, sizes, finishes, and
whose files are whose."""

import hashlib
import json
import os
import shutil
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from conftest import Run, art, decode, metadata, save, tree


def packed(run: Run, *options: object) -> str:
    done = run("pack", "frames", "--out", "out/otter", *options)
    assert (done.returncode, done.stderr) == (0, "")
    return done.stdout


def proved(run: Run, *names: str) -> None:
    for name in names:
        done = run("verify", f"out/{name}", "--against", "frames")
        assert (done.returncode, done.stderr) == (0, ""), done.stdout
        assert "match their sources, pixel for pixel" in done.stdout


def test_all_formats_are_written_together_metadata_last(run: Run, swim: Path, tmp_path: Path) -> None:
    (tmp_path / "list.txt.j2").write_text("{% for frame in frames %}{{ frame.name }}\n{% endfor %}", "utf-8")
    told = packed(run, "--metadata", "css,json,csv,xml", "--template", "list.txt.j2")
    names = [
        "otter.png", "otter.txt", "otter.frames.csv", "otter.animations.csv", "otter.css", "otter.xml", "otter.json",
    ]  # fmt: skip
    assert [line.strip() for line in told.splitlines() if "wrote" in line] == [f"wrote out/{name}" for name in names]
    assert sorted(os.listdir(tmp_path / "out")) == sorted(names)
    assert (tmp_path / "out/otter.txt").read_text() == "".join(f"swim/swim_{i:02}\n" for i in range(1, 14))
    assert metadata(tmp_path / "out/otter.json")["files"] == names[1:]
    proved(run, "otter.json", "otter.xml")
    before = tree(tmp_path / "out")
    packed(run, "--metadata", "css,json,csv,xml", "--template", "list.txt.j2")
    assert tree(tmp_path / "out") == before


def test_other_sizes_are_prepared_from_the_originals(run: Run, tmp_path: Path) -> None:
    for number in range(1, 6):
        save(tmp_path / "frames" / f"swim_{number}.png", art(40, 32, number))
    lengths = (
        "--shift", "2,-4", "--pivot", "10px,20px", "--canvas", "48x40", "--cell", "64x48", "--outline",
        "#201830:2",
    )  # fmt: skip
    told = packed(run, "--also-scale", "50%,25%", "--metadata", "json,xml", *lengths)
    assert "  also at 50%: otter@50.png 64×72, cells 32×24\n  also at 25%: otter@25.png 32×36, cells 16×12\n" in told
    proved(run, *(f"otter{at}{ending}" for at in ("", "@50", "@25") for ending in (".json", ".xml")))
    whole, half, quarter = (metadata(tmp_path / f"out/otter{at}.json") for at in ("", "@50", "@25"))
    assert [one["scale"] for one in (whole, half, quarter)] == [1, 0.5, 0.25]
    assert [one["name"] for one in (whole, half, quarter)] == ["otter", "otter@50", "otter@25"]
    assert [one["frames"][0]["pivot"] for one in (whole, half, quarter)] == [[12, 16], [6, 8], [3.5, 4]]
    assert half["settings"]["also_scale"] == "50%"
    assert "also_scale" not in whole["settings"]
    alone = run("pack", "frames", "--out", "alone", "--scale", "25%", "--shift", "1,-1", "--pivot", "2.5px,5px",
                "--canvas", "12x10", "--cell", "16x12", "--outline", "#201830:1")  # fmt: skip
    assert alone.returncode == 0
    assert np.array_equal(decode(tmp_path / "alone.png"), decode(tmp_path / "out/otter@25.png"))
    assert metadata(tmp_path / "alone.json")["frames"] == quarter["frames"]
    packed(run)  # the sizes of the build before are gone
    assert sorted(os.listdir(tmp_path / "out")) == ["otter.json", "otter.png"]


def test_sizes_that_are_no_short_decimal_are_proved_as_well(run: Run, tmp_path: Path) -> None:
    for number in range(1, 4):
        save(tmp_path / "frames" / f"swim_{number}.png", art(31, 22, number))
    packed(run, "--also-scale", "1/3,12.5%", "--layout", "tight", "--fit", "60x60", "--effort", "quick")
    assert metadata(tmp_path / "out/otter@33.3333.json")["settings"]["also_scale"] == "1/3"
    proved(run, "otter.json", "otter@33.3333.json", "otter@12.5.json")


def test_indexed_sheets_share_one_palette(run: Run, tmp_path: Path) -> None:
    for number in range(1, 9):
        pixels = np.zeros((8, 8, 4), np.uint8)
        pixels[2:6, 2:6] = ((number % 5) * 40, 9, 200, 255)
        save(tmp_path / "frames" / f"swim_{number}.png", pixels)
    told = packed(run, "--colors", 5, "--max-size", "16x16")
    assert "  indexed image of 6 colors, the empty one counted in\n" in told
    palettes = []
    for number in (1, 2):
        with Image.open(tmp_path / f"out/otter-{number}.png") as image:
            assert image.mode == "P"
            palettes.append(image.getpalette())
    assert palettes[0] == palettes[1]
    assert run("unpack", "out/otter.json", "--out", "back").returncode == 0
    for number in range(1, 9):
        exact = decode(tmp_path / "frames" / f"swim_{number}.png")
        assert np.array_equal(decode(tmp_path / "back" / f"swim_{number}.png"), exact)  # no more colors than asked for
    proved(run, "otter.json")


def test_soft_edges_with_too_many_colors_are_told_of(run: Run, swim: Path, tmp_path: Path) -> None:
    done = run("pack", "frames", "--out", "out/otter", "--colors", 200)
    assert "warning: with soft edges and the empty color, the image has more than 256 colors" in done.stderr
    with Image.open(tmp_path / "out/otter.png") as image:
        assert image.mode == "RGBA"
    proved(run, "otter.json")


@pytest.mark.parametrize(
    ("options", "told", "claim", "mode", "again"),
    [
        (["--premultiply", "--layout", "tight", "--turn", "--edge-repeat", 1], "colors multiplied by their alpha: the game must blend them as premultiplied", {"alpha": "premultiplied"}, "RGBA", "divided colors by their alpha"),
        (["--background", "#20406f", "--trim", "frame", "--gap", 2], "flattened on #20406f: the image has no alpha", {"background": "#20406f"}, "RGB", ""),
    ],
)  # fmt: skip
def test_finishes_are_told(
    run: Run, swim: Path, tmp_path: Path, options: list, told: str, claim: dict, mode: str, again: str
) -> None:
    """That every frame comes back from them: tests/trust/test_exactness.py."""
    assert f"  {told}\n" in packed(run, *options)
    assert metadata(tmp_path / "out/otter.json").items() >= claim.items()
    with Image.open(tmp_path / "out/otter.png") as image:
        assert image.mode == mode
    proved(run, "otter.json")
    assert again in run("unpack", "out/otter.json", "--out", "back").stdout


def test_metadata_that_claims_another_finish_than_the_sheets_have_is_found_out(
    run: Run, swim: Path, tmp_path: Path
) -> None:
    packed(run)
    plain = metadata(tmp_path / "out/otter.json")
    for claim in ({"background": "#20406f"}, {"alpha": "premultiplied"}):
        (tmp_path / "out/otter.json").write_text(json.dumps(plain | claim))
        done = run("verify", "out/otter.json", "--against", "frames")
        lines = done.stdout.splitlines()
        assert (done.returncode, lines[1]) == (1, "  otter.json was changed since it was written")
        assert "0 of 13 frames match their sources, pixel for pixel" in lines


def test_squeezed_sheets_are_smaller_and_the_same(run: Run, swim: Path, tmp_path: Path) -> None:
    packed(run)
    plain, pixels = (tmp_path / "out/otter.png").stat().st_size, decode(tmp_path / "out/otter.png")
    packed(run, "--optimize")
    assert (tmp_path / "out/otter.png").stat().st_size < plain
    assert np.array_equal(decode(tmp_path / "out/otter.png"), pixels)
    proved(run, "otter.json")


@pytest.mark.parametrize("options", [[], ["--premultiply", "--max-size", "20"]], ids=" ".join)
def test_sheets_as_webp_have_the_same_pixels(run: Run, swim: Path, tmp_path: Path, options: list[str]) -> None:
    for image in ("png", "webp"):
        done = run("pack", "frames", "--out", f"{image}/o", "--image", image, *options)
        assert (done.returncode, done.stderr) == (0, "")
    sheets = sorted((tmp_path / "png").glob("*.png"))
    assert {path.stem for path in sheets} == {path.stem for path in (tmp_path / "webp").glob("*.webp")}
    for path in sheets:  # also under transparent pixels
        assert np.array_equal(decode(tmp_path / "webp" / f"{path.stem}.webp"), decode(path))
    assert run("show", "webp/o.json", "--out", "o.html").returncode == 0
    page = (tmp_path / "o.html").read_text("utf-8")
    assert ("data:image/webp;base64,UklGR" in page) == (not options)  # premultiplied art is drawn anew


def test_another_kind_of_image_takes_the_place_of_the_one_before(run: Run, swim: Path, tmp_path: Path) -> None:
    run("pack", "frames", "--out", "o")
    done = run("pack", "frames", "--out", "o.webp", "--image", "webp")
    assert "removed o.png, a file of the last build" in done.stdout
    assert sorted(path.name for path in tmp_path.glob("o*")) == ["o.json", "o.webp"]
    long = run("pack", "frames", "--out", "o", "--image", "webp", "--max-size", "16384")
    assert long.stderr == (
        "agile-crate: error: WebP is at most 16,383 pixels a side; make --max-size or --size smaller\n"
    )


def test_sheets_under_names_of_your_own(run: Run, swim: Path, tmp_path: Path) -> None:
    packed(run, "--file-name", "{name}_{cell_width}x{cell_height}_{frames}", "--metadata", "json,css")
    assert sorted(os.listdir(tmp_path / "out")) == ["otter.css", "otter.json", "otter_8x8_13.png"]
    proved(run, "otter.json")
    told = packed(run)
    assert (
        "  removed out/otter.css, a file of the last build\n  removed out/otter_8x8_13.png, a file of the last build\n"
        in told
    )
    assert sorted(os.listdir(tmp_path / "out")) == ["otter.json", "otter.png"]
    packed(run, "--file-name", "sheet of {frames}")
    save(tmp_path / "out/sheet of 13.png", art(3, 3))  # somebody painted over it
    done = run("pack", "frames", "--out", "out/otter")
    assert (done.returncode, "sheet of 13.png was changed since the last build" in done.stderr) == (5, True)
    done = run("pack", "frames", "--out", "out/otter", "--force")
    assert done.stderr.endswith("left in place: sheet of 13.png, which was changed since the last build\n")
    assert sorted(os.listdir(tmp_path / "out")) == ["otter.json", "otter.png", "sheet of 13.png"]


def test_what_metadata_claims_is_not_removed_or_overwritten(run: Run, swim: Path, tmp_path: Path) -> None:
    packed(run)
    said = metadata(tmp_path / "out/otter.json")
    for name in ("letter.txt", "letter.png", "otter-notes.txt", "otters.png"):
        (tmp_path / "out" / name).write_bytes(b"keep me")
    said["sheets"] += [said["sheets"][0] | {"image": name, "sha256": "0" * 64} for name in ("letter.png", "otters.png")]
    said["files"] = ["letter.txt", "otter-notes.txt", "../outside.txt"]
    (tmp_path / "outside.txt").write_text("keep me")
    text = json.dumps(said | {"sha256": ""})
    seal = hashlib.sha256(text.encode()).hexdigest()
    (tmp_path / "out/otter.json").write_text(text.replace('"sha256": ""', f'"sha256": "{seal}"', 1))
    before = tree(tmp_path)
    done = run("pack", "frames", "--out", "out/otter")
    assert (done.returncode, "letter.png and otters.png were changed since the last build" in done.stderr) == (5, True)
    assert tree(tmp_path) == before
    done = run("pack", "frames", "--out", "out/otter", "--force")
    assert (done.returncode, "removed" in done.stdout) == (0, False)
    assert "left in place: letter.png and otters.png, which were changed" in done.stderr
    assert (tmp_path / "out/letter.png").read_bytes() == (tmp_path / "out/otters.png").read_bytes() == b"keep me"
    assert sorted(os.listdir(tmp_path / "out")) == [
        "letter.png", "letter.txt", "otter-notes.txt", "otter.json", "otter.png", "otters.png",
    ]  # fmt: skip
    assert (tmp_path / "outside.txt").exists()


def test_what_is_somebody_elses_is_never_touched(run: Run, swim: Path, tmp_path: Path) -> None:
    """A document of our form that does not prove that we wrote it, and files that only have the names of ours."""
    packed(run, "--metadata", "json,css")
    said = metadata(tmp_path / "out/otter.json")
    del said["sha256"]
    said["files"] += ["otter.psd"]
    said["sheets"] += [said["sheets"][0] | {"image": "otter-7.png"}]
    for name in ("otter.psd", "otter-7.png"):
        (tmp_path / "out" / name).write_bytes(b"keep me")
    (tmp_path / "out/otter.json").write_text(json.dumps(said))
    before = tree(tmp_path)
    done = run("pack", "frames", "--out", "out/otter")
    assert (done.returncode, done.stderr[:59]) == (
        5, "agile-crate: error: otter.png and otter.json already exist "
    )  # fmt: skip
    assert tree(tmp_path) == before
    assert run("pack", "frames", "--out", "out/otter", "--force").returncode == 0
    after = tree(tmp_path)
    assert after["out/otter.psd"] == after["out/otter-7.png"] == b"keep me"


def test_a_document_beside_frames_hides_none_of_them(run: Run, swim: Path, tmp_path: Path) -> None:
    packed(run)
    said = metadata(tmp_path / "out/otter.json")
    said["sheets"][0]["image"] = "swim_01.png"
    (swim / "swim/otter.json").write_text(json.dumps(said))
    assert "packed 13 frames" in run("pack", "frames", "--out", "b/o").stdout
    shutil.copy(tmp_path / "out/otter.png", swim / "swim/swim_01.png")
    assert "packed 12 frames" in run("pack", "frames", "--out", "b/o").stdout  # that it really is
    shutil.copytree(tmp_path / "out", swim / "built")
    save(swim / "built/otter.png", 255 - decode(swim / "built/otter.png"))  # painted on, and still no frame
    assert "packed 12 frames" in run("pack", "frames", "--out", "b/o").stdout


def test_files_that_are_in_the_way_of_any_format(run: Run, swim: Path, tmp_path: Path) -> None:
    (tmp_path / "out").mkdir()
    (tmp_path / "out/otter.css").write_text("body {}")
    done = run("pack", "frames", "--out", "out/otter", "--metadata", "json,css")
    assert done.returncode == 5
    assert "otter.css already exists and is not from a build of this name" in done.stderr
    assert os.listdir(tmp_path / "out") == ["otter.css"]
    assert run("pack", "frames", "--out", "out/otter", "--metadata", "json,css", "--force").returncode == 0


def test_a_name_that_xml_cannot_carry_leaves_everything_as_it_was(run: Run, tmp_path: Path) -> None:
    save(tmp_path / "frames" / "bell\a.png", art(4, 4))
    done = run("pack", "frames", "--out", "out/otter", "--metadata", "json,xml")
    assert done.returncode == 5
    assert r"the name 'bell\x07' has the character U+0007, which XML cannot carry" in done.stderr
    assert not (tmp_path / "out").exists()


def test_sheets_under_names_of_their_own_are_never_inputs(run: Run, swim: Path, tmp_path: Path) -> None:
    run("pack", "frames", "--out", "frames/otter", "--file-name", "all of them", "--metadata", "xml")
    done = run("pack", "frames", "--out", "out/otter")
    assert "packed 13 frames" in done.stdout
    assert "skipped: 1 file that is not a picture, 1 output of a build\n" in done.stdout


def test_json_on_request(run: Run, swim: Path) -> None:
    said = json.loads(run("pack", "frames", "--out", "out/otter", "--also-scale", "50%", "--json").stdout)
    assert [one["scale"] for one in said["also"]] == ["50%"]
    assert said["also"][0]["sheets"][0]["image"] == "otter@50.png"
    assert [Path(path).name for path in said["files"]] == ["otter.png", "otter@50.png", "otter@50.json", "otter.json"]
    assert said["also"][0]["sheets"][0]["size"] == [side // 2 for side in said["sheets"][0]["size"]]
