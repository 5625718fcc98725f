"""A week of a small team, step by step, and what the program says at each: a draft, a build, a watch, renamed, deleted and
edited files, the check in CI, a merge conflict, a fresh clone."""

import re
import shutil
import subprocess
from pathlib import Path

import pytest

from agile_crate.demo import FOLDER
from conftest import Run, art, decode, metadata, save, tree
from watching import Watching, timeless

FRAMES = FOLDER / "frames"

ATTRIBUTES = "build/*.json -merge\nbuild/*.xml -merge\nbuild/*.css -merge\n*.png binary\n"


def git(folder: Path, *words: str, status: int = 0) -> str:
    """Run git, and return what it prints."""
    who = ["-c", "user.name=Otter", "-c", "user.email=otter@post.example", "-c", "init.defaultBranch=main"]
    done = subprocess.run(["git", *who, *words], cwd=folder, capture_output=True, encoding="utf-8", check=False)
    assert done.returncode == status, done.stdout + done.stderr
    return done.stdout + done.stderr


@pytest.fixture
def studio(tmp_path: Path) -> Path:
    """Two characters with a base and an outfit each, and the harbor."""
    for character, kind in (("otter", ("swim", "dive")), ("courier", ("swim", "walk_left", "walk_right"))):
        for animation in kind:
            shutil.copytree(FRAMES / "otter" / animation, tmp_path / "art" / character / "base" / animation)
            rain = FOLDER / "skins" / "raincoat" / animation
            shutil.copytree(rain, tmp_path / "art" / character / "raincoat" / animation)
    shutil.copytree(FRAMES / "harbor", tmp_path / "art" / "harbor")
    return tmp_path


def summary(text: str) -> list[str]:
    """The lines of a summary that change from step to step."""
    wanted = r"\S.* \(game\.crate\.toml\)$|packed |  \d+ frames? (added|removed|changed)|.*: up to date|  .*other"
    return [line.strip() for line in text.splitlines() if re.match(wanted, line)]


def test_a_week(run: Run, studio: Path) -> None:
    monday(run, studio)
    tuesday(studio)
    wednesday(run, studio)
    thursday(run, studio)
    friday(run, studio)


def monday(run: Run, studio: Path) -> None:
    """A draft proposes the whole project; a programmer adds sizes; the first build is committed."""
    done = run("draft", "art", "--out", "game.crate.toml")
    assert [line for line in done.stdout.splitlines() if "skin" in line] == [
        "courier: raincoat seems to be a skin, by the names of the frames",
        "otter: raincoat seems to be a skin, by the names of the frames",
    ]
    text = (studio / "game.crate.toml").read_text("utf-8")
    heads = [line for line in text.splitlines() if line.startswith("[")]
    assert heads == ['[each."art/*/base"]', "[crate.courier]", "[crate.otter]", "[crate.harbor]"]
    text = text.replace('out = "build/{name}"', 'out = "build/{name}"\nalso-scale = ["50%"]\nmatched = true')
    (studio / "game.crate.toml").write_text(text, "utf-8")
    done = run("survey", "game.crate.toml", "--strict")
    assert (done.returncode, done.stderr) == (0, "")
    assert [line for line in done.stdout.splitlines() if line.endswith("(game.crate.toml)")] == [
        "courier (game.crate.toml)", "courier, skin raincoat (game.crate.toml)",
        "otter (game.crate.toml)", "otter, skin raincoat (game.crate.toml)", "harbor (game.crate.toml)",
    ]  # fmt: skip
    check = run("pack", "game.crate.toml", "--check")
    assert (check.returncode, check.stdout) == (
        1,
        "courier: stale: it was never built\notter: stale: it was never built\nharbor: stale: it was never built\n",
    )
    done = run("pack", "game.crate.toml")
    assert [line for line in summary(done.stdout) if "pack" in line] == [
        "packed 18 frames, 3 animations, 1 sheet", "packed 22 frames, 2 animations, 1 sheet",
        "packed 19 frames, 2 animations, 1 sheet",
    ]  # fmt: skip
    assert run("show", "game.crate.toml", "--out", "look/all.html").stdout == "wrote look/all.html\n"
    (studio / ".gitattributes").write_text(ATTRIBUTES, "utf-8")
    (studio / ".gitignore").write_text("look/\n", "utf-8")
    git(studio, "init")
    git(studio, "add", "-A")
    git(studio, "commit", "-m", "The Otter Post")


