"""Messages for the terminal, with settings spelled as options."""

from __future__ import annotations

import shlex
from collections.abc import Collection
from typing import TYPE_CHECKING

from ..core.message import Message, Spelling, key_of

if TYPE_CHECKING:
    from pathlib import Path


def option_name(name: str) -> str:
    """The option of a setting: ``max_size`` → ``--max-size``."""
    return f"--{key_of(name)}"


def as_option(name: str, value: str) -> str:
    """Return a setting as an option, its value quoted if a shell needs quotes."""
    if not value:
        return option_name(name)
    typed = value if value.isprintable() and not set(value) & _SPECIAL else shlex.quote(value)
    between = "=" if value.startswith("-") else " "  # else it would be taken for an option
    return f"{option_name(name)}{between}{typed}"


_SPECIAL = frozenset(" #\"'\\$`&|;<>()*?[]{}!~")


def options_of(command: str, own: Collection[str]) -> Spelling:
    """Return the spelling of settings for a command with only these options: others are named as pack's."""

    def spelled(name: str, value: str) -> str:
        whose = "" if command == "pack" or option_name(name) in own else "pack's "
        return whose + as_option(name, value)

    return spelled


def from_here(path: Path) -> str:
    """Return the shorter form of a path: relative if it lies below the working folder, else absolute."""
    here = path.cwd()
    return str(path.relative_to(here) if path.is_relative_to(here) else path)


def as_text(sentence: str) -> str:
    """Return a message as text, with its settings as options."""
    return Message(sentence).spelled(as_option)
