"""Animations made from others have all that is said of those: pivot, shift, pace, holds, duration, loop."""

from pathlib import Path
from typing import Any

import numpy as np
import pytest

import agile_crate
from agile_crate.core.model.crate import Animation, Frame
from agile_crate.pipeline.prepare import canvas
from conftest import art, save


@pytest.fixture(autouse=True)
def frames(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    for name, count in (("walk_right", 4), ("run_right", 3), ("dive", 3)):
        for number in range(1, count + 1):
            save(
                tmp_path / "frames" / name / f"{name}_{number}.png", np.pad(art(9, 7, number), ((3, 3), (3, 3), (0, 0)))
            )


def packed(**settings: Any) -> tuple[dict[str, Animation], dict[str, Frame]]:
    crate = agile_crate.pack("frames", "o", force=True, **settings).crate
    verified = agile_crate.verify("o.json", against="frames")
    assert verified.ok, verified.problems + verified.differences
    loaded = agile_crate.load("o.json")
    for name in (frame.name for frame in crate.frames if "_left_" in frame.name and "/" not in frame.name):
        original = name.replace("left", "right")
        original = f"{original.rpartition('_')[0]}/{original}"
        assert np.array_equal(loaded.frame(name), loaded.frame(original)[:, ::-1])  # as it was made, shifts and all
    return {a.name: a for a in crate.animations}, {f.name: f for f in crate.frames}


@pytest.mark.parametrize("layout", ["grid", "tight"])
@pytest.mark.parametrize(
    ("pivot", "right", "left"),
    [
        ("4px,10px", (4, 10), (11, 10)),
        ("walk_right=4px,10px", (4, 10), (11, 10)),
        ("0.2,1", (3, 13), (12, 13)),
        (["walk_right=4px,10px", "walk_left=1px,2px"], (4, 10), (1, 2)),
        (["walk_right=4px,10px", "walk_left=top"], (4, 10), (7.5, 0)),
    ],
)
def test_the_pivot_is_mirrored_along(layout: str, pivot: Any, right: tuple, left: tuple) -> None:
    _, frames = packed(mirrored="walk_left=walk_right", pivot=pivot, layout=layout)
    assert {f.pivot for name, f in frames.items() if name.startswith("walk_right")} == {right}
    assert {f.pivot for name, f in frames.items() if name.startswith("walk_left")} == {left}


def test_feet_and_shifts_are_mirrored_along() -> None:
    _, frames = packed(mirrored="walk_left=walk_right", pivot="feet", shift="walk_right=2,-1", layout="tight")
    for number in range(1, 5):
        right, left = frames[f"walk_right/walk_right_{number}"], frames[f"walk_left/walk_left_{number}"]
        assert left.pivot == (right.canvas.w - right.pivot.x, right.pivot.y)
        assert left.canvas == right.canvas


@pytest.mark.parametrize("options", [{}, {"shape_of": "animation"}, {"shape_points": 6, "scale": "130%"}], ids=str)
def test_shapes_are_mirrored_to_the_point(options: dict[str, Any]) -> None:
    _, frames = packed(mirrored="walk_left=walk_right", shape="contour", layout="tight", **options)
    for number in range(1, 5):
        right, left = frames[f"walk_right/walk_right_{number}"], frames[f"walk_left/walk_left_{number}"]
        assert right.shape.polygons != left.shape.polygons
        assert left.shape.polygons == tuple(
            tuple((left.canvas.w - x, y) for x, y in reversed(polygon)) for polygon in right.shape.polygons
        )


def test_pace_holds_duration_and_loop_go_along() -> None:
    said = {"fps": ["walk_right=10", 20], "hold": ["walk_right:1=3", "dive:1=200ms"], "loop": "dive=once"}
    animations, _ = packed(
        mirrored="walk_left=walk_right", reversed=["surface=dive", "back=walk_left"], duration="run_right=300ms", **said
    )
    assert animations["walk_right"].durations == animations["walk_left"].durations == (300, 100, 100, 100)
    assert animations["back"].durations == (100, 100, 100, 300)  # reversed, of a mirrored one
    assert animations["dive"].durations == (200, 50, 50)
    assert (animations["surface"].durations, animations["surface"].loop) == ((50, 50, 200), "once")
    animations, _ = packed(
        reversed="surface=dive",
        duration=["dive=600ms", "surface=900ms"],
        hold=["dive:1=2", "surface:1=4"],
        loop="surface=once",
    )
    assert animations["dive"].durations == (300, 150, 150)
    assert animations["surface"].durations == (600, 150, 150)  # what is said of itself counts
    assert (animations["dive"].loop, animations["surface"].loop) == ("forever", "once")


def test_wildcards_make_one_of_each() -> None:
    animations, frames = packed(mirrored="*_left=*_right", fps="walk_right=10")
    assert set(animations) == {"dive", "walk_right", "walk_left", "run_right", "run_left"}
    assert animations["walk_left"].durations == (100, 100, 100, 100)
    assert "run_left/run_left_3" in frames
    save(Path("frames/run_left/run_left_1.png"), art(15, 13, 77))
    animations, frames = packed(mirrored="*_left=*_right")  # what is drawn is not made
    assert len(animations["run_left"].frames) == 1
    told = agile_crate.pack("frames", "o", mirrored="*_up=*_down", dry_run=True).warnings
    assert told == ("mirrored='*_up=*_down' matches no animation",)
    with pytest.raises(agile_crate.UsageError, match=r"write as many \* on one side as on the other"):
        packed(mirrored="left=*_right")


WAYS: list[dict[str, Any]] = [
    {"canvas": "common"}, {"canvas": "animation", "align": "left"}, {"canvas": "24x20"}, {"canvas": "own"}, {"trim": "animation"}, {"trim": "sheet", "align": "top-left"},
    {"align": "left"}, {"layout": "tight", "share_mirrored": True}, {"layout": "blocks"}, {"snap_pivot": True, "canvas": "common"},
    {"trim": "frame", "no_offsets": True}, {"canvas": "common", "outline": "#0000ff:2"}, {"fit": "9x9", "align": "left", "canvas": "common"},
]  # fmt: skip


@pytest.mark.parametrize("options", WAYS, ids=str)
def test_mirror_images_stand_by_the_pivot_whatever_the_canvases(options: dict[str, Any]) -> None:
    for number, width in enumerate((10, 11, 13)):
        save(Path("odd") / "run_right" / f"{number}.png", np.pad(art(width - 4, 7, number), ((1, 2), (1, 3), (0, 0))))
    agile_crate.pack("odd", "m", mirrored="run_left=run_right", **options)
    loaded = agile_crate.load("m.json")
    by_name = {frame.name: frame for frame in loaded.crate.frames}
    cells = loaded.crate.sheets[0].cells
    for number in range(3):
        right, left = (by_name[name] for name in (f"run_right/{number}", f"run_left/{number}"))
        pixels = [loaded.frame(frame.name) for frame in (right, left)]
        if "no_offsets" not in options:
            assert left.pivot == (right.canvas.w - right.pivot.x, right.pivot.y)
            assert np.array_equal(pixels[1], pixels[0][:, ::-1])
        if cells:
            cell_of = [cells.box(loaded.crate.frames.index(frame)) for frame in (right, left)]
            in_cell = [one.box.x - cell.x for one, cell in zip((right, left), cell_of, strict=True)]
            assert in_cell[1] == cells.size.w - right.box.w - in_cell[0] or options.get("trim") == "sheet"
    assert agile_crate.verify("m.json", against="odd").ok


def test_verify_sees_by_itself_that_a_mirror_image_stands_elsewhere(monkeypatch: pytest.MonkeyPatch) -> None:
    for number, width in enumerate((10, 11, 13)):
        save(Path("odd") / "run_right" / f"{number}.png", art(width, 7, number))

    put = canvas.offset_in
    monkeypatch.setattr(canvas, "offset_in", lambda *sizes_place_flipped: put(*sizes_place_flipped[:3]))
    agile_crate.pack("odd", "m", mirrored="run_left=run_right", canvas="common")
    told = {one.frame: one.what for one in agile_crate.verify("m.json", against="odd").differences}
    assert told == {"run_left/0": "is not the mirror image of 'run_right/0' about its pivot"}
