"""Crate files that the program writes: for folders that were looked over, and for a command line."""

import json
import tomllib
from pathlib import Path

import numpy as np
import pytest

from agile_crate.settings.table import options as table
from conftest import Run, art, metadata, save, tree


@pytest.fixture
def frames(tmp_path: Path) -> Path:
    """Otter: on canvases mostly empty, with a closing frame, two with one number, and one that is empty. Gull: small
    and full."""
    for number in range(1, 7):
        pixels = np.zeros((90, 90, 4), np.uint8)
        pixels[20:40, 5 * number : 5 * number + 30] = art(30, 20, number % 6 + 1)
        save(tmp_path / "frames" / "the otter" / "swim" / f"swim_{number:02}.png", pixels)
        save(
            tmp_path / "frames" / "gull" / "fly" / f"fly_{number}.png",
            art(16, 16, number) | np.array([0, 0, 0, 255], np.uint8),
        )
    folder = tmp_path / "frames" / "the otter" / "swim"
    (folder / "swim_7.png").write_bytes((folder / "swim_01.png").read_bytes())
    (folder / "swim_6.png").write_bytes((folder / "swim_06.png").read_bytes())
    save(folder / "swim_04.png", np.zeros((90, 90, 4), np.uint8))
    return tmp_path / "frames"


def uncommented(text: str) -> str:
    """The crate file with every fix taken in."""
    keys = ("drop-", "exclude", "color-key", "canvas", "trim-alpha", "fps", "[crate.", "frames = ")
    lines = (line[2:] if line.startswith("# ") and line[2:].startswith(keys) else line for line in text.splitlines())
    return "\n".join(lines)


def test_a_draft_builds_at_once_and_says_what_was_found(run: Run, frames: Path, tmp_path: Path) -> None:
    done = run("draft", "frames/the otter", "frames/gull", "--out", "art/post.crate.toml")
    assert done.returncode == 0, done.stderr
    assert (
        done.stdout.splitlines()[-1] == "wrote art/post.crate.toml; build it with: agile-crate pack art/post.crate.toml"
    )
    text = (tmp_path / "art" / "post.crate.toml").read_text("utf-8")
    crates = tomllib.loads(text)["crate"]
    assert crates == {
        "the_otter": {"from": ["../frames/the otter"], "out": "build/the_otter", "layout": "tight", "gap": 2},
        "gull": {"from": ["../frames/gull"], "out": "build/gull", "layout": "grid"},
    }
    assert "#   swim  8 frames, 90×90\n" in text
    assert '# exclude = ["swim/swim_6", "swim/swim_04"]\n' in text
    assert "# drop-closing = true\n" in text
    done = run("pack", "art/post.crate.toml")
    assert done.returncode == 0, done.stderr
    (tmp_path / "art" / "post.crate.toml").write_text(uncommented(text), "utf-8")
    assert run("pack", "art/post.crate.toml").returncode == 0
    document = metadata(tmp_path / "art" / "build" / "the_otter.json")
    assert [frame["name"] for frame in document["frames"]] == [f"swim/swim_0{n}" for n in (1, 2, 3, 5, 6)]
    assert run("pack", "art/post.crate.toml", "--json").stdout.count('"unchanged": true') == 2


