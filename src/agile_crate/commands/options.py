"""Options of commands that are no settings, read from texts or from Python's own values."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, TypeVar

from ..core.errors import UsageError
from ..core.message import setting
from ..core.text import quoted

T = TypeVar("T")


def read_value(name: str, read: Callable[[str], T], given: object) -> T:
    """Return the value of one option, given as text, a number, or a pair. Raises UsageError that names the option."""
    text = "x".join(map(str, given)) if isinstance(given, tuple) else str(given)
    try:
        return read(text)
    except UsageError as error:
        raise UsageError("{}: {}", setting(name), error.message) from None


def read_options(given: Mapping[str, object], readers: Mapping[str, Callable[[str], Any]]) -> dict[str, Any]:
    """Return the values of those options that are given; flags have no reader. Raises UsageError for a name that is
    none."""
    for name in given:
        if name not in readers:
            raise UsageError(f"unknown option {quoted(name)}; there are {', '.join(readers)}")
    return {
        name: value if readers[name] is bool else read_value(name, readers[name], value)
        for name, value in given.items()
        if value not in (None, False, "", (), [])
    }
