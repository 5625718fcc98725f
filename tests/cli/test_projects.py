"""Crate files, as the installed program: the same bytes as the command line, several crates, overrides, errors."""

import json
from pathlib import Path

import pytest
from jsonschema import Draft202012Validator

from conftest import Run, art, check_metadata, metadata, refusal, save

TEXT = """
[defaults]
fps = 10
metadata = ["json", "xml"]

[crate.otter]
from = ["frames/otter"]
out = "build/otter"
layout = "tight"
gap = 1
also-scale = ["50%"]
mirrored = { swim_left = "swim" }

[crate.otter.animation.swim]
fps = 16
hold = { 2 = 2 }
loop = "once"

[crate.gull]
from = ["frames/gull"]
out = "build/gull"
"""


@pytest.fixture
def project(tmp_path: Path) -> Path:
    """Two folders of frames, and a crate file for both."""
    for number in range(1, 5):
        save(tmp_path / "frames" / "otter" / "swim" / f"swim_{number}.png", art(20, 16, number))
        save(tmp_path / "frames" / "otter" / "dive" / f"dive_{number}.png", art(18, 14, 10 + number))
        save(tmp_path / "frames" / "gull" / "fly" / f"fly_{number}.png", art(9, 7, 20 + number))
    (tmp_path / "otter.crate.toml").write_text(TEXT, "utf-8")
    return tmp_path


def built(folder: Path) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in sorted(folder.iterdir())}


def test_a_crate_file_builds_what_the_command_line_builds(run: Run, project: Path) -> None:
    done = run("pack", "otter.crate.toml")
    assert done.returncode == 0, done.stderr
    assert [line for line in done.stdout.splitlines() if "otter.crate.toml" in line] == [
        "otter (otter.crate.toml)",
        "gull (otter.crate.toml)",
    ]
    check_metadata(project / "build" / "otter")
    check_metadata(project / "build" / "gull")
    options = ["--layout", "tight", "--gap", "1", "--also-scale", "50%", "--mirrored", "swim_left=swim"]
    options += ["--fps", "swim=16", "--fps", "10", "--hold", "swim:2=2", "--loop", "swim=once"]
    run("pack", "frames/otter", "--out", "other/otter", "--metadata", "json,xml", *options)
    run("pack", "frames/gull", "--out", "other/gull", "--metadata", "json,xml", "--fps", "10")
    assert comparable(project / "build") == comparable(project / "other")
    for name in ("otter", "gull"):
        proof = run("verify", f"build/{name}.json", "--against", "otter.crate.toml")
        assert proof.returncode == 0, proof.stdout


def comparable(folder: Path) -> dict[str, object]:
    """The files of a folder, without the parts that only a crate file's build records, and without the order of
    settings."""
    found: dict[str, object] = {}
    for name, data in built(folder).items():
        if name.endswith(".json"):
            document = json.loads(data)
            document["settings"] = {key: sorted(value) if isinstance(value, list) else value
                                    for key, value in document["settings"].items()}  # fmt: skip
            found[name] = {key: value for key, value in document.items() if key not in ("sha256", "built_from")}
        elif name.endswith(".png"):
            found[name] = data
    return found


def test_paths_begin_at_the_file_and_only_builds_some(run: Run, project: Path) -> None:
    other = project / "elsewhere"
    other.mkdir()
    done = run("pack", "../otter.crate.toml", "--only", "gull", "--gap", "3", cwd=other)
    assert done.returncode == 0, done.stderr
    assert sorted(built(project / "build")) == ["gull.json", "gull.png", "gull.xml"]
    assert "  --gap 3 from the command line\n" in done.stdout
    assert metadata(project / "build" / "gull.json")["sheets"][0]["cells"]["gap"] == 3
    done = run("pack", "otter.crate.toml", "--only", "otter", "--gap", "2", "--fps", "24", "--json")
    (crate,) = json.loads(done.stdout)["crates"]
    assert crate["crate"] == "otter"
    assert crate["remarks"][-2:] == [
        '--fps 24 from the command line, not fps = "10, swim=16"',
        "--gap 2 from the command line, not gap = 1",
    ]
    assert {animation["fps"] for animation in crate["animations"]} == {24}


def test_one_crate_fails_and_the_others_are_built(run: Run, project: Path) -> None:
    broken = TEXT.replace('"frames/otter"', '"frames/ottr"')
    (project / "a.crate.toml").write_text(broken, "utf-8")
    (project / "b.crate.toml").write_text("[crate", "utf-8")
    done = run("pack", "a.crate.toml", "b.crate.toml", "--quiet")
    assert done.returncode == 3
    assert done.stderr.splitlines() == [
        "agile-crate: error: b.crate.toml, line 1, column 7: not valid TOML: expected ']' at the end of a table declaration",
        "agile-crate: error: a.crate.toml, crate 'otter': frames/ottr does not exist; check the path",
    ]
    assert sorted(built(project / "build")) == ["gull.json", "gull.png", "gull.xml"]
    said = json.loads(run("pack", "a.crate.toml", "--json").stdout)
    assert [(one["crate"], one["exit"]) for one in said["errors"]] == [("otter", 3)]
    assert [one["crate"] for one in said["crates"]] == ["gull"]


