"""`survey`, as the installed program, on the Otter Post and on frames of our own."""

import json
import subprocess
from pathlib import Path

import pytest
from PIL import Image, PngImagePlugin

import agile_crate
from conftest import PROGRAM, Run, art, save


def test_the_clean_demo_frames_raise_nothing_above_a_note(run: Run, demo: Path) -> None:
    demo.rename(demo.with_name("d"))
    done = run("survey", "d/frames", "--strict")
    assert (done.returncode, done.stderr) == (0, "")
    assert "  otter/idle             8    96×96    0.667    60×77    51%       8  soft\n" in done.stdout
    assert done.stdout.endswith("\nno problems; 6 notes (show them with --notes)\n")
    assert "note " not in done.stdout
    assert "\nnote wobble, 4 times: feet and center of mass that move\n" in run("survey", "d/frames", "--notes").stdout
    assert max(map(len, done.stdout.partition("\n\n  as separate")[0].splitlines())) <= 80


PLANTED = {
    "dive_digits": {"number-duplicate": ["dive_digits_03", "dive_digits_3"], "number-digits": []},
    "gull_backdrop": {"background-solid": [f"gull_backdrop_0{i}" for i in range(1, 9)]},
    "idle_closing": {"closing": ["idle_closing_09"]},
    "idle_empty": {"frame-empty": ["idle_empty_05"]},
    "idle_slip": {"jump": ["idle_slip_04"]},
    "lantern_tint": {"tint-differs": ["lantern_tint_04"]},
    "splash_haze": {"haze": [f"splash_haze_0{i}" for i in range(1, 5)]},
    "splash_speck": {"stray-pixels": ["splash_speck_02"]},
    "stills": {"seam": ["sea_seam"]},
    "swim_again": {"cycle": ["swim_again_09", "swim_again_10", "swim_again_11", "swim_again_12"]},
    "swim_gap": {"number-missing": []},
    "walk_cut": {"cut-off": ["walk_cut_01", "walk_cut_02", "walk_cut_03"]},
    "walk_sizes": {"canvas-differs": ["walk_sizes_02"]},
}


def test_every_planted_fault_is_found_at_the_right_frames_and_no_other(run: Run, demo: Path) -> None:
    demo.rename(demo.with_name("d"))
    done = run("survey", "d/rough", "--strict", "--json")
    assert done.returncode == 1
    said = json.loads(done.stdout)
    found: dict[str, dict[str, list[str]]] = {}
    for finding in said["findings"]:
        if finding["severity"] != "note":
            names = [name.rpartition("/")[2] for name in finding["frames"]]
            found.setdefault(finding["sequence"], {})[finding["code"]] = names
    assert found == PLANTED
    assert said["error_count"] == 12


def test_codes_can_be_allowed(run: Run, swim: Path) -> None:
    save(swim / "swim" / "swim_15.png", art(8, 8, 15))
    told = run("survey", "frames")
    lines = told.stdout.splitlines()
    start = lines.index("error number-missing: swim")
    assert lines[start + 1 : start + 3] == [
        "  number 14 is missing: the motion skips there",
        "  → export the missing frames, or renumber",
    ]
    allowed = run("survey", "frames", "--ignore", "number-missing")
    assert "number-missing" not in allowed.stdout


def test_seconds_at_a_rate_and_names_alike(run: Run, swim: Path) -> None:
    save(swim / "swim" / "Swim_13.png", art(8, 8, 20))
    done = run("survey", "frames", "--fps", "26", "--json")
    said = json.loads(done.stdout)
    assert [s["seconds"] for s in said["sequences"]] == [0.5, pytest.approx(1 / 26)]
    assert ["swim/swim_13", "swim/Swim_13"] in [f["frames"] for f in said["findings"] if f["code"] == "name-case"]
    assert "warning scale-uneven: swim, " in run("survey", "frames", "--scale", "30%").stdout
    assert "scale-uneven" not in run("survey", "frames", "--scale", "0.5").stdout


