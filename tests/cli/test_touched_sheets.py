"""A sheet that somebody painted on: pack does not overwrite it, unpack and show go on, verify says so, and the touch is
accepted, and carried from build to build."""

import hashlib
import json
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

import agile_crate
from conftest import Run, art, decode, met, refusal, save, tree


@pytest.fixture
def edited(run: Run, swim: Path, tmp_path: Path) -> np.ndarray:
    """A crate whose sheet was painted on; the sheet's pixels now."""
    assert run("pack", "frames", "--out", "o", "--metadata", "json,xml", "--columns", "5").returncode == 0
    pixels = decode(tmp_path / "o.png").copy()
    pixels[2, 3] = (255, 0, 255, 255)
    save(tmp_path / "o.png", pixels)
    return pixels


def test_pack_keeps_what_was_painted(run: Run, edited: np.ndarray, tmp_path: Path) -> None:
    before = tree(tmp_path)
    for more in ([], ["--columns", "3"], ["--dry-run"], ["--max-size", "16x16"]):
        done = run("pack", "frames", "--out", "o", *more)
        assert (done.returncode, done.stdout, done.stderr) == (
            5,
            "",
            "agile-crate: error: o.png was changed since the last build, perhaps by hand; keep a copy, "
            "choose another --out, take along what was painted with --keep-edits, or overwrite it with --force\n",
        )
        assert tree(tmp_path) == before
    assert run("pack", "frames", "--out", "other").returncode == 0
    assert run("pack", "frames", "--out", "o", "--force").returncode == 0
    assert run("pack", "frames", "--out", "o").returncode == 0  # twice in a row
    assert run("verify", "o.json", "--against", "frames").returncode == 0


def test_unpack_and_show_go_on_with_a_warning(run: Run, edited: np.ndarray, tmp_path: Path) -> None:
    warning = (
        "agile-crate: warning: o.json: sheet 'o.png' was changed since it was written; its current pixels are used\n"
    )
    done = run("unpack", "o.json", "--out", "back")
    assert (done.returncode, done.stderr) == (0, warning)
    assert decode(tmp_path / "back/swim/swim_01.png")[2, 3].tolist() == [255, 0, 255, 255]
    done = run("unpack", "o.json", "--out", "again", "--json")
    assert json.loads(done.stdout)["warnings"] == [warning.removeprefix("agile-crate: warning: ").rstrip()]
    for out in ("o.view.png", "o.html", "o.gif"):
        done = run("show", "o.json", "--out", out)
        assert (done.returncode, done.stderr) == (0, warning)
    done = run("show", "o.json", "--against", "o.xml")
    assert (done.returncode, done.stderr) == (0, warning.replace("o.json", "o.xml") + warning)


def test_another_size_is_no_touch(run: Run, edited: np.ndarray, tmp_path: Path) -> None:
    Image.fromarray(art(9, 9)).save(tmp_path / "o.png")
    for command in (["unpack", "o.json", "--out", "back"], ["show", "o.json", "--out", "view.png"]):
        done = run(*command)
        assert (done.returncode, done.stdout) == (3, "")
        assert done.stderr == "agile-crate: error: o.json: sheet 'o.png' is 9×9, and the metadata says 40×24\n"


