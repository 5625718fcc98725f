"""Live pages: one per crate, served on this machine and updated by every build."""

from __future__ import annotations

import contextlib
import dataclasses
import json
import threading
from collections.abc import Sequence
from functools import partial
from itertools import count
from pathlib import Path
from typing import Any

from ..core.crate.skins import skins_of
from ..core.errors import CrateError
from ..core.pixels import Pixels
from ..core.text import few, shown
from ..exports.png import encode_png
from ..live.server import Answer, News, Server
from ..pipeline.context import Context
from ..pipeline.describe import Plan
from ..pipeline.draw import placed_of
from ..views.live_view import Board, board_of, news_of
from ..views.page_view import Live, PageCrate, media_type, packed_texts, page_of, waiting_page
from .load import Loaded, load
from .page_crates import texts_beside

EVENTS = "events"


@dataclasses.dataclass(slots=True)
class _Table:
    """One crate as the page shows it: the build, its pixels, and the images encoded so far."""

    name: str
    build: int = 0
    board: Board | None = None
    texts: list[tuple[str, str]] = dataclasses.field(default_factory=list)
    images: dict[tuple[str, int], bytes] = dataclasses.field(default_factory=dict)
    wrong: str = ""


class LightTable:
    """The pages of some crates, by their names in the crate file, in its order."""

    def __init__(self, names: Sequence[str], context: Context) -> None:
        self._tables: dict[str, _Table] = {}
        self._keys: dict[str, str] = {}
        self._context = context
        self._lock = threading.RLock()
        self._builds = count(1)
        for name in names:
            self._table(name)
        self.server = Server(self._answer, self._greeting)

    @property
    def address(self) -> str:
        """The address of the page, which begins with the first crate and leads to the others."""
        return self.server.address

    def working(self, name: str) -> None:
        """A build has begun."""
        self._tell(name, "working", {})

    def failed(self, name: str, sentence: str) -> None:
        """A build went wrong: the page says so, until one goes right."""
        with self._lock:
            self._table(name).wrong = sentence
            self._tell(name, "failed", {"sentence": sentence})
            self._tell_others(name, "failed", sentence)

    def finished(self, name: str, data: Path) -> None:
        """Note that all files are written, or were up to date. Read a crate that no page shows yet from its files."""
        table = self._table(name)
        with self._lock:
            table.wrong = ""
            if table.board is None:
                with contextlib.suppress(CrateError):
                    self._put(table, _board_of(load(str(data), self._context.limits), data))
            if table.board:
                table.texts = texts_beside(table.board.crate, data.parent, self._context.limits)
            self._tell(name, "settled", {"texts": packed_texts(table.texts)})

    def show(self, name: str, plans: Sequence[Plan]) -> None:
        """Show a build before its files are written."""
        table, board = self._table(name), _planned(plans[0])
        with self._lock:
            before = table.board
            self._put(table, board)
            if before is None:
                return
            if list(before.skins) != list(board.skins) or before.crate.name != board.crate.name:
                self._tell(name, "hello", {"build": table.build})  # another page altogether
                return
            images, skins = self._addresses(self._keys[name], table)
            news = news_of(before, board, images, skins, partial(_png, context=self._context))
            text = f"changed: {few(map(shown, news['changed']), 4)}" if news["changed"] else "arranged anew"
            self._tell(name, "built", {"build": table.build, "summary": text, **news})
            self._tell_others(name, "built", text)

    def close(self) -> None:
        """Stop serving the pages."""
        self.server.close()

    def _table(self, name: str) -> _Table:
        """Return a crate's table; make one for a crate that is new in the file."""
        with self._lock:
            key = self._keys.setdefault(name, str(len(self._keys) + 1))
            return self._tables.setdefault(key, _Table(name))

    def _put(self, table: _Table, board: Board) -> None:
        table.build, table.board = next(self._builds), board
        table.images.clear()

    def _tell(self, name: str, kind: str, news: dict[str, Any]) -> None:
        self._table(name)
        self.server.tell(f"{self._keys[name]}/{EVENTS}", News(kind, _line(news)))

    def _tell_others(self, name: str, kind: str, sentence: str) -> None:
        """Send news to the pages of other crates, whose lists mark this one."""
        news = _line({"crate": shown(name), "is": kind, "sentence": sentence})
        for other, key in self._keys.items():
            if other != name:
                self.server.tell(f"{key}/{EVENTS}", News("elsewhere", news))

    def _greeting(self, path: str) -> News | None:
        key, _, rest = path.partition("/")
        table = self._tables.get(key)
        return News("hello", _line({"build": table.build})) if table and rest == EVENTS else None

    def _answer(self, path: str) -> Answer | None:
        key, _, rest = (path or "1/").partition("/")
        table = self._tables.get(key)
        if table is None or table.board is None:
            return _waiting(table) if table and not rest else None
        with self._lock:
            if not rest:
                return _page_answer(self._page(key, table))
            image = _requested_image(rest, table.board)
            if image is None:
                return None
            if image not in table.images:
                skin, sheet = image
                table.images[image] = _png(table.board.sheet(sheet, skin), self._context)
            return Answer(media_type(table.images[image]), table.images[image])

    def _page(self, key: str, table: _Table) -> str:
        assert table.board is not None
        images, skins = self._addresses(key, table)
        root = self.server.address
        others = [(shown(other.name), f"{root}{number}/") for number, other in self._tables.items()]
        live = Live(f"{root}{key}/{EVENTS}", table.build, table.wrong, others)
        return page_of([PageCrate(table.board.crate, images, table.name, skins=skins, texts=table.texts)], live)

    def _addresses(self, key: str, table: _Table) -> tuple[list[str], dict[str, list[str]]]:
        """Return where images are fetched from: the sheets', and those of each skin. They tell the build, so that none
        is taken for that of another."""
        assert table.board is not None
        begin = f"{self.server.address}{key}/{table.build}"
        sheets = range(len(table.board.crate.sheets))
        by_skin = {
            name: [f"{begin}/{number}/{sheet}.png" for sheet in sheets]
            for number, name in enumerate(table.board.skins, 1)
        }
        return [f"{begin}/0/{sheet}.png" for sheet in sheets], by_skin


