"""The JSON Schema of crate files, made from the settings table: editors complete and check by it."""

from __future__ import annotations

from typing import Any

from ..core.message import key_of
from ..settings.table import Option, options

DRAFT = "https://json-schema.org/draft/2020-12/schema"


def crate_schema() -> dict[str, Any]:
    """Return the JSON Schema (2020-12) of a crate file."""
    table = options()
    settings = {key_of(name): _of(option) for name, (option, _) in table.items()}
    in_animation = {
        key_of(name): _of(option, alone=True)
        for name, (option, _) in table.items()
        if option.per_animation or option.kind.in_animation
    }
    own = {
        "from": {
            "description": "The folders, files and patterns of frames, relative to the crate file.",
            "type": ["string", "array"],
            "items": {"type": "string"},
            "minItems": 1,
        },
        "out": {"description": "Where to, without ending: build/otter.", "type": "string"},
        "animation": {
            "description": "Settings of one animation, under its name.",
            "type": "object",
            "additionalProperties": _table("Settings of one animation.", in_animation),
        },
        "skin": {
            "description": "The same frames in other art, on sheets of the same arrangement, under the skin's name.",
            "type": "object",
            "additionalProperties": _table("What one skin is made of.", _SKIN),
        },
        "skins": {"description": "A pattern of folders with one *: each is a skin.", "type": "string"},
    }
    left_out = {"description": "Names of folders that are no crates.", **_PATHS}
    each = _table("A crate for every folder that a pattern matches.", own | settings | {"except": left_out})
    return {
        "$schema": DRAFT,
        "title": "Agile Crate: a crate file",
        "type": "object",
        "properties": {
            "defaults": _table("Settings for every crate of this file.", settings),
            "each": {
                "description": "Patterns of folders, such as art/*. In paths, {name} is what the * stands for.",
                "type": "object",
                "additionalProperties": each | {"required": ["out"]},
            },
            "crate": {
                "description": "The crates, under their names.",
                "type": "object",
                "additionalProperties": _table(
                    "One crate: its frames, where it goes, and its settings.", own | settings
                ),
            },
        },
        "additionalProperties": False,
    }


_PATHS = {"type": ["string", "array"], "items": {"type": "string"}, "minItems": 1}

_SKIN = {
    "from": {"description": "Other art: frames with the names of the base's.", **_PATHS},
    "layers": {
        "description": "Frames of the same names that are laid over each other, the lowest first.",
        "type": "array",
        "items": _PATHS,
        "minItems": 1,
    },
    "recolor": {
        "description": "Colors, and what stands in their place.",
        "type": "object",
        "additionalProperties": {"type": "string"},
    },
    "plain": {"description": "No art: no step that changes colors touches it.", "type": "boolean"},
    "missing": {
        "description": "A frame that the skin does not have: an error, or the base's.",
        "enum": ["error", "base"],
    },
}


def _table(description: str, properties: dict[str, Any]) -> dict[str, Any]:
    return {"description": description, "type": "object", "properties": properties, "additionalProperties": False}


def _of(option: Option, alone: bool = False) -> dict[str, Any]:
    kind = option.kind.in_animation if alone and option.kind.in_animation else option.kind
    help = option.help[:1].upper() + option.help[1:]
    return {"description": f"{help}."} | dict(kind.schema)
