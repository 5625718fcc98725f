"""Every setting once: its section, how its text is read, its default and its help.

A setting is a field of `Settings`. Its command-line option and its crate-file key are the field's name with dashes
(``max_size`` → ``--max-size``); the parser, the reference in docs/settings.md and `given` are all made from the fields.
Reading a setting needs neither NumPy nor Pillow, so ``--help`` stays quick.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, fields
from fractions import Fraction
from typing import TYPE_CHECKING, Any, Generic, Literal, NamedTuple, TypeVar

from ..core.align import PLACES
from ..core.arrange.layout import LayoutOptions
from ..core.arrange.layouts import LAYOUTS
from ..core.arrange.sheet_size import SheetRules
from ..core.color import Color
from ..core.frame.options import ColorKey, Outline, PivotOptions
from ..core.limits import Limits
from ..core.model.geometry import Box, Offset, Size
from ..core.motion.spans import Spans
from ..core.motion.timing import Hold
from . import naming, reader, readers
from .kinds import FLAG, Kind
from .reader import Reader

if TYPE_CHECKING:
    from ..core.model.crate import Loop

T = TypeVar("T")

Section = Literal["take", "prepare", "arrange", "write"]

LOOPS: tuple[Loop, ...] = ("forever", "once", "back-and-forth")


GIVEN_ORDER = ("given",)
"""The order of the inputs, in place of names."""


class PerAnimation(NamedTuple, Generic[T]):
    """A value for all animations, and others for some of them by name."""

    everyone: T
    named: tuple[tuple[str, T], ...] = ()

    def each(self, names: Iterable[str]) -> dict[str, T]:
        """The value of each of these animations."""
        return dict.fromkeys(names, self.everyone) | dict(self.named)

    def of(self, name: str | None) -> T:
        """The value of one animation; without a name, that of the stills."""
        return next((value for named, value in reversed(self.named) if named == name), self.everyone)


class Option(NamedTuple):
    """The declaration of a setting, besides its default.

    A flag has no `read`. `many`: may be given several times, each time one more. `remembered`: frames differ by it, so
    the metadata records it and a proof repeats it; by default all that selects or prepares frames.
    """

    section: Section
    help: str
    metavar: str = ""
    read: Reader[Any] | None = None
    choices: tuple[str, ...] = ()
    per_animation: bool = False
    many: bool = False
    remembered: bool | None = None

    @property
    def kind(self) -> Kind:
        """Return what a crate file may give for it."""
        return self.read.kind if self.read else FLAG

    @property
    def joint(self) -> str:
        """Return what stands between the parts of a value that has several: a list's commas, or the x of a size."""
        return "," if self.metavar.endswith("…") else "x"


def one(section: Section, default: T, help: str, metavar: str, read: Reader[T], **more: Any) -> T:
    """A setting of one value; `more` are further fields of `Option`."""
    return _field(default, Option(section, help, metavar, read, **more))


def flag(section: Section, help: str, **more: Any) -> bool:
    """A setting that is on or off, and off if it is not given."""
    return _field(False, Option(section, help, **more))


def choice(
    section: Section, default: str, help: str, choices: tuple[str, ...], *, metavar: str = "", **more: Any
) -> str:
    """A setting of one word out of several."""
    return one(section, default, help, metavar or "|".join(choices), reader.choice(choices), choices=choices, **more)


def many(section: Section, help: str, metavar: str, read: Reader[T], **more: Any) -> tuple[T, ...]:
    """A setting that may be given several times."""
    nothing: tuple[T, ...] = ()
    return _field(nothing, Option(section, help, metavar, read, many=True, **more))


def per_animation(
    section: Section, default: T, help: str, metavar: str, read: Reader[T], **more: Any
) -> PerAnimation[T]:
    """A setting of one value for all animations, or others for some of them."""
    return _field(PerAnimation(default), Option(section, help, metavar, read, per_animation=True, **more))


def _field(default: T, option: Option) -> T:
    if option.remembered is None:
        option = option._replace(remembered=option.section in ("take", "prepare"))
    return field(default=default, metadata={"option": option})


_NO_PALETTE: str | tuple[Color, ...] = ""
_OWN_CANVAS: str | Size = "own"
_TRIMS = ", ".join(f"{name}: {layout.trim}" for name, layout in LAYOUTS.items() if layout.trim != "off")
_ALIGN = "place of smaller frames in their cells, and of pivots"


