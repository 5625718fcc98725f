"""Every command on a crate file: each crate by itself, with its own settings; broken crates beside healthy ones."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

import agile_crate
from conftest import Run, decode, metadata, refusal, save

TEXT = """
[defaults]
fps = 10

[crate.otter]
from = "otter"
out = "build/otter"
color-key = "#ff00ff"

[crate.otter.animation.swim]
loop = "once"

[crate.otter.skin.coat]
from = "coat"

[crate.gull]
from = "gull"
out = "build/gull"
rename = { swim = "fly" }
exclude = ["old"]
"""


def figure(x: int, y: int, color: tuple[int, int, int], ground: tuple[int, ...] = (0, 0, 0, 0)) -> np.ndarray:
    """A figure with a face, that stands 4 pixels above the canvas's end."""
    pixels = np.full((32, 32, 4), ground, np.uint8)
    pixels[8 + y : 28, 6 + x : 20 + x] = (*color, 255)
    pixels[12 + y : 15 + y, 10 + x : 13 + x] = 255
    return pixels


@pytest.fixture
def project(tmp_path: Path) -> Path:
    """Two crates with frames of the same names; each swim ends as it begins."""
    path = [0, 1, 3, 4, 3, 1, 0]
    for number, x in enumerate(path, 1):
        save(tmp_path / f"otter/swim/swim_{number:02}.png", figure(x, 0, (150, 90, 40), (255, 0, 255, 255)))
        save(tmp_path / f"coat/swim/swim_{number}.png", figure(x, 0, (220, 190, 40), (255, 0, 255, 255)))
        save(tmp_path / f"gull/swim/swim_{number}.png", figure(x, 0, (230, 230, 240)))
    save(tmp_path / "gull/old/old_1.png", figure(0, 0, (9, 9, 9)))
    (tmp_path / "post.crate.toml").write_text(TEXT, "utf-8")
    return tmp_path


def surveyed(run: Run, *more: str) -> dict[str, Any]:
    found = json.loads(run("survey", "post.crate.toml", "--json", *more).stdout)["crates"]
    return {f"{crate['crate']} {crate['skin']}".strip(): crate for crate in found}


def test_each_crate_is_surveyed_by_itself_with_its_settings(run: Run, project: Path) -> None:
    found = surveyed(run)
    assert list(found) == ["otter", "otter coat", "gull"]
    codes = {name: [finding["code"] for finding in crate["findings"]] for name, crate in found.items()}
    assert "closing" not in codes["otter"]  # it plays once
    assert "background-solid" not in codes["otter"]  # the color key takes it away
    assert "closing" in codes["gull"]
    assert not any("name-duplicate" in one for one in codes.values())
    assert [one["name"] for one in found["gull"]["sequences"]] == ["fly"]
    assert {one["seconds"] for crate in found.values() for one in crate["sequences"]} == {0.7}
    (closing,) = [finding for finding in found["gull"]["findings"] if finding["code"] == "closing"]
    assert (closing["sequence"], closing["frames"]) == ("fly", ["fly_7"])


def test_what_the_settings_take_care_of_is_counted(run: Run, project: Path) -> None:
    text = TEXT.replace('exclude = ["old"]', 'exclude = ["old"]\ndrop-closing = true')
    (project / "post.crate.toml").write_text(text, "utf-8")
    found = surveyed(run, "--only", "gull")
    assert list(found) == ["gull"]
    assert ("closing" in str(found["gull"]["findings"]), found["gull"]["settled"]) == (False, 1)
    lines = run("survey", "post.crate.toml", "--only", "gull").stdout.splitlines()
    assert lines[0] == "gull (post.crate.toml)"
    assert any(line.endswith("1 fixed by the crate's settings") for line in lines)