def tuesday(studio: Path) -> None:
    """The artist draws, renames, deletes and paints while `watch` runs."""
    watching = Watching(studio, "game.crate.toml")
    assert timeless(watching.line("watching")) == "watching game.crate.toml: courier, otter and harbor; Ctrl-C ends it"
    swim = studio / "art/otter/base/swim/swim_03.png"
    pixels = decode(swim).copy()
    pixels[40:44, 40:44] = (255, 0, 0, 255)
    save(swim, pixels)
    assert timeless(watching.line()).startswith("otter: 1 frame changed (swim/swim_03); wrote otter.png, otter@50.png,")
    (studio / "art/harbor/gull/gull_08.png").unlink()
    assert timeless(watching.line()).startswith("harbor: 1 frame removed (gull/gull_08); wrote harbor")
    for outfit in ("base", "raincoat"):
        folder = studio / "art/courier" / outfit
        (folder / "walk_left").rename(folder / "stroll_left")
    said = ""
    while "3 frames added" not in said:  # one folder after the other: the skin lacks frames for a moment
        said = timeless(watching.line("courier"))
    assert "3 frames added (stroll_left/walk_left_01" in said or "3 frames added (stroll_left" in said
    sheet = studio / "build/harbor.png"
    painted = decode(sheet).copy()
    painted[0, 0] = (255, 0, 0, 255)
    save(sheet, painted)
    save(studio / "art/harbor/gull/gull_07.png", art(64, 64, 7))
    assert timeless(watching.line("harbor")) == (
        "harbor: left alone, because harbor.png was edited by hand; "
        "agile-crate verify game.crate.toml --only harbor --accept accepts the edit"
    )
    assert watching.end() == 0
    watching.reader.join()
    assert watching.program.stdout
    watching.program.stdout.close()
    assert (decode(sheet) == painted).all()


def wednesday(run: Run, studio: Path) -> None:
    """CI finds the crate that is stale; the edit was a mistake, and goes."""
    check = run("pack", "game.crate.toml", "--check")
    assert (check.returncode, check.stdout.splitlines()) == (
        1,
        ["courier: up to date (18 frames)", "otter: up to date (22 frames)",
         "harbor: stale: harbor.png was edited; 1 frame changed (gull/gull_07)"],
    )  # fmt: skip
    done = run("pack", "game.crate.toml", "--dry-run", "--force", "--only", "harbor")
    assert "  harbor.png was edited\n" in done.stdout
    assert run("pack", "game.crate.toml", "--force", "--only", "harbor").returncode == 0
    assert run("pack", "game.crate.toml", "--check", "--quiet").returncode == 0
    done = run("verify", "game.crate.toml")
    assert (done.returncode, done.stdout.count("all checks passed")) == (0, 5)
    git(studio, "add", "-A")
    git(studio, "commit", "-m", "Stroll instead of walk")


def thursday(run: Run, studio: Path) -> None:
    """Two branches change one crate; git merges no line of generated texts; one build mends the rest."""
    git(studio, "checkout", "-b", "blink")
    save(studio / "art/otter/base/swim/swim_01.png", art(96, 96, 3))
    run("pack", "game.crate.toml")
    git(studio, "commit", "-am", "Another first stroke")
    git(studio, "checkout", "main")
    save(studio / "art/otter/base/swim/swim_12.png", art(96, 96, 5))
    run("pack", "game.crate.toml")
    git(studio, "commit", "-am", "Another last stroke")
    said = git(studio, "merge", "blink", status=1)
    assert "CONFLICT (content): Merge conflict in build/otter.json" in said
    assert "<<<<<<<" not in (studio / "build/otter.json").read_text("utf-8")
    check = run("pack", "game.crate.toml", "--check")
    assert check.returncode == 1
    assert check.stdout.splitlines()[1].startswith("otter: stale: ")
    done = run("pack", "game.crate.toml")
    assert done.returncode == 0, done.stderr
    assert "  since the last build: 1 frame changed (swim/swim_01)" in done.stdout
    assert run("pack", "game.crate.toml", "--check", "--quiet").returncode == 0
    git(studio, "add", "-A")
    git(studio, "commit", "-m", "Merge")


def friday(run: Run, studio: Path) -> None:
    """A colleague clones the project: nothing is to be done, every byte is the same, and sizes match."""
    clone = studio / "clone"
    git(studio, "clone", ".", "clone")
    check = run("pack", "game.crate.toml", "--check", cwd=clone)
    assert (check.returncode, check.stdout.splitlines()) == (
        0, ["courier: up to date (18 frames)", "otter: up to date (22 frames)", "harbor: up to date (18 frames)"]
    )  # fmt: skip
    before = tree(clone / "build")
    assert run("pack", "game.crate.toml", "--rebuild", cwd=clone).returncode == 0
    assert tree(clone / "build") == before
    full, half = (metadata(clone / "build" / f"otter{size}.json")["frames"] for size in ("", "@50"))
    assert [[side / 2 for side in frame["box"]] for frame in full] == [frame["box"] for frame in half]