@dataclass(frozen=True, slots=True)
class Settings:
    """All settings of a build, read and checked. Field order is the order in the help and in the docs."""

    # fmt: off
    include: tuple[str, ...] = many("take", "use only frames whose names match", "PATTERN", naming.pattern)
    exclude: tuple[str, ...] = many("take", "leave out frames whose names match", "PATTERN", naming.pattern)
    digits: int = one("take", 0,
        "the last N digits of file names are the number, the rest the name (default: found out)", "N",
        reader.whole(1, 9))
    layers: str = choice("take", "",
        "layers of a document: one frame each (default), hidden ones too, or one merged picture (default for vectors)",
        ("separate", "all", "flat"))
    sequence: tuple[tuple[str, tuple[str, ...]], ...] = many("take",
        "make an animation of these frames, in this order: mouth=open,half,shut", "NAME=FRAME,…", naming.sequence)
    rename: tuple[tuple[str, str], ...] = many("take",
        "rename an animation, or a frame; animations with the same new name are joined", "OLD=NEW", naming.new_name)
    frames: PerAnimation[Spans | None] = per_animation("take", None,
        "use only these frames, by position: 5-30, 5-last or 1,3,6-9", "RANGE", naming.spans)
    numbers: PerAnimation[Spans | None] = per_animation("take", None,
        "use only these frames, by the number in their file names: 12-40", "RANGE", naming.spans)
    split: tuple[tuple[str, dict[str, Spans]], ...] = many("take",
        "split an animation: gull=glide:1-20,land:21-44", "NAME=PART:RANGE,…", naming.parts)
    every: PerAnimation[int] = per_animation("take", 1,
        "use every Nth frame; the speed stays the same", "N", reader.whole(1))
    drop_duplicates: bool = flag("take", "drop frames that repeat the frame before")
    drop_closing: bool = flag("take", "drop the last frame if it equals the first")
    tolerance: int = one("take", 0, "duplicates may differ by up to N of 255", "N", reader.whole(0, 64))
    reverse: bool = flag("take", "play every animation backwards")
    mirrored: tuple[tuple[str, str], ...] = many("take",
        "add a copy of an animation, flipped left to right", "NEW=OLD", naming.pair)
    reversed: tuple[tuple[str, str], ...] = many("take",
        "add a copy of an animation, played backwards", "NEW=OLD", naming.pair)
    order: tuple[str, ...] = one("take", (),
        "put these animations or stills first, in this order; given: keep the order of the inputs",
        "NAME,…", naming.names)
    fps: PerAnimation[Fraction | None] = per_animation("take", None,
        "frames per second (default: the source's own times, or 12)", "N", readers.fps)
    duration: PerAnimation[Fraction | None] = per_animation("take", None,
        "length of the whole animation: 800ms or 0.8s", "TIME", readers.time)
    hold: tuple[tuple[str, int, Hold], ...] = many("take",
        "hold a frame: swim:3=2 (twice as long), swim:last=200ms", "NAME:FRAME=N", naming.hold)
    loop: PerAnimation[Loop | None] = per_animation("take", None,
        "how an animation repeats (default: as in its source, or forever)",
        "forever|once|back-and-forth", reader.choice(LOOPS), choices=LOOPS)
    limit: tuple[tuple[str, int], ...] = many("take",
        "change a limit on input: frames=2000000, file-bytes=2GB", "NAME=N", readers.limit, remembered=False)
    vector_size: Size | None = one("prepare", None, "size of vector drawings that have none", "WxH", readers.size)
    font: str = one("prepare", "", "font file for text in vector drawings", "FILE", readers.file)
    exposure: float = one("prepare", 0.0, "brighten rendered light (OpenEXR) by N stops", "N", readers.stops)
    to_srgb: bool = flag("prepare", "convert other color profiles and gammas to sRGB")
    color_key: ColorKey | None = one("prepare", None,
        "make a color transparent: #ff00ff, corner, or corner:12 (with a tolerance)", "COLOR", readers.color_key)
    region: str | Box | None = one("prepare", None,
        "use only this part of every canvas, before scaling: 420x420+131+58, or auto for all that is visible in the "
        "crate, or animation", "WxH+X+Y", readers.region)
    scale: Fraction = one("prepare", Fraction(1),
        "scale frames: 50%, 0.5 or 3x; pixel art also needs resample pixel", "N", readers.scale)
    fit: Size | None = one("prepare", None,
        "scale all frames by one factor, so that the largest fits", "WxH", readers.size)
    fit_to: str = choice("prepare", "canvas",
        "what must fit: whole canvases, or only the visible art", ("canvas", "art"))
    resample: str = choice("prepare", "smooth",
        "smooth: filtered; pixel: hard pixels, for whole factors", ("smooth", "pixel"))
    clear_alpha: int = one("prepare", 0, "clear pixels with alpha up to N", "N", reader.whole(1, 254))
    hard_alpha: int = one("prepare", 0, "make alpha from N up opaque, and clear the rest", "N", reader.whole(1, 255))
    palette: str | tuple[Color, ...] = one("prepare", _NO_PALETTE,
        "use the nearest colors of a palette: a file, or #rrggbb,#rrggbb", "FILE", readers.palette)
    colors: int = one("prepare", 0, "reduce the whole crate to N colors", "N", reader.whole(2, 256))
    dither: bool = flag("prepare", "dither with a fixed pattern when colors are reduced")
    recolor: tuple[tuple[Color, Color], ...] = many("prepare",
        "exchange an exact color of the result: #aa3322=#2255aa", "OLD=NEW", readers.exchange)
    canvas: str | Size = one("prepare", _OWN_CANVAS,
        "size of all canvases: own, animation or common (the largest of the animation, or of all), or a size",
        "WxH", readers.canvas)
    canvas_multiple: int = one("prepare", 1,
        "make canvas sides multiples of N, with empty pixels", "N", reader.whole(1, 256))
    align: str = choice("prepare", "bottom", _ALIGN, tuple(PLACES), metavar="PLACE")
    shift: PerAnimation[Offset | None] = per_animation("prepare", None,
        "move frames, with their pivots, on their canvas", "X,Y", readers.shift)
    outline: Outline | None = one("prepare", None,
        "draw an outline: #201830:2, or #201830:2:inner", "COLOR:N", readers.outline)
    trim: str = choice("prepare", "",
        f"trim empty margins, per frame, animation or sheet (default: off; {_TRIMS})",
        ("off", "frame", "animation", "sheet"))
    trim_alpha: int = one("prepare", 0, "treat alpha up to N as empty when trimming", "N", reader.whole(0, 254))
    no_offsets: bool = flag("prepare", "forget how far frames were trimmed, as if drawn that way")
    pivot: PerAnimation[PivotOptions | None] = per_animation("prepare", None,
        "the point that stays fixed in the game: 0.5,1, bottom-left:48px,0px, feet, art:center or a place (default: as "
        "align)",
        "POINT", readers.pivot)
    snap_pivot: bool = flag("prepare", "round pivots to whole pixels")
    fill_under: bool = flag("prepare", "fill transparent pixels with nearby colors, for texture filtering")
    shape: str = choice("prepare", "", "add collision polygons: convex, or following the edge", ("hull", "contour"))
    shape_points: int = one("prepare", 0, "at most N points per polygon", "N", reader.whole(4, 1000))
    shape_of: str = choice("prepare", "frame", "one shape per frame, or one per animation", ("frame", "animation"))
    layout: str = choice("arrange", "grid", "; ".join(layout.help for layout in LAYOUTS.values()), tuple(LAYOUTS),
        remembered=True)
    columns: int = one("arrange", 0, "cells per row (default: chosen for a compact sheet)", "N", reader.whole(1))
    rows: int = one("arrange", 0, "cells per column (default: chosen for a compact sheet)", "N", reader.whole(1))
    cell: Size | None = one("arrange", None,
        "cell size (default: the largest canvas)", "WxH", readers.size, remembered=True)
    down: bool = flag("arrange", "grid: fill columns first; strip: one column")
    gap: int = one("arrange", 0, "empty pixels between frames", "N", reader.whole(0))
    margin: int = one("arrange", 0, "empty pixels along the sheet's edges", "N", reader.whole(0))
    cushion: int = one("arrange", 0,
        "empty pixels kept around trimmed frames, inside their boxes", "N", reader.whole(0, 1024), remembered=True)
    edge_repeat: int = one("arrange", 0,
        "repeat edge pixels N times outward, into gap and margin", "N", reader.whole(0, 1024))
    turn: bool = flag("arrange", "tight: allow frames turned by 90°")
    store_duplicates: bool = flag("arrange", "tight: store equal frames separately")
    share_mirrored: bool = flag("arrange", "tight: store mirror images only once")
    aspect: float = one("arrange", 2.0,
        "tight, blocks: the longer side is at most N times the shorter, or any", "N", readers.aspect)
    effort: str = choice("arrange", "normal",
        "tight, blocks: how long to search for smaller sheets", ("quick", "normal", "deep"))
    one_sheet: bool = flag("arrange", "fail unless all frames fit on one sheet")
    break_animations: bool = flag("arrange", "tight: let an animation continue on the next sheet")
    keep_places: bool = flag("arrange", "tight: keep frames where the last build put them")
    max_size: Size = one("arrange", Size(4096, 4096),
        "largest sheet; more frames go on further sheets", "WxH", readers.size)
    size: Size | None = one("arrange", None, "exact sheet size (max-size is then ignored)", "WxH", readers.size)
    square_cells: bool = flag("arrange", "make cells square; with fit, as large as it", remembered=True)
    pow2: bool = flag("arrange", "make sheet sides powers of two")
    square: bool = flag("arrange", "make sheets square")
    multiple: int = one("arrange", 1, "make sheet sides multiples of N", "N", reader.whole(1))
    metadata: tuple[str, ...] = one("write", ("json",),
        "text formats to write: json, xml, css, csv; or none", "FORMAT,…", readers.formats)
    compact: bool = flag("write", "write JSON on one line")
    template: tuple[str, ...] = many("write",
        "write another text format from a template such as engine.lua.j2", "FILE", readers.template)
    set: tuple[tuple[str, str], ...] = many("write",
        "set a variable for templates: engine_scale=2", "NAME=VALUE", readers.variable)
    file_name: str = one("write", "",
        "name sheets by a pattern: {name}_{cell_width}x{cell_height}_{frames}", "PATTERN", readers.file_name)
    image: str = choice("write", "png", "sheet format: PNG, or lossless WebP", ("png", "webp"))
    also_scale: tuple[Fraction, ...] = one("write", (),
        "also write the crate at other sizes: 50%,25%", "N,…", readers.other_scales)
    matched: bool = flag("write",
        "with also-scale: one arrangement for all sizes, whose boxes are exact multiples")
    premultiply: bool = flag("write", "multiply sheet colors by alpha", remembered=True)
    background: Color | None = one("write", None,
        "flatten sheets onto a color, without alpha", "COLOR", readers.color, remembered=True)
    optimize: bool = flag("write", "write the smallest files, however long that takes")
    # fmt: on

    portion: Fraction = Fraction(1)
    """By how much all lengths and the scale have been multiplied, see `portions`."""

    given: Mapping[str, Any] = field(default_factory=dict, compare=False)
    """Values as given, by field name, before reading."""

    @property
    def trimming(self) -> str:
        """Return how frames are trimmed, by default the layout's own way."""
        return "off" if self.recenters else self.trim or LAYOUTS[self.layout].trim

    @property
    def finds_region(self) -> bool:
        """Return True if the region is found from what is visible."""
        return isinstance(self.region, str)

    @property
    def scales_late(self) -> bool:
        """Return True if frames can be scaled only after all of them were decoded."""
        return self.fit is not None or self.finds_region

    @property
    def recenters(self) -> bool:
        """Return True if all frames together are trimmed before they get a canvas of a fixed size."""
        return self.trim == "sheet" and isinstance(self.canvas, Size)

    @property
    def limits(self) -> Limits:
        """The limits of what is read, which a build may change."""
        return Limits(**dict(self.limit))

    @property
    def files(self) -> tuple[str, ...]:
        """The files that a build reads beside frames: templates, a font, a palette."""
        palette = self.palette if isinstance(self.palette, str) else ""
        return tuple(filter(None, (*self.template, self.font, palette)))

    @property
    def has_one_cell(self) -> bool:
        """Return True if all frames lie in cells of one size."""
        return LAYOUTS[self.layout].has_one_cell

    @property
    def kept_margin(self) -> int:
        """The margin, with room for repeated edges, at every matched size."""
        return self._divisible(self.margin, self.edge_repeat)

    @property
    def kept_gap(self) -> int:
        """The gap, with room for the repeated edges of both neighbors, at every matched size."""
        return self._divisible(self.gap, 2 * self.edge_repeat)

    @property
    def unit(self) -> int:
        """The smallest length in pixels that is whole at every matched size. Boxes and gaps are multiples of it."""
        return math.lcm(*(portion.denominator for portion in self.also_scale)) if self.matched else 1

    def _divisible(self, spacing: int, least: int) -> int:
        """Return the spacing, widened so that the `least` remains at every matched size."""
        smallest = min((Fraction(1), *self.also_scale)) if self.matched else Fraction(1)
        return math.ceil(max(spacing, math.ceil(least / smallest)) / self.unit) * self.unit

    @property
    def layout_options(self) -> LayoutOptions:
        """Return how frames are to be arranged."""
        return LayoutOptions(
            align=self.align,
            cell=self.cell,
            columns=self.columns,
            rows=self.rows,
            down=self.down,
            margin=self.kept_margin,
            gap=self.kept_gap,
            edge_repeat=self.edge_repeat,
            rules=self.sheet_rules,
            aspect=self.aspect or None,
            turn=self.turn,
            effort=self.effort,
            store_duplicates=self.store_duplicates,
            share_mirrored=self.share_mirrored,
            break_animations=self.break_animations,
            keep_places=self.keep_places,
            one_sheet=self.one_sheet,
            square_cells=self.square_cells,
            unit=self.unit,
        )

    @property
    def sheet_rules(self) -> SheetRules:
        """Return what a sheet's size must obey."""
        multiple = math.lcm(self.multiple, self.unit)
        return SheetRules(self.max_size, self.size, self.pow2, self.square, multiple)


def options() -> dict[str, tuple[Option, Any]]:
    """Return every setting's option and default, by field name, in order."""
    return {f.name: (f.metadata["option"], f.default) for f in fields(Settings) if f.metadata}
