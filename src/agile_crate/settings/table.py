"""Every setting once: its section, how its text is read, its default and its help.

A setting is a field of `Settings`. Its command-line option and its crate-file key are the field's name with dashes
(``max_size`` → ``--max-size``); the parser, the reference in docs/settings.md and `given` are all made from the fields.
Reading a setting needs neither NumPy nor Pillow, so ``--help`` stays quick.
"""

from __future__ import annotations

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
from ..core.model.geometry import Offset, Size
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
    """What is declared with a field of `Settings`, beside its default.

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
        """What a crate file may give for it."""
        return self.read.kind if self.read else FLAG

    @property
    def joint(self) -> str:
        """What stands between the parts of a value that has several: a list's commas, or the x of a size."""
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
_ALIGN = "where a smaller canvas stands in its cell, and the pivot"


@dataclass(frozen=True, slots=True)
class Settings:
    """All settings of a build, read and checked. Field order is the order in the help and in the docs."""

    # fmt: off
    include: tuple[str, ...] = many("take", "only frames whose name matches", "PATTERN", naming.pattern)
    exclude: tuple[str, ...] = many("take", "no frames whose name matches", "PATTERN", naming.pattern)
    layers: str = choice("take", "",
        "layers are frames, or one picture; of layered documents frames, of vectors one if not given",
        ("separate", "flat"))
    rename: tuple[tuple[str, str], ...] = many("take", "another name for an animation; several of one name are joined",
        "OLD=NEW", naming.new_name)
    frames: PerAnimation[Spans | None] = per_animation("take", None, "only these, by position: 5-30, 5-last or 1,3,6-9",
        "RANGE", naming.spans)
    numbers: PerAnimation[Spans | None] = per_animation("take", None, "only these, by the numbers in their names: 4-27",
        "RANGE", naming.spans)
    split: tuple[tuple[str, dict[str, Spans]], ...] = many("take", "cut one into several: gull=glide:1-20,land:21-44",
        "NAME=PART:RANGE,…", naming.parts)
    every: PerAnimation[int] = per_animation("take", 1, "the first of every N frames; the pace stays", "N",
        reader.whole(1))
    drop_copies: bool = flag("take", "drop frames that only repeat the one before")
    drop_closing: bool = flag("take", "drop a last frame that equals the first")
    alike: int = one("take", 0, "frames are copies if no value differs by more than N of 255", "N", reader.whole(0, 64))
    reverse: bool = flag("take", "every animation backwards")
    mirrored: tuple[tuple[str, str], ...] = many("take", "another animation, left and right exchanged", "NEW=OLD",
        naming.pair)
    reversed: tuple[tuple[str, str], ...] = many("take", "another animation, played backwards", "NEW=OLD", naming.pair)
    order: tuple[str, ...] = one("take", (), "these animations or stills first, in this order", "NAME,…", naming.names)
    fps: PerAnimation[Fraction | None] = per_animation("take", None, "frames a second; 12, or the source's own times",
        "N", readers.fps)
    duration: PerAnimation[Fraction | None] = per_animation("take", None, "the whole animation: 800ms or 0.8s", "TIME",
        readers.time)
    hold: tuple[tuple[str, int, Hold], ...] = many("take", "hold a frame: swim:3=2 (twice as long), swim:last=200ms",
        "NAME:FRAME=N", naming.hold)
    loop: PerAnimation[Loop | None] = per_animation("take", None, "how it repeats; forever, or as its source says",
        "forever|once|back-and-forth", reader.choice(LOOPS), choices=LOOPS)
    limit: tuple[tuple[str, int], ...] = many("take", "another limit for what is read: frames=2000000, file-bytes=2GB",
        "NAME=N", readers.limit, remembered=False)
    vector_size: Size | None = one("prepare", None, "the size of drawings in vectors that say none", "WxH",
        readers.size)
    font: str = one("prepare", "", "the font for text in drawings, a file", "FILE", readers.file)
    exposure: float = one("prepare", 0.0, "rendered light (OpenEXR) brighter by so many stops", "N", readers.stops)
    to_srgb: bool = flag("prepare", "convert pictures of another color profile or gamma to sRGB")
    color_key: ColorKey | None = one("prepare", None,
        "make this color transparent: #ff00ff, corner, corner:12 (tolerance)", "COLOR", readers.color_key)
    scale: Fraction = one("prepare", Fraction(1), "make frames smaller or larger: 50%, 0.5 or 3x", "N", readers.scale)
    fit: Size | None = one("prepare", None, "scale all by one factor, so that the largest just fits", "WxH",
        readers.size)
    fit_to: str = choice("prepare", "canvas", "what is to fit: canvases, or what is visible on them", ("canvas", "art"))
    resample: str = choice("prepare", "smooth", "smooth: filtered; pixel: nearest, for whole factors",
        ("smooth", "pixel"))
    clear_below: int = one("prepare", 0, "alpha up to N becomes empty, everywhere", "N", reader.whole(1, 254))
    hard_alpha: int = one("prepare", 0, "alpha from N on becomes opaque, below empty", "N", reader.whole(1, 255))
    palette: str | tuple[Color, ...] = one("prepare", _NO_PALETTE,
        "the nearest colors of a palette: a file, or #rrggbb,#rrggbb", "FILE", readers.palette)
    colors: int = one("prepare", 0, "the nearest of N colors, found for the whole crate", "N", reader.whole(2, 256))
    dither: bool = flag("prepare", "mix palette colors in a still pattern")
    canvas: str | Size = one("prepare", _OWN_CANVAS,
        "own, animation or common (the largest there, or of all), or a size", "WxH", readers.canvas)
    align: str = choice("prepare", "bottom", _ALIGN, tuple(PLACES), metavar="PLACE")
    shift: PerAnimation[Offset | None] = per_animation("prepare", None,
        "move all frames on their canvas, pivot included", "X,Y", readers.shift)
    outline: Outline | None = one("prepare", None, "a line round figures, or inside them: #201830:2, #201830:2:inner",
        "COLOR:N", readers.outline)
    trim: str = choice("prepare", "",
        f"cut off the empty rim: by frame, animation or sheet; off by itself, but {_TRIMS}",
        ("off", "frame", "animation", "sheet"))
    alpha_floor: int = one("prepare", 0, "alpha up to N counts as empty when trimming", "N", reader.whole(0, 254))
    forget_offsets: bool = flag("prepare", "write trimmed frames as if drawn on what is left of them")
    pivot: PerAnimation[PivotOptions | None] = per_animation("prepare", None,
        "the point that stays put: 0.5,1 or 48px,90px or feet or a place; as align says", "POINT", readers.pivot)
    snap_pivot: bool = flag("prepare", "pivots on whole pixels")
    fill_under: bool = flag("prepare", "carry colors under transparent pixels, for texture filters")
    shape: str = choice("prepare", "", "polygons round what is visible: convex, or following the edge",
        ("hull", "contour"))
    shape_points: int = one("prepare", 0, "at most so many points to a polygon", "N", reader.whole(4, 1000))
    shape_of: str = choice("prepare", "frame", "a shape for each frame, or one for an animation",
        ("frame", "animation"))
    layout: str = choice("arrange", "grid", "; ".join(layout.help for layout in LAYOUTS.values()), tuple(LAYOUTS),
        remembered=True)
    columns: int = one("arrange", 0, "cells side by side; chosen for you if not given", "N", reader.whole(1))
    rows: int = one("arrange", 0, "cells one below the other; chosen for you if not given", "N", reader.whole(1))
    cell: Size | None = one("arrange", None, "cell size; by default the largest canvas", "WxH", readers.size,
        remembered=True)
    down: bool = flag("arrange", "grid: fill columns first; strip: one column")
    gap: int = one("arrange", 0, "empty pixels between neighbors", "N", reader.whole(0))
    margin: int = one("arrange", 0, "empty pixels along the sheet's edges", "N", reader.whole(0))
    cushion: int = one("arrange", 0, "empty pixels kept round trimmed frames, inside their boxes", "N",
        reader.whole(0, 1024), remembered=True)
    edge_repeat: int = one("arrange", 0, "copy the outermost pixels outwards, corners too, into gap and margin", "N",
        reader.whole(0, 1024))
    turn: bool = flag("arrange", "tight: frames may lie turned by 90°")
    keep_repeats: bool = flag("arrange", "tight: store equal frames each by itself")
    share_mirrored: bool = flag("arrange", "tight: store mirror images only once, too")
    aspect: float = one("arrange", 2.0, "tight, blocks: one side at most so many times the other, or any", "N",
        readers.aspect)
    effort: str = choice("arrange", "steady", "tight, blocks: how long to search", ("quick", "steady", "deep"))
    one_sheet: bool = flag("arrange", "an error if one sheet cannot hold all")
    part_animations: bool = flag("arrange", "tight: part an animation where a sheet is full")
    keep_places: bool = flag("arrange", "tight: frames stay where they were in the build before")
    max_size: Size = one("arrange", Size(4096, 4096), "largest sheet; further frames go on to the next", "WxH",
        readers.size)
    size: Size | None = one("arrange", None, "exactly this sheet size (max-size is then not looked at)", "WxH",
        readers.size)
    pow2: bool = flag("arrange", "sheet sides are powers of two")
    square: bool = flag("arrange", "sheets are square")
    multiple: int = one("arrange", 1, "sheet sides are multiples of N", "N", reader.whole(1))
    metadata: tuple[str, ...] = one("write", ("json",), "what is written beside the sheets, commas between", "FORMAT,…",
        readers.formats)
    compact: bool = flag("write", "JSON on one line")
    template: tuple[str, ...] = many("write", "another text format, by a template such as engine.lua.j2", "FILE",
        readers.template)
    set: tuple[tuple[str, str], ...] = many("write", "a variable for templates: engine_scale=2", "NAME=VALUE",
        readers.variable)
    file_name: str = one("write", "", "the sheets' file names, such as {name}_{cell_width}x{cell_height}_{frames}",
        "PATTERN", readers.file_name)
    image: str = choice("write", "png", "what the sheets' files are: PNG, or WebP without loss", ("png", "webp"))
    also_scale: tuple[Fraction, ...] = one("write", (), "the same crate at other sizes, too: 50%,25%", "N,…",
        readers.other_scales)
    premultiply: bool = flag("write", "sheets' colors multiplied by their alpha", remembered=True)
    background: Color | None = one("write", None, "sheets flattened on this color, without alpha", "COLOR",
        readers.color, remembered=True)
    squeeze: bool = flag("write", "the smallest files, however long that takes")
    # fmt: on

    portion: Fraction = Fraction(1)
    """By how much all lengths and the scale have been multiplied, see `portions`."""

    given: Mapping[str, Any] = field(default_factory=dict, compare=False)
    """What was given, by field name, before it was read."""

    @property
    def trimming(self) -> str:
        """How frames are trimmed, the layout's own way where nothing was said."""
        return self.trim or LAYOUTS[self.layout].trim

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
        """Whether all frames lie in cells of one size."""
        return LAYOUTS[self.layout].has_one_cell

    @property
    def kept_margin(self) -> int:
        """The margin, with room for repeated edges."""
        return max(self.margin, self.edge_repeat)

    @property
    def kept_gap(self) -> int:
        """The gap, with room for the repeated edges of both neighbors."""
        return max(self.gap, 2 * self.edge_repeat)

    @property
    def layout_options(self) -> LayoutOptions:
        """How frames are to be arranged."""
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
            keep_repeats=self.keep_repeats,
            share_mirrored=self.share_mirrored,
            part_animations=self.part_animations,
            keep_places=self.keep_places,
            one_sheet=self.one_sheet,
        )

    @property
    def sheet_rules(self) -> SheetRules:
        """What a sheet's size must obey."""
        return SheetRules(self.max_size, self.size, self.pow2, self.square, self.multiple)


def options() -> dict[str, tuple[Option, Any]]:
    """Every setting's option and default, by field name, in order."""
    return {f.name: (f.metadata["option"], f.default) for f in fields(Settings) if f.metadata}
