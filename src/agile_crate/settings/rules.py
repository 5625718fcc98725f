"""Settings that contradict each other, as a table."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, NamedTuple

from ..core.arrange.layouts import KNOWN_TO_SOME, LAYOUTS
from ..core.message import Message, message, setting
from ..core.model.geometry import Size
from ..core.text import measured
from ..exports.formats import FORMATS

if TYPE_CHECKING:
    from .table import Settings


LONGEST_WEBP = 16_383
"""Pixels. The longest side that the format has (RFC 9649)."""


class Rule(NamedTuple):
    """Settings that exclude each other, or that do nothing without another: when that is so, and what to say. In the
    sentence, {} is the first of the settings `named` that is given."""

    is_broken: Callable[[Settings], object]
    sentence: str
    named: tuple[str, ...] = ()


RULES = (
    Rule(lambda s: s.scale != 1 and s.fit, "{scale} and {fit} both set the size of the frames; leave one of them out"),
    Rule(
        lambda s: s.finds_region and (s.matched or s.canvas_multiple > 1),
        "a {region} that is found may have any size, so canvases would not be multiples; give its numbers, or leave "
        "out {}",
        ("matched", "canvas_multiple"),
    ),
    Rule(
        lambda s: s.square_cells and s.cell,
        "{square_cells} and {cell} both set the size of cells; leave one of them out",
    ),
    Rule(lambda s: s.fit_to != "canvas" and not s.fit, "{fit_to} needs a size to fit into; add {fit}"),
    Rule(lambda s: s.palette and s.colors, "{palette} and {colors} both choose the colors; leave one of them out"),
    Rule(
        lambda s: s.dither and not (s.palette or s.colors),
        "{dither} mixes the colors of a palette; add {palette} or {colors}",
    ),
    Rule(
        lambda s: s.tolerance and not (s.drop_duplicates or s.drop_closing),
        "{tolerance} decides which frames count as duplicates; add {drop_duplicates} or {drop_closing}",
    ),
    Rule(
        lambda s: (s.shape_points or s.shape_of != "frame") and not s.shape,
        "{} needs a shape; add {shape}",
        ("shape_points", "shape_of"),
    ),
    Rule(
        lambda s: s.premultiply and s.background,
        "{background} leaves no alpha for {premultiply}; leave one of them out",
    ),
    Rule(
        lambda s: s.fill_under and (s.premultiply or s.background),
        "{fill_under} gives transparent pixels a color, and {} removes it; leave one out",
        ("premultiply", "background"),
    ),
    Rule(
        lambda s: s.metadata and not any(FORMATS[name].is_metadata for name in s.metadata),
        f"{{metadata}} needs {' or '.join(name for name, one in FORMATS.items() if one.is_metadata)}, which verify and "
        "the next build read; add one of them",
    ),
    Rule(
        lambda s: not s.metadata and (s.template or s.keep_places or s.image != "png"),
        "{metadata:none} leaves no record for the next build, and {} needs one; leave out {metadata}, or it",
        ("template", "keep_places", "image"),
    ),
    Rule(
        lambda s: "css" in s.metadata and s.turn,
        "{turn} stores frames turned, which CSS cannot show; leave out {turn}, or css",
    ),
    Rule(lambda s: s.matched and not s.also_scale, "{matched} needs other sizes; add {also_scale}"),
    Rule(
        lambda s: s.matched and (s.outline or s.no_offsets),
        "{} changes each size by itself, so sizes would not match; leave out {matched}, or it",
        ("outline", "no_offsets"),
    ),
    Rule(
        lambda s: s.matched and s.recenters,
        "{trim:sheet} aligns the art of each size by itself on the {canvas}, so sizes would not match; leave one out",
    ),
    Rule(
        lambda s: s.fit and (s.matched or s.canvas_multiple > 1),
        "{fit} finds its own factor, so canvases would not be multiples; give {scale}, or leave out {}",
        ("matched", "canvas_multiple"),
    ),
    Rule(lambda s: s.set and not s.template, "{set} is a variable for templates; add {template}"),
    Rule(
        lambda s: s.compact and "json" not in s.metadata,
        "{compact} is for JSON; leave it out, or name json in {metadata}",
    ),
    Rule(lambda s: s.cushion and s.trimming == "off", "{cushion} keeps empty pixels around trimmed frames; add {trim}"),
    Rule(
        lambda s: s.image == "webp" and max(s.sheet_rules.usable) > LONGEST_WEBP,
        f"WebP is at most {LONGEST_WEBP:,} pixels a side; make {{max_size}} or {{size}} smaller",
    ),
)


def contradictions(settings: Settings) -> Iterator[Message]:
    """Yield a sentence for each contradiction; the first is the one to tell."""
    yield from _broken(RULES, settings)
    yield from _too_wide(settings)
    yield from _of_layout(settings)
    if settings.pow2 and settings.multiple & (settings.multiple - 1):
        multiple = setting("multiple", settings.multiple)
        yield message("{pow2} and {} contradict each other; leave one of them out", multiple)
    yield from _uneven(settings)
    yield from _indivisible(settings)
    yield from _other_size(settings)


def _broken(rules: tuple[Rule, ...], settings: Settings) -> Iterator[Message]:
    given = settings.given
    for rule in rules:
        if rule.is_broken(settings):
            named = (
                [setting(next((name for name in rule.named if given.get(name)), rule.named[-1]))] if rule.named else []
            )
            yield message(rule.sentence, *named)


def _of_layout(settings: Settings) -> Iterator[Message]:
    """Yield sentences about settings that the layout does not know, and about those that it excludes."""
    layout, given = LAYOUTS[settings.layout], settings.given
    for name, called in KNOWN_TO_SOME.items():
        if name not in layout.settings and given.get(name):
            yield message("{} is for {}, and {layout} is {}; leave one out", setting(name), called, settings.layout)
    for excluded in layout.excluded:
        found = [name for name in excluded.names if given.get(name)]
        if len(found) >= (len(excluded.names) if excluded.together else 1):
            yield message(excluded.sentence, *([] if excluded.together else [setting(found[0])]))


def _too_wide(settings: Settings) -> Iterator[Message]:
    spacing = max(settings.gap, settings.margin, 2 * settings.edge_repeat, settings.cushion)
    if spacing >= max(settings.sheet_rules.usable):
        sentence = (
            f"a gap, margin, cushion or edge of {spacing} pixels is as large as the largest sheet; make it smaller"
        )
        yield Message(sentence)


def _indivisible(settings: Settings) -> Iterator[Message]:
    """Yield sentences about lengths that are not whole at every matched size."""
    for name, size in (("canvas", settings.canvas), ("cell", settings.cell), ("size", settings.size)):
        unit = 2 * settings.unit if name == "canvas" else settings.unit
        if settings.unit > 1 and isinstance(size, Size) and (size.w % unit or size.h % unit):
            larger = Size(*(-(-side // unit) * unit for side in size))
            yield message(
                "{} is not a multiple of {}, as matched sizes need; make it {}",
                setting(name, measured(size)),
                unit,
                measured(larger),
            )


def _uneven(settings: Settings) -> Iterator[Message]:
    """Yield sentences about sheets of an exact size that cells cannot share evenly."""
    size, margin, gap = settings.size, settings.kept_margin, settings.kept_gap
    if not (size and settings.columns and settings.rows) or settings.cell:
        return
    for side, name, count, word in (
        (size.w, "columns", settings.columns, "wide"),
        (size.h, "rows", settings.rows, "high"),
    ):
        share, over = divmod(side - 2 * margin + gap, count)
        if over or share <= gap:
            shares = [more for more in (share, share + 1) if more > gap] or [gap + 1]
            nearest = " or ".join(str(2 * margin + count * more - gap) for more in shares)
            yield message(
                "{} cannot share a sheet {} pixels {} evenly; make it {} {}",
                setting(name, count),
                side,
                word,
                nearest,
                word,
            )


def _other_size(settings: Settings) -> Iterator[Message]:
    """Yield sentences about an exact size that breaks a rule for all sizes."""
    size, multiple = settings.size, settings.multiple
    if size is None:
        return
    rules = (
        (settings.pow2 and bool(size.w & (size.w - 1) or size.h & (size.h - 1)), setting("pow2")),
        (settings.square and size.w != size.h, setting("square")),
        (bool(size.w % multiple or size.h % multiple), setting("multiple", multiple)),
    )
    for is_broken, rule in rules:
        if is_broken:
            yield message(
                "{} and {} contradict each other; leave one of them out", setting("size", measured(size)), rule
            )
