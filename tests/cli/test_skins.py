"""Skins, as the installed program: one arrangement, other art; what is no art; proofs, views and mistakes."""

import json
import os
import shutil
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

import agile_crate
from conftest import Run, art, check_metadata, decode, metadata, refusal, save, tree

TEXT = """
[crate.otter]
from = "base"
out = "build/otter"
layout = "tight"
gap = 1
metadata = ["json", "xml"]
{more}
[crate.otter.skin.raincoat]
from = "coat"
[crate.otter.skin.storm]
layers = ["base", ["cape"]]
[crate.otter.skin.night]
recolor = {{ "#2878c8" = "#102040", "#ffffff" = "#2878c8" }}
[crate.otter.skin.normal]
from = "normal"
plain = true
"""


def figure(x: int, y: int, w: int, h: int, color: tuple[int, ...], canvas: int = 24) -> np.ndarray:
    pixels = np.zeros((canvas, canvas, 4), np.uint8)
    pixels[y : y + h, x : x + w] = color
    return pixels


@pytest.fixture
def project(tmp_path: Path) -> Path:
    """Swim and idle: a blue box with a white belly; a coat that is larger on one frame; a soft cape; opaque normals."""
    for name, count in (("swim", 4), ("idle", 3)):
        for number in range(1, count + 1):
            frame = f"{name}/{name}_{number}.png"
            body = figure(4 + number, 6, 9, 8, (40, 120, 200, 255))
            body[9:12, 6 + number : 9 + number] = 255
            save(tmp_path / "base" / frame, body)
            coat = figure(4 + number, 6, 9, 8, (220, 180, 40, 255))
            if number == 2:
                coat[2:16, 3:18] = (220, 180, 40, 255)
            save(tmp_path / "coat" / frame, coat)
            save(tmp_path / "cape" / frame, figure(3 + number, 10, 5, 9, (200, 30, 30, 128)))
            normal = np.full((24, 24, 4), (128, 128, 255, 255), np.uint8)
            normal[..., 0] += np.arange(24, dtype=np.uint8)
            save(tmp_path / "normal" / frame, normal)
    (tmp_path / "otter.crate.toml").write_text(TEXT.format(more=""), "utf-8")
    return tmp_path


def built(run: Run, folder: Path, more: str = "") -> dict:
    (folder / "otter.crate.toml").write_text(TEXT.format(more=more), "utf-8")
    done = run("pack", "otter.crate.toml")
    assert done.returncode == 0, done.stderr
    check_metadata(folder / "build" / "otter")
    for form in ("json", "xml"):
        proof = run("verify", f"build/otter.{form}", "--against", "otter.crate.toml")
        assert proof.returncode == 0, proof.stdout
    return metadata(folder / "build" / "otter.json")


def test_one_arrangement_for_all_skins(run: Run, project: Path) -> None:
    document = built(run, project)
    (sheet,) = document["sheets"]
    assert {name: skin["image"] for name, skin in sheet["skins"].items()} == {
        "raincoat": "otter-raincoat.png", "storm": "otter-storm.png", "night": "otter-night.png", "normal": "otter-normal.png"
    }  # fmt: skip
    assert [name for name, skin in sheet["skins"].items() if skin.get("plain")] == ["normal"]
    frames = {frame["name"]: frame for frame in document["frames"]}
    assert frames["swim/swim_2"]["box"][2:] == [15, 17]  # the coat is larger there, and the cape reaches lower
    assert frames["swim/swim_1"]["box"][2:] == [10, 13]
    for name, skin in sheet["skins"].items():
        pixels = decode(project / "build" / skin["image"])
        assert pixels.shape[:2] == tuple(sheet["size"][::-1])
        for frame in document["frames"]:
            (x, y, w, h), (dx, dy) = frame["box"], frame["offset"]
            stored = pixels[y : y + h, x : x + w]
            path = f"{frame['name']}.png"
            if name in ("raincoat", "normal"):
                whole = decode(project / {"raincoat": "coat", "normal": "normal"}[name] / path)
                assert (stored == whole[dy : dy + h, dx : dx + w]).all()
            elif name == "night":
                whole = decode(project / "base" / path).copy()
                blue = (whole == (40, 120, 200, 255)).all(axis=2)
                white = (whole == 255).all(axis=2)
                whole[blue], whole[white] = (16, 32, 64, 255), (40, 120, 200, 255)
                assert (stored == whole[dy : dy + h, dx : dx + w]).all()
            else:
                base, cape = (Image.open(project / folder / path).convert("RGBA") for folder in ("base", "cape"))
                expected = np.asarray(Image.alpha_composite(base, cape)).astype(int)
                assert np.abs(stored - expected[dy : dy + h, dx : dx + w]).max() <= 1