def test_a_folder_of_characters_and_outfits(run: Run, tmp_path: Path) -> None:
    for character in ("otter", "gull"):
        for outfit in ("base", "rain"):
            for number in range(1, 4):
                for animation in ("swim", "dive"):
                    path = tmp_path / "art" / character / outfit / animation / f"{animation}_{number}.png"
                    save(path, art(20, 20, number + len(outfit)))
    for number in range(1, 3):
        save(tmp_path / "art/sea/low" / f"low_{number}.png", art(200, 40, number))
        save(tmp_path / "art/sea/high" / f"high_{number}.png", art(200, 40, number + 3))
    (tmp_path / "art/sketches/base").mkdir(parents=True)  # matches the pattern, and holds no frames
    done = run("draft", "art", "--out", "game.crate.toml")
    assert "otter: rain seems to be a skin, by the names of the frames\n" in done.stdout
    text = (tmp_path / "game.crate.toml").read_text("utf-8")
    document = tomllib.loads(text)
    assert document["each"] == {
        "art/*/base": {"out": "build/{name}", "except": ["sketches"], "skins": "art/{name}/*", "layout": "grid"}
    }  # fmt: skip
    assert list(document["crate"]) == ["gull", "otter", "sea"]
    assert run("pack", "game.crate.toml").returncode == 0
    images = sorted(path.name for path in (tmp_path / "build").glob("*.png"))
    assert images == ["gull-rain.png", "gull.png", "otter-rain.png", "otter.png", "sea.png"]
    said = json.loads(run("draft", "art/otter", "--out", "otter.crate.toml", "--json").stdout)
    assert said["crates"]["otter"]["skins"] == ["rain"]
    assert tomllib.loads((tmp_path / "otter.crate.toml").read_text("utf-8"))["crate"]["otter"]["skin"] == {
        "rain": {"from": "art/otter/rain"}
    }  # fmt: skip
    run("draft", "art/otter/base", "art/gull/base", "--out", "both.crate.toml")
    assert list(tomllib.loads((tmp_path / "both.crate.toml").read_text("utf-8"))["crate"]) == ["otter", "gull"]
    run("draft", "art", "art", "--out", "twice.crate.toml")
    assert run("pack", "twice.crate.toml", "--only", "otter-2").returncode == 0


def test_a_draft_is_not_written_over_a_file_unasked(run: Run, frames: Path, tmp_path: Path) -> None:
    (tmp_path / "a.toml").write_text("mine", "utf-8")
    done = run("draft", "frames/gull", "--out", "a.toml")
    assert done.returncode == 5
    assert (tmp_path / "a.toml").read_text("utf-8") == "mine"
    said = json.loads(run("draft", "frames/gull", "--out", "a.toml", "--force", "--json").stdout)
    reason = "All canvases are small, 16×16: a grid of cells."
    gull = {"findings": 2, "fixes": 0, "layout": "grid", "reason": reason, "skins": []}
    assert (said["crates"], said["file"]) == ({"gull": gull}, str(tmp_path / "a.toml"))
    printed = run("draft", "frames/gull", "--out", "a.toml", "--force").stdout
    assert printed.splitlines()[:2] == [
        f"gull: layout grid. {reason}",
        "gull: 2 findings; none has a suggested fix in the file",
    ]


def test_from_the_first_try_to_the_project(run: Run, frames: Path, tmp_path: Path) -> None:
    (tmp_path / "sea.hex").write_text("201830\n2878c8\n", "utf-8")
    (tmp_path / "list.txt.j2").write_text("{{ crate.name }}", "utf-8")
    options = ["--layout", "blocks", "--mirrored", "left=fly", "--fps", "fly=8", "--fps", "12", "--hold", "fly:2=100ms"]
    options += "--palette sea.hex --template list.txt.j2 --max-size 512x512 --pow2 --scale 200%".split()
    done = run("pack", "frames/gull", "--out", "one/gull", *options, "--draft", "art/gull.crate.toml")
    assert done.returncode == 0, done.stderr
    assert done.stdout.endswith(
        "  wrote art/gull.crate.toml\n\n  to view it: agile-crate show one/gull.json --out one/gull.html\n"
    )
    first = tree(tmp_path / "one")
    crate = tomllib.loads((tmp_path / "art" / "gull.crate.toml").read_text("utf-8"))["crate"]["gull"]
    assert (crate["from"], crate["out"], crate["palette"]) == (["../frames/gull"], "../one/gull", "../sea.hex")
    assert crate["animation"] == {"fly": {"fps": 8, "hold": {"2": "100ms"}}}
    done = run("pack", "art/gull.crate.toml", "--quiet")
    assert done.returncode == 0, done.stderr
    second = tree(tmp_path / "one")
    assert {name: data for name, data in second.items() if not name.endswith(".json")} == {
        name: data for name, data in first.items() if not name.endswith(".json")
    }
    assert run("pack", "frames/gull", "--out", "two/gull", "--draft", "art/gull.crate.toml").returncode == 5
    assert not (tmp_path / "two").exists()
    dry = run("pack", "frames/gull", "--out", "two/gull", "--draft", "new.toml", "--dry-run")
    assert dry.stdout.endswith("  would write new.toml\n")
    assert not (tmp_path / "new.toml").exists()