def test_what_is_accepted_is_told_by_both_forms_and_nothing_else_changes(
    run: Run, edited: np.ndarray, tmp_path: Path
) -> None:
    for ending, old, new in ((".json", '"name": "otter"', '"ours": [1,  2]'), (".xml", ' scale="1"', ' ours="1 2"')):
        text = (tmp_path / f"o{ending}").read_text()
        (tmp_path / f"o{ending}").write_text(
            text.replace('"scale": 1', new + ', "scale": 1').replace(old, old + new, 1)
        )
    was = {ending: (tmp_path / f"o.{ending}").read_text().splitlines() for ending in ("json", "xml")}
    done = run("verify", "o.json", "--accept", "--against", "frames")
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout == (
        "accepted o.png, o.json and o.xml as they are now; edits on 1 frame, recorded in o.json and o.xml\n"
        "o.json: 1 sheet, 13 frames, 1 animation, all checks passed\n"
        "all 13 frames match their sources, pixel for pixel, 1 of them with edits by hand\n"
    )
    for ending, lines in was.items():
        now = (tmp_path / f"o.{ending}").read_text()
        lost = [line for line in lines if line.replace(" />", "/>") not in now]
        assert len(lost) <= 4, lost  # the digest of the whole, the sheet, the frame, and our own key
        assert "ours" in now
    assert run("verify", "o.xml").returncode == 0
    assert run("unpack", "o.json", "--out", "back").stderr == ""
    assert run("verify", "o.json", "--accept").stdout.startswith(
        "nothing to accept: no file changed since it was written\n"
    )
    done = run("pack", "frames", "--out", "o", "--columns", "5")
    assert (done.returncode, done.stderr[:49]) == (5, "agile-crate: error: o.png holds edits that were k")


WAYS = {
    "plain": ["--margin", "2"], "strip": ["--layout", "strip", "--trim", "frame", "--cushion", "1"], "rows": ["--layout", "rows", "--trim", "animation"],
    "tight": ["--layout", "tight", "--turn", "--share-mirrored", "--mirrored", "left=swim"], "half": ["--also-scale", "50%"],
    "flat": ["--background", "#20406f"], "premultiplied": ["--premultiply", "--trim", "frame"], "sheets": ["--max-size", "16x16"],
    "named": ["--file-name", "{name} of {frames}"], "indexed": ["--hard-alpha", "128", "--colors", "200"],
    "outlined": ["--outline", "#203040", "--edge-repeat", "1", "--gap", "2"], "shapes": ["--shape", "contour", "--pivot", "feet", "--snap-pivot"],
}  # fmt: skip


