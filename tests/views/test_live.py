"""Test the events of a build: a page that draws them gets exactly the sheets."""

import base64
import io
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from agile_crate.core.model import crate as model
from agile_crate.core.model.geometry import Box, Offset, Point, Size
from agile_crate.core.model.sheet import Sheet, SkinImage
from agile_crate.core.pixels import Pixels
from agile_crate.views.live_view import Board, board_of, news_of
from file_bytes import stored

SIDE = 6


def frame(name: str, box: Box, sheet: int = 0, turned: bool = False, mirror: Any = "") -> model.Frame:
    size = Size(box.h, box.w) if turned else Size(box.w, box.h)
    return model.Frame(name, sheet, box, size, Offset(0, 0), Point(0, 0), turned, mirror)


def crate_of(
    frames: list[model.Frame], sizes: list[Size], rim: int = 0, skin: str = "", background: str = ""
) -> model.Crate:
    skins = (SkinImage(skin, f"o-{skin}.png", "", False),) if skin else ()
    sheets = tuple(Sheet(f"o-{n}.png", size, edge_repeat=rim, skins=skins) for n, size in enumerate(sizes))
    swim = model.Animation("swim", (0,), (100,), "forever")
    return model.Crate("o", sheets, tuple(frames), (swim,), background=background)


def page(before: Board, news: dict[str, Any], skin: str = "") -> list[Pixels]:
    """The sheets as a page has them after the news: it knows the sheets before, and what it is told."""
    old = [np.array(before.sheet(index, skin)) for index in range(len(before.crate.sheets))]
    found = []
    told = news["skins"][skin] if skin else news["sheets"]
    for sheet, about in zip(told, news["crate"]["sheets"], strict=True):
        assert not sheet["whole"]
        w, h = about["size"]
        canvas = old[sheet["base"]].copy() if sheet["base"] >= 0 else np.zeros((h, w, 4), np.uint8)
        for x, y, w, h in sheet["clears"]:
            canvas[y : y + h, x : x + w] = 0
        for source, x, y, w, h, to_x, to_y in sheet["moves"]:
            canvas[to_y : to_y + h, to_x : to_x + w] = old[source][y : y + h, x : x + w]
        for x, y, data in sheet["patches"]:
            picture = np.asarray(Image.open(io.BytesIO(base64.b64decode(data.partition(",")[2]))))
            canvas[y : y + len(picture), x : x + picture.shape[1]] = picture
        found.append(canvas)
    return found


def board(places: dict[str, tuple[int, int, int, int, bool]], rim: int, sheets: int = 2) -> Board:
    """Frames by name: sheet, column and row of a grid, tone, turned. A tone is a picture that no other has."""
    side, size = SIDE + 2 * rim, Size(8 * (SIDE + 2 * rim), 8 * (SIDE + 2 * rim))
    pixels = [np.zeros((size.h, size.w, 4), np.uint8) for _ in range(sheets)]
    frames = []
    for name, (sheet, column, row, tone, turned) in places.items():
        box = Box(column * side + rim, row * side + rim, SIDE, SIDE)
        chance = np.random.default_rng(tone)
        art = chance.integers(0, 256, (SIDE, SIDE, 4), np.uint8)
        padded = np.pad(art, ((rim, rim), (rim, rim), (0, 0)), "edge")
        pixels[sheet][box.y - rim : box.bottom + rim, box.x - rim : box.right + rim] = padded
        frames.append(frame(name, box, sheet, turned))
    return board_of(crate_of(frames, [size] * sheets, rim), pixels, {})


def arrangements() -> st.SearchStrategy[dict[str, tuple[int, int, int, int, bool]]]:
    cells = st.lists(
        st.tuples(st.integers(0, 1), st.integers(0, 7), st.integers(0, 7)), unique=True, min_size=1, max_size=10
    )
    return cells.flatmap(
        lambda cells: st.lists(st.tuples(st.sampled_from("abcdefghijkl"), st.integers(0, 4), st.booleans()), min_size=len(cells), max_size=len(cells), unique_by=lambda one: one[0])
        .map(lambda names: {name: (*cell, tone, turned) for cell, (name, tone, turned) in zip(cells, names, strict=True)})
    )  # fmt: skip


@given(arrangements(), arrangements(), st.integers(0, 1))
def test_a_page_comes_to_the_sheets_that_are_there(before: Any, after: Any, rim: int) -> None:
    old, new = board(before, rim), board(after, rim)
    news = news_of(old, new, ["a", "b"], {}, stored)
    for index, found in enumerate(page(old, news)):
        assert np.array_equal(found, new.sheet(index))
    same = {name for name, one in after.items() if name in before and before[name][3:] == one[3:]}
    assert set(news["changed"]) == set(after) - same


