"""Crate files read into specs: each crate's inputs, output and settings, as they would be typed.

docs/crate-file.md describes the form. Keys are options' names; everything is checked here, with the path of the key
that is wrong, so that whoever read the file can say the line.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from ..core.color import Color, color_from_hex
from ..core.crate.file_names import not_held
from ..core.errors import UsageError
from ..core.message import Message, Setting, key_of, message
from ..core.model.variant import Variant, Variants, all_layers, base_of, with_layers
from ..core.names import is_address
from ..core.text import quoted, shown
from ..settings.given import read_one, settings_from
from ..settings.kinds import FLAG, Kind
from ..settings.table import Option, Settings, options
from .each import OWN_KEYS, Folders, crate_tables, in_file, nearest_crate
from .keys import Keys, Table, WrongKeyError, as_paths, as_table, only, type_of

_KEYS = frozenset(("from", "out", "skin", "skins", "except", "limit", *options()))
"""The keys of a crate, with underscores."""


@dataclass(frozen=True, slots=True)
class CrateSpec:
    """One crate that a crate file asks for.

    name      in the file
    variants  the base art and the skins, by their inputs
    out       the path that its files begin with
    given     the settings as they would be typed
    settings  the same, parsed and checked
    """

    name: str
    variants: Variants
    out: str
    given: Mapping[str, object]
    settings: Settings

    @property
    def inputs(self) -> tuple[str, ...]:
        """The inputs of the base art."""
        return self.variants[0].layers[0]

    def overridden(self, given: Mapping[str, object]) -> CrateSpec:
        """Return the spec with other settings in place of its own. Raises UsageError."""
        if not given:
            return self
        together = {**self.given, **given}
        return replace(self, given=together, settings=settings_from(together))

    def moved(self, move: Callable[[str], str]) -> CrateSpec:
        """Return the spec with every path in it changed."""
        layers = [tuple(moved(path, move) for path in layer) for layer in all_layers(self.variants)]
        given = moved_settings(self.given, move)
        variants = with_layers(self.variants, layers)
        return CrateSpec(self.name, variants, moved(self.out, move), given, settings_from(given))


def moved(path: str, move: Callable[[str], str]) -> str:
    """Return a changed path; addresses stay, and so does a slash at the end."""
    if not path or is_address(path):
        return path
    new = move(path)
    return f"{new}/" if path.endswith("/") and not new.endswith("/") else new


def moved_settings(given: Mapping[str, object], move: Callable[[str], str]) -> dict[str, object]:
    """Return settings with their paths changed. Colors can stand in place of a palette's file."""

    def value(name: str, typed: object) -> object:
        if not options()[name][0].kind.is_path:
            return typed
        if isinstance(typed, (list, tuple)):
            return [moved(str(item), move) for item in typed]
        text = str(typed)
        return text if text.startswith("#") else moved(text, move)

    return {name: value(name, typed) for name, typed in given.items()}


def specs_in(document: Table, move: Callable[[str], str], folders: Folders = lambda _: ()) -> list[CrateSpec]:
    """Return the crates of a document, those of each tables first, with their paths changed by `move`. `folders` finds
    the folders that match a pattern.

    Raises WrongKeyError.
    """
    only(document, (), ("defaults", "each", "crate"))
    defaults = _given(as_table(document.get("defaults", {}), ("defaults",)), ("defaults",), ())
    for pattern, table in as_table(document.get("each", {}), ("each",)).items():
        _given(as_table(table, ("each", pattern)), ("each", pattern), OWN_KEYS)
    tables = crate_tables(document, folders)
    if not tables:
        raise WrongKeyError((), "there is no crate in it: write [crate.NAME] with from and out")
    specs: list[CrateSpec] = []
    for name, entry in tables.items():
        try:
            specs.append(_spec(name, entry.table, defaults, move))
        except WrongKeyError as error:
            error.keys = in_file(error.keys, entry, document)
            if error.keys == ("crate", name) and (near := nearest_crate(name, tables)):
                raise WrongKeyError(error.keys, message("{}{}", error.message, near)) from None
            raise
    return specs


def _spec(name: str, crate: Table, defaults: Mapping[str, object], move: Callable[[str], str]) -> CrateSpec:
    at = ("crate", name)
    own = _given(crate, at, ("from", "out", "animation", "skin"))
    for key in ("from", "out"):
        if key not in crate:
            raise WrongKeyError(at, f"{quoted(name)} has no '{key}': " + _NEEDED[key])
    inputs, out = as_paths(crate["from"], (*at, "from")), crate["out"]
    if not inputs:
        raise WrongKeyError((*at, "from"), "'from' is empty: " + _NEEDED["from"])
    if not isinstance(out, str):
        raise WrongKeyError((*at, "out"), f"'out' is to be a text, not {type_of(out)}")
    given = {**defaults, **own}
    for animation, table in as_table(crate.get("animation", {}), (*at, "animation")).items():
        here = (*at, "animation", animation)
        for key, typed in _in_animation(animation, as_table(table, here), here):
            before = given.get(key, [])
            given[key] = [*(before if isinstance(before, list) else [before]), *typed]
            _check(key, given[key], (*here, key_of(key)))
    given = moved_settings(given, move)
    try:
        settings = settings_from(given)
    except UsageError as error:
        keys = (key_of(setting) for setting, _ in error.message.settings)
        wrong = next((key for key in keys if key in crate), None)
        raise WrongKeyError((*at, wrong) if wrong else at, error.message) from None
    skins = as_table(crate.get("skin", {}), (*at, "skin")).items()
    variants = (
        *base_of(inputs),
        *(_skin(skin, as_table(table, (*at, "skin", skin)), (*at, "skin", skin)) for skin, table in skins),
    )
    layers = [tuple(moved(path, move) for path in layer) for layer in all_layers(variants)]
    return CrateSpec(name, with_layers(variants, layers), moved(out, move), given, settings)


