"""What a crate file may give for a setting, in TOML's own types; and what that would be as it is typed.

A kind says which values it takes, in words and as JSON Schema, and turns one into text, or a list into texts. The text
is read by the setting's reader as if it had been typed, so a key means exactly what the option means.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

Typed = str | list[str] | None
"""What a value would be as it is typed; None if it is of another type."""

Schema = Mapping[str, Any]


class Kind(NamedTuple):
    """`told` says what is expected; `in_animation` is what stands in an animation's own table, if that is something
    else; `is_path`: texts are paths, and relative to the crate file."""

    told: str
    typed: Callable[[object], Typed]
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
    found = [typed(one) for one in value]
    return None if None in found else [text for text in found if text is not None]


def _joined(value: object) -> str | None:
    """Several texts as one, commas between."""
    texts = _texts(value)
    return ",".join(texts) if isinstance(texts, list) else texts


def _side_by_side(joint: str, typed: Callable[[object], str | None]) -> Callable[[object], Typed]:
    """Two values as one text, or the text itself."""

    def read(value: object) -> Typed:
        if not isinstance(value, list) or len(value) != 2:
            return _text(value)
        both = _each(value, typed)
        return None if both is None else joint.join(both)

    return read


def _table(value: object, typed: Callable[[str, object], str | None]) -> Typed:
    """A table's entries, each as a text; or texts as they are typed."""
    if not isinstance(value, dict):
        return _texts(value)
    found = [typed(str(key), one) for key, one in value.items()]
    return None if None in found else [text for text in found if text is not None]


def _pairs(value: object) -> Typed:
    return _table(value, lambda new, old: f"{new}={old}" if isinstance(old, str) else None)


def _named_amount(name: str, amount: object) -> str | None:
    text = _number_or_text(amount)
    return None if text is None else f"{name}={text}"


def _holds(value: object) -> Typed:
    """Frames of one animation with how long each is held: texts that an animation's name is put before."""

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


TEXT_SCHEMA: Schema = {"type": "string"}
TEXTS_SCHEMA: Schema = {"type": ["string", "array"], "items": TEXT_SCHEMA}
_NUMBERS: Schema = {"type": ["number", "string"]}

FLAG = Kind("true or false", lambda _: None, {"type": "boolean"})
TEXT = Kind("a text", _text, TEXT_SCHEMA)
TEXTS = Kind("a text, or a list of texts", _texts, TEXTS_SCHEMA)
FILE = Kind("the path of a file", _text, TEXT_SCHEMA, is_path=True)
FILES = Kind("the path of a file, or a list of them", _texts, TEXTS_SCHEMA, is_path=True)
COLORS_OR_FILE = Kind("the path of a file, or a list of colours", _joined, TEXTS_SCHEMA, is_path=True)
NUMBER = Kind("a number, or a text", _number_or_text, _NUMBERS)
NUMBERS = Kind(
    "a list of numbers or texts",
    lambda value: _each(value, _number_or_text) if isinstance(value, list) else _number_or_text(value),
    {"type": ["number", "string", "array"], "items": _NUMBERS},
)
SIDES = Kind(
    'a text such as "64x48", one whole number or two',
    lambda value: _whole(value) or _side_by_side("x", _whole)(value),
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
    {"type": ["string", "array"], "items": {"type": "number"}, "minItems": 2, "maxItems": 2},
)
PAIRS = Kind(
    'a table such as { swim_left = "swim" }',
    _pairs,
    {"type": ["string", "array", "object"], "items": TEXT_SCHEMA, "additionalProperties": TEXT_SCHEMA},
)
AMOUNTS = Kind(
    "a table such as { frames = 2000000 }",
    lambda value: _table(value, _named_amount),
    {"type": ["string", "array", "object"], "items": TEXT_SCHEMA, "additionalProperties": _NUMBERS},
)
HOLDS = Kind(
    'a list of texts such as "swim:3=2"',
    _texts,
    TEXTS_SCHEMA,
    Kind(
        'a table such as { 3 = 2, last = "200ms" }',
        _holds,
        {"type": "object", "additionalProperties": _NUMBERS},
    ),
)
PARTS = Kind(
    'a table such as { gull = { glide = "1-20", land = "21-44" } }',
    _split,
    {
        "type": ["string", "array", "object"],
        "items": TEXT_SCHEMA,
        "additionalProperties": {"type": ["string", "object"], "additionalProperties": TEXT_SCHEMA},
    },
    Kind(
        'a table such as { glide = "1-20", land = "21-44" }',
        _parts,
        {"type": ["string", "object"], "additionalProperties": TEXT_SCHEMA},
    ),
)


def whole(least: int, most: int) -> Kind:
    """Whole numbers between two."""
    schema = {"type": "integer", "minimum": least, "maximum": most}
    return Kind(f"a whole number from {least} to {most}", _whole, schema)


def word(choices: tuple[str, ...]) -> Kind:
    """One word out of several."""
    return Kind(f"one of {', '.join(choices)}", _text, {"enum": list(choices)})