def test_what_is_no_art_is_touched_by_no_color_step(run: Run, project: Path) -> None:
    more = 'premultiply = true\noutline = "#000000:1"\ncolor-key = "#808080"\nhard-alpha = 100\npalette = ["#000000", "#2878c8", "#ffffff"]\nalso-scale = ["50%"]'
    document = built(run, project, more)
    normal = decode(project / "build" / document["sheets"][0]["skins"]["normal"]["image"])
    frame = document["frames"][0]
    x, y, w, h = frame["box"]
    seen = normal[y : y + h, x : x + w]
    inside = seen[seen[..., 3] > 0]
    assert (inside[:, 2] == 255).all()
    assert set(inside[:, 0]) <= set(range(128, 152))
    with Image.open(project / "build" / "otter.png") as image:
        assert image.mode == "P"
    with Image.open(project / "build" / "otter-normal.png") as image:
        assert image.mode == "RGBA"
    proof = run("verify", "build/otter@50.json", "--against", "otter.crate.toml")
    assert (proof.returncode, proof.stdout.count("all 7 frames")) == (0, 5)


def test_frames_share_a_box_only_where_they_are_alike_in_every_skin(run: Run, project: Path) -> None:
    shutil.copy(project / "base/swim/swim_1.png", project / "base/swim/swim_3.png")
    document = built(run, project, "share-mirrored = true")
    boxes = {frame["name"]: frame["box"] for frame in document["frames"]}
    assert boxes["swim/swim_1"] != boxes["swim/swim_3"]  # the coats differ
    for folder in ("coat", "cape", "normal"):
        shutil.copy(project / folder / "swim/swim_1.png", project / folder / "swim/swim_3.png")
    document = built(run, project, "share-mirrored = true")
    boxes = {frame["name"]: frame["box"] for frame in document["frames"]}
    assert boxes["swim/swim_1"] == boxes["swim/swim_3"]
    document = built(
        run, project, 'drop-duplicates = true\nrename = { swim = "paddle" }\nmirrored = { back = "paddle" }'
    )
    names = [frame["name"] for frame in document["frames"]]
    assert len(names) == 11  # none is a copy of the one before in every skin


def test_unpack_show_and_load_know_skins(run: Run, project: Path) -> None:
    built(run, project)
    assert run("unpack", "build/otter.json", "--out", "back", "--skin", "raincoat").returncode == 0
    assert (decode(project / "back/swim/swim_2.png") == decode(project / "coat/swim/swim_2.png")).all()
    loaded = agile_crate.load(project / "build/otter.json", skin="raincoat")
    assert (loaded.frame("idle/idle_1") == decode(project / "coat/idle/idle_1.png")).all()
    for out in ("sheet.png", "swim.gif", "page.html"):
        for skin in ((), ("--skin", "raincoat")):
            assert run("show", "build/otter.json", "--out", f"{len(skin)}-{out}", *skin).returncode == 0
        assert (project / f"0-{out}").read_bytes() != (project / f"2-{out}").read_bytes()
    for command in (["unpack", "build/otter.json", "--out", "x"], ["show", "build/otter.json", "--out", "x.png"]):
        done = run(*command, "--skin", "raincoot")
        assert refusal(done) == (2, "build/otter.json has no skin 'raincoot'; did you mean 'raincoat'?")