def _waiting(table: _Table) -> Answer:
    """A page for a crate that has not been built yet."""
    return _page_answer(waiting_page(table.name, table.wrong))


def _page_answer(page: str) -> Answer:
    return Answer("text/html; charset=utf-8", page.encode(), "base-uri 'none'")


def _requested_image(path: str, board: Board) -> tuple[str, int] | None:
    """The skin and the sheet of an image's path, which is a build, a skin's number, and a sheet's."""
    build, _, rest = path.partition("/")
    skins = {str(number): name for number, name in enumerate(("", *board.skins))}
    sheets = {f"{number}.png": number for number in range(len(board.crate.sheets))}
    skin, _, sheet = rest.partition("/")
    if not build.isdecimal() or skin not in skins or sheet not in sheets:
        return None
    return skins[skin], sheets[sheet]


def _line(news: dict[str, Any]) -> str:
    return json.dumps(news, ensure_ascii=False, separators=(",", ":"))


def _png(pixels: Pixels, context: Context) -> bytes:
    return b"".join(encode_png(pixels, context.pool))


def _board_of(loaded: Loaded, data: Path) -> Board:
    skins = {name: load(str(data), loaded.limits, name) for name in skins_of(loaded.crate)}
    sheets = [loaded.shown_sheet(index) for index in range(len(loaded.sheets))]
    skin_sheets = {name: [skin.shown_sheet(index) for index in range(len(skin.sheets))] for name, skin in skins.items()}
    return board_of(loaded.crate, sheets, skin_sheets)


def _planned(plan: Plan) -> Board:
    """A build that is about to be written, as its files will look."""
    skins = {skin.name: placed_of(plan, number) for number, skin in enumerate(plan.variants[1:], 1)}
    return Board(plan.crate, placed_of(plan), skins)
