"""`show`, as the installed program: sheets, strips and films of what was packed, read back by other programs."""

import json
import os
import subprocess
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

import agile_crate
from conftest import Run, art, decode, metadata, refusal, save, tool, tree


@pytest.fixture
def crate(run: Run, tmp_path: Path) -> Path:
    for number in range(1, 6):
        save(tmp_path / "frames" / f"swim_{number}.png", art(16, 12, number))
        save(tmp_path / "frames" / f"dive_{number}.png", art(14 + number, 12, number + 9))
    times = ("--fps", "8", "--hold", "swim:2=250ms", "--loop", "swim=back-and-forth", "--loop", "dive=once")
    run("pack", "frames", "--out", "o", "--layout", "tight", "--turn", "--effort", "quick", *times)
    return tmp_path / "o.json"


def frames_of(path: Path) -> list[tuple[int, np.ndarray]]:
    with Image.open(path) as film:
        result = []
        for index in range(film.n_frames):
            film.seek(index)
            film.load()
            result.append((int(film.info["duration"]), np.asarray(film.convert("RGBA"))))
        return result


def test_the_annotated_sheet(run: Run, crate: Path, tmp_path: Path) -> None:
    done = run("show", "o.json", "--out", "look/o.png")
    assert (done.returncode, done.stdout, done.stderr) == (0, "wrote look/o.png\n", "")
    with Image.open(tmp_path / "look/o.png") as view:
        assert view.width >= 640
    before = tree(tmp_path / "look")
    assert run("show", "o.json", "--out", "look/o.png", "--force").returncode == 0
    assert tree(tmp_path / "look") == before


@pytest.mark.parametrize(("side", "times"), [(10, 4), (48, 1)])
def test_a_sheet_of_very_many_frames_is_large_enough(run: Run, tmp_path: Path, side: int, times: int) -> None:
    """Every box is at least 40 pixels high, and nothing but its outline and its label is drawn into it."""
    for number in range(1, 122):
        picture = np.full((side, side, 4), (0, 0, number, 255), np.uint8)
        save(tmp_path / "many" / f"swim_{number}.png", np.pad(picture, ((1, 1), (1, 1), (0, 0))))
    run("pack", "many", "--out", "m", "--trim", "frame", "--columns", "11")
    assert run("show", "m.json", "--out", "view.png").returncode == 0
    view = decode(tmp_path / "view.png")
    w, h = metadata(tmp_path / "m.json")["sheets"][0]["size"]
    assert view.shape[0] >= times * h
    assert view.shape[1] >= times * w
    for number, (row, column) in ((1, (0, 0)), (121, (10, 10)), (61, (5, 5))):
        left, top = 16 + times * side * column, 64 + times * side * row
        middle = view[top + 17 : top + times * side - 1, left + 1 : left + times * side - 1]
        assert (middle[..., :3] == (0, 0, number)).all(), number
    assert run("show", "m.json", "--out", "half.png", "--zoom", "1/2").returncode == 0
    assert decode(tmp_path / "half.png").shape[0] < view.shape[0]
    for kind in ("m.gif", "m.svg"):
        assert run("show", "m.json", "--out", kind, "--zoom", "1/2").returncode == 2


@pytest.mark.parametrize("ending", [".gif", ".apng", ".webp"])
def test_films_have_the_frames_times_and_loop_of_the_crate(run: Run, crate: Path, tmp_path: Path, ending: str) -> None:
    assert (
        run("show", "o.json", "--out", f"swim{ending}", "--animation", "swim", "--backdrop", "#204060").returncode == 0
    )
    assert run("show", "o.json", "--out", f"clear{ending}", "--animation", "swim", "--backdrop", "none").returncode == 0
    film = frames_of(tmp_path / f"swim{ending}")
    durations = metadata(crate)["animations"][1]["durations"]
    exact = [*durations, *durations[-2:0:-1]]
    assert sum(time for time, _ in film) == sum(exact)
    if ending == ".gif":
        assert all(time % 10 == 0 for time, _ in film)
    else:
        assert [time for time, _ in film] == exact
    for (_, picture), number in zip(film, (1, 2, 3, 4, 5, 4, 3, 2), strict=True):
        source = art(16, 12, number).astype(float)
        share = source[..., 3:] / 255
        expected = source[..., :3] * share + np.array([0x20, 0x40, 0x60]) * (1 - share)
        assert np.abs(picture[..., :3] - expected).max() <= (40 if ending == ".gif" else 1)  # 256 colors at most
    with Image.open(tmp_path / f"swim{ending}") as opened:
        assert opened.info["loop"] == 0
    if ending != ".gif":
        for (_, picture), number in zip(frames_of(tmp_path / f"clear{ending}"), (1, 2, 3, 4, 5, 4, 3, 2), strict=True):
            source = art(16, 12, number)
            assert np.array_equal(picture[source[..., 3] > 0], source[source[..., 3] > 0])