def test_building_again(run: Run, project: Path) -> None:
    built(run, project)
    assert run("pack", "otter.crate.toml").stdout.startswith("otter: up to date (7 frames, 7 files)")
    for name in ("swim", "idle"):  # they share a box
        save(project / f"coat/{name}/{name}_3.png", figure(7, 6, 9, 8, (1, 2, 3, 255)))
    said = json.loads(run("pack", "otter.crate.toml", "--json").stdout)["crates"][0]
    kept = {Path(path).name for path in said["kept"]}
    assert kept == {"otter.png", "otter-storm.png", "otter-night.png", "otter-normal.png"}
    after = tree(project / "build")
    shutil.rmtree(project / "build")
    os.environ["AGILE_CRATE_CACHE"] = "off"
    assert run("pack", "otter.crate.toml").returncode == 0
    assert tree(project / "build") == after
    (project / "build/otter-storm.png").write_bytes(b"painted")
    done = run("pack", "otter.crate.toml", "--rebuild", "--keep-edits", "--quiet")
    assert (done.returncode, done.stderr[:90]) == (
        5,
        "agile-crate: error: otter.crate.toml, crate 'otter': otter-storm.png was changed since the last build"[:90],
    )
    assert run("verify", "build/otter.json").returncode == 1


MISTAKES = [
    ("coat/swim/swim_2.png", None, 3, "the skin 'raincoat' lacks 'swim/swim_2', which the base has; draw the missing frames, or write missing = \"base\""),
    ("cape/swim/swim_2.png", None, 3, "layer 2 of the skin 'storm' lacks 'swim/swim_2', which the base has; draw the missing frames, or write missing = \"base\""),
    ("coat/swim/swim_2.png", 20, 3, "the skin 'raincoat': 'swim/swim_2' is 20×20, and the base's is 24×24; bring both to one canvas"),
    ("cape/swim/swim_2.png", 20, 3, "the skin 'storm': 'swim/swim_2' is 20×20 on one layer, and 24×24 on the lowest; bring them to one canvas"),
]  # fmt: skip


@pytest.mark.parametrize(("path", "canvas", "status", "sentence"), MISTAKES)
def test_one_sentence(run: Run, project: Path, path: str, canvas: int | None, status: int, sentence: str) -> None:
    (project / path).unlink()
    if canvas:
        save(project / path, art(canvas, canvas))
    done = run("pack", "otter.crate.toml", "--quiet")
    assert refusal(done) == (status, f"otter.crate.toml, crate 'otter': {sentence}")
    assert not (project / "build").exists()


def test_a_skin_may_lack_frames_if_it_says_so(run: Run, project: Path) -> None:
    (project / "coat/swim/swim_2.png").unlink()
    (project / "cape/swim/swim_2.png").unlink()
    text = (
        TEXT.format(more="")
        .replace('from = "coat"', 'from = "coat"\nmissing = "base"')
        .replace('["cape"]]', '["cape"]]\nmissing = "base"')
    )
    (project / "otter.crate.toml").write_text(text, "utf-8")
    assert run("pack", "otter.crate.toml").returncode == 0
    for skin in ("raincoat", "storm"):
        loaded = agile_crate.load(project / "build/otter.json", skin=skin)
        assert (loaded.frame("swim/swim_2") == decode(project / "base/swim/swim_2.png")).all()
    assert run("verify", "build/otter.json", "--against", "otter.crate.toml").returncode == 0


