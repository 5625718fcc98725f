"""The command line's grammar. Options of settings come from the settings table; nothing is declared here twice."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Collection, Sequence
from typing import TYPE_CHECKING, Any, NoReturn, TypeVar

from ..core.errors import UsageError
from ..core.names import nearest
from ..core.text import quoted
from .wording import option_name

if TYPE_CHECKING:
    from ..core.limits import Limits
    from ..settings.table import Option, Settings

T = TypeVar("T")

MOST_JOBS = 256


class Parser(argparse.ArgumentParser):
    """argparse with our errors, one sentence and no dump of the usage; and a grammar that remembers its options."""

    def __init__(self, has_short_help: bool = False, **kwargs: Any) -> None:
        self.actions: list[argparse.Action] = []
        self.has_short_help = has_short_help
        super().__init__(
            formatter_class=lambda prog: argparse.RawDescriptionHelpFormatter(prog, max_help_position=28),
            allow_abbrev=False,
            add_help=False,
            **kwargs,
        )

    def error(self, message: str) -> NoReturn:
        raise UsageError(f"{message}; see {self.prog} --help")

    def understood(self, arguments: Sequence[str]) -> argparse.Namespace:
        """Parse the arguments of a command. Raises UsageError; for an unknown option it names the nearest."""
        found, unknown = self.parse_known_args(self.bound(arguments))
        if not unknown:
            return found
        option = next((word for word in unknown if word.startswith("-")), None)
        if option is None:
            raise UsageError(f"{quoted(unknown[0])} is an extra argument; see {self.prog} --help")
        name = option.partition("=")[0]
        near = nearest(name, self.options, 0.7)
        hint = f"did you mean {near}?" if near else f"see {self.prog} --help"
        raise UsageError(f"unknown option {quoted(name)}; {hint}")

    def section(self, title: str) -> Section:
        """A titled part of the help, to which arguments are added."""
        return Section(self.add_argument_group(title).add_argument, self.actions)

    @property
    def options(self) -> frozenset[str]:
        """Return every option that has been added to a section."""
        return frozenset(option for action in self.actions for option in action.option_strings)

    def bound(self, arguments: Sequence[str]) -> list[str]:
        """Join ``--option value`` to ``--option=value`` where the value begins with a dash and is no option itself.

        So ``--out -otter`` means what it says; argparse alone would refuse it. Raises UsageError for two dashes alone,
        which argparse drops.
        """
        known = {option: action for action in self.actions for option in action.option_strings}
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
            name, _, value = bound[-1].partition("=")
            if name in known and value == "--":
                raise UsageError(f"{name}: '--' is no value")
        return bound


class Section:
    """A part of a command's grammar."""

    def __init__(self, add: Callable[..., argparse.Action], actions: list[argparse.Action]) -> None:
        self._add, self._actions = add, actions

    def add(self, *names: str, **kwargs: Any) -> argparse.Action:
        """Add an argument, as argparse's own `add_argument` does."""
        action = self._add(*names, **kwargs)
        self._actions.append(action)
        return action


def add_settings(parser: Parser, are_listed: bool = True, names: Collection[str] = ()) -> Section:
    """Add an option for every setting, or some, in groups of a user's tasks, which the help may list; return the last
    group. Values are read later, by `chosen_settings`."""
    from ..settings.groups import GROUPS
    from ..settings.table import options

    table = options()
    for title, members in GROUPS.items():
        group = parser.section(title)
        for name in (name for name in members if not names or name in names):
            action = _add_setting(group, name, *table[name])
            action.help = action.help if are_listed else argparse.SUPPRESS
    return group


def _add_setting(group: Section, name: str, option: Option, default: object) -> argparse.Action:
    if option.read is None:
        text = option.help.replace("%", "%%")
        return group.add(option_name(name), action="store_true", default=None, help=text)
    per: dict[str, Any] = {"action": "append"} if option.per_animation or option.many else {}
    metavar = f"[NAME=]{option.metavar}" if option.per_animation else option.metavar
    text = (option.help + _choices_and_default(option, default)).replace("%", "%%")
    return group.add(option_name(name), metavar=metavar, help=text, **per)


def _choices_and_default(option: Option, default: object) -> str:
    choices = option.choices if option.choices and option.metavar != "|".join(option.choices) else ()
    value = getattr(default, "everyone", default)
    parts = [", ".join(choices)] if choices else []
    if value not in (None, 0, 1, False, (), ""):
        shown = option.joint.join(map(str, value)) if isinstance(value, tuple) else value
        parts.append(f"default {shown}")
    return f" ({'; '.join(parts)})" if parts else ""


def given_settings(arguments: argparse.Namespace) -> dict[str, object]:
    """Return the settings on the command line, by field name, as they were typed."""
    from ..settings.table import options

    given = {name: getattr(arguments, name) for name in options()}
    return {name: value for name, value in given.items() if value is not None}


def chosen_settings(arguments: argparse.Namespace) -> Settings:
    """Return the settings of the command line, parsed. Raises UsageError."""
    from ..settings.given import settings_from

    return settings_from(given_settings(arguments))


def add_memory(group: Section) -> None:
    """Add the option for the memory that frames may take."""
    group.add("--memory", metavar="SIZE", help="memory for frames, such as 2GB (default: a third of RAM)")


def chosen_memory(arguments: argparse.Namespace) -> int:
    """Return the memory for frames in bytes, 0 for the default. Raises UsageError."""
    from ..commands.options import read_value
    from ..settings.readers import memory

    given = getattr(arguments, "memory", None)
    return 0 if given is None else read_value("memory", memory, given)


def chosen_limits(arguments: argparse.Namespace) -> Limits:
    """Return the limits, some of which the command line may change. Raises UsageError."""
    from ..core.limits import Limits

    if not getattr(arguments, "limit", None):
        return Limits()
    from ..commands.options import read_value
    from ..settings.readers import limit

    return Limits(**dict(read_value("limit", limit, text) for text in arguments.limit))


def chosen_jobs(arguments: argparse.Namespace) -> int:
    """Return how many crates are built at a time. Raises UsageError."""
    from ..commands.options import read_value
    from ..settings.reader import whole

    return 1 if arguments.jobs is None else read_value("jobs", whole(1, MOST_JOBS), arguments.jobs)


def add_only(group: Section, what: str) -> None:
    """Add the option that chooses crates of a crate file."""
    group.add("--only", metavar="NAME", action="append", default=[], help=f"{what} only this crate of a crate file")


def add_common(parser: Parser) -> None:
    """Add the options of every command."""
    group = parser.section("help and messages")
    if parser.has_short_help:
        group.add("-h", action="store_true", help="print the most useful options on one screen, and exit")
        group.add("--help", action="help", help="print this help and exit")
    else:
        group.add("-h", "--help", action="help", help="print this help and exit")
    if "--limit" not in parser.options:
        group.add("--limit", metavar="NAME=N", action="append", help="change a limit on input: frames=2000000")
    group.add("--json", action="store_true", help="print the result as one JSON document")
    group.add("-q", "--quiet", action="store_true", help="print only warnings and errors")
    group.add("-v", "--verbose", action="store_true", help="also print every frame")
    group.add("--debug", action="store_true", help="on an error, also print a traceback")
