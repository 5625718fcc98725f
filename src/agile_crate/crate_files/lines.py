"""Write a crate's settings as the lines of a crate file.

A value stands in TOML's own types wherever reading it gives the same back; so the lines mean what was typed.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from ..core.message import key_of
from ..settings.kinds import HOLDS
from ..settings.table import Option, options

_BARE = re.compile(r"[A-Za-z0-9_-]+")


def crate_lines(name: str, inputs: Sequence[str], out: str, given: Mapping[str, object]) -> list[str]:
    """Return the lines of one crate. `given` is as typed, by field name; paths are already relative to the file."""
    lines = [crate_head(name), f"from = {toml(list(inputs))}", f"out = {toml(out)}"]
    alone: dict[str, dict[str, str]] = {}
    for field, (option, _) in options().items():
        if field not in given or given[field] is False:
            continue
        if given[field] is True:
            lines.append(key_line(field, True))
            continue
        everyone, named = _apart(option, given[field])
        if everyone:
            lines.append(key_line(field, everyone))
        for animation, typed in named:
            alone.setdefault(animation, {})[key_of(field)] = toml((option.kind.in_animation or option.kind).toml(typed))
    for animation, values in alone.items():
        lines += ["", animation_head(name, animation), *(f"{key} = {value}" for key, value in values.items())]
    return lines


def crate_head(name: str) -> str:
    """The header above the keys of a crate."""
    return f"[crate.{_word(name)}]"


def skin_head(name: str, skin: str) -> str:
    """The header above the keys of a skin."""
    return f"[crate.{_word(name)}.skin.{_word(skin)}]"


def animation_head(name: str, animation: str) -> str:
    """The header above the keys of one animation."""
    return f"[crate.{_word(name)}.animation.{_word(animation)}]"


def key_line(field: str, typed: bool | str | list[str]) -> str:
    """Return the line for a setting, with its value as it was typed."""
    option, _ = options()[field]
    value = True if isinstance(typed, bool) else option.kind.toml(typed)
    return f"{key_of(field)} = {toml(value)}"


def _apart(option: Option, typed: Any) -> tuple[str | list[str] | None, Sequence[tuple[str, Any]]]:
    """Return the values for all animations, and those for single ones by name."""
    texts = [typed] if isinstance(typed, str) else list(typed)
    if option.per_animation:
        everyone = [text for text in texts if "=" not in text]
        return (everyone[-1] if everyone else None), [
            (animation, value) for animation, equals, value in (text.rpartition("=") for text in texts) if equals
        ]
    if option.kind.in_animation is None:
        return typed, []
    named: list[tuple[str, str | list[str]]]
    if option.kind is HOLDS:  # swim:3=2
        held: dict[str, dict[str, str]] = {}
        for text in texts:
            where, _, amount = text.rpartition("=")
            animation, _, frame = where.rpartition(":")
            frames = held.setdefault(animation, {})
            frames.pop(frame, None)  # the last value counts, so it comes last
            frames[frame] = amount
        named = [(name, [f"{frame}={amount}" for frame, amount in holds.items()]) for name, holds in held.items()]
    else:
        named = [(animation, parts) for animation, _, parts in (text.rpartition("=") for text in texts)]
    if any(not animation for animation, _ in named):  # it is for the only animation, whose name is not known here
        return texts, []
    return None, named


def toml(value: object) -> str:
    """A value of texts, numbers, lists and tables as TOML."""
    if isinstance(value, dict):
        return "{ " + ", ".join(f"{_word(str(key))} = {toml(item)}" for key, item in value.items()) + " }"
    if isinstance(value, list):
        return "[" + ", ".join(map(toml, value)) + "]"
    import tomlkit

    return str(tomlkit.item(value).as_string())


def _word(key: str) -> str:
    return key if _BARE.fullmatch(key) else toml(key)


def commented(lines: Sequence[str]) -> Iterator[str]:
    """Comment lines out: they take effect once their # is removed."""
    return (f"# {line}" if line else "" for line in lines)