KEYS = [
    ("[crate.otter.skin.x]\nform = \"coat\"", "line 21, column 1: unknown key 'form'; did you mean 'from'?"),
    ("[crate.otter.skin.x]\nplain = true\nrecolor = { \"#000\" = \"#fff\" }", "line 22, column 1: 'recolor' changes colors, and 'plain' keeps them; leave one of them out"),
    ("[crate.otter.skin.x]\nplain = true", "line 20, column 1: the skin 'x' says nothing: give it from, layers or recolor"),
    ("[crate.otter.skin.x]\nfrom = \"coat\"\nlayers = [\"cape\"]", "line 22, column 1: a skin is 'from' other art, or made of 'layers'; leave one out"),
    ("[crate.otter.skin.x]\nrecolor = { \"blue\" = \"#102040\" }", "line 21, column 13: 'recolor' is to name colors and what stands in their place, such as { \"#aa3322\" = \"#2255aa\" }"),
    ("[crate.otter.skin.x]\nfrom = \"coat\"\nmissing = \"skip\"", "line 22, column 1: 'missing' is to be \"error\" or \"base\""),
    ("[crate.otter.skin.\"a/b\"]\nfrom = \"coat\"", "line 20, column 1: the skin's name is a part of its files' names, and some platforms allow no '/' in file names"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "sentence"), KEYS)
def test_keys_of_skins(run: Run, project: Path, text: str, sentence: str) -> None:
    (project / "otter.crate.toml").write_text(TEXT.format(more="") + "\n\n" + text + "\n", "utf-8")
    done = run("pack", "otter.crate.toml", "--quiet")
    assert done.returncode == 3
    assert done.stderr == f"agile-crate: error: otter.crate.toml, {sentence}\n"


def test_colors_are_exchanged_in_what_is_stored(run: Run, project: Path) -> None:
    """The palette's colors are in no source; the base exchanges one of them, and a skin what the base has then."""
    more = """
palette = ["#2070c0", "#f0f0f0"]
scale = "200%"
resample = "pixel"
recolor = { "#2070c0" = "#802010" }
[crate.otter.skin.dusk]
recolor = { "#802010" = "#401008" }
"""
    document = built(run, project, more)
    colors = {
        name: {tuple(color) for color in decode(project / "build" / name).reshape(-1, 4).tolist() if color[3]}
        for name in ("otter.png", "otter-dusk.png", "otter-raincoat.png", "otter-normal.png")
    }
    assert colors["otter.png"] == {(0x80, 0x20, 0x10, 255), (0xF0, 0xF0, 0xF0, 255)}
    assert colors["otter-dusk.png"] == {(0x40, 0x10, 0x08, 255), (0xF0, 0xF0, 0xF0, 255)}
    assert colors["otter-raincoat.png"] == {(0xF0, 0xF0, 0xF0, 255)}
    assert len(colors["otter-normal.png"]) > 2  # no art
    assert document["settings"]["recolor"] == ["#2070c0=#802010"]


def test_frames_that_do_not_match_are_reported(run: Run, project: Path) -> None:
    """A layer's numbers have other digits; a skin lacks a frame, which the base shows, and has one too many."""
    for number in range(1, 5):
        (project / f"cape/swim/swim_{number}.png").rename(project / f"cape/swim/swim_{number:02}.png")
    (project / "coat/swim/swim_2.png").unlink()
    save(project / "coat/swim/swim_9.png", art(24, 24))
    text = TEXT.format(more="").replace('from = "coat"', 'from = "coat"\nmissing = "base"')
    (project / "otter.crate.toml").write_text(text, "utf-8")
    done = run("pack", "otter.crate.toml", "--quiet")
    assert done.returncode == 0
    assert done.stderr.splitlines() == [
        "agile-crate: warning: the skin 'raincoat' lacks 1 frame, which the base shows instead: swim/swim_2",
        "agile-crate: warning: the skin 'raincoat' has 1 frame that the base lacks; not packed: swim/swim_9",
        "agile-crate: warning: layer 2 of the skin 'storm' has other digits in its numbers than the base; matched by number: "
        "swim/swim_01 for swim/swim_1, swim/swim_02 for swim/swim_2, swim/swim_03 for swim/swim_3 and swim/swim_04 for swim/swim_4",
    ]
    (sheet,) = metadata(project / "build" / "otter.json")["sheets"]
    assert list(sheet["skins"]) == ["raincoat", "storm", "night", "normal"]
    assert run("verify", "otter.crate.toml").returncode == 0


