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
"""Pixels. A skin stands on another line if its lowest pixels are so far from the base's."""

MUCH_LARGER = 1.5
"""A frame's box, which the skin shares, grows by so much in area if the skin sticks out far."""

Pairs = list[tuple[FrameFacts, FrameFacts]]
"""Frames of the base, each with that of the skin."""


def compared_skin(
    skin: Mapping[str, FrameFacts], base: Mapping[str, FrameFacts], may_miss: bool, is_art: bool
) -> Iterator[Finding]:
    """Compare a skin, or one of its layers, with its base, by the facts of their frames; of what `is_art`, the figures
    as well. A skin that may miss frames shows the base's. Cost: linear."""
    found = matched(base, skin)
    lacks = "lacks {}, which the base shows instead" if may_miss else "lacks {}, which the base has"
    fix = Message("draw what is missing" if may_miss else 'draw what is missing, or write missing = "base"')
    yield from _grouped(INCOMPLETE, NOTE if may_miss else ERROR, found.missing, lacks, fix)
    extra = "has {} that the base does not have, and that are left out"
    yield from _grouped(INCOMPLETE, WARNING, found.extra, extra, Message("rename them like frames of the base"))
    if found.renumbered:
        names = few(f"{quoted(own)} for {quoted(name)}" for name, own in found.renumbered)
        own_names = [own for _, own in found.renumbered]
        what = f"writes the numbers of {{}} in another way than the base: {names}"
        yield from _grouped(INCOMPLETE, NOTE, own_names, what, Message("rename them like the base's"))
    pairs = [(base[name], skin[own]) for name, own in found.pairs.items()]
    yield from _canvases(pairs)
    if is_art:
        alike = [(ours, theirs) for ours, theirs in pairs if ours.canvas == theirs.canvas]
        yield from (*_grounds(alike), *_boxes(alike), *_unchanged(alike))


def _canvases(pairs: Pairs) -> Iterator[Finding]:
    others = [(ours, theirs) for ours, theirs in pairs if ours.canvas != theirs.canvas]
    if others:
        ours, theirs = others[0]
        what = f"has {{}} on another canvas than the base: {measured(theirs.canvas)}, not {measured(ours.canvas)}"
        fix = Message("bring both to one canvas")
        yield from _grouped(CANVAS, ERROR, [facts.name for _, facts in others], what, fix)


def _grounds(pairs: Pairs) -> Iterator[Finding]:
    off = {theirs.name: theirs.seen.bottom - ours.seen.bottom for ours, theirs in pairs if ours.seen and theirs.seen}
    for is_lower in (True, False):
        names = [name for name, by in off.items() if (by if is_lower else -by) >= LEAST_OFF]
        if names:
            most = max(abs(off[name]) for name in names)
            what = f"stands up to {most} px {'below' if is_lower else 'above'} the base, by its lowest pixels, in {{}}"
            yield from _grouped(GROUND, WARNING, names, what, Message("move them onto the base's line if they slipped"))


def _boxes(pairs: Pairs) -> Iterator[Finding]:
    wide: list[tuple[float, str, Box]] = []
    for ours, theirs in pairs:
        box = union(filter(None, (ours.kept, theirs.kept)))
        if box and ours.kept and box.w * box.h >= MUCH_LARGER * ours.kept.w * ours.kept.h:
            wide.append((box.w * box.h / (ours.kept.w * ours.kept.h), theirs.name, box))
    if wide:
        times, name, box = max(wide)
        grows = f"the box of {quoted(name)} grows to {measured(box.size)}, {times:.1f} times its area, in every skin"
        what = f"sticks out far beyond the base in {{}}: {grows}"
        yield from _grouped(STICKS_OUT, WARNING, [name for _, name, _ in wide], what, Message("look for stray spots"))


def _unchanged(pairs: Pairs) -> Iterator[Finding]:
    same = [theirs.name for ours, theirs in pairs if ours.digest == theirs.digest and theirs.seen]
    if same:
        everywhere = " (all of them)" if len(same) == len(pairs) else ""
        what = f"shows the base, pixel for pixel, in {{}}{everywhere}"
        yield from _grouped(UNCHANGED, WARNING, same, what, Message("draw them, if they were forgotten"))


def _grouped(code: Code, severity: str, names: Iterable[str], what: str, fix: Message) -> Iterator[Finding]:
    """Yield a finding of each folder of frames, which is an animation's in most cases. {} in `what` counts them."""
    groups: dict[str, list[str]] = defaultdict(list)
    for name in names:
        groups[name.rpartition("/")[0] or "frames"].append(name)
    for label, group in groups.items():
        yield Finding(code, severity, label, tuple(group), what.format(counted(len(group), "frame")), fix)
