"""Artists' jobs whose files are named in awkward ways: glued numbers, no numbers, frames that fell out of a series."""

import json
from pathlib import Path

import numpy as np
import pytest

from conftest import Run, art, decode, metadata, refusal, save


def frames_of(path: Path) -> dict[str, list[str]]:
    """The names of each animation's frames, and of stills."""
    document = metadata(path)
    names = [frame["name"] for frame in document["frames"]]
    found = {animation["name"]: [names[index] for index in animation["frames"]] for animation in document["animations"]}
    owned = {name for listed in found.values() for name in listed}
    return found | {"": [name for name in names if name not in owned]}


def test_clips_with_glued_numbers(tmp_path: Path, run: Run) -> None:
    for number in (*range(10001, 10013), *range(20001, 20009)):
        save(tmp_path / "art" / f"idle {number}.png", art(8, 8, number))
    save(tmp_path / "art" / "buoy 10001.png")
    done = run("pack", "art", "--out", "build/otter")
    said = "'buoy' became 'buoy 1' (1 frame); 'idle' became 'idle 1' (12 frames) and 'idle 2' (8 frames)"
    assert f"the last 4 digits of file names are the number: {said}; --digits 9 reads" in done.stdout
    assert {name: len(names) for name, names in frames_of(tmp_path / "build" / "otter.json").items()} == {
        "buoy 1": 1, "idle 1": 12, "idle 2": 8, "": 0,
    }  # fmt: skip
    assert run("verify", "build/otter.json", "--against", "art").returncode == 0
    assert said in run("survey", "art").stderr
    whole = run("pack", "art", "--out", "build/whole", "--digits", "9")
    assert "the last" not in whole.stdout
    assert len(frames_of(tmp_path / "build" / "whole.json")["idle"]) == 20
    (tmp_path / "o.crate.toml").write_text(
        '[crate.o]\nfrom = ["art"]\nout = "build/o"\ndigits = 4\ninclude = "buoy*"\n'
    )
    assert run("pack", "o.crate.toml").returncode == 0
    assert run("pack", "o.crate.toml").stdout.startswith("o: up to date")
    assert run("survey", "o.crate.toml").stdout.startswith("o (o.crate.toml)\n1 frame in 1 sequence")


def test_a_clip_that_begins_after_a_gap(tmp_path: Path, run: Run) -> None:
    for place, number in enumerate((1, 2, 3, 101, 102, 103)):
        save(tmp_path / "gull" / f"gull_{number}.png", art(8, 8, place))
    done = run("survey", "gull")
    assert "warning number-gap: gull\n  the numbers jump from 3 to 101: these may be 2 animations\n" in done.stdout
    fix = done.stdout.partition("→ ")[2].splitlines()[0].split()
    assert fix == ["--split", "gull=gull_1:1-3,gull_2:4-6"]
    assert run("pack", "gull", "--out", "build/gull", *fix).returncode == 0
    assert list(frames_of(tmp_path / "build" / "gull.json")) == ["gull_1", "gull_2", ""]


@pytest.fixture
def face(tmp_path: Path) -> Path:
    for seed, name in enumerate(("open", "half", "shut", "preview", "eye-2", "eye-10", "blink_01", "blink_02")):
        save(tmp_path / "face" / f"{name}.png", art(8, 8, seed))
    return tmp_path


def test_pictures_without_numbers_as_an_animation(face: Path, run: Run) -> None:
    mouth = ["--sequence", "mouth=open,half,shut,half", "--sequence", "wink=e*,blink_02", "--fps", "mouth=8"]
    done = run("pack", "face", "--out", "build/face", *mouth, "--order", "preview,mouth")
    assert "1 still of no animation: frame 0" in done.stdout
    data = face / "build" / "face.json"
    assert frames_of(data) == {
        "mouth": ["mouth_01", "mouth_02", "mouth_03", "mouth_04"],
        "blink": ["blink_01", "blink_02"], "eye": ["eye-2", "eye-10"],
        "wink": ["wink_01", "wink_02", "wink_03"], "": ["preview"],
    }  # fmt: skip
    assert [frame["name"] for frame in metadata(data)["frames"]][:2] == ["preview", "mouth_01"]
    assert run("unpack", "build/face.json", "--out", "back").returncode == 0
    for name, source in (("mouth_03", "shut"), ("wink_02", "eye-10"), ("wink_03", "blink_02")):
        assert np.array_equal(decode(face / "back" / f"{name}.png"), decode(face / "face" / f"{source}.png"))
    (face / "f.crate.toml").write_text(
        '[crate.f]\nfrom = ["face"]\nout = "build/f"\nsequence = { mouth = ["open", "half", "shut", "half"], wink = "e*,blink_02" }\n'
        'order = ["preview", "mouth"]\n[crate.f.animation.mouth]\nfps = 8\n'
    )  # fmt: skip
    assert run("pack", "f.crate.toml").returncode == 0
    assert decode(face / "build" / "f.png").tobytes() == decode(face / "build" / "face.png").tobytes()
    assert run("verify", "f.crate.toml").returncode == 0
    assert refusal(run("pack", "face", "--out", "x", "--sequence", "mouth")) == (
        2, "--sequence: 'mouth' is not a sequence: write an animation and its frames, such as mouth=open,half,shut",
    )  # fmt: skip