def test_a_color_that_is_nowhere_is_warned_of(run: Run, project: Path) -> None:
    text = TEXT.format(more="").replace('#2878c8" =', '#2878c9" =')
    (project / "otter.crate.toml").write_text(text, "utf-8")
    done = run("pack", "otter.crate.toml", "--quiet")
    assert done.stderr == (
        "agile-crate: warning: the skin 'night': no frame has exactly #2878c9, which is to be exchanged\n"
    )


@pytest.mark.parametrize(
    "how", ['trim = "off"', 'trim = "frame"', 'layout = "tight"', 'canvas = "common"', "outline = '#0000ff:1:inner'"]
)
def test_canvases_grow_for_the_outlines_of_all_skins(how: str, run: Run, tmp_path: Path) -> None:
    """The skin reaches the edge of its canvas, and the base does not."""
    save(tmp_path / "base" / "gull.png", figure(4, 4, 3, 3, (250, 250, 250, 255), 10))
    save(tmp_path / "storm" / "gull.png", figure(4, 4, 6, 3, (90, 90, 110, 255), 10))
    save(tmp_path / "normal" / "gull.png", np.full((10, 10, 4), (128, 128, 255, 255), np.uint8))
    line = "" if "outline" in how else 'outline = "#0000ff:1"'
    text = '[crate.gull]\nfrom = "base"\nout = "build/gull"\n{}\n{}\n[crate.gull.skin.storm]\nfrom = "storm"\n[crate.gull.skin.normal]\nfrom = "normal"\nplain = true\n'
    (tmp_path / "gull.crate.toml").write_text(text.format(how, line), "utf-8")
    done = run("pack", "gull.crate.toml", "--quiet")
    assert (done.returncode, done.stderr) == (0, "")
    done = run("verify", "build/gull.json", "--against", "gull.crate.toml")
    assert done.returncode == 0, done.stdout
    wide = 10 if "inner" in how else 11
    storm = agile_crate.load(tmp_path / "build" / "gull.json", skin="storm").frame("gull")
    assert storm.shape == (10, wide, 4)
    assert storm[4, 9 if wide == 10 else 10].tolist() == [0, 0, 255, 255]
    normal = agile_crate.load(tmp_path / "build" / "gull.json", skin="normal").frame("gull")
    assert (normal[4, 4] == (128, 128, 255, 255)).all()


@pytest.mark.parametrize("option", ['canvas = "8x10"', "shift = [3, 0]"])
def test_what_only_a_skin_shows_is_not_cut_off(option: str, run: Run, tmp_path: Path) -> None:
    save(tmp_path / "base" / "gull.png", figure(4, 4, 2, 3, (250, 250, 250, 255), 10))
    save(tmp_path / "storm" / "gull.png", figure(4, 4, 6, 3, (90, 90, 110, 255), 10))
    text = f'[crate.gull]\nfrom = "base"\nout = "gull"\n{option}\n[crate.gull.skin.storm]\nfrom = "storm"\n'
    (tmp_path / "gull.crate.toml").write_text(text, "utf-8")
    done = run("pack", "gull.crate.toml")
    assert done.returncode == 4
    assert "would cut off visible pixels of 'gull'" in done.stderr


def test_art_of_skins_fits_too(run: Run, tmp_path: Path) -> None:
    save(tmp_path / "base" / "gull.png", figure(4, 4, 4, 4, (250, 250, 250, 255), 16))
    save(tmp_path / "storm" / "gull.png", figure(2, 4, 12, 4, (90, 90, 110, 255), 16))
    text = '[crate.gull]\nfrom = "base"\nout = "gull"\nfit = "6x6"\nfit-to = "art"\nresample = "pixel"\ntrim = "frame"\n[crate.gull.skin.storm]\nfrom = "storm"\n'
    (tmp_path / "gull.crate.toml").write_text(text, "utf-8")
    done = run("pack", "gull.crate.toml", "--quiet")
    assert done.returncode == 0, done.stderr
    assert metadata(tmp_path / "gull.json")["frames"][0]["box"][2:] == [6, 2]
