"""Artists' jobs on what is written, drafted and watched: images alone, templates, pixel art, paths with blanks."""

import re
import tomllib
from pathlib import Path

import numpy as np
import pytest

from conftest import Run, art, decode, metadata, refusal, save
from watching import Watching, timeless


def pixel_art(number: int, side: int = 16, block: int = 1) -> np.ndarray:
    """Hard-edged art of three colors, each pixel of which is `block` pixels wide and high."""
    pixels = np.zeros((side, side, 4), np.uint8)
    pixels[2:-2, 2 + number % 3 : -3] = (200, 80, 40, 255)
    pixels[5:8, 6 + number % 3] = (20, 20, 30, 255)
    pixels[9, 4:9] = (240, 220, 200, 255)
    return pixels.repeat(block, 0).repeat(block, 1)


def test_the_image_alone(tmp_path: Path, run: Run) -> None:
    for number in range(1, 9):
        save(tmp_path / "swim" / f"swim_{number}.png", art(32, 32, number))
    assert run("pack", "swim", "--out", "out/o", "--metadata", "json").returncode == 0
    words = ["--metadata", "none", "--quiet"]
    done = run("pack", "swim", "--out", "out/o", *words, "--max-size", "64x32")
    assert (done.returncode, done.stderr) == (0, "")
    assert sorted(path.name for path in (tmp_path / "out").iterdir()) == [f"o-{n}.png" for n in (1, 2, 3, 4)]
    assert run("pack", "swim", "--out", "out/o", *words).returncode == 0  # without --force, and none is left
    assert [path.name for path in (tmp_path / "out").iterdir()] == ["o.png"]
    sheet = decode(tmp_path / "out" / "o.png").copy()
    sheet[0, 0] = 255
    save(tmp_path / "out" / "o.png", sheet)
    assert "is not from a build of this name" in refusal(run("pack", "swim", "--out", "out/o", *words))[1]
    for other in (["--image", "webp"], ["--layout", "tight", "--keep-places"]):
        assert refusal(run("pack", "swim", "--out", "out/p", *words, *other))[0] == 2
    (tmp_path / "o.crate.toml").write_text('[crate.o]\nfrom = ["swim"]\nout = "q"\nmetadata = "none"\n')
    assert run("pack", "o.crate.toml").returncode == 0
    assert (
        refusal(run("verify", "o.crate.toml"))[1]
        == "the crate 'o' is built with pack's --metadata none, so it has nothing to read"
    )


def test_two_templates_of_one_ending(tmp_path: Path, run: Run) -> None:
    save(tmp_path / "swim_1.png")
    for name in ("scene.lua.j2", "atlas.lua.j2", "atlas.atlas.lua.j2"):
        (tmp_path / name).write_text("-- {{ crate.name }}")
    words = ["pack", "swim_1.png", "--out", "o", "--template", "scene.lua.j2", "--template"]
    assert refusal(run(*words, "atlas.lua.j2")) == (
        2, "the templates scene.lua.j2 and atlas.lua.j2 both write a file that ends in .lua; an ending is all after the "
        "first dot, so rename the second to atlas.atlas.lua.j2",
    )  # fmt: skip
    assert run(*words, "atlas.atlas.lua.j2").returncode == 0
    assert (tmp_path / "o.atlas.lua").read_text() == "-- o"


@pytest.mark.parametrize("words", [["--scale", "300%"], ["--scale", "150%"], ["--fit", "40"], ["--scale", "50%"]])
def test_pixel_art_that_was_smoothed(tmp_path: Path, run: Run, words: list[str]) -> None:
    for number in range(1, 5):
        save(tmp_path / "gull" / f"gull_{number}.png", pixel_art(number))
    said = r"hard-edged art was smoothed: 3 colors became [0-9]+; --resample pixel keeps them"
    assert re.search(said, run("pack", "gull", "--out", "o", *words).stdout)
    for quiet in (["--resample", "pixel"], ["--palette", "#c85028,#14141e,#f0dcc8", "--hard-alpha", "128"]):
        assert "smoothed" not in run("pack", "gull", "--out", "o", *words, *quiet).stdout
    assert "smoothed" not in run("pack", "gull", "--out", "p").stdout
    for number in range(1, 5):
        save(tmp_path / "soft" / f"soft_{number}.png", art(16, 16, number))
    assert "smoothed" not in run("pack", "soft", "--out", "q", *words).stdout


