"""`pack --check`: which crates of a crate file are stale, and why; nothing is written."""

import json
from pathlib import Path

import pytest

from agile_crate.commands.build import BuildOptions, build
from agile_crate.commands.check import Checked, check_spec
from agile_crate.core.limits import USUAL
from agile_crate.crate_files.read import read_crate_file
from agile_crate.pipeline.context import with_cache, working
from conftest import Run, art, refusal, save, tree

CRATES = """
[crate.gull]
from = "art/gull"
out = "build/gull"
template = "names.txt.j2"

[crate.otter]
from = "art/otter"
out = "build/otter"
scale = "200%"
metadata = ["json", "css"]

[crate.otter.skin.scarf]
from = "art/scarf"
"""


@pytest.fixture
def project(run: Run, tmp_path: Path) -> Path:
    for number in range(1, 5):
        for name in ("gull/glide", "otter/swim", "scarf/swim"):
            save(tmp_path / "art" / f"{name}_{number}.png", art(8, 8, number + len(name)))
    (tmp_path / "names.txt.j2").write_text("{% for frame in frames %}{{ frame.name }}\n{% endfor %}", "utf-8")
    (tmp_path / "post.crate.toml").write_text(CRATES, "utf-8")
    assert run("pack", "post.crate.toml").returncode == 0
    return tmp_path


def checked(run: Run, project: Path, *more: str) -> tuple[int, list[str]]:
    """The exit code and the lines of a check, after which every file must be as before."""
    before = tree(project)
    done = run("pack", "post.crate.toml", "--check", *more)
    assert tree(project) == before
    assert done.stderr == ""
    return done.returncode, done.stdout.splitlines()


def edited(path: Path, old: str, new: str) -> None:
    path.write_text(path.read_text("utf-8").replace(old, new), "utf-8")


