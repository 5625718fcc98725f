"""Messages that name settings and files without knowing who reads them.

The same message goes to a terminal, where a setting is an option (``--max-size``), to a script, where it is an argument
(``max_size``), and to whoever wrote a crate file (``max-size``). So a message keeps the settings and files that it
names as values of their own, and whoever prints it spells them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import partial
from typing import NamedTuple, Self

from .text import shown

Spelling = Callable[[str, str], str]
"""Spells a setting, from its name with underscores and a value or an empty text."""


class Setting(NamedTuple):
    """A setting in a message, and the proposed value, or an empty text."""

    name: str
    value: str = ""


class FilePath(NamedTuple):
    """A file in a message, as `shown` prints it."""

    path: str


Part = str | Setting | FilePath


class Message(str):
    """A sentence for the user. As a text it names settings as scripts do; `spelled` gives any other way."""

    parts: tuple[Part, ...]

    def __new__(cls, text: str = "", parts: tuple[Part, ...] | None = None) -> Self:
        if parts is None:
            parts = text.parts if isinstance(text, Message) else (text,)
        made = super().__new__(cls, _spelled(parts, as_argument))
        made.parts = parts
        return made

    def __reduce__(self) -> tuple[object, ...]:
        return Message, ("", self.parts)

    def spelled(self, spelling: Spelling) -> str:
        """Return the text with every setting spelled in this way. Values may be untrusted: they are as `shown` has
        them."""
        return _spelled(self.parts, lambda name, value: spelling(name, shown(value)))

    def with_paths(self, change: Callable[[str], str]) -> Message:
        """Return the message with the paths of its files changed."""
        return Message(
            "", tuple(FilePath(change(part.path)) if isinstance(part, FilePath) else part for part in self.parts)
        )

    def without(self, setting: str) -> Message:
        """Return what follows the setting and a colon that the message begins with; else all of it."""
        begins = self.parts[:1] == (Setting(setting),) and self.parts[1:2]
        if begins and isinstance(begins[0], str) and begins[0].startswith(": "):
            return Message("", (begins[0][2:], *self.parts[2:]))
        return self

    @property
    def files(self) -> list[str]:
        """The files that it is about, each once."""
        return list(dict.fromkeys(part.path for part in self.parts if isinstance(part, FilePath)))

    @property
    def settings(self) -> list[Setting]:
        """The settings that it names."""
        return [part for part in self.parts if isinstance(part, Setting)]


def message(template: str, *values: object) -> Message:
    """Return a message. The template is a constant: ``{max_size}`` names a setting, ``{scale:50%}`` one with a value,
    and ``{}`` stands for the next of the values: a text, another message, or a number with its format.

    >>> message("raise {max_size}, or give {scale:50%}: {} is {:,} pixels wide", "'otter'", 5000)
    "raise max_size, or give scale='50%': 'otter' is 5,000 pixels wide"
    """
    return Message("", tuple(_merged(_parts(template, iter(values)))))


def _parts(template: str, values: Iterator[object]) -> Iterator[Part]:
    from string import Formatter  # imported late: --help builds no message

    for text, name, form, _ in Formatter().parse(template):
        yield text
        if name:
            yield Setting(name, form or "")
        elif name is not None:
            value = next(values)
            yield from value.parts if isinstance(value, Message) else (format(value, form or ""),)


def _merged(parts: Iterable[Part]) -> Iterator[Part]:
    """Yield the parts with texts side by side as one."""
    text = ""
    for part in parts:
        if isinstance(part, str):
            text += part
            continue
        if text:
            yield text
        yield part
        text = ""
    if text:
        yield text


def _spelled(parts: Iterable[Part], spelling: Spelling) -> str:
    return "".join(map(partial(_part_spelled, spelling=spelling), parts))


def _part_spelled(part: Part, spelling: Spelling) -> str:
    if isinstance(part, Setting):
        return spelling(*part)
    return part.path if isinstance(part, FilePath) else part


def setting(name: str, value: object = "") -> Message:
    """Return the name of a setting, with a value if it proposes one, as a part of a message."""
    return Message("", (Setting(name, str(value)),))


def a_file(path: str) -> Message:
    """Return a file, as a part of a message that is about it.

    >>> message("{} is damaged", a_file("swim_01.png")).files
    ['swim_01.png']
    """
    return Message("", (FilePath(shown(path)),))


def some_files(paths: Sequence[str], limit: int = 5) -> Message:
    """Return the first of some files, as `few` has them, each as one that the message is about."""
    return listed(list(map(a_file, paths)), limit)


def listed(messages: Sequence[str], limit: int = 5) -> Message:
    """Return the first of some messages as a list: "a, b and c", or "a, b and 4 more"."""
    words = [*messages[:limit], f"{len(messages) - limit:,} more"] if len(messages) > limit else messages
    if len(words) < 2:
        return message("{}", *words) if words else Message()
    return message(", ".join(["{}"] * (len(words) - 1)) + " and {}", *words)


def key_of(name: str) -> str:
    """Return a setting's name with dashes, as options and crate files have it: ``max_size`` → ``max-size``."""
    return name.replace("_", "-")


def as_argument(name: str, value: str) -> str:
    """Return a setting as scripts give it."""
    return f"{name}={int(value) if value.isdecimal() else value!r}" if value else name
