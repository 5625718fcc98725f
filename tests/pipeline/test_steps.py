"""Each step of preparing is made of pure functions: what goes in stays as it is, and everything can be sent elsewhere."""

import pickle
from collections.abc import Mapping
from typing import Any

import numpy as np
import pytest

from agile_crate.core.frame.decode import decoded
from agile_crate.core.model.picture import FrameSequence, Picture, SequenceFrame
from agile_crate.core.model.variant import Variant
from agile_crate.pipeline.context import Context, working
from agile_crate.pipeline.prepare import (
    CANVAS_STEPS,
    COLOR_STEPS,
    LAST_STEPS,
    TRIM,
    Prepared,
    decoding_of,
    prepare,
    wanted,
)
from agile_crate.pipeline.prepare.step import lineup_of
from agile_crate.settings.given import settings_from
from conftest import art

SEQUENCES = (
    FrameSequence("swim", tuple(SequenceFrame(f"swim/swim_{n}", n) for n in range(3))),
    FrameSequence(None, (SequenceFrame("buoy", 3),)),
)

EVERYTHING: Mapping[str, Any] = {
    "color_key": "#000000:9", "fit": "40x40", "clear_alpha": 3, "hard_alpha": 100, "colors": 8, "dither": True, "recolor": "#5e333a=#ffffff", "canvas": "animation",
    "shift": ["1,0", "swim=2,1"], "outline": "#201830:2", "trim": "animation", "cushion": 1, "pivot": ["swim=feet",
    "0.37,1"], "snap_pivot": True, "fill_under": True, "shape": "contour", "shape_of": "animation", "no_offsets":
    True,
}  # fmt: skip


def drawings(given: Mapping[str, Any] = EVERYTHING) -> list[Picture]:
    """Four figures with room round them, after decoding."""
    decoding = decoding_of([settings_from(given)])
    figures = (np.pad(art(24 + 3 * n, 20 + n, n), ((8, 8), (8, 8), (0, 0))) for n in range(4))
    return [decoded(f"f{n}", figure, decoding).pictures[0] for n, figure in enumerate(figures)]


def test_a_decoding_is_a_value_with_which_equal_drawings_become_equal_pictures() -> None:
    settings = [settings_from({"color_key": "corner:4", "scale": "50%", "drop_duplicates": True})]
    one, other = decoding_of(settings), decoding_of(settings)
    assert (one, hash(one)) == (other, hash(other))
    assert pickle.loads(pickle.dumps(one)) == one
    assert decoding_of([settings_from({"scale": "25%"})]) != one
    pixels = art(30, 20)
    before = pixels.copy()
    a, b = decoded("a", pixels, one), decoded("b", pixels, other)
    assert np.array_equal(pixels, before)
    assert a.pictures[0].canvas == (15, 10)
    assert np.array_equal(a.pictures[0].pixels, b.pictures[0].pixels)


def test_steps_leave_what_they_are_given_and_their_parameters_travel() -> None:
    settings, lineup, pictures = settings_from(EVERYTHING), lineup_of(SEQUENCES), drawings()
    walked = 0
    steps = (*COLOR_STEPS, *CANVAS_STEPS, *TRIM, *LAST_STEPS)
    for step in wanted(steps, settings):
        for picture in pictures:
            picture.pixels.flags.writeable = False  # a step that wrote into its input would raise
        facts = [pickle.loads(pickle.dumps(step.fact(picture, settings))) for picture in pictures]
        decision = step.decide(iter(facts), lineup, settings)
        again = step.decide(iter(facts), lineup, settings)
        assert (decision.parameters, decision.remarks) == (again.parameters, again.remarks)
        if not decision.parameters:
            continue
        assert len({hash(parameters) for parameters in decision.parameters}) <= len(pictures)
        sent = pickle.loads(pickle.dumps(decision.parameters))
        assert sent == decision.parameters
        work = pickle.loads(pickle.dumps(step.apply))
        changed = [work(picture, one) for picture, one in zip(pictures, sent, strict=True)]
        repeated = [step.apply(picture, one) for picture, one in zip(pictures, decision.parameters, strict=True)]
        assert [told(picture) for picture in changed] == [told(picture) for picture in repeated]
        pictures, walked = changed, walked + 1
    assert walked == len(steps) - 3  # no region; the color key was applied at first sight; the line has room


def told(picture: Picture) -> tuple[object, ...]:
    return picture.canvas, picture.offset, picture.stored, picture.pivot, picture.shape, picture.pixels.tobytes()


def prepared(context: Context, given: Mapping[str, Any] = EVERYTHING) -> Prepared:
    return prepare([Variant(pictures=drawings(given))], SEQUENCES, settings_from(given), context)


def test_one_thread_or_two_and_with_hardly_any_memory_give_the_same() -> None:
    with working(threads=2) as two, working(threads=1, memory=2) as narrow:
        here, there = prepared(two), prepared(narrow)
        assert (two.pixels.in_file, narrow.pixels.in_file > 4000) == (0, True)
    assert [told(picture) for picture in here.pictures] == [told(picture) for picture in there.pictures]
    assert not any(picture.pixels.flags.writeable for picture in there.pictures)
    assert (here.factor, here.remarks, here.warnings) == (there.factor, there.remarks, there.warnings)


@pytest.mark.parametrize("name", EVERYTHING)
def test_each_setting_of_the_section_is_used(name: str) -> None:
    """Leaving any one out changes pictures, or what is said of them."""
    given = {key: value for key, value in EVERYTHING.items() if key != name}
    if name in ("shape", "colors"):
        del given["shape_of" if name == "shape" else "dither"]
    if name == "trim":
        del given["cushion"]
    with working(threads=1) as context:
        without, whole = prepared(context, given), prepared(context)
    one, other = ([told(picture) for picture in side.pictures] for side in (without, whole))
    assert (one, without.remarks) != (other, whole.remarks)
