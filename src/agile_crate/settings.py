"""Every setting once: its section, how its text is read, its default and its help.

A setting is a field of `Settings`. Its command-line option and its crate-file key are the field's name with dashes
(``max_size`` → ``--max-size``); the parser, the reference in docs/settings.md and `settings_from` are all made from
the fields. Reading a setting needs neither NumPy nor Pillow, so ``--help`` stays quick.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, fields
from fractions import Fraction
from typing import Any, Generic, NamedTuple, TypeVar

from . import values
from .contradictions import contradictions
from .core.align import PLACES
from .core.color import Color
from .core.errors import UsageError
from .core.model import Loop, Offset, Size
from .core.sheet_size import SheetRules
from .core.spans import Spans
from .core.text import percent, quoted
from .core.timing import Hold
from .core.wishes import ColorKey, Outline, PivotWish

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class PerAnimation(Generic[T]):
    """A value for all animations, and others for some of them by name."""

    everyone: T
    named: tuple[tuple[str, T], ...] = ()

    def each(self, names: Iterable[str]) -> dict[str, T]:
        """The value of each of these animations."""
        return dict.fromkeys(names, self.everyone) | dict(self.named)


class Option(NamedTuple):
    """What is declared with a field of `Settings`, beside its default.

    `many`: may be given several times, each time one more. `remembered`: frames differ by it, so the metadata
    records it and a proof repeats it.
    """

    section: str
    help: str
    metavar: str
    read: Callable[[str], Any] | None
    choices: tuple[str, ...]
    per_animation: bool
    many: bool
    remembered: bool


def _setting(
    section: str,
    default: Any,
    help: str,
    metavar: str = "",
    read: Callable[[str], Any] | None = None,
    choices: Iterable[str] = (),
    per_animation: bool = False,
    many: bool = False,
    remembered: bool = False,
) -> Any:
    choices = tuple(choices)
    reader = values.choice(choices) if choices else read
    option = Option(section, help, metavar or "|".join(choices), reader, choices, per_animation, many, remembered)
    return field(default=PerAnimation(default) if per_animation else default, metadata={"option": option})


_ALIGN = "where a smaller canvas stands in its cell, and the pivot"


@dataclass(frozen=True, slots=True)
class Settings:
    """All settings of a build, read and checked. Field order is the order in the help and in the docs."""

    include: tuple[str, ...] = _setting(
        "take", (), "only frames whose name matches", "PATTERN", values.pattern, many=True, remembered=True
    )
    exclude: tuple[str, ...] = _setting(
        "take", (), "no frames whose name matches", "PATTERN", values.pattern, many=True, remembered=True
    )
    layers: str = _setting(
        "take",
        "separate",
        "layered documents: frames, or one picture",
        choices=("separate", "flat"),
        remembered=True,
    )
    rename: tuple[tuple[str, str], ...] = _setting(
        "take", (), "another name for an animation and its frames", "OLD=NEW", values.pair, many=True, remembered=True
    )
    frames: PerAnimation[Spans | None] = _setting(
        "take",
        None,
        "only these, by position: 5-30 or 1,3,6-9",
        "RANGE",
        values.spans,
        per_animation=True,
        remembered=True,
    )
    split: tuple[tuple[str, dict[str, Spans]], ...] = _setting(
        "take",
        (),
        "cut one into several: gull=glide:1-20,land:21-44",
        "NAME=PART:RANGE,…",
        values.parts,
        many=True,
        remembered=True,
    )
    every: PerAnimation[int] = _setting(
        "take",
        1,
        "the first of every N frames; the pace stays",
        "N",
        values.whole(1),
        per_animation=True,
        remembered=True,
    )
    drop_copies: bool = _setting("take", False, "drop frames that only repeat the one before", remembered=True)
    drop_closing: bool = _setting("take", False, "drop a last frame that equals the first", remembered=True)
    reverse: bool = _setting("take", False, "every animation backwards", remembered=True)
    mirrored: tuple[tuple[str, str], ...] = _setting(
        "take", (), "another animation, left and right exchanged", "NEW=OLD", values.pair, many=True, remembered=True
    )
    reversed: tuple[tuple[str, str], ...] = _setting(
        "take", (), "another animation, played backwards", "NEW=OLD", values.pair, many=True, remembered=True
    )
    order: tuple[str, ...] = _setting("take", (), "these animations first, in this order", "NAME,…", values.names)
    fps: PerAnimation[Fraction | None] = _setting(
        "take", None, "frames a second; 12, or the source's own times", "N", values.fps, per_animation=True
    )
    duration: PerAnimation[Fraction | None] = _setting(
        "take", None, "the whole animation: 800ms or 0.8s", "TIME", values.time, per_animation=True
    )
    hold: tuple[tuple[str, int, Hold], ...] = _setting(
        "take", (), "hold a frame: swim:3=2 (twice as long), swim:3=200ms", "NAME:FRAME=N", values.hold, many=True
    )
    loop: PerAnimation[Loop | None] = _setting(
        "take",
        None,
        "how it repeats; forever, or as its source says",
        choices=("forever", "once", "back-and-forth"),
        per_animation=True,
    )
    color_key: ColorKey | None = _setting(
        "prepare",
        None,
        "make this colour transparent: #ff00ff, corner, corner:12 (tolerance)",
        "COLOR",
        values.color_key,
        remembered=True,
    )
    scale: Fraction = _setting(
        "prepare", Fraction(1), "make frames smaller or larger: 50% or 0.5", "N", values.scale, remembered=True
    )
    fit: Size | None = _setting(
        "prepare", None, "scale all by one factor, so that the largest just fits", "WxH", values.size, remembered=True
    )
    resample: str = _setting(
        "prepare",
        "smooth",
        "smooth: filtered; pixel: nearest, for whole factors",
        choices=("smooth", "pixel"),
        remembered=True,
    )
    hard_alpha: int = _setting(
        "prepare", 0, "alpha from N on becomes opaque, below empty", "N", values.whole(1, 255), remembered=True
    )
    palette: str | tuple[Color, ...] = _setting(
        "prepare",
        "",
        "the nearest colours of a palette: a file, or #rrggbb,#rrggbb",
        "FILE",
        values.palette,
        remembered=True,
    )
    colors: int = _setting(
        "prepare", 0, "the nearest of N colours, found for the whole crate", "N", values.whole(2, 256), remembered=True
    )
    dither: bool = _setting("prepare", False, "mix palette colours in a still pattern", remembered=True)
    canvas: str | Size = _setting(
        "prepare",
        "own",
        "own, animation or common (the largest there, or of all), or a size",
        "WxH",
        values.canvas,
        remembered=True,
    )
    align: str = _setting("prepare", "bottom", _ALIGN, "PLACE", choices=PLACES, remembered=True)
    shift: PerAnimation[Offset | None] = _setting(
        "prepare",
        None,
        "move all frames on their canvas, pivot included",
        "X,Y",
        values.shift,
        per_animation=True,
        remembered=True,
    )
    outline: Outline | None = _setting(
        "prepare",
        None,
        "a line round figures, or inside them: #201830:2, #201830:2:inner",
        "COLOR:N",
        values.outline,
        remembered=True,
    )
    trim: str = _setting(
        "prepare",
        "",
        "cut off the empty rim: of each frame, or alike in an animation or all; off, but tight: frame",
        choices=("off", "frame", "animation", "sheet"),
        remembered=True,
    )
    alpha_floor: int = _setting(
        "prepare", 0, "alpha up to N counts as empty when trimming", "N", values.whole(0, 254), remembered=True
    )
    forget_offsets: bool = _setting(
        "prepare", False, "write trimmed frames as if drawn on what is left of them", remembered=True
    )
    pivot: PerAnimation[PivotWish | None] = _setting(
        "prepare",
        None,
        "the point that stays put: 0.5,1 or 48px,90px or feet or a place; as --align",
        "POINT",
        values.pivot,
        per_animation=True,
        remembered=True,
    )
    snap_pivot: bool = _setting("prepare", False, "pivots on whole pixels", remembered=True)
    fill_under: bool = _setting(
        "prepare", False, "carry colours under transparent pixels, for texture filters", remembered=True
    )
    shape: str = _setting(
        "prepare",
        "",
        "polygons round what is visible: convex, or following the edge",
        choices=("hull", "contour"),
        remembered=True,
    )
    shape_points: int = _setting(
        "prepare", 0, "at most so many points to a polygon", "N", values.whole(4, 1000), remembered=True
    )
    shape_of: str = _setting(
        "prepare",
        "frame",
        "a shape for each frame, or one for an animation",
        choices=("frame", "animation"),
        remembered=True,
    )
    layout: str = _setting(
        "arrange",
        "grid",
        "columns and rows; one row; one animation a row; or packed as close as can be",
        choices=("grid", "strip", "rows", "tight"),
        remembered=True,
    )
    columns: int = _setting("arrange", 0, "cells side by side; chosen for you if not given", "N", values.whole(1))
    rows: int = _setting("arrange", 0, "cells one below the other; chosen for you if not given", "N", values.whole(1))
    cell: Size | None = _setting(
        "arrange", None, "cell size; by default the largest canvas", "WxH", values.size, remembered=True
    )
    down: bool = _setting("arrange", False, "grid: fill columns first; strip: one column")
    gap: int = _setting("arrange", 0, "empty pixels between neighbours", "N", values.whole(0))
    margin: int = _setting("arrange", 0, "empty pixels along the sheet's edges", "N", values.whole(0))
    cushion: int = _setting(
        "arrange",
        0,
        "empty pixels kept round trimmed frames, inside their boxes",
        "N",
        values.whole(0, 1024),
        remembered=True,
    )
    edge_repeat: int = _setting(
        "arrange", 0, "copy the outermost pixels outwards, corners too, into gap and margin", "N", values.whole(0, 1024)
    )
    turn: bool = _setting("arrange", False, "tight: frames may lie turned by 90°")
    keep_repeats: bool = _setting("arrange", False, "tight: store equal frames each by itself")
    share_mirrored: bool = _setting("arrange", False, "tight: store mirror images only once, too")
    aspect: float = _setting(
        "arrange", 2.0, "tight: one side at most so many times the other, or any", "N", values.aspect
    )
    effort: str = _setting("arrange", "steady", "tight: how long to search", choices=("quick", "steady", "deep"))
    one_sheet: bool = _setting("arrange", False, "an error if one sheet cannot hold all")
    max_size: Size = _setting(
        "arrange", Size(4096, 4096), "largest sheet; further frames go on to the next", "WxH", values.size
    )
    size: Size | None = _setting(
        "arrange", None, "exactly this sheet size (max-size is then not looked at)", "WxH", values.size
    )
    pow2: bool = _setting("arrange", False, "sheet sides are powers of two")
    square: bool = _setting("arrange", False, "sheets are square")
    multiple: int = _setting("arrange", 1, "sheet sides are multiples of N", "N", values.whole(1))

    metadata: tuple[str, ...] = _setting(
        "write", ("json",), "what is written beside the sheets, commas between", "FORMAT,…", values.formats
    )
    compact: bool = _setting("write", False, "JSON on one line")
    template: tuple[str, ...] = _setting(
        "write", (), "another text format, by a template such as engine.lua.j2", "FILE", values.template, many=True
    )
    file_name: str = _setting(
        "write",
        "",
        "the sheets' file names, such as {name}_{cell_width}x{cell_height}_{frames}",
        "PATTERN",
        values.file_name,
    )
    also_scale: tuple[Fraction, ...] = _setting(
        "write", (), "the same crate at other sizes, too: 50%,25%", "N,…", values.other_scales
    )
    premultiply: bool = _setting("write", False, "sheets' colours multiplied by their alpha", remembered=True)
    background: Color | None = _setting(
        "write", None, "sheets flattened on this colour, without alpha", "COLOR", values.color, remembered=True
    )
    squeeze: bool = _setting("write", False, "the smallest files, however long that takes")

    portion: Fraction = Fraction(1)
    """By how much all lengths and the scale have been multiplied, see `sizes`."""

    given: Mapping[str, Any] = field(default_factory=dict, compare=False)
    """What was given, by field name, before it was read."""

    @property
    def remembered(self) -> dict[str, Any]:
        """What was given of the settings by which frames differ, as texts: enough to take and change them again."""
        table = options()
        kept = {name: value for name, value in self.given.items() if table[name][0].remembered and value is not False}
        told = {name: _as_texts(table[name][0], value) for name, value in kept.items()}
        if self.portion != 1:
            text = percent(self.portion)
            told["also_scale"] = text if values.scale(text) == self.portion else str(self.portion)
        return told

    @property
    def trimming(self) -> str:
        """How frames are trimmed, the layout's own way where nothing was said."""
        return self.trim or ("frame" if self.layout == "tight" else "off")

    @property
    def sheet_rules(self) -> SheetRules:
        return SheetRules(self.max_size, self.size, self.pow2, self.square, self.multiple)


