"""Draw and write views of a crate: `show`."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cache, partial
from pathlib import Path
from typing import Any, Literal, NamedTuple

from ..core.crate.changes import Change, changes
from ..core.crate.skins import skins_of, with_skin
from ..core.errors import InputError, UsageError
from ..core.frame.decode import DecodedFrame
from ..core.inspect.finding import Finding
from ..core.limits import Limits
from ..core.message import Message, a_file, message, setting
from ..core.model.crate import Animation, Crate
from ..core.model.variant import base_of
from ..core.motion.lookup import animations_listed
from ..core.names import nearest
from ..core.text import quoted
from ..exports.png import encode_png
from ..format.files import ENDINGS, looks_like_metadata, outputs_of_build
from ..pipeline.arrange import arranged
from ..pipeline.context import Context
from ..pipeline.describe import plan_of
from ..pipeline.draw import SheetRows
from ..pipeline.job import LoadRequest
from ..pipeline.load import load_frames
from ..settings.given import settings_from
from ..settings.reader import choice, whole
from ..settings.readers import color, fps, scale
from ..settings.table import Settings
from ..settings.table import options as options_table
from ..sources.decode import DecodedPart
from ..storage.recovery import recover_interrupted
from ..storage.staging import refuse_existing, staged
from ..views.film import FilmOptions, Timing
from ..views.page_view import PageCrate
from ..workers.pool import Progress
from .load import Loaded, load, open_crate, refuse_empty
from .options import read_options, read_value
from .page_crates import page_crate

Kind = Literal["sheet", "film", "strip", "page", "chart"]

FILM_ENDINGS = (".gif", ".apng", ".webp")


Views = dict[str, Callable[[], Iterator[bytes]]]
"""File names, with what draws each one's bytes when its turn comes."""


@dataclass(frozen=True, slots=True)
class ShowOptions:
    """Options of a view: the kind, the animations (none for all), one file for `each` or one for all, the drawing, the
    skin, and how many times `smaller` a sheet is."""

    kind: Kind
    animations: tuple[str, ...]
    each: bool
    film: FilmOptions
    timing: Timing
    skin: str = ""
    smaller: int = 1


def kind_of(out: str, wanted: str | None) -> Kind:
    """Return the kind of view, from `asked` or else the file's ending. Raises UsageError for an unknown ending."""
    ending = Path(out).suffix.lower()
    fitting: dict[str, tuple[Kind, ...]] = {".png": ("sheet", "strip", "chart"), ".html": ("page",), ".svg": ("chart",)}
    kinds = fitting.get(ending, ("film",))
    if ending not in fitting and ending not in FILM_ENDINGS:
        raise UsageError(
            "{}: views are written as .png (a sheet, a strip, a chart), .svg (a chart), .html (a page) or {} (a film)",
            setting("out", out),
            ", ".join(FILM_ENDINGS),
        )
    found = next((kind for kind in kinds if wanted in (None, kind)), None)
    if found is None:
        others = {"film": ", ".join(FILM_ENDINGS), "page": ".html", "chart": ".png or .svg"}
        right = others.get(str(wanted), ".png")
        raise UsageError(f"a {wanted} cannot be a {ending}; write it as {right}")
    return found


FILM_ONLY = ("animation", "fps", "speed", "onion", "pivots", "shapes", "ground", "each")

OPTIONS = (*FILM_ONLY, "backdrop", "zoom", "skin")
"""Options of a view besides its kind."""


def show_options(kind: Kind, given: Mapping[str, object]) -> ShowOptions:
    """Read the options of a view. Raises UsageError for those that a view of this kind does not have."""
    _check_options(kind, {name: value for name, value in given.items() if value})
    backdrop, zoom = str(given.get("backdrop") or "checker"), str(given.get("zoom") or "")
    if backdrop == "none" and kind != "film":
        raise UsageError(message("{backdrop:none} is for films; give a color, or leave it out for a checkerboard"))
    is_smaller = kind == "sheet" and zoom.startswith("1/")
    readers: dict[str, Callable[[str], Any]] = {
        "each": bool, "fps": fps, "speed": scale, "onion": whole(0, 16), "pivots": bool, "shapes": bool,
        "ground": choice(("line", "rosette")), "backdrop": str if backdrop in ("none", "checker") else color,
        "zoom": str if is_smaller else whole(1, 64), "skin": str,
    }  # fmt: skip
    names = given.get("animation") or ()
    read = read_options({name: value for name, value in given.items() if name != "animation"}, readers)
    film = FilmOptions(
        ground=None if backdrop in ("none", "checker") else read["backdrop"],
        clear=backdrop == "none",
        zoom=1 if is_smaller else read.get("zoom", 1 if kind in ("film", "strip") else 0),
        onion=read.get("onion", 0),
        pivots="pivots" in read,
        shapes="shapes" in read,
        guide=read.get("ground", ""),
    )
    animations = (names,) if isinstance(names, str) else tuple(map(str, names if isinstance(names, Iterable) else ()))
    smaller = read_value("zoom", whole(1, 64), zoom.removeprefix("1/")) if is_smaller else 1
    timing = Timing(read.get("fps"), read.get("speed", Fraction(1)))
    return ShowOptions(kind, animations, "each" in read, film, timing, read.get("skin", ""), smaller)


