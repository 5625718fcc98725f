"""The command line's grammar. Options of settings come from the settings table; nothing is declared here twice."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Sequence
from typing import Any, NoReturn, TypeVar

from ..core.errors import UsageError
from ..settings import Settings, option_name, options, settings_from

T = TypeVar("T")

SECTIONS = {
    "take": "take (which frames, and their timing; NAME=value is for one animation, a bare value for all)",
    "prepare": "prepare (what is done to frames)",
    "arrange": "arrange (where frames go on the sheet)",
    "write": "write (the image files, and what is said of them)",
}


class Parser(argparse.ArgumentParser):
    """argparse with our errors: one sentence, no usage dump."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(
            formatter_class=lambda prog: argparse.RawDescriptionHelpFormatter(prog, max_help_position=28),
            allow_abbrev=False,
            add_help=False,
            **kwargs,
        )

    def error(self, message: str) -> NoReturn:
        raise UsageError(f"{message}; see {self.prog} --help")


def add_settings(parser: argparse.ArgumentParser) -> None:
    """Adds an option for every setting, in groups by section. Values are read later, by `chosen_settings`."""
    groups: dict[str, Any] = {}
    for name, (option, default) in options().items():
        group = groups.get(option.section) or parser.add_argument_group(SECTIONS[option.section])
        groups[option.section] = group
        if option.read is None:
            group.add_argument(
                option_name(name), action="store_true", default=None, help=option.help.replace("%", "%%")
            )
            continue
        per: dict[str, Any] = {"action": "append"} if option.per_animation or option.many else {}
        metavar = f"[NAME=]{option.metavar}" if option.per_animation else option.metavar
        told = (option.help + _choices_and_default(option, default)).replace("%", "%%")
        group.add_argument(option_name(name), metavar=metavar, help=told, **per)


def _choices_and_default(option: Any, default: Any) -> str:
    told = option.choices if option.choices and option.metavar != "|".join(option.choices) else ()
    value = getattr(default, "everyone", default)
    parts = [", ".join(told)] if told else []
    if value not in (None, 0, 1, False, (), ""):
        joint = "," if option.metavar.endswith("…") else "x"
        shown = joint.join(map(str, value)) if isinstance(value, tuple) else value
        parts.append(f"default {shown}")
    return f" ({'; '.join(parts)})" if parts else ""


def chosen_settings(arguments: argparse.Namespace) -> Settings:
    """The settings that the command line asked for. Raises UsageError."""
    given = {name: getattr(arguments, name) for name in options()}
    return settings_from({name: value for name, value in given.items() if value is not None})


def read_value(name: str, read: Callable[[str], T], text: str) -> T:
    """The value of an option that is no setting. Raises UsageError that names the option."""
    try:
        return read(text)
    except UsageError as error:
        raise UsageError(f"--{name}: {error}") from None


def add_common(parser: argparse.ArgumentParser) -> None:
    """Adds what every command has."""
    group = parser.add_argument_group("what is printed")
    group.add_argument("-h", "--help", action="help", help="print this and exit")
    group.add_argument("--json", action="store_true", help="print the result as one JSON document")
    group.add_argument("-q", "--quiet", action="store_true", help="print nothing but errors")
    group.add_argument("-v", "--verbose", action="store_true", help="also print every frame")
    group.add_argument("--debug", action="store_true", help="on an error, also show where in the program it arose")


def bind_values(parser: argparse.ArgumentParser, arguments: Sequence[str]) -> list[str]:
    """Joins ``--option value`` to ``--option=value`` where the value begins with a dash and is not itself an option.

    So ``--out -otter`` means what it says; argparse alone would refuse it.
    """
    known = parser._option_string_actions
    bound: list[str] = []
    rest = iter(arguments)
    for argument in rest:
        bound.append(argument)
        if argument == "--":
            bound += rest
        action = known.get(argument)
        if action is not None and action.nargs is None:
            value = next(rest, None)
            if value is None:
                continue
            if value.startswith("-") and value.partition("=")[0] not in known:
                bound[-1] = f"{argument}={value}"
            else:
                bound.append(value)
    return bound
