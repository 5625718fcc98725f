"""Preferences of a placing pass: weights that did best on many sets of boxes, and random variations of them."""

from __future__ import annotations

import random
from collections.abc import Iterator
from typing import NamedTuple

from .skyline import FAVOR


class Policy(NamedTuple):
    """The preferences of a pass: the weights of `skyline.Weights`, in its order."""

    exact: int
    level: int
    tall: int
    sliver: int
    pair: int

    def __str__(self) -> str:
        return ", ".join(f"{name} {value}" for name, value in zip(self._fields, self, strict=True))


POLICIES = (
    Policy(435, 612, 21, 42, 142),
    Policy(3111, 3191, 53, 43, 50),
    Policy(519, 782, 10, 64, 40),
    Policy(2835, 1229, 58, 35, 86),
    Policy(764, 1292, 29, 170, 60),
    Policy(185, 454, 3, 132, 152),
    Policy(3752, 2569, 53, 62, 55),
    Policy(381, 782, 13, 64, 34),
    Policy(9000, 240, 42, 41, 31),
)
"""The weights that filled sheets best in trials with sprites and cut rectangles, 50 to 5,000 boxes each."""

FEW = 30
"""Kinds of boxes. Up to so many, favoring some by chance finds more than weights alone."""

SPREAD = 10
"""The range of a random weight."""


def policies(chance: random.Random, kinds: int) -> Iterator[tuple[Policy, list[int]]]:
    """Yield policies without end, each with the favor of each kind of box: first the known good ones, then random
    changes of them."""
    yield from ((policy, []) for policy in POLICIES)
    while True:
        policy = Policy(*(int(weight * SPREAD ** (chance.random() - 0.5)) for weight in chance.choice(POLICIES)))
        favor: list[int] = []
        if kinds <= FEW and chance.random() < 0.5:
            most = int(FAVOR * chance.random() ** 2)
            favor = [chance.randint(0, most) for _ in range(kinds)]
        yield policy, favor
