"""Test the skyline and the exact search: compiled and plain, and against a slow search that tries everything."""

import importlib.util
from types import ModuleType

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.arrange import exact_search, skyline

boxes = st.lists(st.tuples(st.integers(1, 30), st.integers(1, 30)), min_size=1, max_size=40)


def plain(module: ModuleType) -> ModuleType:
    """The module as its source says, whether or not the installed one is compiled."""
    folder = module.__file__.rpartition("/")[0]
    name = module.__name__.rpartition(".")[2]
    spec = importlib.util.spec_from_file_location(f"plain_{name}", f"{folder}/{name}.py")
    found = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(found)
    return found


PLAIN_SKYLINE, PLAIN_THROUGH = plain(skyline), plain(exact_search)


@given(
    boxes,
    st.booleans(),
    st.integers(30, 120),
    st.integers(20, 200),
    st.lists(st.integers(0, 900), min_size=40, max_size=40),
    st.booleans(),
)
def test_compiled_and_plain_fill_alike(
    sizes: list, turn: bool, width: int, height: int, favor: list, favored: bool
) -> None:
    kinds = sorted({(min(size), max(size)) for size in sizes} if turn else set(sizes))
    found = []
    for module in (skyline, PLAIN_SKYLINE):
        stock = module.Stock(kinds, [1 + w % 3 for w, _ in kinds], turn)
        weights = module.Weights(435, 612, 21, 42, 142)
        filled = module.fill(stock, width, height, width * height // 4, weights, favor[: len(kinds)] if favored else [])
        found.append((filled.placed, filled.left_over, filled.work))
        area = sum(stock.widths[entry] * stock.heights[entry] for entry, _, _ in filled.placed)
        assert area + filled.left_over == stock.area
    assert found[0] == found[1]


@pytest.mark.parametrize("turn", [False, True])
def test_a_pass_leaves_out_what_finds_no_room(turn: bool) -> None:
    stock = skyline.Stock([(5, 5), (6, 6), (7, 12)], [1, 1, 1], turn)
    filled = skyline.fill(stock, 11, 6, skyline.UNBOUNDED, skyline.Weights(12, 12, 1, 0, 0), [])
    assert filled.left_over == 84
    assert sorted((stock.widths[entry], x, y) for entry, x, y in filled.placed) == [(5, 6, 0), (6, 0, 0)]


def fits(sizes: list[tuple[int, int]], turn: bool, taken: np.ndarray) -> bool:
    """Return True if all boxes fit, by trying every place of every box."""
    if not sizes:
        return True
    (w, h), *rest = sizes
    for w, h in {(w, h), (h, w)} if turn else {(w, h)}:  # noqa: B020, PLR1704
        for y in range(taken.shape[0] - h + 1):
            for x in range(taken.shape[1] - w + 1):
                if not taken[y : y + h, x : x + w].any():
                    taken[y : y + h, x : x + w] = True
                    if fits(rest, turn, taken):
                        return True
                    taken[y : y + h, x : x + w] = False
    return False


few = st.lists(st.tuples(st.integers(1, 5), st.integers(1, 5)), min_size=1, max_size=5)


@given(few, st.booleans(), st.integers(1, 8), st.integers(1, 8))
def test_searching_through_is_never_wrong(sizes: list, turn: bool, width: int, height: int) -> None:
    sizes.sort(key=lambda box: -box[0] * box[1])
    answers = [module.search_exactly(sizes, turn, width, height, 100_000) for module in (exact_search, PLAIN_THROUGH)]
    assert answers[0] == answers[1]
    found, places, steps = answers[0]
    assert found is fits(sizes, turn, np.zeros((height, width), bool))
    assert 0 <= steps < 100_000
    taken = np.zeros((height, width), int)
    for (w, h), (x, y, turned) in zip(sizes, places, strict=bool(found)):
        taken[y : y + (w if turned else h), x : x + (h if turned else w)] += 1
    assert taken.max() <= 1
    assert not found or taken.sum() == sum(w * h for w, h in sizes)


def test_a_search_that_takes_too_long_has_no_answer() -> None:
    squares = [(side, side) for side in range(12, 0, -1)]
    assert exact_search.search_exactly(squares, False, 23, 29, 20)[0] is None
    assert exact_search.search_exactly(squares, False, 23, 29, 50_000)[0] is True
    assert exact_search.search_exactly(squares, False, 24, 27, 500_000)[0] is False