def test_a_draft_keeps_pixel_art(tmp_path: Path, run: Run) -> None:
    for number in range(1, 5):
        save(tmp_path / "art" / "gull" / f"gull_{number}.png", pixel_art(number, block=4))
        save(tmp_path / "art" / "buoy" / f"buoy_{number}.png", pixel_art(number, 12, block=6))
    assert run("draft", "art", "--out", "o.crate.toml").returncode == 0
    text = (tmp_path / "o.crate.toml").read_text("utf-8")
    assert tomllib.loads(text)["crate"]["art"]["resample"] == "pixel"
    assert '# scale = "1/2"  # every pixel is drawn 2×2 large\n' in text
    (tmp_path / "o.crate.toml").write_text(text.replace('# scale = "1/2"', 'scale = "1/2"'), "utf-8")
    assert run("pack", "o.crate.toml").returncode == 0
    back = {frame["name"]: frame for frame in metadata(tmp_path / "build" / "art.json")["frames"]}
    assert back["gull/gull_1"]["canvas"] == [32, 32]
    assert run("verify", "o.crate.toml").returncode == 0
    save(tmp_path / "soft" / "soft_1.png", art(16, 16))
    run("draft", "soft", "--out", "s.crate.toml")
    assert "resample" not in (tmp_path / "s.crate.toml").read_text("utf-8")


def test_a_draft_counts_what_it_wrote(tmp_path: Path, run: Run) -> None:
    """Of two findings that want other values of one key, the file can fix one. It never warns of what it wrote."""
    for number in range(21, 33):  # a cycle of eight, with numbers that are no positions
        save(tmp_path / "two words" / "idle" / f"idle_{number}.png", art(16, 16, (number - 21) % 8))
    save(tmp_path / "two words" / "idle" / "idle_33 fixed.png", art(16, 16, 4))
    done = run("draft", "two words", "--out", "my crate.crate.toml")
    assert done.stdout.endswith("wrote my crate.crate.toml; build it with: agile-crate pack 'my crate.crate.toml'\n")
    text = (tmp_path / "my crate.crate.toml").read_text("utf-8")
    assert "#     agile-crate pack 'my crate.crate.toml'\n" in text
    assert "# agile-crate survey 'two words' --notes" not in text
    fixes = [
        line for line in text.splitlines() if re.fullmatch(r"# [a-z-]+ = .*", line) and not line.startswith("# fps")
    ]
    assert '# numbers = "21-28"' in fixes
    found = re.search(r"two_words: ([0-9]+) findings?; ([0-9]+) ha(?:s|ve) a suggested fix", done.stdout)
    assert found is not None
    listed = len(re.findall(r"^# (?:error|warning|note): ", text, re.MULTILINE))
    assert int(found[2]) <= listed <= int(found[1])
    plain = re.sub(r"^# (\[crate.*|[a-z-]+ = .*)$", r"\1", text.replace("# fps", "## fps"), flags=re.MULTILINE)
    (tmp_path / "my crate.crate.toml").write_text(plain, "utf-8")
    built = run("pack", "my crate.crate.toml")
    assert built.returncode == 0, built.stderr
    assert "positions" not in built.stdout + built.stderr


def test_a_folder_is_watched_as_it_would_be_packed(tmp_path: Path) -> None:
    for number in (1, 2):
        save(tmp_path / "two words" / f"swim_{number}.png", art(8, 8, number))
    watching = Watching(tmp_path, "two words", "--out", "build/o", "--columns", "1", "--fps", "8")
    assert timeless(watching.line()).startswith("o: 2 frames; wrote o.png and o.json in")
    watching.line("watching two words: o; Ctrl-C ends it")
    save(tmp_path / "two words" / "swim_3.png", art(8, 8, 3))
    assert timeless(watching.line()).startswith("o: 1 frame added (swim_3); wrote o.png and o.json")
    assert watching.end() == 0
    watching.reader.join()
    watching.program.stdout.close()
    assert decode(tmp_path / "build" / "o.png").shape == (24, 8, 4)
    assert metadata(tmp_path / "build" / "o.json")["animations"][0]["fps"] == [8, 1]
