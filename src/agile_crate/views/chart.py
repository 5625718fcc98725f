"""Charts of a crate, by Matplotlib: jitter, durations, use of the sheets, memory.

One figure of four. Feet and center of mass come from `core.inspect.facts`, measured from the pivot, as an engine sees
them.
"""

from __future__ import annotations

import contextlib
import io
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, Literal, NamedTuple

import numpy as np

from ..core.crate.changes import Draw
from ..core.crate.summary import GPU_BYTES_PER_PIXEL
from ..core.inspect.checks.motion import JUMP, out_of_place
from ..core.inspect.facts import frame_facts
from ..core.inspect.finding import Surveyed
from ..core.model.crate import Animation, Crate
from ..core.model.geometry import Box
from ..core.motion.stage import turn
from ..core.text import bytes_shown, shown
from .theme import GROUND, INK, INSIDE_TONE, OUTSIDE_TONE, PAPER, RULE, SEEN_TONE, TONES, tone_of

if TYPE_CHECKING:
    from matplotlib.axes import Axes

MOST_LINES = len(TONES)
"""Animations in the first two charts; more could not be distinguished."""

WIDTH, HEIGHT, DOTS = 12.8, 8.0, 100


class Path(NamedTuple):
    """The path of an animation's feet and center of mass, from its pivot, by step: shape (steps, 2), y up, NaN where
    nothing is visible; and the step that is off its neighbors' path, if any."""

    feet: np.ndarray
    mass: np.ndarray
    jump: int | None


class Shares(NamedTuple):
    """Shares of a sheet's pixels: visible, empty inside boxes, outside boxes; their sum is 1."""

    seen: float
    inside: float
    outside: float


def path_of(crate: Crate, animation: Animation, draw: Draw) -> Path:
    """Return the path of an animation over its frames, in the order of its list. A step jumps if the survey says so."""
    feet: list[tuple[float, float]] = []
    mass: list[tuple[float, float]] = []
    facts = {index: frame_facts(str(index), draw(index)) for index in dict.fromkeys(animation.frames)}
    for index in animation.frames:
        pivot = crate.frames[index].pivot
        for points, point in zip((feet, mass), (facts[index].feet, facts[index].mass), strict=True):
            points.append((np.nan, np.nan) if point is None else (point[0] - pivot.x, pivot.y - point[1]))
    surveyed = Surveyed(animation.name, tuple(facts.values()), lambda frame: draw(int(frame.name)))
    jumps = [finding.frames[0] for finding in out_of_place(surveyed) if finding.code == JUMP]
    return Path(np.array(feet), np.array(mass), animation.frames.index(int(jumps[0])) if jumps else None)


def shares_of(crate: Crate, index: int, seen: np.ndarray) -> Shares:
    """The shares of one sheet; `seen` is True where it shows something, shape (h, w)."""
    boxed = np.zeros(seen.shape, bool)
    boxes: set[Box] = {frame.box for frame in crate.frames if frame.on_sheet == index}
    for box in boxes:
        boxed[box.y : box.bottom, box.x : box.right] = True
    area = seen.size
    full, common = int(np.count_nonzero(boxed)), int(np.count_nonzero(boxed & seen))
    return Shares(common / area, (full - common) / area, (area - full) / area)


def memory_of(crate: Crate) -> tuple[int, int]:
    """Return the bytes of graphics memory as sheets, and as a texture for each frame, uncompressed."""
    sheets = sum(sheet.size.w * sheet.size.h for sheet in crate.sheets)
    apart = sum(frame.canvas.w * frame.canvas.h for frame in crate.frames)
    return sheets * GPU_BYTES_PER_PIXEL, apart * GPU_BYTES_PER_PIXEL


def chart_of(
    crate: Crate, animations: Sequence[Animation], draw: Draw, seen: Sequence[np.ndarray], form: Literal["png", "svg"]
) -> bytes:
    """The figure as a file. `seen` is True where each sheet shows something. The same crate gives the same bytes."""
    import matplotlib
    from matplotlib.figure import Figure

    with contextlib.ExitStack() as settings:
        settings.enter_context(matplotlib.rc_context())
        matplotlib.rcdefaults()  # else a settings file of the user's, or in this folder, would change the chart
        settings.enter_context(
            matplotlib.rc_context(
                {"svg.hashsalt": "agile-crate", "svg.fonttype": "none", "font.size": 9, "text.parse_math": False}
            )
        )
        figure = Figure(figsize=(WIDTH, HEIGHT), dpi=DOTS, layout="constrained")
        (wobble, full), (timing, memory) = figure.subplots(2, 2, width_ratios=(3, 2))
        figure.suptitle(shown(crate.name), x=0.01, ha="left", fontsize=13)
        few = list(animations)[:MOST_LINES]
        _draw_wobble(wobble, crate, few, draw)
        _draw_timing(timing, crate, few)
        _draw_shares(full, crate, [shares_of(crate, index, mask) for index, mask in enumerate(seen)])
        _draw_memory(memory, *memory_of(crate))
        for axes in (wobble, full, timing, memory):
            axes.spines[["top", "right"]].set_visible(False)
        stream = io.BytesIO()
        figure.savefig(stream, format=form, metadata={"Software": None} if form == "png" else {"Date": None})
    return stream.getvalue()