def test_what_cannot_be_read_or_told_apart_is_found_and_the_look_goes_on(run: Run, swim: Path) -> None:
    (swim / "a.png").write_bytes(b"")
    save(swim / "swim" / "swim_03.bmp", art(8, 8, 3)[..., :3])
    done = run("survey", "frames", "--strict", "--page", "look.html")
    assert (done.returncode, done.stderr) == (1, "")
    assert done.stdout.startswith("13 frames in 1 sequence\n")
    assert (
        "error picture-unreadable: stills, a\n  frames/a.png is empty\n  → export it again, or remove it\n"
        in done.stdout
    )
    assert "\nerror name-duplicate: swim, swim_03\n" in done.stdout
    assert (swim.parent / "look.html").exists()
    done = run("survey", swim / "a.png")
    assert (done.returncode, done.stdout) == (3, "")
    assert done.stderr == f"agile-crate: error: {swim}/a.png is empty; export it again or remove it\n"


def test_stills_last_no_time_and_names_that_differ_in_case_are_told(tmp_path: Path) -> None:
    for name in ("buoy", "Buoy", "gull/gull_1", "gull/gull_2"):
        save(tmp_path / f"{name}.png", art(8, 8, len(name)))
    looked = agile_crate.survey(tmp_path)
    assert [(one.name, one.frames, round(one.seconds, 4)) for one in looked.sequences] == [
        ("gull", 2, 0.1667),
        (None, 2, 0),
    ]
    (alike,) = (finding for finding in looked.findings if finding.code == "name-case")
    assert (alike.sequence, set(alike.frames), str(alike.fix)) == (alike.frames[0], {"buoy", "Buoy"}, "rename one")


def closing(folder: Path, name: str, count: int, seed: int = 0) -> None:
    """An animation whose last frame equals its first."""
    for number in range(1, count + 1):
        save(folder / name / f"{name}_{number:02d}.png", art(12, 10, seed + (number if number < count else 1)))


def test_findings_of_one_code_are_told_together(run: Run, tmp_path: Path) -> None:
    for number in range(6):
        closing(tmp_path / "frames", f"wave{number}x", 5, 7 * number)
    told = run("survey", "frames").stdout
    assert "\nerror closing, 6 times: a last frame that equals the first\n" in told
    assert "\n  wave0x (wave0x_05), wave1x (wave1x_05), wave2x (wave2x_05), wave3x (wave3x_05) and 2 more\n" in told
    assert "\n  → --drop-closing\n" in told
    each = run("survey", "frames", "--code", "closing").stdout
    assert each.count("\nerror closing: wave") == 6
    assert "duplicates" not in each
    assert run("survey", "frames", "--verbose").stdout.count("\nerror closing: wave") == 6


def test_the_table_folds_where_there_are_many_sequences(run: Run, tmp_path: Path) -> None:
    for number in range(60):
        save(tmp_path / "frames" / f"a{number:02d}x_1.png", art(4, 4, number))
    table = run("survey", "frames").stdout.partition("\n\n  and ")
    assert len(table[0].splitlines()) == 2 + 1 + 39
    assert table[2].startswith("21 more sequences with 21 frames; --verbose lists them all\n")
    assert len(run("survey", "frames", "--verbose").stdout.partition("\n\n  as separate")[0].splitlines()) == 2 + 1 + 60


def test_what_is_found_fine_is_let_go_until_a_frame_changes(run: Run, tmp_path: Path) -> None:
    closing(tmp_path / "frames", "wave", 6)
    done = run("survey", "frames", "--write-baseline", "fine.json")
    assert done.stdout.endswith("\nwrote fine.json\n")
    done = run("survey", "frames", "--baseline", "fine.json", "--strict")
    assert (done.returncode, "closing" in done.stdout) == (0, False)
    assert "; 1 in the baseline\n" in done.stdout
    first = (tmp_path / "fine.json").read_bytes()
    run("survey", "frames", "--baseline", "fine.json", "--write-baseline", "fine.json")
    assert (tmp_path / "fine.json").read_bytes() == first
    save(tmp_path / "frames" / "wave" / "wave_03.png", art(12, 10, 77))
    done = run("survey", "frames", "--baseline", "fine.json", "--strict")
    assert (done.returncode, "\nerror closing: wave, wave_06\n" in done.stdout) == (1, True)


