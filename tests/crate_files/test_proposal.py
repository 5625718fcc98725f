"""Proposals of a draft for folders: one crate, a crate with skins, or a crate for each. Only names decide."""

from collections.abc import Iterable, Sequence

import pytest

from agile_crate.crate_files.proposal import ProposedCrate, proposals_for

OTTER = [f"{animation}/{animation}_{number}" for animation in ("swim", "dive") for number in (1, 2, 3)]
GULL = [f"{animation}_{number:02}" for animation in ("glide", "land") for number in (1, 2)]


def below(folder: str, names: Iterable[str]) -> list[str]:
    return [f"{folder}/{name}" for name in names]


def proposed(frames: Sequence[str]) -> list[tuple[str, str, list[tuple[str, list[str]]]]]:
    """Each proposal's patterns, and its crates with their skins."""
    found = proposals_for("art", "art", frames)
    return [(p.pattern, p.skins, [(c.name, [skin for skin, _ in c.skins]) for c in p.crates]) for p in found]


SINGLE = [("", "", [("art", [])])]


@pytest.mark.parametrize(
    ("frames", "expected"),
    [
        (OTTER, SINGLE),
        (GULL, SINGLE),
        ([*below("otter", OTTER), *below("gull", GULL)], [("art/*", "", [("gull", []), ("otter", [])])]),
        ([*below("otter", OTTER), *below("gull", GULL), "buoy"], SINGLE),  # a picture beside the folders
        ([*below("base", OTTER), *below("rain", OTTER), *below("scarf", OTTER[:4])], [("", "", [("art", ["rain", "scarf"])])]),
        ([*below("coat", OTTER), *below("rain", [*OTTER[:-1], "extra/extra_1"])], [("art/*", "", [("coat", []), ("rain", [])])]),
        (
            [*below("otter/base", OTTER), *below("otter/rain", OTTER), *below("gull/base", OTTER), *below("gull/tie", OTTER[:3])],
            [("art/*/base", "art/{name}/*", [("gull", ["tie"]), ("otter", ["rain"])])],
        ),
        # Characters have the same frames, too: a base is called so, or like the folder that holds it.
        ([*below("otter", OTTER), *below("gull", OTTER)], [("art/*", "", [("gull", []), ("otter", [])])]),
        ([*below("art", OTTER), *below("rain", OTTER)], [("", "", [("art", ["rain"])])]),
        (
            [f"{c}/{o}/{name}" for c in ("otter", "gull") for o in ("base", "rain") for name in OTTER],
            [("art/*/base", "art/{name}/*", [("gull", ["rain"]), ("otter", ["rain"])])],
        ),
        (
            [*below("otter/base", OTTER), *below("otter/rain", OTTER), *below("gull", GULL)],
            [("art/*/base", "art/{name}/*", [("otter", ["rain"])]), ("", "", [("gull", [])])],
        ),
        # Directions and numbers of the same names in every animation tell no skins.
        ([f"{a}/{d}/{d}_{n}" for a in ("walk", "run") for d in ("left", "right") for n in (1, 2)], SINGLE),
        ([f"{a}/{a}_{d}_{n}" for a in ("walk", "run") for d in ("left", "right") for n in (1, 2)], SINGLE),
        ([f"{c}/{c}_{a}_{n}" for c in ("otter", "gull") for a in ("walk", "run") for n in (1, 2)], [("art/*", "", [("gull", []), ("otter", [])])]),
        ([f"{c}/swim/swim_{n}" for c in ("otter", "gull") for n in (1, 2)], [("art/*", "", [("gull", []), ("otter", [])])]),
        ([f"{a}/frame_{n}" for a in ("walk", "run") for n in (1, 2)], SINGLE),
        ([f"{a}/{n}" for a in ("walk", "run", "idle") for n in (1, 2)], SINGLE),
        # Two animations of several series among six are no characters.
        ([*below("a", GULL), *below("b", OTTER), *(f"{x}/{x}_1" for x in "cdefg")], SINGLE),
    ],
)  # fmt: skip
def test_what_folders_seem_to_be(frames: list[str], expected: object) -> None:
    assert proposed(frames) == expected


def test_folders_of_crates_and_skins() -> None:
    (proposal,) = proposals_for(
        "art",
        "x",
        [
            *below("otter/plain", OTTER),
            *below("otter/a rain", OTTER),
            *below("gull/plain", OTTER),
            *below("gull/z", OTTER),
        ],
    )
    assert proposal.crates[1] == ProposedCrate("otter", "art/otter/plain", (("a rain", "art/otter/a rain"),))
    (odd,) = proposals_for("art [1]", "x", [*below("otter", OTTER), *below("gull", GULL)])
    assert odd.pattern == ""
