"""Settings from given values: reading, checking for contradictions, and recording them for the metadata."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Callable, Mapping
from typing import Any

from ..core.errors import UsageError
from ..core.message import message, setting
from ..core.model.geometry import Size
from ..core.names import nearest
from ..core.text import percent, quoted
from .readers import CLEAR_SCALE, scale
from .rules import contradictions
from .table import Option, PerAnimation, Settings, options

_EMPTY: tuple[object, ...] = ([], (), {})
"""Values that mean "not given"."""


def settings_from(given: Mapping[str, object]) -> Settings:
    """Return settings from given values by field name. A missing value, or an empty list or table, means the default.
    Raises UsageError."""
    for name in given:
        if name not in options():
            near = nearest(name, options())
            hint = message("; did you mean {}?", setting(near)) if near else ""
            raise UsageError("unknown setting {}{}", quoted(name), hint)
    given = {name: _typed(name, value) for name, value in given.items() if value not in _EMPTY}
    read: dict[str, Any] = {name: read_one(name, value) for name, value in given.items()}
    settings = Settings(**read, given=dict(given))
    for contradiction in contradictions(settings):
        raise UsageError(contradiction)
    return _with_divisible_canvases(_with_square_cells(_with_shared_cell(settings)))


def _with_divisible_canvases(settings: Settings) -> Settings:
    """Return the settings of matched sizes with a canvas multiple. It is twice the unit, because frames are centered on
    their canvases."""
    if settings.unit == 1:
        return settings
    multiple = math.lcm(settings.canvas_multiple, 2 * settings.unit)
    given = {**settings.given, "canvas_multiple": str(multiple)}
    return dataclasses.replace(settings, canvas_multiple=multiple, given=given)


def _with_square_cells(settings: Settings) -> Settings:
    """Return the settings with cells as large as the frames must fit into."""
    if not (settings.square_cells and settings.fit) or settings.cell:
        return settings
    side = max(settings.fit)
    return dataclasses.replace(settings, cell=Size(side, side))


def _with_shared_cell(settings: Settings) -> Settings:
    """Return where a sheet's size, its columns and its rows are all given, they say how large a cell is."""
    if settings.cell or not (settings.size and settings.columns and settings.rows):
        return settings
    margin, gap = settings.kept_margin, settings.kept_gap
    w, h = (
        (side - 2 * margin + gap) // count - gap
        for side, count in zip(settings.size, (settings.columns, settings.rows), strict=True)
    )
    return dataclasses.replace(settings, cell=Size(w, h), given={**settings.given, "cell": f"{w}x{h}"})


def _typed(name: str, given: object) -> object:
    try:
        return _plain(options()[name][0], given)
    except UsageError as error:
        raise UsageError("{}: {}", setting(name), error.message) from None


def _plain(option: Option, given: object) -> object:
    """Return what was given as it would be typed: tables such as ``fps={"swim": 16}``, and pairs such as
    ``shift=(1, -2)``. Raises UsageError for a table of another kind."""
    if isinstance(given, Mapping):
        return _from_table(option, given)
    if not isinstance(given, (list, tuple)) or not (option.per_animation or any(map(_is_table, given))):
        return given
    if isinstance(typed := option.kind.typed(list(given)), str):
        return typed
    parts = (_plain(option, value) if _is_table(value) else _one(option, value) for value in given)
    return [text for part in parts for text in (part if isinstance(part, list) else [part])]


def _is_table(given: object) -> bool:
    return isinstance(given, Mapping)


def _one(option: Option, given: object) -> object:
    return option.kind.typed(list(given)) or given if isinstance(given, (list, tuple)) else given


def _from_table(option: Option, given: Mapping[object, object]) -> object:
    table = {str(key): dict(value) if isinstance(value, Mapping) else value for key, value in given.items()}
    if option.per_animation:
        return [f"{name}={_text(option, _one(option, value))}" for name, value in table.items()]
    kind = option.kind
    if kind.in_animation and all(isinstance(value, dict) for value in table.values()):
        alone = {name: kind.in_animation.typed(_with_text_keys(value)) for name, value in table.items()}
        if all(alone.values()):
            return [
                f"{name}:{text}" if isinstance(texts, list) else f"{name}={texts}"
                for name, texts in alone.items()
                for text in (texts if isinstance(texts, list) else [texts])
            ]
    typed = kind.typed(table)
    if typed is None:
        raise UsageError(f"{quoted(str(given))} is not {kind.expected}")
    return typed


def _with_text_keys(table: object) -> dict[str, object]:
    return {str(key): value for key, value in table.items()} if isinstance(table, dict) else {}


def read_one(name: str, given: object) -> object:
    """Parse the value of one setting: a flag, a text, or texts of which some have the form ``NAME=value``.

    Raises UsageError with a sentence that quotes the value and says what was expected.
    """
    option, default = options()[name]
    if given in _EMPTY:
        return default
    try:
        if option.read is None:
            return _flag(given)
        if option.many:
            return tuple(map(option.read, _texts(given)))
        if isinstance(default, PerAnimation):
            return _read_per_animation(option.read, default.everyone, given)
        return option.read(_text(option, given))
    except UsageError as error:
        raise UsageError("{}: {}", setting(name), error.message) from None


def _flag(given: object) -> bool:
    if not isinstance(given, bool):
        raise UsageError(f"{quoted(str(given))} is not a switch: it is true or false")
    return given


def _read_per_animation(read: Callable[[str], object], default: object, given: object) -> PerAnimation[object]:
    everyone, named = default, {}
    for text in _texts(given):
        animation, equals, value = text.rpartition("=")
        if equals:
            named[animation] = read(value)
        else:
            everyone = read(value)
    return PerAnimation(everyone, tuple(sorted(named.items())))  # whatever the order in which they are given


def _text(option: Option, given: object) -> str:
    """Return a value as it would be typed; a list, or a pair of sides, joined."""
    return option.joint.join(map(str, given)) if isinstance(given, (list, tuple)) else str(given)


def _texts(given: object) -> list[str]:
    """Return one or several values as they would be typed."""
    return list(map(str, given)) if isinstance(given, (list, tuple)) else [str(given)]


def typed(settings: Settings) -> dict[str, object]:
    """Return what was given of the settings as it would be typed: texts, lists of texts, true."""
    return {name: _as_given(options()[name][0], value) for name, value in settings.given.items() if value is not False}


def remembered(settings: Settings) -> dict[str, object]:
    """Return what was given of the settings by which frames differ, as texts: enough to take and change them again."""
    table = options()
    result = {name: value for name, value in typed(settings).items() if table[name][0].remembered}
    if settings.font:  # where it lies is nobody's business
        result["font"] = settings.font.replace("\\", "/").rpartition("/")[2]
    if settings.portion != 1:
        text = percent(settings.portion)
        result["also_scale"] = (
            text if scale(text) == settings.portion else f"{settings.portion}{'x' * (settings.portion > CLEAR_SCALE)}"
        )
        if settings.matched:
            result["matched"] = True
    return result


def _as_given(option: Option, given: object) -> object:
    if option.read is None:
        return True
    return _texts(given) if option.many or option.per_animation else _text(option, given)
