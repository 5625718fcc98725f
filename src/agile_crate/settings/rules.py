"""Settings that contradict each other."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from ..core.message import setting
from ..core.text import measured

if TYPE_CHECKING:
    from .table import Settings


LONGEST_WEBP = 16_383
"""Pixels. The longest side that the format has (RFC 9649)."""

ONLY_FOR = (
    (("turn", "keep_repeats", "share_mirrored", "part_animations", "keep_places"), ("tight",), "the tight layout"),
    (("aspect", "effort"), ("blocks", "tight"), "the layouts blocks and tight"),
    (("columns", "rows"), ("grid", "strip", "rows", "blocks"), "layouts with cells"),
    (("cell", "down"), ("grid", "strip", "rows"), "layouts with cells of one size"),
)
"""Settings that only some layouts know: their names, the layouts, and what to call those."""


def contradictions(settings: Settings) -> Iterator[str]:
    """Sentences on settings that exclude each other, or that do nothing without another."""
    if settings.scale != 1 and settings.fit:
        yield f"{setting('scale')} and {setting('fit')} both say how large frames become; leave one of them out"
    if settings.fit_to != "canvas" and not settings.fit:
        yield f"{setting('fit_to')} says what is to fit; say into which size with {setting('fit')}"
    if settings.palette and settings.colors:
        yield f"{setting('palette')} and {setting('colors')} both say which colours there are; leave one of them out"
    if settings.dither and not (settings.palette or settings.colors):
        others = f"{setting('palette')} or {setting('colors')}"
        yield f"{setting('dither')} mixes the colours of a palette; give {others} with it"
    if settings.alike and not (settings.drop_copies or settings.drop_closing):
        yield (
            f"{setting('alike')} says which frames are copies; give {setting('drop_copies')} or "
            f"{setting('drop_closing')} with it"
        )
    if (settings.shape_points or settings.shape_of != "frame") and not settings.shape:
        asked = "shape_points" if settings.shape_points else "shape_of"
        yield f"{setting(asked)} says more about a shape; give {setting('shape')} with it"
    if settings.premultiply and settings.background:
        yield f"{setting('background')} leaves no alpha for {setting('premultiply')}; leave one of them out"
    if settings.fill_under and (settings.premultiply or settings.background):
        asked = "premultiply" if settings.premultiply else "background"
        yield (
            f"{setting('fill_under')} carries colours under transparent pixels, and {setting(asked)} leaves none "
            "there; leave one out"
        )
    if not {"json", "xml"} & set(settings.metadata):
        yield (
            f"{setting('metadata')} needs json or xml, by which verify and the next build know this one; "
            "name one of them, too"
        )
    if "css" in settings.metadata and settings.turn:
        yield f"{setting('turn')} stores frames turned, which CSS cannot show; leave out {setting('turn')}, or css"
    if settings.set and not settings.template:
        yield f"{setting('set')} is a variable for templates; give one with {setting('template')}"
    if settings.compact and "json" not in settings.metadata:
        yield f"{setting('compact')} is for JSON; leave it out, or name json in {setting('metadata')}"
    if settings.cushion and settings.trimming == "off":
        yield f"{setting('cushion')} keeps empty pixels round trimmed frames; give {setting('trim')} with it"
    if settings.image == "webp" and max(settings.sheet_rules.usable) > LONGEST_WEBP:
        yield f"WebP is at most {LONGEST_WEBP:,} pixels a side; make {setting('max_size')} or {setting('size')} smaller"
    spacing = max(settings.gap, settings.margin, 2 * settings.edge_repeat, settings.cushion)
    largest = max(settings.sheet_rules.usable)
    if spacing >= largest:
        yield f"a gap, margin, cushion or edge of {spacing} pixels is as large as the largest sheet; make it smaller"
    for names, layouts, told in ONLY_FOR:
        for name in names:
            if settings.layout not in layouts and settings.given.get(name):
                yield f"{setting(name)} is for {told}, and {setting('layout')} is {settings.layout}; leave one out"
    if settings.keep_repeats and settings.share_mirrored:
        yield f"{setting('keep_repeats')} and {setting('share_mirrored')} contradict each other; leave one of them out"
    if settings.one_sheet and settings.part_animations:
        yield f"{setting('one_sheet')} and {setting('part_animations')} contradict each other; leave one of them out"
    if settings.layout == "rows" and (settings.rows or settings.down):
        asked = "rows" if settings.rows else "down"
        whole = f"{setting('layout', 'rows')} has a row for each animation"
        yield f"{whole}; leave {setting(asked)} out, or leave the layout at grid"
    if settings.layout == "blocks" and settings.columns and settings.rows:
        yield (
            f"{setting('layout', 'blocks')} makes as many rows as {setting('columns')} need, or columns as "
            f"{setting('rows')} need; leave one of the two out"
        )
    if settings.layout == "strip" and (settings.columns or settings.rows):
        asked = "columns" if settings.columns else "rows"
        whole = f"{setting('layout', 'strip')} is one row by itself"
        yield f"{whole}; leave {setting(asked)} out, or leave the layout at grid"
    if settings.pow2 and settings.multiple & (settings.multiple - 1):
        multiple = setting("multiple", settings.multiple)
        yield f"{setting('pow2')} and {multiple} contradict each other; leave one of them out"
    size = settings.size
    if size is None:
        return
    if settings.columns and settings.rows and not settings.cell:
        margin, gap = settings.kept_margin, settings.kept_gap
        for side, name, word in ((size.w, "columns", "wide"), (size.h, "rows", "high")):
            count = getattr(settings, name)
            share, over = divmod(side - 2 * margin + gap, count)
            if over or share <= gap:
                shares = [more for more in (share, share + 1) if more > gap] or [gap + 1]
                nearest = " or ".join(str(2 * margin + count * more - gap) for more in shares)
                uneven = f"{setting(name, count)} cannot share a sheet {side} pixels {word} evenly"
                yield f"{uneven}; make it {nearest} {word}"
    rules: Sequence[tuple[bool, str]] = (
        (settings.pow2 and bool(size.w & (size.w - 1) or size.h & (size.h - 1)), setting("pow2")),
        (settings.square and size.w != size.h, setting("square")),
        (bool(size.w % settings.multiple or size.h % settings.multiple), setting("multiple", settings.multiple)),
    )
    for broken, rule in rules:
        if broken:
            yield f"{setting('size', measured(size))} and {rule} contradict each other; leave one of them out"
