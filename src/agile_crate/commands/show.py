"""Views of a crate, drawn and written: `show`."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from functools import cache, partial
from pathlib import Path
from types import MappingProxyType
from typing import Literal, NamedTuple

from ..core.crate.changes import Change, changes
from ..core.crate.skins import skins_of
from ..core.errors import InputError, UsageError
from ..core.inspect.finding import Finding
from ..core.message import Sentence, setting
from ..core.model.crate import Animation, Crate
from ..core.names import nearest
from ..core.text import few, quoted
from ..exports.formats import ENDINGS
from ..exports.png import encode_png
from ..format.files import looks_like_metadata
from ..format.regular import read_regular
from ..pipeline.arrange import arranged
from ..pipeline.describe import plan_of
from ..pipeline.draw import SheetRows
from ..pipeline.load import intake
from ..settings.table import Settings
from ..sources.sheets import sheet_bytes
from ..storage.recovery import settled
from ..storage.staging import refuse_existing, staged
from ..views.film import FilmWish, Timing
from ..workers.pool import Crew
from ..workers.progress import Progress, silent
from .load import Loaded, load, looked_at, refuse_empty

Kind = Literal["sheet", "film", "strip", "page", "chart"]

FILM_ENDINGS = (".gif", ".apng", ".webp")


@dataclass(frozen=True, slots=True)
class ShowWish:
    """What is to be shown: the kind, which animations (none for all), a file for each or all in one, and how; in which
    skin, if not the base; and so many times `smaller`, if it is a sheet."""

    kind: Kind
    animations: tuple[str, ...]
    each: bool
    film: FilmWish
    timing: Timing
    skin: str = ""
    smaller: int = 1


def kind_of(out: str, asked: str | None) -> Kind:
    """The kind of view by the ending of the file, or as asked. Raises UsageError for an ending that nobody knows."""
    ending = Path(out).suffix.lower()
    fitting: dict[str, tuple[Kind, ...]] = {
        ".png": ("sheet", "strip", "chart"),
        ".html": ("page",),
        ".svg": ("chart",),
    }
    kinds = fitting.get(ending, ("film",))
    if ending not in fitting and ending not in FILM_ENDINGS:
        raise UsageError(
            f"{setting('out', out)}: views are written as .png (a sheet, a strip, a chart), .svg (a chart), "
            f".html (a page) or {', '.join(FILM_ENDINGS)} (a film)"
        )
    found = next((kind for kind in kinds if asked in (None, kind)), None)
    if found is None:
        others = {"film": ", ".join(FILM_ENDINGS), "page": ".html", "chart": ".png or .svg"}
        right = others.get(str(asked), ".png")
        raise UsageError(f"a {asked} cannot be a {ending}; write it as {right}")
    return found


class Shown(NamedTuple):
    """The files that were written, and what the user should read."""

    files: tuple[Path, ...]
    warnings: tuple[Sentence, ...]


def show(
    data: Sequence[str], out: str, wish: ShowWish, executor: Crew, progress: Progress = silent, force: bool = False
) -> Shown:
    """Draws views of a crate, from the written files alone, and writes them together; or of frames that have not been
    packed, as a grid would hold them. Raises InputError, UsageError, OutputError, FitError."""
    loaded = (
        looked_at(data[0], wish.skin, decode=wish.kind not in ("sheet", "page"))
        if len(data) == 1 and looks_like_metadata(data[0])
        else _packed_in_memory(data, executor, progress)
    )
    refuse_empty(data[0], loaded.crate)
    if wish.skin and loaded.folder is None:
        raise UsageError(f"{setting('skin')} is for a crate, and these are frames; leave it out")
    path = Path(out)
    makers = {"sheet": _sheets, "chart": _chart, "film": _films, "strip": _films}
    if wish.kind == "page":
        worn = (
            {name: looked_at(data[0], name, False) for name in skins_of(loaded.crate)}
            if loaded.folder and not wish.skin
            else {}
        )
        views = {path.name: _page_of(loaded, executor, skins=worn)}
    else:
        views = makers[wish.kind](loaded, path, wish, executor)
    return _written(views, path, progress, force, loaded.warnings)


def show_frames(
    inputs: Sequence[str],
    findings: Sequence[Finding],
    out: str,
    executor: Crew,
    progress: Progress = silent,
    force: bool = False,
    unused: AbstractSet[str] = frozenset(),
) -> Path:
    """Writes a light table of frames before packing, with what a survey found; files whose absolute paths are `unused`
    are passed over. Raises as `show` does."""
    path = Path(out)
    if path.suffix.lower() != ".html":
        raise UsageError(f"{setting('page', out)}: a page is written as .html")
    loaded = _packed_in_memory(inputs, executor, progress, unused)
    view = _page_of(loaded, executor, findings)
    return _written({path.name: view}, path, progress, force, loaded.warnings, "page").files[0]


def _packed_in_memory(
    inputs: Sequence[str], executor: Crew, progress: Progress, unused: AbstractSet[str] = frozenset()
) -> Loaded:
    """A crate of the inputs as `pack` would make it, with its sheets, of which nothing is written."""
    notes = settled(inputs)
    taken_in = intake(inputs, unused, Settings(), executor, progress)
    (prepared,) = taken_in.sizes
    result = arranged(taken_in.sequences, prepared.pictures, prepared.settings)
    plan = plan_of("frames", taken_in.sequences, prepared, result, (), "")
    sheets = enumerate(plan.crate.sheets)
    drawn = tuple(SheetRows(plan, index, executor)(range(sheet.size.h)) for index, sheet in sheets)
    return Loaded(plan.crate, drawn, None, tuple(notes))


def compare(
    data: str,
    against: str,
    out: str | None,
    executor: Crew,
    progress: Progress = silent,
    force: bool = False,
) -> tuple[list[Change], Shown]:
    """What changed since another crate, and the page that shows it, if `out` is given. Raises as `show` does."""
    old, new = load(against), load(data)
    warnings = (*old.warnings, *new.warnings)
    found = changes(old.crate, new.crate, old.picture, new.picture)
    if out is None:
        return found, Shown((), warnings)
    path = Path(out)
    page = _page_of(new, executor, before=(against, old, found))
    return found, _written({path.name: page}, path, progress, force, warnings)


Views = dict[str, Callable[[], Iterator[bytes]]]
"""File names, with what draws each one's bytes when its turn comes."""