@pytest.mark.parametrize("way", WAYS)
def test_touches_are_carried_from_build_to_build(run: Run, swim: Path, tmp_path: Path, way: str) -> None:
    for number in (3, 4):
        pixels = art(8, 8, number)
        pixels[:2], pixels[:, 6:] = 0, 0
        save(swim / f"swim/swim_{number:02d}.png", pixels)
    pack = ["pack", "frames", "--out", "o", "--metadata", "json,xml", *WAYS[way]]
    assert run(*pack).returncode == 0
    name = "swim/swim_03"
    document = json.loads((tmp_path / "o.json").read_text())
    one = next(one for one in document["frames"] if one["name"] == name)
    sheet = tmp_path / document["sheets"][one["sheet"]]["image"]
    pixels = decode(sheet).copy()
    x, y, w, h = one["box"]
    pixels[y + h // 2, x + w // 2] = (250, 10, 240, 255)
    save(sheet, pixels)
    painted = agile_crate.load(tmp_path / "o.json").frame(name)
    for more in (["--layout", "tight", "--trim", "frame"], []):
        done = run(*pack, "--keep-edits", *(more if way not in ("flat", "premultiplied", "half") else []))
        assert (done.returncode, done.stderr) == (0, "")
        assert f"edits kept on {2 if way == 'tight' else 1} frame" in done.stdout
        now = agile_crate.load(tmp_path / "o.json")
        assert np.array_equal(now.frame(name), painted)
        assert [one.name for one in now.crate.frames if one.edited] == [*["left/left_03"] * (way == "tight"), name]
        proof = run("verify", "o.json", "--against", "frames")
        assert (proof.returncode, "with edits by hand" in proof.stdout) == (0, True), proof.stdout
    save(swim / "swim/swim_03.png", art(8, 8, 99))
    before = tree(tmp_path)
    done = run(*pack, "--keep-edits")
    assert done.returncode == 5
    assert done.stderr.startswith("agile-crate: error: --keep-edits cannot keep what was painted on ")
    assert name in done.stderr
    assert tree(tmp_path) == before
    done = run(*pack, "--keep-edits", "--force")
    assert (done.returncode, done.stderr[:52]) == (0, "agile-crate: warning: not kept: what was painted on ")
    assert run("verify", "o.json", "--against", "frames").returncode == 0


def test_what_cannot_be_kept_is_named(run: Run, edited: np.ndarray, tmp_path: Path) -> None:
    edited[20, 38] = (1, 2, 3, 255)  # the last cells are empty
    save(tmp_path / "o.png", edited)
    keep = ["pack", "frames", "--out", "o", "--keep-edits"]
    for more, told in (
        ([], "1 painted pixel of o.png outside of all frames; keep"),
        (["--exclude", "swim/swim_01"], "outside of all frames; nor what was painted on swim/swim_01: the source"),
        (
            ["--scale", "200%"],
            "what was painted on swim/swim_01: the source, or its place on the canvas, is not what it",
        ),
    ):
        done = run(*keep, *more)
        assert (done.returncode, told in done.stderr) == (5, True), done.stderr
    assert run(*keep, "--force").returncode == 0
    assert run(*keep).returncode == 0  # what strayed is gone, the rest is carried on
    save(tmp_path / "o.png", art(9, 9))
    done = run(*keep)
    assert (done.returncode, "is 9×9, and the metadata says" in done.stderr) == (3, True)


def test_text_files_that_somebody_edited_are_safe_too(run: Run, swim: Path, tmp_path: Path) -> None:
    pack = ["pack", "frames", "--out", "o", "--metadata", "json,xml,css,csv"]
    assert run(*pack).returncode == 0
    for name in ("o.json", "o.xml", "o.css", "o.frames.csv"):
        data = (tmp_path / name).read_bytes()
        (tmp_path / name).write_bytes(data.replace(b"\r\n", b"\n") if b"\r" in data else data.replace(b"\n", b"\r\n"))
    assert run("verify", "o.json").returncode == 0  # line ends may change
    assert run(*pack).returncode == 0
    for name in ("o.json", "o.xml", "o.css", "o.frames.csv"):
        data = (tmp_path / name).read_bytes()
        (tmp_path / name).write_bytes(data + b" ")
        done = run("verify", "o.json")
        assert (done.returncode, f"  {name} was changed since it was written" in done.stdout) == (1, True)
        before = tree(tmp_path)
        for more in ([], ["--keep-edits"]):
            done = run(*pack, *more)
            assert (done.returncode, done.stderr.split(",")[0]) == (
                5,
                f"agile-crate: error: {name} was changed since the last build",
            )
            assert tree(tmp_path) == before
        assert run("verify", "o.xml", "--accept").returncode == 0
        assert run(*pack).returncode == 0
    (tmp_path / "o.css").unlink()
    assert run("verify", "o.json").returncode == 0  # it may have gone elsewhere


ERASING = {
    "tight": ["--layout", "tight"], "grid": ["--trim", "frame"], "blocks": ["--layout", "blocks", "--trim", "frame"], "whole": [],
    "half": ["--layout", "tight", "--scale", "50%"], "together": ["--trim", "animation", "--cushion", "1"],
}  # fmt: skip


@pytest.mark.parametrize(("way", "erased"), met(ERASING, ["column", "half", "all"]))
def test_an_edit_that_erases_is_kept_and_stays_known(run: Run, tmp_path: Path, way: str, erased: str) -> None:
    for number in (1, 2):
        pixels = np.zeros((16, 16, 4), np.uint8)
        pixels[4:12, 4:12] = (200, 40 * number, 60, 255)
        save(tmp_path / "frames" / f"dive_{number}.png", pixels)
    pack = ["pack", "frames", "--out", "o", *ERASING[way]]
    assert run(*pack).returncode == 0
    first = json.loads((tmp_path / "o.json").read_text())["frames"][0]
    x, y, w, h = first["box"]
    sheet = decode(tmp_path / "o.png").copy()
    sheet[y : y + h, x : x + {"column": max(1, w // 2 - 2), "half": w // 2, "all": w}[erased]] = 0
    save(tmp_path / "o.png", sheet)
    painted = agile_crate.load(tmp_path / "o.json").frame(first["name"])
    for _ in range(2):
        done = run(*pack, "--keep-edits")
        assert (done.returncode, done.stderr) == (0, "")
        now = agile_crate.load(tmp_path / "o.json")
        assert np.array_equal(now.frame(first["name"]), painted)
        assert [one.name for one in now.crate.frames if one.edited] == [first["name"]]
        proof = run("verify", "o.json", "--against", "frames")
        assert (proof.returncode, "1 of them with edits by hand" in proof.stdout) == (0, True), proof.stdout
    done = run(*pack)
    assert refusal(done) == (
        5,
        "o.png holds edits that were kept or accepted before; keep them with --keep-edits, or overwrite it with --force",
    )


def test_what_would_never_be_in_order_again_is_not_accepted(run: Run, swim: Path, tmp_path: Path) -> None:
    text = '[crate.o]\nfrom = "frames"\nout = "o"\ngap = 4\nmargin = 2\nedge-repeat = 1\n[crate.o.skin.rain]\nrecolor = { "#2878c8" = "#102040" }\n'
    (tmp_path / "o.crate.toml").write_text(text, "utf-8")
    assert run("pack", "o.crate.toml").returncode == 0
    whole = {name: decode(tmp_path / name) for name in ("o.png", "o-rain.png")}
    x, y, _, _ = json.loads((tmp_path / "o.json").read_text())["frames"][0]["box"]
    for name, place, told in (
        ("o.png", (y, x), "frame 'swim/swim_01': its repeated edge differs in 3 pixels, first at 1,1 of the sheet; paint it alike"),
        ("o.png", (0, 0), "sheet 'o.png': 1 visible pixel lies outside of all frames; erase them"),
        ("o-rain.png", (y, x), "'o-rain.png', a sheet of the skin 'rain', is missing or was changed; edits on skins cannot be accepted: edit the skin's frames, and pack again"),
    ):  # fmt: skip
        pixels = whole[name].copy()
        pixels[place] = (250, 10, 240, 255)
        save(tmp_path / name, pixels)
        before = tree(tmp_path)
        done = run("verify", "o.json", "--accept")
        assert refusal(done) == (3, f"o.json: {told}")
        assert tree(tmp_path) == before
        run("pack", "o.crate.toml", "--force")
    pixels = whole["o.png"].copy()
    pixels[y - 1 : y + 1, x - 1 : x + 1] = (250, 10, 240, 255)
    save(tmp_path / "o.png", pixels)
    assert run("verify", "o.json", "--accept", "--against", "o.crate.toml").returncode == 0


FINISHED = ("", "--background #20406f", "--premultiply", "--layout tight", "--hard-alpha 128 --colors 64")


@pytest.mark.parametrize(("more", "where"), met(FINISHED, ["gap", "margin", "empty cell"]))
def test_paint_outside_of_all_frames_is_found(run: Run, swim: Path, tmp_path: Path, where: str, more: str) -> None:
    options = f"--gap 3 --margin 3 --edge-repeat 1 --size 96x96 {more}".split()
    assert run("pack", "frames", "--out", "o", *options).returncode == 0
    pixels = decode(tmp_path / "o.png").copy()
    box = json.loads((tmp_path / "o.json").read_text())["frames"][0]["box"]
    pixels[{"gap": (4, box[0] + box[2] + 1), "margin": (0, 9), "empty cell": (90, 90)}[where]] = (255, 0, 0, 255)
    save(tmp_path / "o.png", pixels)
    text, old = (tmp_path / "o.json").read_text(), json.loads((tmp_path / "o.json").read_text())
    text = text.replace(old["sheets"][0]["sha256"], hashlib.sha256((tmp_path / "o.png").read_bytes()).hexdigest())
    digest = hashlib.sha256(text.replace(old["sha256"], "").encode()).hexdigest()
    (tmp_path / "o.json").write_text(text.replace(old["sha256"], digest), "utf-8")
    done = run("verify", "o.json", "--against", "frames")
    assert done.returncode == 1
    assert "sheet 'o.png': 1 visible pixel lies outside of all frames" in done.stdout