def test_another_program_reads_the_films_alike(run: Run, crate: Path, tmp_path: Path) -> None:
    for ending in (".gif", ".apng"):
        run("show", "o.json", "--out", f"dive{ending}", "--animation", "dive", "--fps", "20")
        probe = [
            tool("ffprobe"), "-v", "error", "-count_frames", "-show_entries", "stream=nb_read_frames,width,height",
            "-of", "json",
        ]  # fmt: skip
        said = json.loads(subprocess.run([*probe, tmp_path / f"dive{ending}"], capture_output=True, check=True).stdout)
        stream = said["streams"][0]
        assert (int(stream["nb_read_frames"]), stream["width"], stream["height"]) == (5, 19, 12)
    with Image.open(tmp_path / "dive.apng") as film:
        assert film.info["loop"] == 1


def test_speeds_and_files_for_each(run: Run, crate: Path, tmp_path: Path) -> None:
    done = run("show", "o.json", "--out", "each.apng", "--each", "--speed", "50%")
    assert done.stdout == "wrote each-dive.apng\nwrote each-swim.apng\n"
    assert [time for time, _ in frames_of(tmp_path / "each-dive.apng")] == [250] * 5
    said = json.loads(run("show", "o.json", "--out", "all.gif", "--json").stdout)
    assert said == {"command": "show", "kind": "film", "files": ["all.gif"]}
    done = run(*"show o.json --out s.png --as strip --animation dive --zoom 2 --ground line --pivots".split())
    assert done.stdout == "wrote s.png\n"
    with Image.open(tmp_path / "s.png") as strip:
        assert strip.width == 8 + 5 * (38 + 8)


def test_a_view_for_each_sheet(run: Run, swim: Path, tmp_path: Path) -> None:
    run("pack", "frames", "--out", "o", "--max-size", "24x24", "--premultiply", "--metadata", "xml")
    assert run("show", "o.xml", "--out", "v.png").stdout == "wrote v-1.png\nwrote v-2.png\n"


def test_what_changed_since_yesterday(run: Run, crate: Path, tmp_path: Path) -> None:
    pixels = art(16, 12, 2)
    pixels[3, 5] = (1, 2, 3, 255)
    save(tmp_path / "frames" / "swim_2.png", pixels)
    (tmp_path / "frames" / "dive_5.png").rename(tmp_path / "frames" / "dive_6.png")
    run(*"pack frames --out new --layout tight --turn --effort quick --fps swim=5 --fps 8".split())
    done = run("show", "new.json", "--against", "o.json", "--strict")
    assert (done.returncode, done.stderr) == (1, "")
    lines = done.stdout.splitlines()
    assert lines[0].startswith("new.json against o.json: 1 added, 1 removed, 1 picture changed and 4 timings changed")
    assert any(line.split() == ["pixels", "swim_2", "1", "pixel,", "first", "at", "5,3"] for line in lines)
    assert run("show", "new.json", "--against", "o.json").returncode == 0
    same = run("show", "o.json", "--against", "o.json", "--strict")
    assert (same.returncode, same.stdout) == (0, "o.json against o.json: nothing changed\n")
    said = json.loads(run("show", "new.json", "--against", "o.json", "--out", "look/changes.html", "--json").stdout)
    assert said["files"] == ["look/changes.html"]
    assert {"kind": "pixels", "name": "swim_2", "what": "1 pixel, first at 5,3", "pixels": 1} in said["changes"]
    page = (tmp_path / "look/changes.html").read_text("utf-8")
    assert page.count("data:image/png;base64,") == 2  # before and after
    assert "http" not in page.replace("http-equiv", "")