def _check_options(kind: Kind, given: Mapping[str, object]) -> None:
    film = [name for name in FILM_ONLY if name in given]
    others = [name for name in ("backdrop", "zoom") if name in given]
    if kind == "page" and (film or others):
        raise UsageError("the page has its own control for {}; leave it out", setting((film or others)[0]))
    if kind == "chart" and (idle := [name for name in (*film, *others) if name != "animation"]):
        raise UsageError("{} does not apply to charts; leave it out", setting(idle[0]))
    if kind == "sheet" and film:
        raise UsageError(
            "{} is for films and strips; add {as:strip}, or write a .gif, .apng or .webp", setting(film[0])
        )


class Shown(NamedTuple):
    """The files that were written, and what the user should read."""

    files: tuple[Path, ...]
    warnings: tuple[Message, ...]


def show(data: Sequence[str], out: str, options: ShowOptions, context: Context, force: bool = False) -> Shown:
    """Draw views of a crate from its written files, and write them together. Frames that are not packed yet are shown
    as a grid would hold them. Raises InputError, UsageError, OutputError, FitError."""
    if len(data) == 1 and looks_like_metadata(data[0]):
        loaded = open_crate(data[0], options.skin, options.kind not in ("sheet", "page"), context.limits)
    else:
        _refuse_sheets(data, context.limits)
        loaded = in_memory(LoadRequest(base_of(data), Settings()), context)[""]
    refuse_empty(data[0], loaded.crate)
    if options.skin and loaded.folder is None:
        raise UsageError(message("{skin} is for a crate, and these are frames; leave it out"))
    path = Path(out)
    wants_skins = options.kind == "page" and loaded.folder and not options.skin
    names = skins_of(loaded.crate) if wants_skins else []
    skins = {name: open_crate(data[0], name, False, context.limits) for name in names}
    views = views_of([("", loaded, skins)], path, options, context)
    return written_views(views, path, context.progress, force, loaded.warnings)


def views_of(
    crates: Sequence[tuple[str, Loaded, Mapping[str, Loaded]]], path: Path, options: ShowOptions, context: Context
) -> Views:
    """Return the views of crates, each given with its label and its skins: one page of all of them, or another kind of
    view of the only one. Raises UsageError and InputError."""
    if options.kind == "page":
        pages = [partial(page_crate, loaded, context, label, (), skins) for label, loaded, skins in crates]
        return {path.name: _page(pages)}
    makers = {"sheet": _sheets, "chart": _chart, "film": _films, "strip": _films}
    ((_, loaded, _),) = crates
    return makers[options.kind](loaded, path, options, context)


def _refuse_sheets(inputs: Sequence[str], limits: Limits) -> None:
    """Raise UsageError for a sheet whose metadata is next to it: its frames are meant, not the sheet as one picture."""
    for path in map(Path, inputs):
        stem = re.sub(r"-\d+$", "", path.stem)
        for metadata in (path.with_name(stem + ending) for ending in ENDINGS):
            if path.name in outputs_of_build(metadata, limits).images:
                raise UsageError("{} is a sheet; name its metadata, {}", a_file(str(path)), a_file(str(metadata)))


class FramesPage(NamedTuple):
    """Frames on a page before packing.

    label     their title
    parts     the decoded frames
    findings  of their survey
    settings  with which they were surveyed
    """

    label: str
    parts: Sequence[DecodedPart[DecodedFrame]]
    findings: Sequence[Finding]
    settings: Settings


def show_frames(frames: Sequence[FramesPage], out: str, context: Context, force: bool = False) -> Path:
    """Write a light table of frames before packing, with what a survey found. Raises as `show` does."""
    path = Path(out)
    if path.suffix.lower() != ".html":
        raise UsageError("{}: a page is written as .html", setting("page", out))
    pages = [partial(_frames_page, each, context) for each in frames]
    return written_views({path.name: _page(pages)}, path, context.progress, force, (), "page").files[0]


def _frames_page(frames: FramesPage, context: Context) -> PageCrate:
    """Return frames in a grid. Only the settings that select frames and give times apply."""
    given = frames.settings.given.items()
    settings = settings_from({name: value for name, value in given if options_table()[name][0].section == "take"})
    loaded = in_memory(LoadRequest(base_of(()), settings, parts=frames.parts), context, frames.label or "frames")[""]
    return page_crate(loaded, context, frames.label, frames.findings)


def in_memory(request: LoadRequest, context: Context, name: str = "frames") -> dict[str, Loaded]:
    """Build a crate and its sheets as `pack` would, and write nothing. Return its skins as well, by their names; the
    base has none."""
    notes = recover_interrupted(request.variants[0].layers[0])
    frames = load_frames(request, context)
    (prepared,) = frames.sizes
    plan = plan_of(name, frames.sequences, prepared, arranged(frames.sequences, prepared))
    made: dict[str, Loaded] = {}
    for number, variant in enumerate(plan.variants):
        sheets = enumerate(plan.crate.sheets)
        drawn = tuple(SheetRows(plan, number, index, context)(range(sheet.size.h)) for index, sheet in sheets)
        crate = with_skin(plan.crate, variant.name) if variant.name else plan.crate
        made[variant.name] = Loaded(crate, drawn, None, tuple(notes))
    return made


