"""The two ways between a setting's text, as it is typed, and its value in a crate file, in TOML's own types.

A kind says which values it takes, in words and as JSON Schema. It turns a value into text, or a list into texts, which
the setting's reader reads as if they had been typed: so a key means exactly what the option means. And it turns typed
texts into the plainest value that means the same.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

Typed = str | list[str] | None
"""Converts a TOML value to typed text; gives None for another type."""

Schema = Mapping[str, Any]


class Kind(NamedTuple):
    """A kind of setting.

    expected      the values it takes, in words
    typed         from TOML to text; None for a value of another type
    toml          from text, or texts, to TOML
    schema        of the value, as JSON Schema
    in_animation  what stands in an animation's own table, if that is something else
    is_path       whether texts are paths, relative to the crate file
    """

    expected: str
    typed: Callable[[object], Typed]
    toml: Callable[[str | list[str]], object]
    schema: Schema
    in_animation: Kind | None = None
    is_path: bool = False


def _number(value: object) -> str | None:
    return str(value) if isinstance(value, (int, float)) and not isinstance(value, bool) else None


def _text(value: object) -> str | None:
    return value if isinstance(value, str) else None


def _whole(value: object) -> str | None:
    return str(value) if type(value) is int else None


def _number_or_text(value: object) -> str | None:
    return _number(value) or _text(value)


def _texts(value: object) -> Typed:
    return _each(value, _text) if isinstance(value, list) else _text(value)


def _each(value: list[object], typed: Callable[[object], str | None]) -> list[str] | None:
    found = [typed(item) for item in value]
    return None if None in found else [text for text in found if text is not None]


def _joined(value: object) -> str | None:
    """Join texts with commas."""
    texts = _texts(value)
    return ",".join(texts) if isinstance(texts, list) else texts


def _side_by_side(joint: str, typed: Callable[[object], str | None]) -> Callable[[object], Typed]:
    """Return two values as one text, or the text itself."""

    def read(value: object) -> Typed:
        if not isinstance(value, list) or len(value) != 2:
            return _text(value)
        texts = _each(value, typed)
        return None if texts is None else joint.join(texts)

    return read


def _table(value: object, typed: Callable[[str, object], str | None]) -> Typed:
    """Return a table's entries, each as a text; or texts as they were typed."""
    if not isinstance(value, dict):
        return _texts(value)
    found = [typed(str(key), item) for key, item in value.items()]
    return None if None in found else [text for text in found if text is not None]


def _pairs(value: object) -> Typed:
    return _table(value, lambda new, old: f"{new}={old}" if isinstance(old, str) else None)


def _named_amount(name: str, amount: object) -> str | None:
    text = _number_or_text(amount)
    return None if text is None else f"{name}={text}"


def _named_list(name: str, listed: object) -> str | None:
    text = _joined(listed)
    return None if text is None else f"{name}={text}"


def _holds(value: object) -> Typed:
    """Return one animation's held frames as texts, to be prefixed with the animation's name."""

    return _table(value, _named_amount) if isinstance(value, dict) else None


def _parts(value: object) -> Typed:
    """``glide:1-20,land:21-44``, from a table or as it is typed."""
    if not isinstance(value, dict):
        return _text(value)
    parts = [f"{part}:{spans}" for part, spans in value.items() if isinstance(spans, str)]
    return ",".join(parts) if len(parts) == len(value) else None


def _split(value: object) -> Typed:
    def split(name: str, parts: object) -> str | None:
        text = _parts(parts)
        return f"{name}={text}" if isinstance(text, str) else None

    return _table(value, split)


def _as_typed(typed: str | list[str]) -> object:
    return typed


def _plain_number(text: str) -> int | float | str:
    """The number that has this text, or the text."""
    for read in (int, float):
        try:
            if str(read(text)) == text:
                return read(text)
        except ValueError:
            continue
    return text


def _as_number(typed: str | list[str]) -> object:
    return _plain_number(typed) if isinstance(typed, str) else typed


def _as_list(typed: str | list[str], of: Callable[[str], object] = str) -> object:
    """Split a text at commas."""
    if isinstance(typed, list):
        return typed
    return [of(text) for text in typed.split(",")] if "," in typed else of(typed)


def _as_pair(joint: str) -> Callable[[str | list[str]], object]:
    """Return two numbers, or one; other texts unchanged."""

    def plain(typed: str | list[str]) -> object:
        numbers = [_plain_number(part) for part in typed.split(joint)] if isinstance(typed, str) else []
        if len(numbers) not in (1, 2) or any(isinstance(number, str) for number in numbers):
            return typed
        return numbers if len(numbers) == 2 else numbers[0]

    return plain


