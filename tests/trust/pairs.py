"""Few cases in which every two choices meet (pairwise testing, after the greedy method of Cohen et al., "The AETG
System", IEEE TSE 23(7), 1997; without their random tries, so the same choices always give the same cases)."""

from collections.abc import Callable, Mapping, Sequence
from itertools import combinations, product

Case = dict[str, str]
Pair = tuple[tuple[str, str], tuple[str, str]]


def pairs_of(case: Mapping[str, str]) -> set[Pair]:
    """Every two choices of a case; names in the order of the alphabet."""
    return set(combinations(sorted(case.items()), 2))


def pairwise(choices: Mapping[str, Sequence[str]], is_allowed: Callable[[Mapping[str, str]], bool]) -> list[Case]:
    """Cases that are allowed, and have all pairs that any allowed case has. `is_allowed` also judges cases in which not
    all is chosen yet: of those it must allow any that can be completed.

    Cost: choices times pairs times cases; a few hundred pairs take milliseconds.
    """
    missing = {
        pair
        for (one, ones), (other, others) in combinations(sorted(choices.items()), 2)
        for a, b in product(ones, others)
        for pair in [((one, a), (other, b))]
        if _completed(dict(pair), choices, is_allowed, set())
    }
    cases: list[Case] = []
    while missing:
        case = _completed(dict(min(missing)), choices, is_allowed, missing)
        assert case is not None
        missing -= pairs_of(case)
        cases.append(case)
    return cases


def _completed(
    begun: Case,
    choices: Mapping[str, Sequence[str]],
    is_allowed: Callable[[Mapping[str, str]], bool],
    missing: set[Pair],
) -> Case | None:
    """A case that begins so, each further choice the one that meets most of the pairs that are missing; None if none is
    allowed."""
    if not is_allowed(begun):
        return None
    rest = [name for name in choices if name not in begun]
    if not rest:
        return begun

    def wins(value: str) -> int:
        return len(pairs_of({**begun, rest[0]: value}) & missing)

    for value in sorted(choices[rest[0]], key=wins, reverse=True):
        if case := _completed({**begun, rest[0]: value}, choices, is_allowed, missing):
            return case
    return None
