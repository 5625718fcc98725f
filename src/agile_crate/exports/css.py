"""A crate as a style sheet: a class for each frame and for each animation, which work in a page as they are.

The element is as large as the canvas; its padding is what was trimmed, and the sheet shows through the rest (CSS
Backgrounds and Borders, level 3: background-origin and background-clip). An animation steps through paddings and
positions at exact times (CSS Animations, level 1). On screens of more pixels the same build's larger sheets are
shown (CSS Images, level 4: image-set).
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from fractions import Fraction
from urllib.parse import quote

from ..core.errors import OutputError
from ..core.model.crate import Animation, Crate, Frame
from ..core.model.geometry import ORIGIN, Offset, Size
from ..core.motion.stage import stage, turn
from ..core.text import counted, quoted

Larger = Sequence[tuple[Fraction, Crate]]


def to_css(crate: Crate, larger: Larger = ()) -> str:
    """The style sheet. `larger` are crates of the same frames and by how much they are larger; those whose boxes are
    not exact multiples of this crate's are left out.

    Raises OutputError for frames that are stored turned, and for names that become one class.
    """
    for frame in crate.frames:
        if frame.turned:
            raise OutputError(
                "frame {} is stored turned, which CSS cannot show; leave out {turn}, or css", quoted(frame.name)
            )
    images = _images(crate, [(factor, other) for factor, other in larger if _is_multiple(crate, other, factor)])
    base = f".{escaped(class_of(crate.name))}"
    frames, animations = (
        _classes("frame-", [frame.name for frame in crate.frames]),
        _classes("play-", [animation.name for animation in crate.animations]),
    )
    example = next(iter(animations or frames), "")
    lines = [
        f"/* {counted(len(crate.frames), 'frame')}, {counted(len(crate.animations), 'animation')}, by "
        f"{_in_comment(crate.generator or 'agile-crate')}.",
        f'   Use: <div class="{_in_comment(class_of(crate.name))} {_in_comment(example)}"></div> */',
        "",
        f"{base} {{",
        "  display: inline-block;",
        "  box-sizing: border-box;",
        *(f"  {line}" for line in images[0]),
        "  background-origin: content-box;",
        "  background-clip: content-box;",
        "  background-repeat: no-repeat;",
        "}",
        "",
    ]
    alone = [_shown(frame, frame.canvas, ORIGIN) for frame in crate.frames]
    for name, frame, size in zip(frames, crate.frames, alone, strict=True):
        image = " ".join([*images[frame.on_sheet], ""]) if frame.on_sheet else ""
        lines.append(f"{base}.{escaped(name)} {{ {_room(frame.canvas)} {image}{size} }}")
    for name, animation in zip(animations, crate.animations, strict=True):
        lines += ["", *_animation(crate, animation, f"{base}.{escaped(name)}", images, alone)]
    return "\n".join([*lines, ""])


def class_of(name: str) -> str:
    """A name as one class of a page: blanks, which would end it, become underscores."""
    return _BLANK.sub("_", name) or "_"


_BLANK = re.compile(r"\s")


def escaped(name: str) -> str:
    r"""A name as an identifier (CSS Object Model, "serialize an identifier").

    >>> print(escaped("swim/1"), escaped("8-way"), escaped("-"), escaped("grüße"))
    swim\/1 \38 -way \- grüße
    """
    return r"\-" if name == "-" else _ODD.sub(_escape, name)


_ODD = re.compile(r"^-?[0-9]|[\x00-,./:-@\[-^`{-\x7f]")


def _escape(found: re.Match[str]) -> str:
    letter = found[0][-1]
    if letter == "\0":
        return "\ufffd"
    by_number = letter < " " or letter == "\x7f" or letter.isdigit()
    return found[0][:-1] + (f"\\{ord(letter):x} " if by_number else f"\\{letter}")


def _classes(prefix: str, names: Sequence[str]) -> list[str]:
    classes = [prefix + class_of(name) for name in names]
    first: dict[str, str] = {}
    for name, made in zip(names, classes, strict=True):
        if first.setdefault(made, name) != name:
            raise OutputError(
                f"{quoted(first[made])} and {quoted(name)} would be one class, {quoted(made)}; "
                "rename the one or the other, or leave out css"
            )
    return classes


def _images(crate: Crate, larger: Larger) -> list[list[str]]:
    """Return the lines that show each sheet."""
    lines = []
    for index, sheet in enumerate(crate.sheets):
        rules = [f"background-image: {_url(sheet.image)};"]
        if larger:
            dense = [f"{_url(sheet.image)} 1x"]
            dense += [f"{_url(other.sheets[index].image)} {float(factor):g}x" for factor, other in _by_factor(larger)]
            rules.append(f"background-image: image-set({', '.join(dense)});")
        lines.append(rules)
    return lines


def _by_factor(larger: Larger) -> Larger:
    return sorted(larger, key=lambda pair: pair[0])


def _is_multiple(crate: Crate, other: Crate, factor: Fraction) -> bool:
    """Return True if every number of the other crate is this one's multiplied, so that its sheets can stand for this
    one's."""
    if len(crate.sheets) != len(other.sheets) or len(crate.frames) != len(other.frames):
        return False
    pairs: list[tuple[tuple[int, ...], tuple[int, ...]]] = [
        (frame.size, larger.size) for frame, larger in zip(crate.sheets, other.sheets, strict=True)
    ]
    for frame, larger in zip(crate.frames, other.frames, strict=True):
        if (frame.on_sheet, frame.mirror) != (larger.on_sheet, larger.mirror):
            return False
        pairs += [(frame.box, larger.box), (frame.offset, larger.offset), (frame.canvas, larger.canvas)]
    return all(tuple(number * factor for number in frame) == tuple(larger) for frame, larger in pairs)