def compare(
    data: str, against: str, out: str | None, context: Context, force: bool = False
) -> tuple[list[Change], Shown]:
    """Return what changed since another crate, and the page that shows it, if `out` is given. Raises as `show` does."""
    old, new = load(against, context.limits), load(data, context.limits)
    warnings = (*old.warnings, *new.warnings)
    found = changes(old.crate, new.crate, old.picture, new.picture)
    if out is None:
        return found, Shown((), warnings)
    path = Path(out)
    page = _page([partial(page_crate, new, context, before=(against, old, found))])
    return found, written_views({path.name: page}, path, context.progress, force, warnings)


def written_views(
    views: Views, path: Path, progress: Progress, force: bool, warnings: Sequence[Message], option: str = "out"
) -> Shown:
    """Write views next to each other, all or none. Raises OutputError."""
    folder = path.parent
    if not force:
        refuse_existing(folder, views, option)
    with staged(folder, path.name) as staging:
        for done, (name, draw) in enumerate(views.items(), 1):
            staging.write(name, draw())
            progress("drawing", done, len(views))
        staging.commit()
    return Shown(tuple(folder / name for name in views), (*warnings, *staging.notes))


def _sheets(loaded: Loaded, path: Path, options: ShowOptions, context: Context) -> Views:
    from ..views.sheet_view import draw_sheet_view

    def drawer(index: int) -> Callable[[], Iterator[bytes]]:
        def drawn() -> Iterator[bytes]:
            import numpy as np

            bands = partial(loaded.bands, index)
            view = draw_sheet_view(
                loaded.crate, index, bands, options.film.ground, context.limits, options.film.zoom, options.smaller
            )
            return encode_png(np.asarray(view.image), context.pool)

        return drawn

    count = len(loaded.crate.sheets)
    return {
        path.name if count == 1 else f"{path.stem}-{index + 1}{path.suffix}": drawer(index) for index in range(count)
    }


def _page(pages: Sequence[Callable[[], PageCrate]]) -> Callable[[], Iterator[bytes]]:
    """Return a function that reads the crates and draws their page."""
    from ..views.page_view import page_of

    return lambda: iter([page_of([page() for page in pages]).encode()])


def _chart(loaded: Loaded, path: Path, options: ShowOptions, _: Context) -> Views:
    from ..views.chart import chart_of

    chosen = _chosen(loaded.crate, options.animations) if loaded.crate.animations else []

    def drawn() -> Iterator[bytes]:
        seen = [sheet[..., 3] > 0 for sheet in loaded.sheets]
        form: Literal["png", "svg"] = "svg" if path.suffix.lower() == ".svg" else "png"
        return iter([chart_of(loaded.crate, chosen, loaded.picture, seen, form)])

    return {path.name: drawn}


def _films(loaded: Loaded, path: Path, options: ShowOptions, context: Context) -> Views:
    import numpy as np

    from ..views.film import encoded, film_of, strip_of, together

    crate, picture = loaded.crate, cache(loaded.picture)
    chosen = _chosen(crate, options.animations)
    ending = path.suffix.lower()

    def writer_of(animation: Animation) -> Callable[[], Iterator[bytes]]:
        def drawn() -> Iterator[bytes]:
            if options.kind == "strip":
                return encode_png(
                    np.asarray(strip_of(crate, animation, picture, options.film, context.limits)), context.pool
                )
            return iter(
                [encoded(film_of(crate, animation, picture, options.film, options.timing, context.limits), ending)]
            )

        return drawn

    if len(chosen) == 1:
        return {path.name: writer_of(chosen[0])}
    if options.each or options.kind == "strip":
        names = [f"{path.stem}-{_file_name(animation.name)}{path.suffix}" for animation in chosen]
        if len(set(names)) < len(names):
            raise UsageError(
                message("two animations would be written to one file; show them one at a time, with {animation}")
            )
        return dict(zip(names, map(writer_of, chosen), strict=True))

    def all_in_one() -> Iterator[bytes]:
        return iter([encoded(together(crate, chosen, picture, options.film, options.timing, context.limits), ending)])

    return {path.name: all_in_one}


def _file_name(animation: str) -> str:
    return "".join("-" if letter in '/\\:*?"<>|' or not letter.isprintable() else letter for letter in animation)[:80]


def _chosen(crate: Crate, names: Sequence[str]) -> list[Animation]:
    by_name = {animation.name: animation for animation in crate.animations}
    if not by_name:
        raise InputError("the crate has no animations, only stills; show its sheet")
    for name in names:
        if name not in by_name:
            near = nearest(name, by_name)
            hint = f"did you mean {quoted(near)}?" if near else animations_listed(by_name)
            raise UsageError("{animation}: unknown animation {}; {}", quoted(name), hint)
    return [by_name[name] for name in names] if names else list(crate.animations)