def test_findings_for_code_hosts(run: Run, tmp_path: Path) -> None:
    closing(tmp_path / "my frames", "wave up", 5)
    (tmp_path / "my frames" / "broken#1.png").write_bytes(b"x")
    assert run("survey", "my frames", "--sarif", "found.sarif", "--quiet").returncode == 0
    document = json.loads((tmp_path / "found.sarif").read_text("utf-8"))
    assert (document["version"], len(document["runs"])) == ("2.1.0", 1)
    results = {result["ruleId"]: result for result in document["runs"][0]["results"]}
    rules = {rule["id"] for rule in document["runs"][0]["tool"]["driver"]["rules"]}
    assert results.keys() == rules >= {"closing", "picture-unreadable"}
    assert results["closing"]["level"] == "error"
    assert results["closing"]["message"]["text"].startswith("wave up: the last frame equals the first")
    assert results["closing"]["message"]["text"].endswith(" → --drop-closing")
    (location,) = results["closing"]["locations"]
    uri = location["physicalLocation"]["artifactLocation"]["uri"]
    assert uri == "my%20frames/wave%20up/wave%20up_05.png"
    (location,) = results["picture-unreadable"]["locations"]
    assert location["physicalLocation"]["artifactLocation"]["uri"] == "my%20frames/broken%231.png"
    keys = [result["partialFingerprints"]["frames/v1"] for result in results.values()]
    assert len(set(keys)) == len(keys)


def test_every_cure_that_is_pasted_cures(run: Run, demo: Path, tmp_path: Path) -> None:
    """The options of a fix, as they are printed, packed and unpacked: the finding is gone, and no drawing is lost."""
    demo.rename(demo.with_name("d"))
    (tmp_path / "d" / "rough" / "swim_again").rename(tmp_path / "d" / "rough" / "swim $HOME 'again'")
    for path in sorted((tmp_path / "d" / "rough" / "swim $HOME 'again'").iterdir()):
        path.rename(path.with_name(path.name.replace("swim_again", "swim $HOME 'again'")))
    said = json.loads(run("survey", "d/rough", "--json").stdout)
    options: dict[str, str] = {}
    for finding in said["findings"]:
        if finding["severity"] == "error" and finding["fix"].startswith("--"):
            options[finding["code"]] = finding["fix"].partition(" (")[0]
    assert options.keys() >= {"closing", "cycle", "haze", "background-solid", "canvas-differs", "number-duplicate"}
    for code, pasted in options.items():
        shell = f"{PROGRAM} pack d/rough --exclude dive_digits/dive_digits_3 --out o --force --quiet {pasted}"
        subprocess.run(["sh", "-c", shell], cwd=tmp_path, check=True)
        run("unpack", "o.json", "--out", f"back/{code}", "--quiet")
        again = json.loads(run("survey", f"back/{code}", "--json").stdout)
        assert code not in {finding["code"] for finding in again["findings"] if finding["severity"] == "error"}
    kept = {sequence["name"]: sequence["unique"] for sequence in again["sequences"]}
    assert (kept["idle_closing"], kept["swim $HOME 'again'"]) == (8, 8)


def test_a_color_profile_is_remarked_on(run: Run, tmp_path: Path) -> None:
    for number in range(1, 5):
        save(tmp_path / "frames" / f"swim_{number}.png", art(8, 8, number))
    image = Image.fromarray(art(8, 8, 3))
    info = PngImagePlugin.PngInfo()
    info.add(b"gAMA", (100000).to_bytes(4, "big"))
    image.save(tmp_path / "frames" / "swim_3.png", pnginfo=info)
    (finding,) = (
        f for f in json.loads(run("survey", "frames", "--json").stdout)["findings"] if f["code"] == "color-profile"
    )
    assert (finding["severity"], finding["frames"], finding["fix"]) == ("warning", ["swim_3"], "--to-srgb")
