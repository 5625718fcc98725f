"""Every setting once: its section, how its text is read, its default and its help.

A setting is a field of `Settings`. Its command-line option and its crate-file key are the field's name with dashes
(``max_size`` → ``--max-size``); the parser, the reference in docs/settings.md and `settings_from` are all made from
the fields. Reading a setting needs neither NumPy nor Pillow, so ``--help`` stays quick.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, fields
from fractions import Fraction
from typing import Any, Generic, NamedTuple, TypeVar

from .core.align import PLACES
from .core.errors import UsageError
from .core.model import Loop, Size
from .core.sheet_size import SheetRules
from .core.text import measured, quoted

LARGEST_SIDE = 16_384
"""The longest side of a sheet or cell that can be asked for: what current graphics hardware takes."""

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
    """What is declared with a field of `Settings`, beside its default."""

    section: str
    help: str
    metavar: str
    read: Callable[[str], Any] | None
    choices: tuple[str, ...]
    per_animation: bool


def _setting(
    section: str,
    default: Any,
    help: str,
    metavar: str = "",
    read: Callable[[str], Any] | None = None,
    choices: Iterable[str] = (),
    per_animation: bool = False,
) -> Any:
    choices = tuple(choices)
    if choices:
        read = _choice(choices)
    option = Option(section, help, metavar or "|".join(choices), read, choices, per_animation)
    return field(default=PerAnimation(default) if per_animation else default, metadata={"option": option})


def _choice(choices: tuple[str, ...]) -> Callable[[str], str]:
    def read(text: str) -> str:
        if text not in choices:
            raise UsageError(f"{quoted(text)} is not one of {', '.join(choices)}")
        return text

    return read


def _whole(least: int) -> Callable[[str], int]:
    def read(text: str) -> int:
        number = int(text) if text.isascii() and text.isdigit() and len(text) < 10 else -1
        if not least <= number <= LARGEST_SIDE:
            raise UsageError(f"{quoted(text)} is not a whole number from {least} to {LARGEST_SIDE}")
        return number

    return read


def _size(text: str) -> Size:
    sides = text.lower().replace("×", "x").split("x")
    try:
        return Size(*map(_whole(1), sides))
    except (UsageError, TypeError):
        raise UsageError(
            f"{quoted(text)} is not a size: write width x height in pixels, such as 64x64, up to {LARGEST_SIDE}"
        ) from None


def _fps(text: str) -> Fraction:
    try:
        fps = Fraction(text) if len(text) < 30 and "e" not in text.lower() else None
    except (ValueError, ZeroDivisionError):
        fps = None
    if fps is None or not 0 < fps <= 1000:
        raise UsageError(
            f"{quoted(text)} is not a number of frames a second: write one above 0 and up to 1000, "
            "such as 12, 23.976 or 30000/1001"
        )
    return fps


_ALIGN = "where a smaller canvas stands in its cell, and the pivot"


@dataclass(frozen=True, slots=True)
class Settings:
    """All settings of a build, read and checked. Field order is the order in the help and in the docs."""

    fps: PerAnimation[Fraction] = _setting("take", Fraction(12), "frames a second", "N", _fps, per_animation=True)
    loop: PerAnimation[Loop] = _setting(
        "take", "forever", "how an animation repeats", choices=("forever", "once", "back-and-forth"), per_animation=True
    )
    align: str = _setting("prepare", "bottom", _ALIGN, "PLACE", choices=PLACES)
    layout: str = _setting(
        "arrange", "grid", "grid: columns and rows; strip: one row (with --down one column)", choices=("grid", "strip")
    )
    columns: int = _setting("arrange", 0, "cells side by side; chosen for you if not given", "N", _whole(1))
    rows: int = _setting("arrange", 0, "cells one below the other; chosen for you if not given", "N", _whole(1))
    cell: Size | None = _setting("arrange", None, "cell size; by default the largest canvas", "WxH", _size)
    down: bool = _setting("arrange", False, "fill columns first, not rows")
    gap: int = _setting("arrange", 0, "empty pixels between neighbours", "N", _whole(0))
    margin: int = _setting("arrange", 0, "empty pixels along the sheet's edges", "N", _whole(0))
    max_size: Size = _setting(
        "arrange", Size(4096, 4096), "largest sheet; further frames go on to the next", "WxH", _size
    )
    size: Size | None = _setting(
        "arrange", None, "exactly this sheet size (max-size is then not looked at)", "WxH", _size
    )
    pow2: bool = _setting("arrange", False, "sheet sides are powers of two")
    square: bool = _setting("arrange", False, "sheets are square")
    multiple: int = _setting("arrange", 1, "sheet sides are multiples of N", "N", _whole(1))

    @property
    def sheet_rules(self) -> SheetRules:
        return SheetRules(self.max_size, self.size, self.pow2, self.square, self.multiple)


def options() -> dict[str, tuple[Option, Any]]:
    """Every setting's option and default, by field name, in order."""
    return {f.name: (f.metadata["option"], f.default) for f in fields(Settings)}


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
        if not option.per_animation:
            return option.read(str(given))
        return _read_per_animation(option.read, default.everyone, given)
    except UsageError as error:
        raise UsageError(f"{option_name(name)}: {error}") from None


def _read_per_animation(read: Callable[[str], Any], default: Any, given: Any) -> PerAnimation[Any]:
    everyone, named = default, {}
    for text in [given] if isinstance(given, (str, int, float)) else given:
        animation, equals, value = str(text).rpartition("=")
        if equals:
            named[animation] = read(value)
        else:
            everyone = read(value)
    return PerAnimation(everyone, tuple(named.items()))


def settings_from(given: Mapping[str, Any]) -> Settings:
    """Settings from what was given, by field name; what is missing keeps its default. Raises UsageError."""
    unknown = sorted(set(given) - set(options()))
    if unknown:
        raise UsageError(f"there is no setting {quoted(unknown[0])}")
    settings = Settings(**{name: read_setting(name, value) for name, value in given.items()})
    for contradiction in _contradictions(settings):
        raise UsageError(contradiction)
    return settings


def _contradictions(settings: Settings) -> Iterable[str]:
    if settings.layout == "strip" and (settings.columns or settings.rows):
        asked = "--columns" if settings.columns else "--rows"
        yield f"--layout strip is one row by itself; leave {asked} out, or leave the layout at grid"
    if settings.pow2 and settings.multiple & (settings.multiple - 1):
        yield f"--pow2 and --multiple {settings.multiple} cannot both hold; leave one of them out"
    size = settings.size
    if size is None:
        return
    rules: Sequence[tuple[bool, str]] = (
        (settings.pow2 and bool(size.w & (size.w - 1) or size.h & (size.h - 1)), "--pow2"),
        (settings.square and size.w != size.h, "--square"),
        (bool(size.w % settings.multiple or size.h % settings.multiple), f"--multiple {settings.multiple}"),
    )
    for broken, rule in rules:
        if broken:
            yield f"--size {measured(size)} and {rule} cannot both hold; leave one of them out"