def test_nothing_is_sent_where_nothing_changed() -> None:
    places = {name: (0, column, 0, column, False) for column, name in enumerate("abc")}
    news = news_of(board(places, 1), board(places, 1), ["a", "b"], {}, stored)
    assert news["changed"] == []
    assert news["sheets"] == [{"base": n, "clears": [], "moves": [], "patches": [], "whole": ""} for n in range(2)]


def test_one_changed_frame_is_one_patch_on_the_sheet_that_is_there() -> None:
    places = {name: (0, column, 0, column, False) for column, name in enumerate("abc")}
    news = news_of(board(places, 0), board({**places, "b": (0, 1, 0, 9, False)}, 0), ["a", "b"], {}, stored)
    (first, _) = news["sheets"]
    assert (first["base"], first["moves"], [patch[:2] for patch in first["patches"]]) == (0, [], [(SIDE, 0)])
    assert news["changed"] == ["b"]


def test_a_sheet_that_changed_much_is_fetched_whole() -> None:
    old = board({f"f{n}": (0, n % 8, n // 8, n, False) for n in range(64)}, 0, 1)
    new = board({f"f{n}": (0, n % 8, n // 8, 100 + n, False) for n in range(64)}, 0, 1)
    assert news_of(old, new, ["/sheet.png"], {}, stored)["sheets"] == [
        {"base": -1, "clears": [], "moves": [], "patches": [], "whole": "/sheet.png"}
    ]


def test_skins_hear_of_their_own_pixels() -> None:
    size, box = Size(30, 30), Box(2, 3, 4, 5)
    crate = crate_of([frame("a", box)], [size], skin="coat")
    plain = np.zeros((30, 30, 4), np.uint8)
    plain[3:8, 2:6] = (1, 2, 3, 255)
    coat, other = plain.copy(), plain.copy()
    coat[3:8, 2:6] = (9, 9, 9, 255)
    other[3:8, 2:6] = (7, 7, 7, 200)
    old, new = board_of(crate, [plain], {"coat": [coat]}), board_of(crate, [plain], {"coat": [other]})
    news = news_of(old, new, ["a"], {"coat": ["b"]}, stored)
    assert news["changed"] == ["a"]
    assert np.array_equal(page(old, news, skin="coat")[0], other)
    assert np.array_equal(page(old, news)[0], plain)
    assert news["crate"]["sheets"][0]["skins"]["coat"]["data"] == "b"


def test_a_background_lies_under_patches_too() -> None:
    size, box = Size(30, 30), Box(2, 3, 4, 5)
    crate = crate_of([frame("a", box)], [size], background="#102030")
    half = np.zeros((30, 30, 4), np.uint8)
    half[3:8, 2:6] = (200, 100, 0, 128)
    old, new = board_of(crate, [np.zeros((30, 30, 4), np.uint8)], {}), board_of(crate, [half], {})
    news = news_of(old, new, ["a"], {}, stored)
    assert np.array_equal(page(old, news)[0], new.sheet(0))
    assert new.sheet(0)[0, 0].tolist() == [0x10, 0x20, 0x30, 255]


@pytest.mark.parametrize("what", ["pivot", "mirror", "canvas", "offset"])
def test_a_frame_that_stands_differently_has_changed(what: str) -> None:

    sheets = [np.full((10, 10, 4), 255, np.uint8)]
    one = frame("a", Box(0, 0, 10, 10))
    values: dict[str, Any] = {"pivot": Point(1, 1), "mirror": "x", "canvas": Size(12, 12), "offset": Offset(1, 0)}
    other = one._replace(**{what: values[what]})
    boards = [board_of(crate_of([f], [Size(10, 10)]), sheets, {}) for f in (one, other)]
    assert news_of(*boards, ["a"], {}, stored)["changed"] == ["a"]


def test_a_frame_that_shares_a_box_changes_with_it() -> None:
    box, sheets = Box(0, 0, 4, 4), [np.full((8, 8, 4), tone, np.uint8) for tone in (50, 90)]
    frames = [frame("a", box), frame("b", box, mirror="x"), frame("empty", Box(0, 0, 0, 0))]
    old, new = (board_of(crate_of(frames, [Size(8, 8)]), [sheet], {}) for sheet in sheets)
    assert news_of(old, new, ["a"], {}, stored)["changed"] == ["a", "b"]
