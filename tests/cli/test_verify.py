"""`verify`, as the installed program: what was written, and what was written against what was drawn."""

import json
import os
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from PIL import Image

import agile_crate
from conftest import Run, art, decode, metadata, save


@pytest.fixture
def crate(run: Run, swim: Path, tmp_path: Path) -> Path:
    assert run("pack", "frames", "--out", "o", "--gap", "1").returncode == 0
    return tmp_path / "o.json"


def test_a_good_crate_holds(run: Run, crate: Path) -> None:
    alone, against = run("verify", "o.json"), run("verify", "o.json", "--against", "frames")
    assert (alone.returncode, alone.stdout) == (0, "o.json: 1 sheet, 13 frames, 1 animation, all checks passed\n")
    assert (against.returncode, against.stdout) == (
        0,
        alone.stdout + "all 13 frames match their sources, pixel for pixel\n",
    )
    assert run("verify", "o.json", "--quiet").stdout == ""


def test_the_wrong_folder_gets_one_sentence(run: Run, swim: Path, tmp_path: Path) -> None:
    save(tmp_path / "gulls/gull/gull_1.png", art(8, 8, 90))
    assert run("pack", "frames", "--out", "o", "--hold", "swim:3=2").returncode == 0
    done = run("verify", "o.json", "--against", "gulls")
    assert (done.returncode, done.stderr) == (
        2,
        "agile-crate: error: the sources do not match the settings in o.json (pack's --hold: unknown animation 'swim'; "
        "the only animation is gull); name the frames that were packed\n",
    )
    assert run("pack", "frames", "--out", "o").returncode == 0
    done = run("verify", "o.json", "--against", "gulls")
    assert (done.returncode, done.stdout.count("\n")) == (1, 4)
    assert (
        "  no frame of the crate has a source there; name the frames that were packed with --against\n" in done.stdout
    )


def test_a_changed_pixel_is_found_with_its_frame_and_place(run: Run, crate: Path, tmp_path: Path) -> None:
    pixels = decode(tmp_path / "o.png").copy()
    x, y, *_ = metadata(crate)["frames"][8]["box"]
    pixels[y + 2, x + 3] = (1, 2, 3, 255)
    Image.fromarray(pixels).save(tmp_path / "o.png")
    done = run("verify", "o.json", "--against", "frames")
    assert done.returncode == 1
    expected = "".join(f"{value:02x}" for value in art(8, 8, 9)[2, 3])
    assert done.stdout == (
        "o.json: 1 sheet, 13 frames, 1 animation, 1 problem\n"
        "  sheet 'o.png' was changed since it was written\n"
        "12 of 13 frames match their sources, pixel for pixel\n"
        f"  swim/swim_09: differs in 1 pixel, first at 3,2: expected #{expected}, found #010203ff\n"
    )
    said = json.loads(run("verify", "o.json", "--against", "frames", "--json").stdout)
    assert (said["ok"], said["compared"], said["same"]) == (False, 13, 12)
    assert said["differences"][0] | {"what": ""} == {
        "frame": "swim/swim_09", "what": "", "pixels": 1, "position": [3, 2],
        "expected": art(8, 8, 9)[2, 3].tolist(), "found": [1, 2, 3, 255], "skin": "",
    }  # fmt: skip


def test_sources_that_came_went_and_changed(run: Run, crate: Path, swim: Path) -> None:
    (swim / "swim" / "swim_01.png").unlink()
    save(swim / "swim" / "swim_02.png", art(9, 8))
    save(swim / "swim" / "swim_14.png", art(8, 8))
    done = run("verify", "o.json", "--against", "frames")
    assert done.returncode == 1
    assert "  1 source not in the crate: swim/swim_14\n" in done.stdout
    assert "11 of 13 frames match their sources, pixel for pixel\n" in done.stdout
    assert "  swim/swim_02: is 8×8 in the crate, and 9×8 in its source\n" in done.stdout
    assert "  swim/swim_01: has no source\n" in done.stdout


