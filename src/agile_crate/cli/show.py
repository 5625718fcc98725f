"""``agile-crate show``: a crate to look at, before it is handed off."""

from __future__ import annotations

import argparse
import json
from typing import Any

from .parser import add_common, read_value
from .status import Status

USAGE = "DATA --out PATH"

DESCRIPTION = """\
Shows a crate from its written files alone. A .png is the annotated sheet (every box outlined and named, canvases
dotted, pivots crossed, gaps and margins shaded), or with --as strip all frames of an animation side by side. An .html
is a page with a player, in one file. A .gif, .apng or .webp plays the animations, each frame by its pivot, as an
engine would.

The usual call:  agile-crate show build/otter.json --out look/otter.png
"""

EXAMPLES = """\
examples (on what 'agile-crate demo' writes):
  agile-crate show otter-post/crate/otter.json --out look/otter.png
  agile-crate show otter-post/crate/otter.json --out look/otter.html
  agile-crate show otter-post/crate/otter.json --out look/swim.gif --animation swim --zoom 3 --ground line --onion 2
  agile-crate show otter-post/crate/otter.json --out look/all.webp --speed 50%
  agile-crate show otter-post/crate/otter.json --out look/swim.png --as strip --animation swim --ground line
"""


def declare(parser: argparse.ArgumentParser) -> None:
    group = parser.add_argument_group("what is shown, and where to")
    group.add_argument("data", metavar="DATA", help="the crate's metadata, JSON or XML")
    group.add_argument("--out", metavar="PATH", required=True, help="a .png, .html, .gif, .apng or .webp")
    group.add_argument(
        "--as",
        dest="kind",
        choices=("sheet", "strip", "film", "page"),
        metavar="KIND",
        help="what it is, where the ending leaves a choice: strip",
    )
    group.add_argument("--force", action="store_true", help="overwrite files that are there")
    looks = parser.add_argument_group("how it is drawn")
    looks.add_argument("--backdrop", metavar="COLOR", help="checker (the default), #rrggbb, or for films none")
    looks.add_argument("--zoom", metavar="N", help="every pixel as N×N; a sheet's is chosen if not given")
    films = parser.add_argument_group("films and strips")
    films.add_argument(
        "--animation", metavar="NAME", action="append", default=[], help="only this one; may be given several times"
    )
    films.add_argument("--each", action="store_true", help="a file for each animation, not all on one picture")
    films.add_argument("--fps", metavar="N", help="frames a second instead of their own times")
    films.add_argument("--speed", metavar="N", help="slower or faster: 50%% or 2")
    films.add_argument("--onion", metavar="N", help="tint N frames before (orange) and after (blue)")
    films.add_argument("--pivots", action="store_true", help="mark the pivot")
    films.add_argument("--shapes", action="store_true", help="draw collision shapes")
    films.add_argument(
        "--ground", choices=("line", "rosette"), metavar="GUIDE", help="line, or rosette: eight directions from above"
    )
    add_common(parser)


FILM_ONLY = ("animation", "fps", "speed", "onion", "pivots", "shapes", "ground", "each")


def run(arguments: argparse.Namespace) -> int:
    from ..core.errors import UsageError
    from ..showing import kind_of, show
    from ..threads import workers
    from .progress import progress_bars

    kind = kind_of(arguments.out, arguments.kind)
    given = [name for name in FILM_ONLY if getattr(arguments, name)]
    if kind == "page" and (given or arguments.backdrop or arguments.zoom):
        asked = (given or [name for name in ("backdrop", "zoom") if getattr(arguments, name)])[0]
        raise UsageError(f"a page has --{asked} among its own controls; leave it out")
    if kind == "sheet" and given:
        raise UsageError(f"--{given[0]} is for films and strips; add --as strip, or write a .gif, .apng or .webp")
    wish = _wish(arguments, kind)
    with workers() as executor, progress_bars(arguments.quiet) as progress:
        files = show(arguments.data, arguments.out, wish, executor, progress, arguments.force)
    if arguments.json:
        document = {"command": "show", "kind": kind, "files": [str(path) for path in files]}
        print(json.dumps(document, ensure_ascii=False, indent=2))
    elif not arguments.quiet:
        from ..core.text import shown

        for path in files:
            print(f"wrote {shown(str(path))}")
    return Status.DONE


def _wish(arguments: argparse.Namespace, kind: Any) -> Any:
    from ..core.errors import UsageError
    from ..showing import ShowWish
    from ..values import color, fps, scale, whole
    from ..views.film import FilmWish, Timing

    clear = arguments.backdrop == "none"
    if clear and kind != "film":
        raise UsageError("--backdrop none is for films; give a colour, or leave it out for a checkerboard")
    ground = None
    if arguments.backdrop not in (None, "none", "checker"):
        ground = read_value("backdrop", color, arguments.backdrop)
    zoom = read_value("zoom", whole(1, 64), arguments.zoom) if arguments.zoom else 1 if kind in ("film", "strip") else 0
    film = FilmWish(
        ground=ground,
        clear=clear,
        zoom=zoom,
        onion=read_value("onion", whole(0, 16), arguments.onion) if arguments.onion else 0,
        pivots=arguments.pivots,
        shapes=arguments.shapes,
        guide=arguments.ground or "",
    )
    timing = Timing(
        fps=read_value("fps", fps, arguments.fps) if arguments.fps else None,
        speed=read_value("speed", scale, arguments.speed) if arguments.speed else scale("1"),
    )
    return ShowWish(kind, tuple(arguments.animation), arguments.each, film, timing)
