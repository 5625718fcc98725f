"""Motions that start over, closing frames and copies, to the byte and under noise; and what is none of them."""

import numpy as np
import pytest
from figures import Pixels, figure, findings, found, noisy, swinging


def grainy(frames: list[Pixels], reach: int) -> list[Pixels]:
    return [noisy(frame, seed, reach) for seed, frame in enumerate(frames)]


@pytest.mark.parametrize("noise", [0, 1, 2])
def test_a_motion_that_starts_over_is_cut_to_one_round(noise: int) -> None:
    frames = grainy(swinging(8) * 2, noise)
    finding = findings(frames)["cycle"]
    assert finding.frames == tuple(f"walk/walk_{n:02d}" for n in range(9, 17))
    assert finding.fix.settings == [("frames", "walk=1-8")]
    assert "cycle" not in findings(frames[:8])
    assert "cycle" not in findings(frames[:11])  # not yet one and a half times round


@pytest.mark.parametrize("noise", [0, 1, 2])
def test_a_closing_frame_goes_with_no_more_tolerance_than_it_takes(noise: int) -> None:
    frames = grainy([*swinging(9), swinging(1)[0]], noise)
    finding = findings(frames)["closing"]
    assert finding.frames == ("walk/walk_10",)
    settings = dict(finding.fix.settings)
    assert settings.keys() == ({"drop_closing", "tolerance"} if noise else {"drop_closing"})
    assert int(settings.get("tolerance", 0)) <= 2 * noise
    assert "closing" not in findings(frames[:-1])


@pytest.mark.parametrize(
    "frames",
    [
        [*[figure()] * 3, figure(shade=9), *[figure()] * 4],
        [figure(shade=i % 2) for i in range(8)],
        [*[figure()] * 4, figure(shade=5), figure(shade=9), figure(shade=5), *[figure()] * 4],
        [figure()] * 8,
        [*[swinging(1)[0]] * 2, *swinging(6)[1:], *[swinging(1)[0]] * 2],
    ],
)
def test_holds_blinks_and_flashes_are_no_cycles_and_close_nothing(frames: list[Pixels]) -> None:
    assert {"cycle", "closing"} & findings(frames).keys() == set()


def test_a_small_motion_is_no_noise() -> None:
    frames = swinging(8)
    blink = frames[0].copy()
    blink[40:43, 46:50, :3] = 20
    assert "closing" not in findings([*frames, blink])
    still = grainy([frames[0]] * 8, 2)
    assert {"cycle", "closing", "near-duplicates"} & findings(still).keys() == set()


def test_copies_that_follow_each_other_can_be_dropped() -> None:
    frames = swinging(6)
    severity, where, what = found([*frames[:3], frames[2], *frames[3:], frames[1]])["duplicates"]
    assert (severity, where, what[:14]) == ("note", ["04", "08"], "2 exact copies")
    near = [*frames[:3], noisy(frames[2], 1, 1), *frames[3:]]
    finding = findings(near)["near-duplicates"]
    assert finding.frames == ("walk/walk_04",)
    assert finding.fix.settings == [("drop_duplicates", ""), ("tolerance", "1")]


def test_facts_of_a_cycle_cost_nothing_when_canvases_differ() -> None:
    frames = swinging(8) * 2
    frames[3] = np.pad(frames[3], ((0, 4), (0, 0), (0, 0)))
    assert "cycle" not in findings(frames)