def _written(
    views: Views, path: Path, progress: Progress, force: bool, warnings: Sequence[Sentence], asked: str = "out"
) -> Shown:
    folder = path.parent
    if not force:
        refuse_existing(folder, views, asked)
    with staged(folder, path.name) as staging:
        for done, (name, draw) in enumerate(views.items(), 1):
            staging.write(name, draw())
            progress("drawing", done, len(views))
        staging.commit()
    return Shown(tuple(folder / name for name in views), (*warnings, *staging.notes))


def _sheets(loaded: Loaded, path: Path, wish: ShowWish, executor: Crew) -> Views:
    from ..views.sheet_view import draw_sheet_view

    def drawer(index: int) -> Callable[[], Iterator[bytes]]:
        def drawn() -> Iterator[bytes]:
            import numpy as np

            bands = partial(loaded.bands, index)
            view = draw_sheet_view(loaded.crate, index, bands, wish.film.ground, wish.film.zoom, wish.smaller)
            return encode_png(np.asarray(view.image), executor)

        return drawn

    count = len(loaded.crate.sheets)
    return {
        path.name if count == 1 else f"{path.stem}-{index + 1}{path.suffix}": drawer(index) for index in range(count)
    }


def _page_of(
    loaded: Loaded,
    executor: Crew,
    findings: Sequence[Finding] = (),
    skins: Mapping[str, Loaded] = MappingProxyType({}),
    before: tuple[str, Loaded, Sequence[Change]] | None = None,
) -> Callable[[], Iterator[bytes]]:
    """`before` is a crate to compare with: its name, itself, and what changed since."""
    from ..views.page_view import Against, inlined, page_of

    def images(one: Loaded) -> list[str]:
        if one.folder and one.crate.alpha == "straight":  # the very files that ship
            return [inlined(sheet_bytes(one.folder, sheet)) for sheet in one.crate.sheets]
        sheets = (one.bands(index, sheet.size.h) for index, sheet in enumerate(one.crate.sheets))
        return [inlined(b"".join(encode_png(whole, executor))) for (whole,) in sheets]

    def drawn() -> Iterator[bytes]:
        worn = {name: images(one) for name, one in skins.items()}
        against = None
        if before:
            name, other, found = before
            against = Against(name, other.crate, images(other), found)
        page = page_of(
            loaded.crate,
            images(loaded),
            findings,
            worn,
            against,
            texts_beside(loaded.crate, loaded.folder) if loaded.folder else (),
        )
        return iter([page.encode()])

    return drawn


