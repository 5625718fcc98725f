"""`pack` proves what it is about to write, and stills never depend on each other."""

from pathlib import Path
from typing import Any

import numpy as np
import pytest

import agile_crate
from agile_crate.core.model.geometry import Box
from agile_crate.pipeline import describe
from conftest import art, save, tree


def test_a_crate_that_does_not_hold_together_is_not_written(
    swim: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    agile_crate.pack("frames", "out/o", metadata="json,xml")
    before = tree(tmp_path / "out")
    real = describe.described_frames

    def one_box_astray(*given: Any) -> Any:
        first, *others = real(*given)
        return (first._replace(box=Box(1, 0, *first.box.size)), *others)

    monkeypatch.setattr(describe, "described_frames", one_box_astray)
    with pytest.raises(RuntimeError, match=r"the crate 'o' does not hold together: frame 'swim/swim_01': .*cell 0"):
        agile_crate.pack("frames", "out/o", metadata="json,xml")
    assert tree(tmp_path / "out") == before


@pytest.fixture
def things(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Stills of several sizes, and an animation beside them."""
    monkeypatch.chdir(tmp_path)
    for name, w, h, rim in (("buoy", 20, 14, 3), ("parcel", 9, 17, 2), ("lantern", 30, 11, 4)):
        save(tmp_path / "frames" / f"{name}.png", np.pad(art(w, h, w), ((rim, rim), (rim, rim), (0, 0))))
    for number in range(3):
        save(tmp_path / "frames" / f"swim_{number}.png", np.pad(art(12, 12, number), ((4, 4), (4, 4), (0, 0))))
    return tmp_path / "frames"


@pytest.mark.parametrize("layout", ["grid", "rows", "tight"])
@pytest.mark.parametrize("more", [{}, {"pivot": "feet"}, {"shape": "hull", "shape_of": "animation"}, {"cushion": 1}])
def test_stills_are_trimmed_each_to_itself(things: Path, layout: str, more: dict[str, Any]) -> None:
    """Whatever lies beside it, a still has the same canvas, trim, pivot and shape."""
    together = agile_crate.pack("frames", "all", trim="animation", layout=layout, **more)
    assert agile_crate.verify("all.json", against="frames").ok
    frames = {frame.name: frame for frame in together.crate.frames}
    for name in ("buoy", "parcel", "lantern"):
        (alone,) = agile_crate.pack(f"frames/{name}.png", name, trim="animation", layout=layout, **more).crate.frames
        found = frames[name]
        for key in ("canvas", "offset", "pivot", "shape", "upright"):
            assert getattr(found, key) == getattr(alone, key), (name, key)
    assert len({frame.upright for frame in frames.values() if frame.name.startswith("swim")}) == 1


def test_in_layouts_without_cells_pivots_do_not_depend_on_neighbors(things: Path) -> None:
    packed = agile_crate.pack("frames", "all", layout="tight").crate
    assert {frame.name: frame.pivot for frame in packed.frames} == {
        "buoy": (13, 20),
        "parcel": (6.5, 21),
        "lantern": (19, 19),
        **{f"swim_{number}": (10, 20) for number in range(3)},
    }
    save(things / "swim_3.png", art(30, 40))  # the largest of its animation counts for all of it, and for no other
    packed = agile_crate.pack("frames", "all", layout="tight").crate
    pivots = {frame.name: frame.pivot for frame in packed.frames}
    assert (pivots["swim_3"], pivots["swim_0"], pivots["buoy"]) == ((15, 40), (10, 20), (13, 20))
    save(things / "swim_4.png", art(31, 40))  # an odd pixel left over goes to the right, and the pivot stays the same
    (pivot,) = {f.pivot for f in agile_crate.pack("frames", "all", layout="tight").crate.frames if f.name == "swim_0"}
    assert pivot == (10.5, 20)
