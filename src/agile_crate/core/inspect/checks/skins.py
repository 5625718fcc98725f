"""Checks that compare a skin with its base: the same frames in other art."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping

from ...frame.visible import union
from ...message import Message
from ...model.geometry import Box
from ...names import matched
from ...text import counted, few, measured, quoted
from ..facts import FrameFacts
from ..finding import ERROR, NOTE, WARNING, Code, Finding, codes

INCOMPLETE, CANVAS, GROUND, STICKS_OUT, UNCHANGED = codes(
    "skin-incomplete", "skin-canvas", "skin-ground", "skin-box", "skin-unchanged"
)

LEAST_OFF = 2
"""Pixels between the lowest pixels of a skin and of its base, from which they stand on different lines."""

MUCH_LARGER = 1.5
"""The factor by which a skin enlarges the area of the shared box, from which it is reported."""

Pairs = list[tuple[FrameFacts, FrameFacts]]
"""Frames of the base, each with that of the skin."""


def compared_skin(
    skin: Mapping[str, FrameFacts], base: Mapping[str, FrameFacts], may_miss: bool, is_art: bool
) -> Iterator[Finding]:
    """Compare the frames of a skin, or of one of its layers, with those of its base; if it `is_art`, also the figures.
    A skin that may miss frames shows the base's. Cost: linear."""
    found = matched(base, skin)
    severity, instead = (NOTE, "shows instead") if may_miss else (ERROR, "has")
    fix = Message("draw the missing frames" if may_miss else 'draw the missing frames, or write missing = "base"')
    yield from _grouped(INCOMPLETE, severity, found.missing, ("lacks", f", which the base {instead}"), fix)
    extra = ("has", " that the base lacks (not packed)")
    yield from _grouped(INCOMPLETE, WARNING, found.extra, extra, Message("rename them like frames of the base"))
    names = few(f"{quoted(own)} for {quoted(name)}" for name, own in found.renumbered)
    own_names = [own for _, own in found.renumbered]
    numbers = ("has", f" with other digits in their numbers than the base: {names}")
    yield from _grouped(INCOMPLETE, NOTE, own_names, numbers, Message("rename them like frames of the base"))
    pairs = [(base[name], skin[own]) for name, own in found.pairs.items()]
    yield from _canvases(pairs)
    if is_art:
        alike = [(ours, theirs) for ours, theirs in pairs if ours.canvas == theirs.canvas]
        yield from (*_grounds(alike), *_boxes(alike), *_unchanged(alike))


def _canvases(pairs: Pairs) -> Iterator[Finding]:
    others = [(ours, theirs) for ours, theirs in pairs if ours.canvas != theirs.canvas]
    if others:
        ours, theirs = others[0]
        what = ("has", f" on another canvas than the base: {measured(theirs.canvas)}, not {measured(ours.canvas)}")
        fix = Message("bring both to one canvas")
        yield from _grouped(CANVAS, ERROR, [facts.name for _, facts in others], what, fix)


def _grounds(pairs: Pairs) -> Iterator[Finding]:
    off = {theirs.name: theirs.seen.bottom - ours.seen.bottom for ours, theirs in pairs if ours.seen and theirs.seen}
    fix = Message("if they slipped, move them onto the base's line")
    for side, names in (
        ("below", [name for name, by in off.items() if by >= LEAST_OFF]),
        ("above", [name for name, by in off.items() if -by >= LEAST_OFF]),
    ):
        most = max((abs(off[name]) for name in names), default=0)
        what = ("has", f" whose lowest pixels are up to {most} px {side} those of the base")
        yield from _grouped(GROUND, WARNING, names, what, fix)


def _boxes(pairs: Pairs) -> Iterator[Finding]:
    wide: list[tuple[float, str, Box]] = []
    for ours, theirs in pairs:
        box = union(filter(None, (ours.kept, theirs.kept)))
        if box and ours.kept and box.w * box.h >= MUCH_LARGER * ours.kept.w * ours.kept.h:
            wide.append((box.w * box.h / (ours.kept.w * ours.kept.h), theirs.name, box))
    if wide:
        times, name, box = max(wide)
        grows = f"the box of {quoted(name)} grows to {measured(box.size)}, {times:.1f} times its area, in every skin"
        what = ("has", f" that reach far beyond the base: {grows}")
        yield from _grouped(STICKS_OUT, WARNING, [name for _, name, _ in wide], what, Message("look for stray spots"))


def _unchanged(pairs: Pairs) -> Iterator[Finding]:
    same = [theirs.name for ours, theirs in pairs if ours.digest == theirs.digest and theirs.seen]
    what = ("has", f" equal to the base{' (all of them)' if len(same) == len(pairs) else ''}")
    yield from _grouped(UNCHANGED, WARNING, same, what, Message("draw them, if they were forgotten"))


def _grouped(code: Code, severity: str, names: Iterable[str], what: tuple[str, str], fix: Message) -> Iterator[Finding]:
    """Yield a finding for each folder of frames, in most cases an animation's. `what` stands before and after their
    count."""
    groups: dict[str, list[str]] = defaultdict(list)
    for name in names:
        groups[name.rpartition("/")[0] or "frames"].append(name)
    before, after = what
    for label, group in groups.items():
        yield Finding(code, severity, label, tuple(group), f"{before} {counted(len(group), 'frame')}{after}", fix)