def _skin(name: str, table: Table, at: Keys) -> Variant:
    only(table, at, ("from", "layers", "recolor", "plain", "missing"))
    if why := not_held(f"{name}.png"):
        raise WrongKeyError(at, f"the skin's name is a part of its files' names, {why}")
    layers = [as_paths(table["from"], (*at, "from"))] if "from" in table else []
    if "layers" in table:
        if layers:
            raise WrongKeyError((*at, "layers"), "a skin is 'from' other art, or made of 'layers'; leave one out")
        if not isinstance(table["layers"], list):
            raise WrongKeyError((*at, "layers"), "'layers' is to be a list, the lowest first")
        layers = [as_paths(layer, (*at, "layers")) for layer in table["layers"]]
    if not all(layers) or not (layers or "recolor" in table):
        raise WrongKeyError(at, f"the skin {quoted(name)} says nothing: give it from, layers or recolor")
    plain, missing = table.get("plain", False), table.get("missing", "error")
    if not isinstance(plain, bool):
        raise WrongKeyError((*at, "plain"), f"'plain' is to be true or false, not {type_of(plain)}")
    if plain and "recolor" in table:
        raise WrongKeyError((*at, "recolor"), "'recolor' changes colors, and 'plain' keeps them; leave one of them out")
    if missing not in ("error", "base"):
        raise WrongKeyError((*at, "missing"), '\'missing\' is to be "error" or "base"')
    exchange = tuple(_exchange(table.get("recolor", {}), (*at, "recolor")))
    return Variant(name, tuple(map(tuple, layers)), exchange, plain, missing == "base")


def _exchange(value: object, at: Keys) -> Iterator[tuple[Color, Color]]:
    for old, new in as_table(value, at).items():
        colors = [color_from_hex(text) if isinstance(text, str) else None for text in (old, new)]
        if colors[0] is None or colors[1] is None:
            expected = 'colors and what stands in their place, such as { "#aa3322" = "#2255aa" }'
            raise WrongKeyError((*at, old), f"'recolor' is to name {expected}")
        yield colors[0], colors[1]


_NEEDED = {
    "from": 'name the folders that hold the frames, such as from = ["frames/otter"]',
    "out": 'name the files that are written, without ending, such as out = "build/otter"',
}


def _given(table: Table, at: Keys, besides: Sequence[str]) -> dict[str, object]:
    """The settings of a table, by field name, as they would be typed."""
    known = {key_of(name): (name, option) for name, (option, _) in options().items()}
    only(table, at, (*besides, *known))
    given: dict[str, object] = {}
    for key, value in table.items():
        if key in besides:
            continue
        name, option = known[key]
        typed = _typed(value, option.kind, (*at, key))
        given[name] = typed
        _check(name, typed, (*at, key))
    return given


def _in_animation(animation: str, table: Table, at: Keys) -> Iterator[tuple[str, list[str]]]:
    """The settings of an animation's table, by field name, as they would be typed for it alone."""
    known = {key_of(name): (name, option) for name, (option, _) in options().items() if _is_for_one(option)}
    for key in table:
        if key not in known and key.replace("-", "_") in options():
            why = f"{quoted(key)} is not for one animation; write it above, for the whole crate"
            raise WrongKeyError((*at, key), why)
    only(table, at, known)
    for key, value in table.items():
        name, option = known[key]
        if option.per_animation:
            yield name, [f"{animation}={_typed(value, option.kind, (*at, key))}"]
            continue
        typed = _typed(value, option.kind.in_animation or option.kind, (*at, key))
        joint = ":" if isinstance(typed, list) else "="  # a hold of each frame, or the parts
        yield name, [f"{animation}{joint}{item}" for item in (typed if isinstance(typed, list) else [typed])]


def _is_for_one(option: Option) -> bool:
    return option.per_animation or option.kind.in_animation is not None


def _typed(value: object, kind: Kind, at: Keys) -> Any:
    if isinstance(value, bool) and kind is FLAG:
        return value
    typed = kind.typed(value)
    if typed is not None and value in ([], {}):
        return []  # no value, but one that takes the place of a default
    if typed is None:
        found = type_of(value)
        detail = f"; it has {_odd(value)} in it" if found in ("a list", "a table") else ""
        raise WrongKeyError(at, f"{quoted(at[-1])} is to be {kind.expected}, not {found}{detail}")
    return typed


def _odd(value: Any) -> str:
    """Return what a list or a table holds, by type."""
    inside = list(value.values()) if isinstance(value, dict) else value
    return " and ".join(sorted({type_of(item) for item in inside})) or "nothing"


def _check(name: str, given: object, at: Keys) -> None:
    try:
        read_one(name, given)
    except UsageError as error:
        why = error.message.without(name)
        raise WrongKeyError(at, message("{}: {}", quoted(at[-1]), why)) from None


def in_crate_file(found: Message) -> Message:
    """Return a message for the writer of a crate file: its settings are keys."""
    parts = (as_key(part.name, shown(part.value)) if isinstance(part, Setting) else part for part in found.parts)
    return Message("", tuple(parts))


def as_key(name: str, value: str) -> str:
    """Return a setting as a crate file spells it, for messages; without a key, as the command line does."""
    if name not in _KEYS:
        return f"--{key_of(name)}"
    if not value:
        return key_of(name)
    return f"{key_of(name)} = {value}" if value.isdecimal() else f'{key_of(name)} = "{value}"'
