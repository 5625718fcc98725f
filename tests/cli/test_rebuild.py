"""Building again: nothing to do where nothing changed, what came and went, and the same bytes whatever is kept."""

import json
import os
import shutil
from pathlib import Path

import pytest

import agile_crate
from conftest import Run, art, metadata, save, tree

TEXT = """
[crate.otter]
from = ["frames"]
out = "build/otter"
layout = "tight"
trim = "frame"
metadata = ["json", "xml", "css"]
palette = "sea.hex"
max-size = [48, 40]
"""


@pytest.fixture
def project(tmp_path: Path) -> Path:
    for number in range(1, 7):
        save(tmp_path / "frames" / "swim" / f"swim_{number}.png", art(22, 18, number))
    (tmp_path / "sea.hex").write_text("201830\n2878c8\nf0f0f0\n40a060\n", "utf-8")
    (tmp_path / "otter.crate.toml").write_text(TEXT, "utf-8")
    return tmp_path


def built(run: Run, *more: str, folder: Path | None = None) -> dict:
    done = run("pack", "otter.crate.toml", "--json", *more, **({"cwd": folder} if folder else {}))
    assert done.returncode == 0, done.stderr
    (crate,) = json.loads(done.stdout)["crates"]
    return crate


def test_nothing_to_do(run: Run, project: Path) -> None:
    first = built(run)
    assert (first["unchanged"], first["added"], first["removed"], first["kept"]) == (False, [], [], [])
    before = tree(project / "build")
    again = built(run)
    assert (again["unchanged"], again["frames"]) == (True, 6)
    assert sorted(again["kept"]) == sorted(first["files"])
    done = run("pack", "otter.crate.toml")
    files = len(first["files"])
    assert (done.returncode, done.stdout, done.stderr) == (
        0, f"otter: up to date (6 frames, {files} files)\n", ""
    )  # fmt: skip
    assert run("pack", "otter.crate.toml", "--quiet").stdout == ""
    assert built(run, "--dry-run")["unchanged"] is True
    assert built(run, "--rebuild")["unchanged"] is False
    assert tree(project / "build") == before
    assert len(metadata(project / "build" / "otter.json")["built_from"]) == 64


