"""The parts of every preparing step: facts of each frame, a decision over all, and its application.

A step never sees pixels and settings of all frames at once. `fact` looks at one picture, `decide` at the facts of all,
`apply` changes one picture by its parameters. All three are functions of a module, and facts and parameters plain
values, so they can be sent to another thread or process, and kept: equal parameters on equal pixels give equal pixels.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, Generic, NamedTuple, TypeVar

from ...core.errors import UsageError
from ...core.frame.visible import union
from ...core.message import Message, message, setting
from ...core.model.geometry import Box, Size
from ...core.model.picture import Picture, Sequences
from ...core.text import counted, few
from ...settings.table import Settings

Fact = TypeVar("Fact")
Parameters = TypeVar("Parameters")


class FrameGroup(NamedTuple):
    """An animation, or the stills, which have no name, and where its frames lie among all."""

    name: str | None
    span: range


class Lineup(NamedTuple):
    """The frames of a crate by their names, in order, and the groups that they make."""

    names: tuple[str, ...]
    groups: tuple[FrameGroup, ...]

    @property
    def animations(self) -> tuple[FrameGroup, ...]:
        """The groups that are animations."""
        return tuple(group for group in self.groups if group.name is not None)

    @property
    def together(self) -> tuple[FrameGroup, ...]:
        """Return what belongs together: animations, and each still by itself."""
        stills = (index for group in self.groups if group.name is None for index in group.span)
        return (*self.animations, *(FrameGroup(None, range(index, index + 1)) for index in stills))


def lineup_of(sequences: Sequences) -> Lineup:
    """The lineup of sequences in crate order."""
    names: list[str] = []
    groups: list[FrameGroup] = []
    for sequence in sequences:
        first = len(names)
        names += [frame.name for frame in sequence.frames]
        groups.append(FrameGroup(sequence.name, range(first, len(names))))
    return Lineup(tuple(names), tuple(groups))


class Decision(NamedTuple, Generic[Parameters]):
    """The decision of a step: parameters of every frame in order, or none if the step does nothing, and remarks."""

    parameters: tuple[Parameters, ...] = ()
    remarks: tuple[Message, ...] = ()
    warnings: tuple[Message, ...] = ()


def always(_: Settings) -> bool:
    """Return True, whatever the settings."""
    return True


class Standing(NamedTuple):
    """A frame's canvas, the box of its visible art (None without any, or if no step asks), and True if the
    frame is mirrored."""

    canvas: Size
    seen: Box | None
    flipped: bool = False


def seen_together(fact: Any, other: Any, is_plain: bool) -> Any:
    """A fact with fields `canvas` and `seen`, joined with that of the same frame in a skin: the box of both.

    A plain skin that fills its canvas, such as a map of normals, does not show where the figure is.
    """
    if not other.seen or (is_plain and other.seen.size == other.canvas):
        return fact
    return fact._replace(seen=union(box for box in (fact.seen, other.seen) if box))


class Step(NamedTuple, Generic[Fact, Parameters]):
    """One step.

    fact       looks at one picture
    decide     decides by the facts of all; may raise UsageError and FitError
    apply      returns a changed picture, and does not change the given one
    looks      returns True if, with the settings, `fact` or `apply` needs a picture's pixels
    joined     joins a frame's fact with the same frame's fact in a skin, plain or not, so that one decision suits all
    is_shared  decide once, on the base's frames, for all skins; otherwise for each skin that is not plain
    on_skins   this step prepares skins, too
    scales     its parameters are scalings
    """

    fact: Callable[[Picture, Settings], Fact]
    decide: Callable[[Iterable[Fact], Lineup, Settings], Decision[Parameters]]
    apply: Callable[[Picture, Parameters], Picture]
    looks: Callable[[Settings], bool] = always
    joined: Callable[[Fact, Fact, bool], Fact] | None = None
    is_shared: bool = False
    on_skins: bool = True
    scales: bool = False


def alike(parameters: Parameters, lineup: Lineup) -> tuple[Parameters, ...]:
    """Repeat the same parameters for every frame."""
    return (parameters,) * len(lineup.names)


def warning_of_empty(names: list[str], lineup: Lineup, name: str, value: object = "") -> tuple[Message, ...]:
    """Return a warning of frames that a setting emptied. Raises UsageError if it emptied all frames."""
    after = setting(name, value)
    if len(names) == len(lineup.names):
        raise UsageError("{} makes every frame empty; choose another value", after)
    if not names:
        return ()
    verb = "is" if len(names) == 1 else "are"
    return (message("{} {} wholly empty after {}: {}", counted(len(names), "frame"), verb, after, few(names)),)