def _animation(
    crate: Crate, animation: Animation, selector: str, images: list[list[str]], alone: list[str]
) -> Iterator[str]:
    steps = turn(animation)
    frames = [crate.frames[step.frame] for step in steps]
    room = stage(frames)
    several = len({frame.on_sheet for frame in frames}) > 1
    flips = any(frame.mirror for frame in frames)
    rules = [
        alone[step.frame] if frame.canvas == room.size and not flips else _shown(frame, room.size, place, flips)
        for step, frame, place in zip(steps, frames, room.places, strict=True)
    ]
    if several:
        rules = [f"{' '.join(images[frame.on_sheet])} {rule}" for frame, rule in zip(frames, rules, strict=True)]
    name = escaped(class_of(f"{crate.name}-{animation.name}"))
    length = sum((step.milliseconds for step in steps), Fraction())
    turns = "infinite" if animation.loop != "once" else f"{max(1, animation.times)} forwards"
    first = images[frames[0].on_sheet] if frames[0].on_sheet and not several else []
    yield f"{selector} {{"
    yield from (f"  {line}" for line in (_room(room.size), *first, rules[0]))
    yield f"  animation: {name} {_milliseconds(length)} step-end {turns};"
    yield "}"
    yield f"@keyframes {name} {{"
    begin = Fraction()
    for step, shown in zip(steps, rules, strict=True):
        yield f"  {_percent(begin, length)} {{ {shown} }}"
        begin += step.milliseconds
    if animation.loop == "once":
        yield f"  100% {{ {rules[-1]} }}"
    yield "}"


def _room(size: Size) -> str:
    return f"width: {size.w}px; height: {size.h}px;"


def _shown(frame: Frame, room: Size, place: Offset, flips: bool = False) -> str:
    """Return what shows a frame in a room, its canvas at `place`; a mirrored one is laid out before it is flipped."""
    (x, y), (width, height) = place, frame.upright
    left = (room.w - x - frame.canvas.w if "x" in frame.mirror else x) + frame.offset.x
    top = (room.h - y - frame.canvas.h if "y" in frame.mirror else y) + frame.offset.y
    right, bottom = room.w - left - width, room.h - top - height
    padding = " ".join(f"{max(0, side)}px" for side in (top, right, bottom, left))  # a cushion may reach beyond
    rule = f"padding: {padding}; background-position: {min(0, left) - frame.box.x}px {min(0, top) - frame.box.y}px;"
    if frame.mirror or flips:
        rule += f" scale: {-1 if 'x' in frame.mirror else 1} {-1 if 'y' in frame.mirror else 1};"
    return rule


def _milliseconds(length: Fraction) -> str:
    """Return a duration in milliseconds as text."""
    return f"{float(length):.6f}".rstrip("0").rstrip(".") + "ms"


def _percent(begin: Fraction, length: Fraction) -> str:
    """Return the moment when a step begins, rounded down to a hundred-millionth so that it never begins late."""
    return f"{begin * 10**8 // length / 10**6:.6f}".rstrip("0").rstrip(".") + "%"


def _url(image: str) -> str:
    return f'url("{quote(image)}")'


def _in_comment(text: str) -> str:
    return "".join(c if c.isprintable() else "?" for c in text).replace("*/", "* /")
