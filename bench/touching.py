"""Count the cuts between touching figures that are right within a pixel. ``make bench`` runs it."""

from __future__ import annotations

import sys
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from planted import FIGURES, judged, planted

LEAST, GOAL = 0.80, 0.95


def main() -> None:
    right, cuts, alone = Counter[str](), Counter[str](), 0
    for name in FIGURES:
        for plant in (plant for soft in (False, True) for gap in (-2, -1, 0) for plant in planted(name, soft, gap)):
            good, wrong = judged(plant)
            alone += wrong
            for group in (plant.kind, name, "all"):
                right[group] += good
                cuts[group] += len(plant.touching)
    for group, count in cuts.items():
        print(f"{group:20} {right[group]:4} of {count:4}  {right[group] / count:.0%}")
    print(f"figures that stood alone and were cut: {alone}; the goal for all is {GOAL:.0%}")
    if right["all"] < LEAST * cuts["all"] or alone:
        raise SystemExit("fewer cuts are right than before")


if __name__ == "__main__":
    main()