def test_charts_say_what_the_crate_says_in_the_same_bytes(run: Run, crate: Path, tmp_path: Path) -> None:
    for name in ("a.svg", "a.png", "b.png"):
        assert run("show", "o.json", "--out", name, "--as", "chart", "--animation", "swim").returncode == 0
    text = (tmp_path / "a.svg").read_text("utf-8")
    assert (tmp_path / "a.png").read_bytes() == (tmp_path / "b.png").read_bytes()
    durations = metadata(crate)["animations"][1]["durations"]
    assert f" {sum(durations) + sum(durations[1:-1])} ms, back-and-forth" in text
    assert "dive" not in text
    with Image.open(tmp_path / "a.png") as chart:
        assert chart.size == (1280, 800)


def test_frames_are_shown_before_they_are_packed(run: Run, crate: Path, tmp_path: Path) -> None:
    run("pack", "frames", "--out", "grid")
    assert run("show", "grid.json", "--out", "packed.apng", "--animation", "swim").returncode == 0
    done = run("show", "frames", "--out", "frames.apng", "--animation", "swim")
    assert (done.returncode, done.stdout, done.stderr) == (0, "wrote frames.apng\n", "")
    assert (tmp_path / "frames.apng").read_bytes() == (tmp_path / "packed.apng").read_bytes()
    assert run("show", "frames/swim_1.png", "frames/swim_2.png", "--out", "two.png").returncode == 0
    assert run("show", "frames", "--out", "f.html").returncode == 0
    assert sorted(path.suffix for path in tmp_path.iterdir() if path.stem in ("two", "f")) == [".html", ".png"]


def test_an_option_that_this_command_lacks_is_said_to_be_packs(run: Run, tmp_path: Path) -> None:
    save(tmp_path / "frames" / "wide.png", np.full((2, 5000, 4), 255, np.uint8))
    done = run("show", "frames", "--out", "wide.png")
    assert refusal(done) == (
        4,
        "frame 'wide' is 5000×2, larger than a sheet may be, 4096×4096; raise pack's --max-size or pack's --size, or make frames smaller with pack's --scale or pack's --trim",
    )
    packed = run("pack", "frames", "--out", "wide")
    assert "raise --max-size or --size, or make frames smaller with --scale or --trim" in packed.stderr


def swinging(tmp_path: Path, **animation: object) -> None:
    """A crate of one animation of two frames, in which an animation's keys are these."""
    for number in (1, 2):
        save(tmp_path / "frames" / f"swim_{number}.png", art(6, 5, number))
    agile_crate.pack(str(tmp_path / "frames"), str(tmp_path / "o"), loop="once", force=True)
    document = json.loads((tmp_path / "o.json").read_text("utf-8"))
    del document["sha256"]
    document["animations"][0] = {"name": "swim", "frames": [0, 1], "loop": "once", **animation}
    (tmp_path / "o.json").write_text(json.dumps(document), "utf-8")