def test_crates_that_are_up_to_date(run: Run, project: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    fine = (0, ["gull: up to date (4 frames)", "otter: up to date (4 frames)"])
    assert checked(run, project) == fine
    monkeypatch.setenv("AGILE_CRATE_CACHE", str(project.parent / "a fresh clone"))
    assert checked(run, project) == fine
    assert checked(run, project, "--quiet") == (0, [])
    assert checked(run, project, "--only", "otter") == (0, ["otter: up to date (4 frames)"])


def test_each_reason_is_named(run: Run, project: Path) -> None:
    save(project / "art/gull/glide_5.png", art(8, 8, 70))
    (project / "art/gull/glide_1.png").unlink()
    save(project / "art/gull/glide_2.png", art(8, 8, 71))
    edited(project / "post.crate.toml", 'scale = "200%"', 'scale = "300%"')
    assert checked(run, project) == (
        1,
        [
            "gull: stale: 1 frame added (glide_5); 1 frame removed (glide_1); 1 frame changed (glide_2)",
            'otter: stale: built with scale = "200%", and the crate file asks for scale = "300%"; '
            "scale is 2, and its settings make it 3",
        ],
    )
    assert run("pack", "post.crate.toml").returncode == 0
    assert checked(run, project)[0] == 0
    (project / "build/gull.png").unlink()
    edited(project / "build/otter.css", "{", "{ ")
    code, lines = checked(run, project)
    assert (code, lines) == (1, ["gull: stale: gull.png is missing", "otter: stale: otter.css was edited"])


@pytest.mark.parametrize(
    ("file", "old", "new", "reason"),
    [
        ("names.txt.j2", "{{ frame.name }}", "- {{ frame.name }}", "gull: stale: gull.txt differs from what its crate file makes of the crate"),
        ("post.crate.toml", 'out = "build/gull"\n', 'out = "build/gull"\ngap = 1\n', "gull: stale: built with gap = 0, and the crate file asks for gap = 1"),
        ("post.crate.toml", 'out = "build/gull"', 'out = "new/gull"', "gull: stale: it was never built"),
    ],
    ids=["a template", "a key of the layout", "another place"],
)  # fmt: skip
def test_what_else_makes_a_crate_stale(run: Run, project: Path, file: str, old: str, new: str, reason: str) -> None:
    edited(project / file, old, new)
    code, lines = checked(run, project)
    assert (code, lines[0][: len(reason)], lines[1]) == (1, reason, "otter: up to date (4 frames)")


def test_a_changed_frame_hides_no_changed_key(run: Run, project: Path) -> None:
    save(project / "art/gull/glide_2.png", art(8, 8, 71))
    edited(project / "post.crate.toml", 'out = "build/gull"\n', 'out = "build/gull"\ngap = 1\n')
    line = checked(run, project)[1][0]
    assert line == "gull: stale: 1 frame changed (glide_2); built with gap = 0, and the crate file asks for gap = 1"
    save(project / "art/gull/glide_5.png", art(8, 8, 72))
    assert "1 frame added (glide_5); 1 frame changed (glide_2); built with gap = 0" in checked(run, project)[1][0]


def test_a_draft_beside_a_finished_build(run: Run, project: Path) -> None:
    line = "art/otter --out build/otter --force --scale 200% --fps swim=12 --mirrored left=swim"
    assert run("pack", *line.split(), "--draft", "drafted.crate.toml").returncode == 0
    before = tree(project)
    done = run("pack", "drafted.crate.toml", "--check")
    assert (done.returncode, done.stdout) == (0, "otter: up to date (8 frames)\n")
    assert run("pack", "drafted.crate.toml").stdout == "otter: up to date (8 frames, 2 files)\n"
    assert tree(project) == before


def test_a_skin_that_changed(run: Run, project: Path) -> None:
    save(project / "art/scarf/swim_2.png", art(8, 8, 90))
    assert checked(run, project)[1][1] == "otter: stale: skin 'scarf': 1 frame changed (swim_2)"
    edited(project / "post.crate.toml", "skin.scarf", "skin.shawl")
    assert checked(run, project)[1][1] == "otter: stale: 1 skin added (shawl); 1 skin removed (scarf)"


def test_a_dry_run_gives_the_reasons(run: Run, project: Path) -> None:
    save(project / "art/gull/glide_2.png", art(8, 8, 71))
    done = run("pack", "post.crate.toml", "--dry-run")
    lines = done.stdout.splitlines()
    assert lines[:2] == ["gull (post.crate.toml)", "  1 frame changed (glide_2)"]
    assert lines[-1] == "otter: up to date (4 frames, 4 files)"
    (gull, otter) = json.loads(run("pack", "post.crate.toml", "--dry-run", "--json").stdout)["crates"]
    assert (gull["remarks"][-1], otter["unchanged"]) == ("1 frame changed (glide_2)", True)


def test_another_version_of_the_program(project: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(project)
    build("post.crate.toml", ["gull"], BuildOptions("agile-crate 0.0.1", rebuild=True), USUAL)
    spec = read_crate_file("post.crate.toml", USUAL).specs[0]
    with working(USUAL, program="agile-crate 0.0.2") as means, with_cache(means) as context:
        assert check_spec(spec, BuildOptions("agile-crate 0.0.2"), context) == Checked(
            4, ("agile-crate 0.0.1 built it, and this is agile-crate 0.0.2",)
        )


def test_merge_conflicts_and_lost_metadata(run: Run, project: Path) -> None:
    data = project / "build/gull.json"
    text = data.read_text("utf-8")
    lines = text.splitlines(keepends=True)
    data.write_text("".join(["<<<<<<< ours\n", *lines, "=======\n", *lines, ">>>>>>> theirs\n"]), "utf-8")
    assert checked(run, project)[1][0] == "gull: stale: conflict markers from a merge in gull.json"
    data.unlink()
    assert checked(run, project)[1][0] == "gull: stale: gull.json is missing"


def test_a_broken_crate_among_others(run: Run, project: Path) -> None:
    (project / "art/gull/glide_3.png").write_bytes(b"no picture")
    save(project / "art/otter/swim_5.png", art(8, 8, 50))
    save(project / "art/scarf/swim_5.png", art(8, 8, 51))
    done = run("pack", "post.crate.toml", "--check")
    assert done.returncode == 3
    assert "glide_3.png is not a picture in a known format" in done.stderr
    assert done.stdout == "otter: stale: 1 frame added (swim_5)\n"
    document = json.loads(run("pack", "post.crate.toml", "--check", "--json").stdout)
    assert (document["check"], document["errors"][0]["crate"]) == (True, "gull")
    assert document["crates"] == [
        {"file": "post.crate.toml", "crate": "otter", "frames": 4, "up_to_date": False, "reasons": ["1 frame added (swim_5)"]}
    ]  # fmt: skip


def test_inputs_that_cannot_be_checked(run: Run, tmp_path: Path) -> None:
    for given, sentence in (
        ("nowhere", "nowhere does not exist; check the path"),
        ("memory://frames/gull", "inputs at an address cannot be checked; build the crate instead"),
    ):
        (tmp_path / "a.crate.toml").write_text(f'[crate.gull]\nfrom = "{given}"\nout = "build/gull"\n', "utf-8")
        done = run("pack", "a.crate.toml", "--check")
        assert refusal(done) == (3, f"a.crate.toml, crate 'gull': {sentence}")


def test_it_goes_with_no_option_that_builds(run: Run, project: Path) -> None:
    for option in ("--rebuild", "--force", "--keep-edits", "--dry-run", "--no-wait", "--explain"):
        done = run("pack", "post.crate.toml", "--check", option)
        assert refusal(done) == (2, f"--check builds nothing; leave out {option}")
    done = run("pack", "art/gull", "--out", "x", "--check")
    assert (done.returncode, "--check is for the crates of a crate file" in done.stderr) == (2, True)