def test_a_skin_is_compared_with_its_base(run: Run, project: Path) -> None:
    (project / "coat/swim/swim_3.png").unlink()
    save(project / "coat/swim/swim_9.png", figure(0, 0, (1, 2, 3)))
    save(project / "coat/swim/swim_4.png", figure(4, 0, (150, 90, 40), (255, 0, 255, 255)))
    save(project / "coat/swim/swim_5.png", np.zeros((20, 32, 4), np.uint8))
    low = figure(1, 0, (220, 190, 40), (255, 0, 255, 255))
    low[28:31, 8:12] = (0, 0, 0, 255)
    save(project / "coat/swim/swim_6.png", low)
    wide = figure(1, 0, (220, 190, 40), (255, 0, 255, 255))
    wide[0, 31] = (0, 0, 0, 255)
    save(project / "coat/swim/swim_2.png", wide)
    found = surveyed(run)["otter coat"]["findings"]
    told = {(one["severity"], one["code"]): one for one in found if one["code"].startswith("skin-")}
    what = {key: (tuple(one["frames"]), one["what"]) for key, one in told.items()}
    assert what[("error", "skin-incomplete")] == (("swim/swim_03",), "lacks 1 frame, which the base has")
    assert what[("warning", "skin-incomplete")] == (
        ("swim/swim_9",), "has 1 frame that the base lacks (not packed)"
    )  # fmt: skip
    assert what[("note", "skin-incomplete")][1].startswith(
        "has 6 frames with other digits in their numbers than the base: 'swim/swim_1' for 'swim/swim_01'"
    )
    assert what[("error", "skin-canvas")][0] == ("swim/swim_5",)
    assert what[("warning", "skin-ground")] == (
        ("swim/swim_6",), "has 1 frame whose lowest pixels are up to 3 px below those of the base"
    )  # fmt: skip
    assert what[("warning", "skin-box")][0] == ("swim/swim_2",)
    assert what[("warning", "skin-unchanged")] == (("swim/swim_4",), "has 1 frame equal to the base")


def test_one_broken_crate_among_healthy_ones(run: Run, project: Path) -> None:
    (project / "otter/swim/swim_02.png").write_bytes(b"no picture")
    for path in (project / "otter/swim").iterdir():
        path.write_bytes(b"no picture")
    done = run("survey", "post.crate.toml", "--json", "--page", "look.html")
    said = json.loads(done.stdout)
    assert done.returncode == 3
    assert [crate["crate"] for crate in said["crates"]] == ["gull"]
    assert [(error["file"], error["crate"], error["exit"]) for error in said["errors"]] == [
        ("post.crate.toml", "otter", 3)
    ]
    shown = run("show", "post.crate.toml", "--out", "page.html")
    assert (shown.returncode, shown.stdout) == (3, "wrote page.html\n")
    assert "post.crate.toml, crate 'otter': " in shown.stderr
    for name in ("look.html", "page.html"):
        assert "<h1>gull</h1>" in (project / name).read_text("utf-8")


def test_views_of_crates_as_a_build_would_make_them(run: Run, project: Path) -> None:
    done = run("show", "post.crate.toml", "--out", "view.png")
    assert done.stdout == "wrote view-otter.png\nwrote view-gull.png\n"
    assert done.stderr.splitlines() == [
        f"agile-crate: warning: the crate '{name}' is not up to date; the view shows the result of a build"
        for name in ("otter", "gull")
    ]
    assert run("pack", "post.crate.toml").returncode == 0
    again = run("show", "post.crate.toml", "--out", "view.png", "--force")
    assert again.stderr == ""
    assert run("show", "post.crate.toml", "--only", "gull", "--out", "fly.gif").stdout == "wrote fly.gif\n"
    assert run("show", "post.crate.toml", "--only", "otter", "--skin", "coat", "--out", "coat.png").returncode == 0
    assert not np.array_equal(decode(project / "coat.png"), decode(project / "view-otter.png"))
    (project / "build/otter.png").unlink()
    before = decode(project / "coat.png")
    done = run("show", "post.crate.toml", "--only", "otter", "--skin", "coat", "--out", "coat.png", "--force")
    assert "not up to date" in done.stderr
    assert np.array_equal(decode(project / "coat.png"), before)
    assert not (project / "build/otter.png").exists()
    sentence = "the crate 'otter' has no skin 'coot'"
    done = run("show", "post.crate.toml", "--only", "otter", "--skin", "coot", "--out", "x.png")
    assert refusal(done) == (2, f"post.crate.toml, crate 'otter': {sentence}")