def test_canvases_are_made_alike_within_an_animation_only(run: Run, tmp_path: Path) -> None:
    save(tmp_path / "frames" / "walk" / "walk_1.png", art(20, 24, 1))
    save(tmp_path / "frames" / "walk" / "walk_2.png", art(20, 20, 2))
    save(tmp_path / "frames" / "sea.png", art(90, 30, 3))
    assert run("draft", "frames", "--out", "post.crate.toml").returncode == 0
    file = tmp_path / "post.crate.toml"
    text = file.read_text("utf-8")
    assert '# canvas = "animation"\n' in text
    file.write_text(uncommented(text), "utf-8")
    done = run("pack", "post.crate.toml")
    assert done.returncode == 0, done.stderr
    document = metadata(tmp_path / "build" / "frames.json")
    canvases = {frame["name"]: frame["canvas"] for frame in document["frames"]}
    assert canvases == {"walk/walk_1": [20, 24], "walk/walk_2": [20, 24], "sea": [90, 30]}


@pytest.mark.parametrize(
    "options",
    [
        ["--split", "a:1-6,b:7-13"],
        ["--hold", "last=200ms"],
        ["--rename", "dash", "--hold", "3=2", "--hold", "dash:3=4"],
    ],
    ids=" ".join,
)
def test_the_draft_of_a_command_line_builds_the_same_bytes(
    run: Run, swim: Path, tmp_path: Path, options: list[str]
) -> None:
    done = run("pack", "frames", "--out", "one/gull", "--metadata", "json,css", *options, "--draft", "gull.crate.toml")
    assert done.returncode == 0, done.stderr
    made = tree(tmp_path / "one")
    assert run("pack", "gull.crate.toml").returncode == 0
    again = tree(tmp_path / "one")
    for files in (made, again):  # a crate file's build is recorded
        document = json.loads(files["gull.json"])
        files["gull.json"] = json.dumps(
            {key: value for key, value in document.items() if key not in ("built_from", "sha256")}
        ).encode()
    assert made == again


def test_empty_values_are_none_at_all(run: Run, swim: Path, tmp_path: Path) -> None:
    """Of every setting that takes a list or a table."""
    keys = {
        key: "[]" if isinstance(kind.typed([]), (list, str)) else "{}"
        for key, kind in ((name.replace("_", "-"), option.kind) for name, (option, _) in table().items())
        if kind.typed([]) is not None or kind.typed({}) is not None
    }
    assert {"include", "hold", "rename", "limit", "order", "also-scale", "metadata"} <= keys.keys()
    for name, lines in (("plain", ()), ("empty", [f"{key} = {value}" for key, value in keys.items()])):
        text = ["[crate.o]", 'from = "frames"', f'out = "{name}/o"', *lines]
        (tmp_path / "o.crate.toml").write_text("\n".join(text), "utf-8")
        done = run("pack", "o.crate.toml")
        assert done.returncode == 0, done.stderr
        done = run("verify", f"{name}/o.json", "--against", "o.crate.toml")
        assert done.returncode == 0, done.stdout + done.stderr
    assert metadata(tmp_path / "plain/o.json").get("settings") == metadata(tmp_path / "empty/o.json").get("settings")
    text = ["[defaults]", 'include = ["nothing"]', "[crate.o]", 'from = "frames"', 'out = "plain/o"', "include = []"]
    (tmp_path / "o.crate.toml").write_text("\n".join(text), "utf-8")
    assert run("pack", "o.crate.toml").returncode == 0
    import agile_crate

    agile_crate.pack(str(swim), str(tmp_path / "script"), include=[], rename={}, hold=(), also_scale=[])
    assert agile_crate.verify(str(tmp_path / "script.json"), against=str(swim)).ok