def _as_table(typed: str | list[str], of: Callable[[str], object] = str) -> object:
    """Return what stands before and after each equals sign as a table, if every text has one and no key comes twice."""
    parts = [text.rpartition("=") for text in ([typed] if isinstance(typed, str) else typed)]
    table = {key: of(value) for key, equals, value in parts if equals}
    return table if len(table) == len(parts) else typed


def _as_parts(typed: str | list[str]) -> object:
    """``glide:1-20,land:21-44`` as a table, if every part has one span."""
    parts = [part.partition(":") for part in typed.split(",")] if isinstance(typed, str) else []
    table = {name: spans for name, _, spans in parts if spans}
    return table if parts and len(table) == len(parts) else typed


TEXT_SCHEMA: Schema = {"type": "string"}
TEXTS_SCHEMA: Schema = {"type": ["string", "array"], "items": TEXT_SCHEMA}
_NUMBERS: Schema = {"type": ["number", "string"]}

FLAG = Kind("true or false", lambda _: None, _as_typed, {"type": "boolean"})
TEXT = Kind("a text", _text, _as_typed, TEXT_SCHEMA)
TEXTS = Kind("a text, or a list of texts", _texts, _as_list, TEXTS_SCHEMA)
FILE = Kind("the path of a file", _text, _as_typed, TEXT_SCHEMA, is_path=True)
FILES = Kind("the path of a file, or a list of them", _texts, _as_typed, TEXTS_SCHEMA, is_path=True)
COLORS_OR_FILE = Kind("the path of a file, or a list of colors", _joined, _as_list, TEXTS_SCHEMA, is_path=True)
NUMBER = Kind("a number, or a text", _number_or_text, _as_number, _NUMBERS)
NUMBERS = Kind(
    "a list of numbers or texts",
    lambda value: _each(value, _number_or_text) if isinstance(value, list) else _number_or_text(value),
    lambda typed: _as_list(typed, _plain_number),
    {"type": ["number", "string", "array"], "items": _NUMBERS},
)
SIDES = Kind(
    'a text such as "64x48", one whole number or two',
    lambda value: _whole(value) or _side_by_side("x", _whole)(value),
    _as_pair("x"),
    {
        "type": ["string", "array", "integer"],
        "minimum": 1,
        "items": {"type": "integer", "minimum": 1},
        "minItems": 2,
        "maxItems": 2,
    },
)
POINT = Kind(
    "a text, or two numbers",
    _side_by_side(",", _number),
    _as_pair(","),
    {"type": ["string", "array"], "items": {"type": "number"}, "minItems": 2, "maxItems": 2},
)
PAIRS = Kind(
    'a table such as { swim_left = "swim" }',
    _pairs,
    _as_table,
    {"type": ["string", "array", "object"], "items": TEXT_SCHEMA, "additionalProperties": TEXT_SCHEMA},
)
AMOUNTS = Kind(
    "a table such as { frames = 2000000 }",
    lambda value: _table(value, _named_amount),
    lambda typed: _as_table(typed, _plain_number),
    {"type": ["string", "array", "object"], "items": TEXT_SCHEMA, "additionalProperties": _NUMBERS},
)
LISTS = Kind(
    'a table such as { mouth = ["open", "half", "shut"] }',
    lambda value: _table(value, _named_list),
    lambda typed: _as_table(typed, _as_list),
    {"type": ["string", "array", "object"], "items": TEXT_SCHEMA, "additionalProperties": TEXTS_SCHEMA},
)
HOLDS = Kind(
    'a list of texts such as "swim:3=2"',
    _texts,
    _as_typed,
    TEXTS_SCHEMA,
    Kind(
        'a table such as { 3 = 2, last = "200ms" }',
        _holds,
        lambda typed: _as_table(typed, _plain_number),
        {"type": "object", "additionalProperties": _NUMBERS},
    ),
)
PARTS = Kind(
    'a table such as { gull = { glide = "1-20", land = "21-44" } }',
    _split,
    _as_typed,
    {
        "type": ["string", "array", "object"],
        "items": TEXT_SCHEMA,
        "additionalProperties": {"type": ["string", "object"], "additionalProperties": TEXT_SCHEMA},
    },
    Kind(
        'a table such as { glide = "1-20", land = "21-44" }',
        _parts,
        _as_parts,
        {"type": ["string", "object"], "additionalProperties": TEXT_SCHEMA},
    ),
)


def whole(least: int, most: int) -> Kind:
    """Whole numbers between two."""
    schema = {"type": "integer", "minimum": least, "maximum": most}
    return Kind(f"a whole number from {least} to {most}", _whole, _as_number, schema)


def word(choices: tuple[str, ...]) -> Kind:
    """One word out of several."""
    return Kind(f"one of {', '.join(choices)}", _text, _as_typed, {"enum": list(choices)})