def test_texts_and_proofs_of_chosen_crates(run: Run, project: Path) -> None:
    text = TEXT.replace('out = "build/gull"', 'out = "build/gull"\nalso-scale = ["50%"]')
    (project / "post.crate.toml").write_text(text, "utf-8")
    run("pack", "post.crate.toml")
    done = run("describe", "post.crate.toml", "--only", "gull", "--metadata", "csv")
    assert done.stdout.count("described build/gull") == 2
    assert len(list((project / "build").glob("gull*.csv"))) == 4
    done = run("describe", "post.crate.toml", "--metadata", "css", "--json")
    names = [Path(one["data"]).name for one in json.loads(done.stdout)["crates"]]
    assert names == ["otter.json", "gull.json", "gull@50.json"]
    assert refusal(run("describe", "post.crate.toml", "--metadata", "css", "--out", "x")) == (
        2, "a crate file has its own outputs; omit --out"
    )  # fmt: skip
    assert run("verify", "post.crate.toml", "--only", "otter").stdout.startswith("build/otter.json: 1 sheet, 7 frames")


@pytest.mark.parametrize("command", ["survey", "show", "verify", "describe", "pack", "watch"])
def test_only_chooses_existing_crates(run: Run, project: Path, command: str) -> None:
    more = {"show": ["--out", "x.html"], "describe": ["--metadata", "css"]}.get(command, [])
    done = run(command, "post.crate.toml", "--only", "otte", *more)
    assert refusal(done) == (2, "post.crate.toml: unknown crate 'otte'; did you mean 'otter'?")
    if command in ("survey", "show"):
        done = run(command, "otter", "post.crate.toml", *more)
        assert refusal(done) == (2, "otter next to a crate file: name either crate files, or frames")
    if command not in ("pack", "watch"):
        given = "build/otter.json" if command in ("verify", "describe") else "otter"
        sentence = "--only chooses crates of a crate file, and the input is none; leave it out"
        assert refusal(run(command, given, "--only", "otter", *more)) == (2, sentence)


def test_scripts_do_the_same(project: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(project)
    surveys = agile_crate.survey_all("post.crate.toml", only="otter", code="skin-incomplete")
    assert [(one.label, [f.code for f in one.survey.findings]) for one in surveys] == [
        ("otter", []), ("otter, skin coat", ["skin-incomplete"])
    ]  # fmt: skip
    assert [path.name for path in agile_crate.show("post.crate.toml", "all.html").files] == ["all.html"]
    agile_crate.build("post.crate.toml")
    described = agile_crate.describe("post.crate.toml", metadata="css")
    assert [Path(path).name for path in described] == ["otter.css", "gull.css"]
    with pytest.raises(agile_crate.UsageError, match=r"^otter next to a crate file"):
        agile_crate.show(["post.crate.toml", "otter"], "other.html")
    (project / "gull/swim/swim_1.png").write_bytes(b"")
    with pytest.raises(agile_crate.InputError, match=r"swim_1\.png is empty"):
        agile_crate.show("post.crate.toml", "other.html")


def test_sarif_and_a_baseline_are_of_all_crates(run: Run, project: Path) -> None:
    run("survey", "post.crate.toml", "--sarif", "found.sarif", "--write-baseline", "fine.json")
    results = metadata(project / "found.sarif")["runs"][0]["results"]
    assert any(result["message"]["text"].startswith("otter, skin coat, swim: ") for result in results)
    found = surveyed(run, "--baseline", "fine.json")
    assert [crate["findings"] for crate in found.values()] == [[], [], []]
    assert sum(crate["baselined"] for crate in found.values()) == len(results)