WRONG = [
    ("gap = 1", "gapp = 1", [], 3, "otter.crate.toml, line 10, column 1: unknown key 'gapp'; did you mean 'gap'?"),
    ("fps = 16", "fps = [16]", [], 3, "otter.crate.toml, line 15, column 1: 'fps' is to be a number, or a text, not a list; it has a whole number in it"),
    ("animation.swim]", "animation.swin]", [], 2, "otter.crate.toml, crate 'otter': fps: unknown animation 'swin'; did you mean 'swim'?"),
    ('out = "build/gull"', 'out = "build/otter.png"', [], 3, "otter.crate.toml: the crates 'otter' and 'gull' are both written to build/otter.png; give one of them another 'out'"),
    ("swim_left =", "möwe =", [], 3, "otter.crate.toml, line 12, column 15: not valid TOML: expected '=' after a key in a key/value pair; put names with letters such as ö in quotes"),
    ('out = "build/gull"', 'out = "build/"', [], 3, "otter.crate.toml, crate 'gull': out = \"build/\" has no name: write the files' path without ending, such as build/otter for build/otter.png and build/otter.json"),
    ("gap = 1", "gap = 1", ["--only", "otters"], 2, "otter.crate.toml: unknown crate 'otters'; did you mean 'otter'?"),
    ("gap = 1", "gap = 1", ["--out", "x"], 2, "a crate file names its own outputs; omit --out"),
    ("gap = 1", "gap = 1", ["frames"], 2, "frames next to a crate file: name either crate files, or frames"),
    ('layout = "tight"', 'layout = "tight"\nmax-size = [8, 8]', [], 4, "otter.crate.toml, crate 'otter': frame 'dive/dive_1' (and 11 more) is 18×14, larger than a sheet may be, 8×8; raise max-size or size, or make frames smaller with scale"),
    ("fps = 10", "x = " + "[" * 30_000, [], 3, "otter.crate.toml has a line of more than 20,000 characters; break it"),
    ("fps = 10", "x = " + "[" * 15_000 + "]" * 4000, [], 3, "otter.crate.toml: lists within lists, or numbers, larger than any crate file needs"),
    ("fps = 10", "gap = " + "9" * 6000, [], 3, "otter.crate.toml: lists within lists, or numbers, larger than any crate file needs"),
]  # fmt: skip


@pytest.mark.parametrize(("old", "new", "more", "status", "sentence"), WRONG)
def test_one_sentence(run: Run, project: Path, old: str, new: str, more: list[str], status: int, sentence: str) -> None:
    assert old in TEXT
    (project / "otter.crate.toml").write_text(TEXT.replace(old, new, 1), "utf-8")
    done = run("pack", "otter.crate.toml", *more, "--quiet")
    assert refusal(done) == (status, f"{sentence}")


def test_what_leaves_the_project_is_warned_of(run: Run, project: Path) -> None:
    (project / "inner").mkdir()
    text = '[crate.gull]\nfrom = "../frames/gull"\nout = "../frames/gull/sheet"\n'
    (project / "inner" / "gull.crate.toml").write_text(text, "utf-8")
    done = run("pack", "inner/gull.crate.toml", "--quiet")
    assert done.returncode == 0
    assert done.stderr.splitlines() == [
        "agile-crate: warning: inner/gull.crate.toml: the crate 'gull' reaches out of the project's folder, to frames/gull and frames/gull/sheet; elsewhere that may not be there",
        "agile-crate: warning: inner/gull.crate.toml: the crate 'gull' is written into frames/gull, from which its frames are taken, too; give it a folder of its own",
    ]


EACH = """
[defaults]
fps = 10

[each."frames/*"]
out = "build/{name}"
except = ["notes"]

[crate.otter]
columns = 2
"""


def test_a_crate_for_every_folder(run: Run, project: Path) -> None:
    (project / "frames" / "notes").mkdir()
    (project / "otter.crate.toml").write_text(EACH, "utf-8")
    done = run("pack", "otter.crate.toml", "--depfile", "build/all.d")
    assert done.returncode == 0, done.stderr
    assert sorted(path.name for path in (project / "build").glob("*.json")) == ["gull.json", "otter.json"]
    assert metadata(project / "build" / "otter.json")["sheets"][0]["cells"]["columns"] == 2
    assert " frames " in (project / "build" / "all.d").read_text("utf-8")  # a new folder there is a new crate
    assert run("pack", "otter.crate.toml", "--check", "--only", "gull").returncode == 0
    (project / "otter.crate.toml").write_text(EACH.replace("notes", "note"), "utf-8")
    sentence = "otter.crate.toml, line 7, column 1: no folder of 'frames/*' is named 'note'; did you mean 'notes'?"
    assert refusal(run("pack", "otter.crate.toml")) == (3, sentence)


def test_the_schema_that_is_printed_accepts_the_file(run: Run, project: Path) -> None:
    import tomllib

    schema = json.loads(run("schema", "crate").stdout)
    Draft202012Validator(schema).validate(tomllib.loads(TEXT))
    Draft202012Validator(schema).validate(tomllib.loads(EACH))
    wrong = tomllib.loads(TEXT.replace("gap = 1", 'gap = "1"'))
    assert not Draft202012Validator(schema).is_valid(wrong)