def test_many_differences_are_cut_short(run: Run, crate: Path, swim: Path) -> None:
    for path in (swim / "swim").iterdir():
        save(path, art(8, 8, 99))
    done = run("verify", "o.json", "--against", "frames")
    assert "0 of 13 frames match their sources, pixel for pixel\n" in done.stdout
    assert done.stdout.endswith("  and 3 more (--verbose shows all)\n")
    assert run("verify", "o.json", "--against", "frames", "-v").stdout.count("differs in") == 13


def edit(crate: Path, change: Callable[[dict], object]) -> None:
    document = metadata(crate)
    change(document)
    crate.write_text(json.dumps(document))


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        (lambda d: d["frames"][1].update(box=[8, 0, 8, 8]), "are closer than the gap of 1"),
        (lambda d: d["sheets"][0].update(size=[44, 27]), "sheet 'o.png' is 44×26, and the metadata says 44×27"),
        (lambda d: d["sheets"][0].update(image="gone.png"), "sheet 'gone.png' cannot be read: no such file or directory"),
    ],
)  # fmt: skip
@pytest.mark.parametrize("more", [[], ["--against", "frames"]], ids=["alone", "against"])
def test_what_does_not_hold_together_is_a_problem(
    run: Run, crate: Path, change: Callable[[dict], object], sentence: str, more: list[str]
) -> None:
    edit(crate, change)
    done = run("verify", "o.json", *more)
    assert (done.returncode, done.stderr, sentence in done.stdout) == (1, "", True)


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        (lambda d: d.update(animations=[{"name": "swim", "frames": list(range(13)), "durations": [84] * 13}]), "other durations, fps and beats than its"),
        (lambda d: d["animations"][0].update(loop="once"), "animation 'swim' has other loop than its settings and sources make"),
        (lambda d: d["animations"][0].update(loop="once", times=3), "has other loop and times than"),
        (lambda d: d["animations"][0].update(name="swam"), "the animations are 'swam', and should be 'swim'"),
        (lambda d: d.update(animations=[]), "the animations are none, and should be 'swim'"),
        (lambda d: d["animations"][0]["frames"].reverse(), "has other frames than its settings"),
        (lambda d: d["animations"][0].update(fps=[24, 1], beats=[2] * 13), "has other fps and beats than its"),
        (lambda d: d.update(scale=0.5), "scale is 0.5, and its settings make it 1"),
    ],
)  # fmt: skip
def test_what_settings_and_sources_determine_is_compared(
    run: Run, crate: Path, change: Callable[[dict], object], sentence: str
) -> None:
    edit(crate, lambda document: (document.pop("sha256"), change(document)))
    assert run("verify", "o.json").returncode == 0
    done = run("verify", "o.json", "--against", "frames")
    assert (done.returncode, done.stdout.count("\n")) == (1, 3)
    assert sentence in done.stdout
    assert "all 13 frames match" in done.stdout


def test_metadata_without_digests_is_taken_with_a_remark(run: Run, crate: Path) -> None:
    edit(crate, lambda document: (document.pop("sha256"), document["sheets"][0].pop("sha256")))
    for command in (["verify", "o.json", "--against", "frames"], ["unpack", "o.json", "--out", "back"]):
        done = run(*command)
        assert (done.returncode, done.stderr.count("sheet 'o.png' has no digest in the metadata, so nobody can")) == (
            0,
            1,
        )


