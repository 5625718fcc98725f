"""Sentences that name settings without knowing who reads them.

The same message goes to a terminal, where a setting is an option (``--max-size``), to a script, where it is an argument
(``max_size``), and to whoever wrote a crate file (``max-size``). So a sentence carries the setting's name, and a value
where it proposes one, between marks; whoever tells the sentence spells them.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Self

from .text import joined, shown

Spelling = Callable[[str, str], str]
"""How a setting is written: its name with underscores, and a value or an empty text."""

_OPEN, _BETWEEN, _CLOSE = "\ue000", "\ue001", "\ue002"
"""Characters for private use, which `text.shown` escapes wherever a stranger's name has them."""

_FILE, _FILE_END = "\ue003", "\ue004"

_MENTION = re.compile(f"{_OPEN}([^{_BETWEEN}]*){_BETWEEN}([^{_CLOSE}]*){_CLOSE}")


def setting(name: str, value: object = "") -> str:
    """A setting, or its value, as a part of a sentence.

    >>> str(Sentence(f"raise {setting('max_size')}, or give {setting('scale', '50%')}"))
    "raise max_size, or give scale='50%'"
    """
    return f"{_OPEN}{name}{_BETWEEN}{value}{_CLOSE}"


def a_file(path: str) -> str:
    """A file, as a part of a sentence that is about it.

    >>> Sentence(f"{a_file('swim_01.png')} is damaged").files
    ['swim_01.png']
    """
    return f"{_FILE}{shown(path)}{_FILE_END}"


def some_files(paths: Sequence[str], limit: int = 5) -> str:
    """The first of some files, as `few` has them, each as one that the sentence is about."""
    names = [f"{_FILE}{shown(path)}{_FILE_END}" for path in paths]
    return joined(names) if len(names) <= limit else f"{', '.join(names[:limit])} and {len(names) - limit:,} more"


def key_of(name: str) -> str:
    """A setting's name with dashes, as options and crate files have it: ``max_size`` → ``max-size``."""
    return name.replace("_", "-")


def as_argument(name: str, value: str) -> str:
    """A setting as scripts give it."""
    return f"{name}={int(value) if value.isdecimal() else value!r}" if value else name


def _plain(text: str) -> str:
    return text.replace(_FILE, "").replace(_FILE_END, "")


class Sentence(str):
    """A sentence for the user. As a text it names settings as scripts do; `spelled` gives any other way.

    >>> Sentence(f"leave out {setting('turn')}").spelled(lambda name, value: f"--{name}")
    'leave out --turn'
    """

    marked: str
    """The sentence with its marks, to be made part of another."""

    def __new__(cls, marked: str) -> Self:
        made = super().__new__(cls, _plain(_MENTION.sub(lambda found: as_argument(found[1], found[2]), marked)))
        made.marked = marked
        return made

    def spelled(self, spelling: Spelling) -> str:
        """The sentence with every setting spelled in this way. Values may be a stranger's: they are as `text.shown` has
        them."""
        return _plain(_MENTION.sub(lambda found: spelling(found[1], shown(found[2])), self.marked))

    @property
    def files(self) -> list[str]:
        """The files that it is about, each once."""
        return list(dict.fromkeys(re.findall(f"{_FILE}([^{_FILE_END}]*){_FILE_END}", self.marked)))

    @property
    def settings(self) -> list[tuple[str, str]]:
        """The settings that it names, each with the value that it proposes, or an empty text."""
        return [(found[1], found[2]) for found in _MENTION.finditer(self.marked)]
