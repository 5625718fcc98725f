"""The template for sprite frames as a scene resource, run by the engine that reads those: what it draws is compared
with the sources, step by step."""

import os
import subprocess
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

import agile_crate
from agile_crate import demo
from agile_crate.core.motion.stage import turn
from conftest import Run, art, decode, save, tool

TEMPLATE = demo.FOLDER / "templates" / "sprite_frames.tres.j2"

PROJECT = 'config_version=4\n[application]\nconfig/name="post"\n'

IMPORT = (Path(__file__).parent / "texture_import.txt").read_text("utf-8")

DRAW = (Path(__file__).parent / "draw_frames.gd").read_text("utf-8")


@pytest.fixture(scope="module")
def display() -> Iterator[str]:
    """A screen that nobody sees. It picks its number, and tells it as soon as it is ready."""
    command = [tool("Xvfb"), "-displayfd", "1", "-screen", "0", "320x240x24"]
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, encoding="utf-8") as server:
        assert server.stdout is not None
        number = server.stdout.readline().strip()
        assert number, "Xvfb did not start"
        yield f":{number}"
        server.terminate()


@pytest.fixture
def frames(tmp_path: Path) -> Path:
    folder = tmp_path / "frames"
    for name, count in (("swim", 4), ("dive down", 3), ("up/left", 2)):
        for number in range(1, count + 1):
            picture = np.zeros((26, 30, 4), np.uint8)
            picture[4 + number : 20, 3 * number : 3 * number + 12] = art(12, 16 - number, number + count)
            save(folder / name / f"{number}.png", picture)
    save(folder / "letter.png", art(9, 7, 5))
    return folder


CRATES = {
    "tight": ("--layout", "tight", "--gap", "1", "--max-size", "32x40", "--pivot", "feet", "--pivot", "dive down=4px,20px", "--shift", "swim=2,-3"),
    "grid": ("--columns", "3", "--trim", "animation", "--mirrored", "right=up/left", "--edge-repeat", "1", "--margin", "3"),
}  # fmt: skip


@pytest.fixture
def game(run: Run, frames: Path, tmp_path: Path) -> Path:
    """A project of the engine with the resources of all crates."""
    (tmp_path / "game" / "drawn").mkdir(parents=True)
    (tmp_path / "game" / "project.godot").write_text(PROJECT, "utf-8")
    offsets = {}
    for name, options in CRATES.items():
        done = run(
            "pack", "frames", "--out", f"game/{name}/o", "--fps", "10", "--hold", "swim:2=3", "--loop", "dive down=once",
            "--loop", "up/left=back-and-forth", "--template", TEMPLATE, "--set", f"folder=res://{name}", "--snap-pivot", *options,
        )  # fmt: skip
        assert done.returncode == 0, done.stderr
        text = (tmp_path / "game" / name / "o.tres").read_text("utf-8")
        offsets[name] = text.splitlines()[2].removeprefix("; offset = ")
        for sheet in (tmp_path / "game" / name).glob("*.png"):
            sheet.with_name(f"{sheet.name}.import").write_text(IMPORT, "utf-8")
    told = ", ".join(f'"{name}": {offset}' for name, offset in offsets.items())
    (tmp_path / "game" / "draw.gd").write_text(DRAW.replace("OFFSETS", f"{{{told}}}"), "utf-8")
    return tmp_path / "game"


def test_the_engine_draws_what_was_packed(game: Path, tmp_path: Path, display: str) -> None:
    engine = tool("godot3")
    environment = {**os.environ, "DISPLAY": display, "HOME": str(tmp_path / "home"), "LIBGL_ALWAYS_SOFTWARE": "1"}
    environment = {name: value for name, value in environment.items() if not name.startswith("XDG_")}
    start = [engine, "--video-driver", "GLES2", "--audio-driver", "Dummy", "--path", str(game)]
    for more in (["-e", "--quit"], ["-s", "draw.gd"]):
        ran = subprocess.run(
            [*start, *more], env=environment, capture_output=True, encoding="utf-8", timeout=120, check=False
        )
    told = [line.removeprefix("told ") for line in ran.stdout.splitlines() if line.startswith("told ")]
    for name in CRATES:
        check_drawn(name, agile_crate.load(str(game / name / "o.json")), told, game / "drawn")


def check_drawn(kind: str, loaded: agile_crate.Loaded, told: list[str], drawn_in: Path) -> None:
    """Compare the engine's output and drawings of one crate with its sources."""
    crate = loaded.crate
    steps: dict[str, list[int]] = {
        one.name: [step.frame for step in turn(one) for _ in range(one.beats[step.position])]
        for one in crate.animations
    }
    expected = {f"{kind}|{one.name}|{len(steps[one.name])}|10|{one.loop != 'once'}" for one in crate.animations}
    assert {line for line in told if line.startswith(f"{kind}|")} == expected | {f"{kind}|letter|1|1|False"}
    assert len(steps["swim"]) == 6
    for name, indices in {**steps, "letter": [len(crate.frames) - 1]}.items():
        for number, index in enumerate(indices):
            frame, pixels = crate.frames[index], loaded.frame(crate.frames[index].name)
            wanted = np.zeros((64, 64, 4), np.uint8)
            x, y = int(32 - frame.pivot.x), int(40 - frame.pivot.y)
            wanted[y : y + pixels.shape[0], x : x + pixels.shape[1]] = pixels
            drawn = decode(drawn_in / f"{kind}-{name.replace('/', '_')}-{number}.png")
            seen = wanted[..., 3] > 0
            assert np.array_equal(drawn[..., 3], wanted[..., 3]), (name, number)
            assert np.array_equal(drawn[seen], wanted[seen]), (name, number)


@pytest.mark.parametrize(
    ("options", "told"),
    [
        (["--layout", "tight", "--turn"], "is stored turned or as a mirror image, which sprite frames cannot show"),
        (["--hold", "swim:1=77ms"], "the frames of 'swim' last no whole number of beats of one rate; give --fps"),
        (["--pivot", "swim=0.5px,1px", "--pivot", "0px,0px"], "lie between pixels in other ways; give --snap-pivot"),
    ],
)
def test_what_such_a_resource_cannot_say_is_told(
    run: Run, frames: Path, tmp_path: Path, options: list[str], told: str
) -> None:
    save(tmp_path / "frames" / "swim" / "5.png", art(26, 3, 9))
    done = run("pack", "frames", "--out", "o", "--template", TEMPLATE, *options)
    assert (done.returncode, done.stdout) == (3, "")
    assert told in done.stderr
    assert not (tmp_path / "o.tres").exists()