def test_both_forms_hold_and_a_difference_between_them_is_told(run: Run, swim: Path, tmp_path: Path) -> None:
    run("pack", "frames", "--out", "o", "--metadata", "json,xml", "--loop", "once")
    for name in ("o.json", "o.xml"):
        done = run("verify", name, "--against", "frames")
        assert (done.returncode, done.stderr) == (0, "")
    text = (tmp_path / "o.xml").read_text("utf-8")
    (tmp_path / "o.xml").write_text(text.replace('loop="once"', 'loop="forever"'), "utf-8")
    done = run("verify", "o.json")
    assert (done.returncode, done.stdout.splitlines()[1]) == (
        1, '  o.xml says something else: animations[0].loop is "forever", not "once"',
    )  # fmt: skip
    assert run("verify", "o.xml").stdout.splitlines()[1].startswith("  o.json says something else: animations[0].loop")
    (tmp_path / "o.xml").write_text(text.replace('box="0 0 8 8"', 'box="0 0 8"'), "utf-8")
    assert "  o.xml: frames[0].box: expected a list of 4 numbers, found [0, 0, 8]\n" in run("verify", "o.json").stdout
    assert run("verify", "o.xml").returncode == 3
    (tmp_path / "o.xml").write_text("<letters/>", "utf-8")  # not ours
    assert run("verify", "o.json").returncode == 0


@pytest.mark.parametrize("more", [{}, {"no_offsets": True}, {"trim_alpha": 5}])
def test_a_trim_that_cuts_off_too_much_does_not_hold(
    swim: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, more: dict[str, Any]
) -> None:
    """The proof compares with the picture before trimming, so it sees what trimming itself gets wrong."""
    from agile_crate.pipeline.prepare import trim

    def one_column_less(*given: Any) -> Any:
        decision = trim.decide(*given)
        narrow = (kept._replace(w=kept.w - 1) for kept in decision.parameters)
        return decision._replace(parameters=tuple(narrow))

    monkeypatch.chdir(tmp_path)
    agile_crate.pack("frames", "right", trim="frame", **more)
    assert agile_crate.verify("right.json", against="frames").same == 13
    monkeypatch.setattr(trim, "STEP", trim.STEP._replace(decide=one_column_less))
    agile_crate.pack("frames", "wrong", trim="frame", **more)
    verified = agile_crate.verify("wrong.json", against="frames")
    assert (verified.compared, verified.same, len(verified.differences)) == (13, 0, 13)
    what = "lost [0-9]+ visible pixels? to trimming" if "no_offsets" in more else "differs in [0-9]+ pixels?"
    assert all(re.match(what, difference.what) for difference in verified.differences)


def test_a_frame_on_no_sheet_is_not_restored(run: Run, swim: Path, tmp_path: Path) -> None:
    run("pack", "frames", "--out", "o")
    document = metadata(tmp_path / "o.json")
    document["frames"][3]["sheet"] = 7
    (tmp_path / "o.json").write_text(json.dumps(document))
    done = run("verify", "o.json", "--against", "frames")
    assert done.returncode == 1
    assert "12 of 13 frames match their sources, pixel for pixel\n" in done.stdout
    assert "swim/swim_04: cannot be restored: its sheet does not exist\n" in done.stdout


@pytest.mark.parametrize(
    ("settings", "told"),
    [
        ({"palette": "/etc/passwd"}, "o.json: settings: palette: only colors are recorded, such as #201830,#f0f0f0"),
        ({"palette": "secret.hex"}, "only colors are recorded"),
        ({"cushion": "abc"}, "o.json: settings: cushion: 'abc' is not a whole number from 0 to 1024"),
        ({"cushion": ["1", "2"]}, "o.json: settings: cushion: '1x2' is not a whole number"),
        ({"drop_duplicates": "x"}, "o.json: settings: drop_duplicates: 'x' is not a switch"),
        ({"trim": True}, "o.json: settings: trim: 'True' is not one of off, frame"),
        ({"frames": True}, "o.json: settings: frames: 'True' is not a range"),
        ({"every": {"a": 1}}, "o.json: settings.every: expected a text"),
        ({"nonsense": "1"}, "o.json: settings: unknown setting 'nonsense'"),
    ],
)
def test_recorded_settings_are_not_trusted(
    run: Run, swim: Path, tmp_path: Path, settings: dict[str, Any], told: str
) -> None:
    os.mkfifo(tmp_path / "secret.hex")  # opening it would wait for ever
    run("pack", "frames", "--out", "o")
    document = metadata(tmp_path / "o.json")
    (tmp_path / "o.json").write_text(json.dumps(document | {"settings": settings}))
    done = run("verify", "o.json", "--against", "frames")
    assert (done.returncode, done.stdout) == (3, "")
    assert told in done.stderr