def test_nothing_to_do_on_a_fresh_clone(
    run: Run, project: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    built(run)
    clone = tmp_path / "clone"
    clone.mkdir()
    for name in ("frames", "build", "sea.hex", "otter.crate.toml"):
        (shutil.copytree if (project / name).is_dir() else shutil.copy)(project / name, clone / name)
    for cache in ("off", str(tmp_path / "other")):
        monkeypatch.setenv("AGILE_CRATE_CACHE", cache)
        assert built(run, folder=clone)["unchanged"] is True


CHANGES = {
    "a frame": lambda folder: save(folder / "frames" / "swim" / "swim_3.png", art(22, 18, 33)),
    "a new frame": lambda folder: save(folder / "frames" / "swim" / "swim_7.png", art(22, 18, 7)),
    "a frame less": lambda folder: (folder / "frames" / "swim" / "swim_6.png").unlink(),
    "another name": lambda folder: (folder / "frames" / "swim").rename(folder / "frames" / "dive"),
    "a setting": lambda folder: (folder / "otter.crate.toml").write_text(TEXT + "gap = 1\n", "utf-8"),
    "the palette": lambda folder: (folder / "sea.hex").write_text("201830\n2878c8\nf0f0f0\n40a061\n", "utf-8"),
    "a missing image": lambda folder: (folder / "build" / "otter-1.png").unlink(),
    "a missing text": lambda folder: (folder / "build" / "otter.css").unlink(),
    "a missing form": lambda folder: (folder / "build" / "otter.xml").unlink(),
    "all gone": lambda folder: shutil.rmtree(folder / "build"),
}


@pytest.mark.parametrize("name", CHANGES)
def test_whatever_changed_is_built_as_if_for_the_first_time(run: Run, project: Path, name: str) -> None:
    built(run)
    CHANGES[name](project)
    assert built(run)["unchanged"] is False
    after = tree(project / "build")
    assert built(run)["unchanged"] is True
    shutil.rmtree(project / "build")
    os.environ["AGILE_CRATE_CACHE"] = "off"
    built(run)
    assert tree(project / "build") == after


def test_templates_and_other_sizes_count_too(run: Run, project: Path) -> None:
    (project / "more.txt.j2").write_text("{{ crate.name }}", "utf-8")
    (project / "otter.crate.toml").write_text(f'{TEXT}also-scale = ["50%"]\ntemplate = "more.txt.j2"\n', "utf-8")
    built(run)
    assert built(run)["unchanged"] is True
    (project / "more.txt.j2").write_text("{{ crate.name }}!", "utf-8")
    assert built(run)["unchanged"] is False
    assert (project / "build" / "otter@50.txt").read_text("utf-8") == "otter@50!"
    (project / "build" / "otter@50.css").unlink()
    assert built(run)["unchanged"] is False
    assert built(run)["unchanged"] is True


def test_outputs_that_somebody_changed_are_noticed(run: Run, project: Path) -> None:
    built(run)
    (project / "build" / "otter.css").write_text("/* mine */", "utf-8")
    done = run("pack", "otter.crate.toml", "--quiet")
    assert done.returncode == 5
    assert done.stderr == (
        "agile-crate: error: otter.crate.toml, crate 'otter': otter.css was changed since the last build, perhaps by hand; "
        "keep a copy, choose another out, or overwrite it with --force\n"
    )
    assert built(run, "--force")["unchanged"] is False


def test_what_came_and_what_went_is_said(run: Run, project: Path) -> None:
    built(run)
    save(project / "frames" / "swim" / "swim_8.png", art(22, 18, 8))
    save(project / "frames" / "swim" / "swim_9.png", art(22, 18, 9))
    (project / "frames" / "swim" / "swim_2.png").unlink()
    done = run("pack", "otter.crate.toml")
    assert (
        "  since the last build: 2 frames added (swim/swim_8 and swim/swim_9), 1 frame removed (swim/swim_2)\n"
        in done.stdout
    )
    save(project / "frames" / "swim" / "swim_2.png", art(22, 18, 2))
    crate = built(run)
    assert (crate["added"], crate["removed"]) == (["swim/swim_2"], [])


def test_a_sheet_whose_pixels_stay_is_kept_as_it_is(run: Run, project: Path) -> None:
    first = built(run)
    images = [name for name in first["files"] if name.endswith(".png") and "@" not in name]
    assert len(images) > 1
    stamps = {name: (project / name).stat().st_mtime_ns for name in first["files"]}
    save(project / "frames" / "swim" / "swim_1.png", art(22, 18, 1)[::-1])
    crate = built(run)
    kept = {name for name in images if name in crate["kept"]}
    assert 0 < len(kept) < len(images)
    assert {name for name in images if (project / name).stat().st_mtime_ns == stamps[name]} == kept
    assert run("verify", "build/otter.json", "--against", "otter.crate.toml").returncode == 0
    after = tree(project / "build")
    shutil.rmtree(project / "build")
    os.environ["AGILE_CRATE_CACHE"] = "off"
    built(run)
    assert tree(project / "build") == after


def test_scripts_build_crate_files_too(run: Run, project: Path) -> None:
    path = project / "otter.crate.toml"
    first = agile_crate.build(path)["otter"]
    assert first is not None
    before = tree(project / "build")
    assert agile_crate.build(path) == {"otter": None}
    assert built(run)["unchanged"] is True
    again = agile_crate.build(path, "otter", rebuild=True)["otter"]
    assert again is not None
    assert {file.name for file in again.kept} == {sheet.image for sheet in first.crate.sheets}
    assert tree(project / "build") == before
    with pytest.raises(agile_crate.UsageError, match="unknown crate 'gull'"):
        agile_crate.build(path, ["gull"])
    path.write_text("[crate.otter]\nfrm = 3", "utf-8")
    with pytest.raises(agile_crate.InputError, match="line 2, column 1: unknown key 'frm'"):
        agile_crate.build(path)


def test_frames_trimmed_in_another_way_are_not_called_changed(run: Run, swim: Path) -> None:
    run("pack", "frames", "--out", "o")
    save(swim / "swim/swim_04.png", art(8, 8, 90))
    changed = json.loads(run("pack", "frames", "--out", "o", "--json").stdout)["changed"]
    assert changed == ["swim/swim_04"]
    said = json.loads(run("pack", "frames", "--out", "o", "--layout", "tight", "--trim", "off", "--json").stdout)
    assert said["changed"] == []
    assert "--layout or --trim changed since the last build, so changed frames are not counted" in said["remarks"]