@pytest.mark.parametrize(
    ("ending", "durations", "times", "told"),
    [
        (".gif", [100, 655_360], 3, "the film shows a picture for 655,360 milliseconds, and 655,350 are the most in a .gif file; write .webp or .apng if it fits there"),
        (".gif", [100, 100], 70_000, "the film is shown 70,000 times, and 65,535 are the most in a .gif file"),
        (".webp", [100, 1 << 24], 3, "the film shows a picture for 16,777,216 milliseconds, and 16,777,215 are the most in a .webp file"),
        (".webp", [100, 100], 70_000, "the film is shown 70,000 times"), (".apng", [100, 70_000_000], 3, "and 65,535,000 are the most in a .apng file"),
        (".apng", [100, 65_537], 70_000, ""), (".apng", [100, 5 * 3_600_000 + 1], 3, ""), (".webp", [100, 655_360], 65_535, ""), (".gif", [100, 655_350], 3, ""),
    ],
)  # fmt: skip
def test_films_keep_to_what_their_formats_hold(
    run: Run, tmp_path: Path, ending: str, durations: list[int], times: int, told: str
) -> None:
    swinging(tmp_path, durations=durations, times=times)
    done = run("show", "o.json", "--out", f"swim{ending}")
    if told:
        assert (done.returncode, told in done.stderr, done.stderr.count("\n")) == (2, True, 1), done.stderr
        assert not (tmp_path / f"swim{ending}").exists()
        return
    assert (done.returncode, done.stderr) == (0, "")
    with Image.open(tmp_path / f"swim{ending}") as film:
        film.seek(1)
        film.load()
        rounded = {65_537: 65_540, 18_000_001: 18_000_000}  # a fraction of two numbers below 65,536
        assert film.info["duration"] == rounded.get(durations[1], durations[1])


@pytest.mark.parametrize(
    "options", [{"fps": "0.0000001"}, {"fps": "1/3000000000"}, {"fps": "0.001", "hold": "1=1000"}], ids=str
)
def test_times_that_metadata_cannot_hold_are_refused_by_pack(run: Run, tmp_path: Path, options: dict[str, str]) -> None:
    for number in (1, 2):
        save(tmp_path / "frames" / f"swim_{number}.png", art(6, 5, number))
    words = [word for key, value in options.items() for word in (f"--{key}", value)]
    done = run("pack", "frames", "--out", "o", *words)
    if "hold" in options:  # 11.6 days
        assert (done.returncode, run("verify", "o.json", "--against", "frames").returncode) == (0, 0)
        done = run("pack", "frames", "--out", "o", "--fps", "0.0004", *words[2:])
    assert done.returncode == 2
    assert "days, and 24 is the most; give a higher --fps, or a shorter --hold or --duration" in done.stderr


def test_an_animation_that_is_shown_too_often_loops_forever(run: Run, tmp_path: Path) -> None:
    first, second = (Image.fromarray(art(6, 5, number)) for number in (1, 2))
    first.save(tmp_path / "swim.png", save_all=True, append_images=[second], duration=100, loop=(1 << 31) + 1)
    done = run("pack", "swim.png", "--out", "o")
    assert (done.returncode, done.stderr) == (
        0,
        "agile-crate: warning: 'swim' loops forever: its source shows it 2,147,483,649 times, more than metadata holds\n",
    )
    for words in (
        ["verify", "o.json", "--against", "swim.png"],
        ["unpack", "o.json", "--out", "back", "--film"],
        ["show", "o.json", "--out", "o.gif"],
        ["describe", "o.json", "--metadata", "css"],
    ):
        assert run(*words).returncode == 0
    assert (
        "loop" not in metadata(tmp_path / "o.json")["animations"][0]
        or metadata(tmp_path / "o.json")["animations"][0]["loop"] == "forever"
    )


@pytest.mark.parametrize("cache", ["on", "off"])
def test_charts_are_the_same_whatever_the_user_has_and_leave_nothing_behind(
    run: Run, crate: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, cache: str
) -> None:
    """Matplotlib makes folders in the home directory, and reads a settings file of the folder that it is started in."""
    home = tmp_path / "home"
    home.mkdir()
    for name in ("MPLCONFIGDIR", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
        monkeypatch.delenv(name, raising=False)
    environment = {**os.environ, "HOME": str(home), **({"AGILE_CRATE_CACHE": "off"} if cache == "off" else {})}
    charts = []
    for settings in ("", "lines.linewidth: 9\nfont.size: 30\naxes.facecolor: red\n")[cache == "off" :]:
        (tmp_path / "matplotlibrc").write_text(settings, "utf-8")
        done = run("show", "o.json", "--out", "o.svg", "--force", env=environment)
        assert (done.returncode, done.stderr) == (0, "")
        charts.append((tmp_path / "o.svg").read_bytes())
    assert len(set(charts)) == 1
    assert tree(home) == {}
    assert list(home.iterdir()) == []