def project_with(more: str = "") -> str:
    """A crate file of two crates; lines of the first one in place of its own of the same keys, or besides."""
    own = ['from = "frames"', 'out = "build/otter"', 'metadata = ["json", "xml", "csv"]', "fps = 12"]
    keys = {line.partition(" =")[0] for line in more.partition("[")[0].splitlines()}
    kept = [line for line in own if line.partition(" =")[0] not in keys]
    buoy = '[crate.buoy]\nfrom = "buoy"\nout = "build/buoy"\nalso-scale = ["50%"]\n'
    return "\n".join(["[crate.otter]", *kept, more, buoy])


@pytest.fixture
def project(run: Run, swim: Path, tmp_path: Path) -> Path:
    save(tmp_path / "buoy" / "buoy.png", art(20, 20))
    (tmp_path / "post.crate.toml").write_text(project_with(), "utf-8")
    assert run("pack", "post.crate.toml").returncode == 0
    return tmp_path / "post.crate.toml"


@pytest.mark.parametrize(
    ("more", "told"),
    [
        ("fps = 24", "built with fps = 12, and the crate file asks for fps = 24"), ('loop = "once"', 'built without loop, and the crate file asks for loop = "once"'),
        ("gap = 2", "it differs from what its crate file makes of the sources: sheets[0]."), ('layout = "tight"', "built without layout, and the crate file asks for layout = \"tight\""), ('background = "#20406f"', "built without background, and the crate file asks for background = \"#20406f\""),
        ('file-name = "{name}_{frames}"', 'image is "otter.png", not "otter_13.png"'), ('metadata = ["json", "css"]', "otter.css is missing"), ('exclude = ["*_13"]', "built without exclude"),
        ('image = "webp"', 'image is "otter.png", not "otter.webp"'), ("[crate.otter.skin.rain]\nfrom = 'frames'", "its skins are none, and should be 'rain'"),
        ("premultiply = true", "built without premultiply, and the crate file asks for premultiply = true"), ('template = ["t.txt.j2"]', "otter.txt is missing"), ('limit = { frames = 5 }', "holds more than 5 pictures"),
    ],
)  # fmt: skip
def test_all_that_a_crate_file_asks_for_is_compared(
    run: Run, project: Path, tmp_path: Path, more: str, told: str
) -> None:
    (tmp_path / "t.txt.j2").write_text("{{ crate.name }}", "utf-8")
    project.write_text(project_with(more), "utf-8")
    for words in (["build/otter.json", "--against", "post.crate.toml"], ["post.crate.toml"]):
        done = run("verify", *words)
        assert done.returncode in ((1,) if "limit" not in more else (3,)), done.stderr
        assert told in done.stdout + done.stderr
    assert run("verify", "build/buoy.json", "--against", "post.crate.toml").returncode == 0


def test_a_template_that_changed_since_is_found(run: Run, project: Path, tmp_path: Path) -> None:
    (tmp_path / "t.txt.j2").write_text("{{ crate.name }}", "utf-8")
    project.write_text(project_with('template = ["t.txt.j2"]'), "utf-8")
    assert run("pack", "post.crate.toml").returncode == 0
    assert run("verify", "post.crate.toml").returncode == 0
    (tmp_path / "t.txt.j2").write_text("{{ crate.name }}!", "utf-8")
    done = run("verify", "post.crate.toml")
    assert (done.returncode, "otter.txt differs from what its crate file makes of the crate" in done.stdout) == (
        1,
        True,
    )