def options() -> dict[str, tuple[Option, Any]]:
    """Every setting's option and default, by field name, in order."""
    return {f.name: (f.metadata["option"], f.default) for f in fields(Settings) if f.metadata}


def option_name(name: str) -> str:
    """The command-line option of a setting: ``max_size`` → ``--max-size``."""
    return "--" + name.replace("_", "-")


def read_setting(name: str, given: Any) -> Any:
    """The value of one setting from what was given for it: a flag, a text, or texts some of which say ``NAME=value``.

    Raises UsageError with a sentence that quotes the value and says what was expected.
    """
    option, default = options()[name]
    if option.read is None:
        return bool(given)
    try:
        if option.many:
            return tuple(map(option.read, _texts(given)))
        if not option.per_animation:
            return option.read(str(given))
        return _read_per_animation(option.read, default.everyone, given)
    except UsageError as error:
        raise UsageError(f"{option_name(name)}: {error}") from None


def _read_per_animation(read: Callable[[str], Any], default: Any, given: Any) -> PerAnimation[Any]:
    everyone, named = default, {}
    for text in _texts(given):
        animation, equals, value = text.rpartition("=")
        if equals:
            named[animation] = read(value)
        else:
            everyone = read(value)
    return PerAnimation(everyone, tuple(named.items()))


def _as_texts(option: Option, given: Any) -> Any:
    if option.read is None:
        return True
    return _texts(given) if option.many or option.per_animation else str(given)


def _texts(given: Any) -> list[str]:
    return [str(given)] if isinstance(given, (str, int, float, Fraction)) else list(map(str, given))


def settings_from(given: Mapping[str, Any]) -> Settings:
    """Settings from what was given, by field name; what is missing keeps its default. Raises UsageError."""
    unknown = sorted(set(given) - set(options()))
    if unknown:
        raise UsageError(f"there is no setting {quoted(unknown[0])}")
    read = {name: read_setting(name, value) for name, value in given.items()}
    settings = Settings(**read, given=dict(given))
    for contradiction in contradictions(settings):
        raise UsageError(contradiction)
    return settings