def _tone(index: int) -> Any:
    return tuple(part / 255 for part in tone_of(index))


def _draw_wobble(axes: Axes, crate: Crate, animations: Sequence[Animation], draw: Draw) -> None:
    from matplotlib.ticker import MaxNLocator

    axes.set_title("feet (lines) and center of mass (dotted), pixels above the pivot", loc="left")
    for animation in animations:
        number = crate.animations.index(animation)
        path = path_of(crate, animation, draw)
        steps = np.arange(1, len(path.feet) + 1)
        axes.plot(steps, path.feet[:, 1], color=_tone(number), marker=".", label=shown(animation.name))
        axes.plot(steps, path.mass[:, 1], color=_tone(number), linestyle=":")
        if path.jump is not None:
            place = (steps[path.jump], path.mass[path.jump, 1])
            axes.plot(*place, marker="o", markersize=12, fillstyle="none", color=GROUND.hex)
            axes.annotate("jumps", place, textcoords="offset points", xytext=(9, 7), color=GROUND.hex)
    axes.axhline(0, color=RULE.hex, linewidth=0.8)
    axes.set_xlabel("step")
    axes.xaxis.set_major_locator(MaxNLocator(integer=True))
    if animations:
        axes.legend(fontsize=8, frameon=False, loc="upper center", bbox_to_anchor=(0.5, -0.12), ncols=4)


def _draw_timing(axes: Axes, crate: Crate, animations: Sequence[Animation]) -> None:
    axes.set_title("duration of each step", loc="left")
    for row, animation in enumerate(animations):
        begin, tone = 0.0, _tone(crate.animations.index(animation))
        for place, step in enumerate(turn(animation)):
            alpha = 0.85 if place % 2 == 0 else 0.5
            axes.barh(row, float(step.milliseconds), left=begin, color=tone, alpha=alpha, height=0.7)
            begin += float(step.milliseconds)
        axes.annotate(f" {begin:.0f} ms, {animation.loop}", (begin, row), va="center", fontsize=8)
    axes.set_yticks(range(len(animations)), [shown(animation.name) for animation in animations])
    axes.invert_yaxis()
    axes.margins(x=0.2)
    axes.set_xlabel("milliseconds")


def _draw_shares(axes: Axes, crate: Crate, shares: Sequence[Shares]) -> None:
    axes.set_title("use of the sheets' pixels", loc="left")
    left = np.zeros(len(shares))
    names = [shown(sheet.image) for sheet in crate.sheets]
    parts = (("visible", SEEN_TONE), ("empty inside boxes", INSIDE_TONE), ("outside boxes", OUTSIDE_TONE))
    for place, (label, color) in enumerate(parts):
        widths = np.array([share[place] for share in shares]) * 100
        axes.barh(names, widths, left=left, color=color.hex, label=label, height=0.6)
        for row, (begin, width) in enumerate(zip(left, widths, strict=True)):
            if width >= 6:
                ink = PAPER.hex if place == 0 else INK.hex
                axes.annotate(
                    f"{width:.0f}%", (begin + width / 2, row), ha="center", va="center", fontsize=8, color=ink
                )
        left += widths
    axes.invert_yaxis()
    axes.set_xlim(0, 100)
    axes.margins(y=0.5 / len(shares))
    axes.legend(fontsize=8, frameon=False, loc="upper center", bbox_to_anchor=(0.5, -0.08), ncols=3)


def _draw_memory(axes: Axes, sheets: int, apart: int) -> None:
    axes.set_title("graphics memory, uncompressed", loc="left")
    axes.barh(["the sheets", "one texture per frame"], [sheets, apart], color=[_tone(0), RULE.hex], height=0.5)
    for row, size in enumerate((sheets, apart)):
        axes.annotate(f" {bytes_shown(size)}", (size, row), va="center")
    axes.invert_yaxis()
    axes.margins(x=0.25)
    axes.set_xticks([])
    axes.spines["bottom"].set_visible(False)