def test_several_crates_are_verified(run: Run, project: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    done = run("verify", "post.crate.toml")
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout == (
        "build/otter.json: 1 sheet, 13 frames, 1 animation, all checks passed\nall 13 frames match their sources, pixel for pixel\n"
        "build/buoy.json: 1 sheet, 1 frame, 0 animations, all checks passed\nthe frame matches its source, pixel for pixel\n"
        "build/buoy@50.json: 1 sheet, 1 frame, 0 animations, all checks passed\nthe frame matches its source, pixel for pixel\n"
    )
    done = run("verify", "build/otter.json", "build/otter.xml")
    assert (done.returncode, done.stdout.count("all checks passed")) == (0, 2)
    assert run("verify", "build/otter.json", "build/buoy.json", "--against", "post.crate.toml").returncode == 0
    (tmp_path / "build/buoy.json").unlink()
    done = run("verify", "post.crate.toml", "--json")
    said = json.loads(done.stdout)
    assert [one["data"] for one in said["crates"]] == ["build/otter.json", "build/buoy@50.json"]
    assert [(one["data"], one["exit"]) for one in said["errors"]] == [("build/buoy.json", 3)]
    assert done.returncode == 3
    monkeypatch.chdir(tmp_path)
    assert agile_crate.verify("build/otter.json", against="post.crate.toml").ok
    assert agile_crate.verify("build/otter.json", against=tmp_path / "post.crate.toml").compared == 13
    run("pack", "post.crate.toml")
    found = {one.crate.name: one.ok for one in agile_crate.verify_all("post.crate.toml")}
    assert found == {"otter": True, "buoy": True, "buoy@50": True}
    assert [one.ok for one in agile_crate.verify_all(["build/otter.json", "build/buoy.json"])] == [True, True]
    surveys = agile_crate.survey_all("post.crate.toml")
    assert [(one.label, sum(sequence.frames for sequence in one.survey.sequences)) for one in surveys] == [
        ("otter", 13),
        ("buoy", 1),
    ]
    with pytest.raises(agile_crate.UsageError, match=r"^survey takes frames; survey_all takes crate files$"):
        agile_crate.survey("post.crate.toml")


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (lambda d: d["frames"][2].update(crc="00000000"), "swim/swim_03: has the crc 00000000, but its source has"), (lambda d: d["frames"][2].update(edited=True), "swim/swim_03: is marked as edited, but carries no edit"),
        (lambda d: [d["animations"][0].pop(key) for key in ("fps", "beats")], "animation 'swim' has other fps and beats than its settings and sources make"),
        (lambda d: d.update(name="gull"), "its name is 'gull', but its files have another name"), (lambda d: d["sheets"][0].update(gap=1), "sheet 'o.png': its gap is 1, but all frames are farther apart"),
        (lambda d: d["sheets"][0].pop("gap"), "its gap is 0, but all frames are farther apart"),
    ],
)  # fmt: skip
def test_what_metadata_says_wrongly_is_found_without_a_crate_file(
    run: Run, swim: Path, tmp_path: Path, change: Any, told: str
) -> None:
    assert run("pack", "frames", "--out", "o", "--layout", "tight", "--gap", "3", "--fps", "16").returncode == 0
    document = metadata(tmp_path / "o.json")
    del document["sha256"]
    change(document)
    (tmp_path / "o.json").write_text(json.dumps(document), "utf-8")
    done = run("verify", "o.json", "--against", "frames")
    assert (done.returncode, told in done.stdout) == (1, True), done.stdout


def test_metadata_under_another_name_is_in_order(run: Run, swim: Path, tmp_path: Path) -> None:
    assert run("pack", "frames", "--out", "o").returncode == 0
    (tmp_path / "o.json").rename(tmp_path / "p.json")
    assert run("verify", "p.json", "--against", "frames").returncode == 0