def texts_beside(crate: Crate, folder: Path) -> list[tuple[str, str]]:
    """The text files of a crate that are in a template's own form, by their names; none that is missing, very long, no
    text, or not called after the crate."""
    found: list[tuple[str, str]] = []
    ours = {f"{crate.name}{ending}" for endings in ENDINGS.values() for ending in endings}
    for name in crate.files:
        if name in ours or not name.startswith(f"{crate.name}."):
            continue
        with contextlib.suppress(OSError, ValueError):
            found.append((name, read_regular(folder / name, "text_bytes").decode("utf-8")))
    return found


def _chart(loaded: Loaded, path: Path, wish: ShowWish, _: Crew) -> Views:
    from ..views.chart import chart_of

    chosen = _chosen(loaded.crate, wish.animations) if loaded.crate.animations else []

    def drawn() -> Iterator[bytes]:
        seen = [sheet[..., 3] > 0 for sheet in loaded.sheets]
        form: Literal["png", "svg"] = "svg" if path.suffix.lower() == ".svg" else "png"
        return iter([chart_of(loaded.crate, chosen, loaded.picture, seen, form)])

    return {path.name: drawn}


def _films(loaded: Loaded, path: Path, wish: ShowWish, executor: Crew) -> Views:
    import numpy as np

    from ..views.film import encoded, film_of, strip_of, together

    crate, picture = loaded.crate, cache(loaded.picture)
    chosen = _chosen(crate, wish.animations)
    ending = path.suffix.lower()

    def one(animation: Animation) -> Callable[[], Iterator[bytes]]:
        def drawn() -> Iterator[bytes]:
            if wish.kind == "strip":
                return encode_png(np.asarray(strip_of(crate, animation, picture, wish.film)), executor)
            return iter([encoded(film_of(crate, animation, picture, wish.film, wish.timing), ending)])

        return drawn

    if len(chosen) == 1:
        return {path.name: one(chosen[0])}
    if wish.each or wish.kind == "strip":
        names = [f"{path.stem}-{_file_name(animation.name)}{path.suffix}" for animation in chosen]
        if len(set(names)) < len(names):
            raise UsageError(
                f"two animations would be written to one file; show them one at a time, with {setting('animation')}"
            )
        return dict(zip(names, map(one, chosen), strict=True))

    def all_in_one() -> Iterator[bytes]:
        return iter([encoded(together(crate, chosen, picture, wish.film, wish.timing), ending)])

    return {path.name: all_in_one}


def _file_name(animation: str) -> str:
    return "".join("-" if letter in '/\\:*?"<>|' or not letter.isprintable() else letter for letter in animation)[:80]


def _chosen(crate: Crate, names: Sequence[str]) -> list[Animation]:
    there = {animation.name: animation for animation in crate.animations}
    if not there:
        raise InputError("the crate has no animations, only stills; show its sheet")
    for name in names:
        if name not in there:
            near = nearest(name, there)
            hint = f"did you mean {quoted(near)}?" if near else f"there are: {few(there)}"
            raise UsageError(f"{setting('animation')}: there is no animation {quoted(name)}; {hint}")
    return [there[name] for name in names] if names else list(crate.animations)