def test_the_order_of_the_command_line(face: Path, run: Run) -> None:
    files = [f"face/{name}.png" for name in ("shut", "blink_02", "open", "blink_01", "half")]
    done = run("pack", *files, "--out", "build/a")
    remark = "frames are in the order of their names; --order given keeps the order of the command line"
    assert remark in done.stdout
    done = run("pack", *files, "--out", "build/b", "--order", "given")
    assert "in the order of" not in done.stdout
    names = [frame["name"] for frame in metadata(face / "build" / "b.json")["frames"]]
    assert names == ["shut", "blink_02", "blink_01", "open", "half"]
    assert "3 stills of no animation: frames 0 and 3–4" in done.stdout
    assert remark not in run("pack", *sorted(files), "--out", "build/c").stdout
    assert remark not in run("pack", "face", "--out", "build/d").stdout
    assert run("verify", "build/b.json", "--against", *files).returncode == 0


def test_one_rule_for_names(tmp_path: Path, run: Run) -> None:
    for seed, name in enumerate(
        ("guard/idle_01", "guard/idle_02", "guard/run_01", "sea/ground", "sea/sky", "x/run_01", "x/jog_01")
    ):
        save(tmp_path / "art" / f"{name}.png", art(8, 8, seed))
    words = ["--exclude", "ground", "--rename", "sky=sea/blue", "--hold", "idle:2=3", "--fps", "idle=5"]
    assert run("pack", "art", "--out", "o", *words, "--order", "blue,idle", "--split", "idle=a:1,b:2").returncode == 2
    done = run(
        "pack", "art", "--out", "o", *words, "--order", "blue,idle", "--loop", "idle=once", "--reversed", "up=idle"
    )
    assert done.returncode == 0, done.stderr
    document = json.loads((tmp_path / "o.json").read_text("utf-8"))
    assert [frame["name"] for frame in document["frames"]][:3] == ["sea/blue", "guard/idle_01", "guard/idle_02"]
    idle = document["animations"][0]
    assert (idle["name"], idle["loop"], idle["durations"]) == ("guard/idle", "once", [200, 600])
    assert refusal(run("pack", "art", "--out", "o", "--fps", "run=5")) == (
        2, "--fps: 'run' may be 'guard/run' and 'x/run'; write the whole name",
    )  # fmt: skip
    assert run("pack", "art", "--out", "p", "--split", "idle=a:1,b:2", "--include", "guard").returncode == 0


def test_a_frame_that_fell_out_of_its_series(tmp_path: Path, run: Run) -> None:
    for number in (13, 14, 16, 17):
        save(tmp_path / "dive" / f"dive_{number}.png", art(32, 32, number))
    save(tmp_path / "dive" / "dive_15 fixed.png", art(32, 32, 15))
    done = run("pack", "dive", "--out", "o")
    said = "'dive_15 fixed' seems to be frame 15 of 'dive', which lacks that number; --rename 'dive_15 fixed=dive_15' puts it there"
    assert said in done.stderr
    assert "error frame-stray: stills, dive_15 fixed\n  seems to be frame 15 of 'dive'" in run("survey", "dive").stdout
    done = run("pack", "dive", "--out", "o", "--rename", "dive_15 fixed=dive_15")
    assert "seems" not in done.stderr
    assert frames_of(tmp_path / "o.json")["dive"] == [f"dive_{number}" for number in range(13, 18)]
    assert run("verify", "o.json", "--against", "dive").returncode == 0
    assert "seems" not in run("pack", "dive", "--out", "o", "--exclude", "dive_15 fixed").stderr


def test_a_frame_without_a_number_is_known_by_its_pixels(tmp_path: Path, run: Run) -> None:
    for number in range(1, 6):
        pixels = np.zeros((32, 48, 4), np.uint8)
        pixels[8:24, 4 * number : 4 * number + 12] = (200, 80, 40, 255)
        save(tmp_path / "walk" / ("untitled.png" if number == 3 else f"walk_{number}.png"), pixels)
    save(tmp_path / "walk" / "portrait.png", np.full((32, 48, 4), 255, np.uint8))
    said = "'untitled' seems to be frame 3 of 'walk'"
    assert said in run("pack", "walk", "--out", "o").stderr
    assert "seems to be frame 3 of 'walk'" in run("survey", "walk").stdout
    (tmp_path / "walk" / "untitled.png").unlink()
    assert "seems" not in run("pack", "walk", "--out", "o").stderr
