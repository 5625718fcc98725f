"""Description: turn arranged frames into a crate that is ready to draw and write."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from fractions import Fraction
from typing import TYPE_CHECKING, NamedTuple

from ..core.arrange.arrangement import Arrangement, Considered
from ..core.arrange.layout import Arranged
from ..core.crate.describe import described_animations, described_frames, described_sheets
from ..core.crate.file_names import sheet_names, sized_name
from ..core.message import Message, message
from ..core.model.crate import Animation, Crate
from ..core.model.picture import Sequences
from ..core.model.sheet import Sheet, SkinImage
from ..core.model.variant import Variant, Variants
from ..core.motion.timing import Hold, frame_times
from ..core.rounding import plain
from ..core.text import counted
from ..exports.texts import text_names
from ..settings.given import remembered
from ..settings.table import Settings
from .prepare import Prepared
from .select import each

if TYPE_CHECKING:
    from ..core.pixels import Words
    from ..exports.template import Template


class Plan(NamedTuple):
    """One crate that is about to be written.

    crate      without the digests of its sheets
    variants   their pictures are those of the crate's frames, in order
    drawn      of each frame, whether it is put on a sheet; others share their box
    settings   that made them
    texts      the names of its text files
    remarks, warnings   for the user
    considered, bound, proven   how it was arranged
    """

    crate: Crate
    variants: Variants
    drawn: Sequence[bool]
    settings: Settings
    texts: tuple[str, ...]
    remarks: tuple[Message, ...]
    warnings: tuple[Message, ...]
    considered: tuple[Considered, ...]
    bound: int
    proven: bool

    def images(self, number: int) -> list[str]:
        """Return the names of the sheets of a variant, in order."""
        sheets = self.crate.sheets
        return [sheet.skins[number - 1].image if number else sheet.image for sheet in sheets]


def plan_of(
    stem: str,
    sequences: Sequences,
    prepared: Prepared,
    arranged: Arranged,
    templates: Sequence[Template] = (),
    generator: str = "",
) -> Plan:
    """Describe one crate of a build under its name: `stem`, followed by the portion if it has another size."""
    settings, arrangement = prepared.settings, arranged.arrangement
    name = sized_name(stem, settings.portion)
    crate = Crate(
        name=name,
        sheets=_sheets(name, prepared, arrangement),
        frames=described_frames(prepared.pictures, arrangement.spots),
        animations=animations_of(sequences, settings),
        scale=plain(prepared.factor),
        alpha="premultiplied" if settings.premultiply else "straight",
        generator=generator,
        settings=remembered(settings),
        background=settings.background.hex if settings.background else "",
    )
    drawn = [spot.drawn for spot in arrangement.spots]
    indexed = [_few_colors(variant, drawn, settings) for variant in prepared.variants]
    warnings = dict.fromkeys(warning for image in indexed for warning in image.warnings)
    return Plan(
        crate,
        tuple(
            variant._replace(palette=image.palette) for variant, image in zip(prepared.variants, indexed, strict=True)
        ),
        drawn,
        settings,
        tuple(text_names(name, settings.metadata, templates)),
        (*prepared.remarks, *arranged.remarks, *indexed[0].remarks, *_finish(settings)),
        (*prepared.warnings, *arranged.warnings, *warnings),
        arrangement.considered,
        arrangement.bound,
        arrangement.proven,
    )


def _sheets(name: str, prepared: Prepared, arrangement: Arrangement) -> tuple[Sheet, ...]:
    settings = prepared.settings
    counts = Counter(spot.on_sheet for spot in arrangement.spots)
    on_sheets = [counts[index] for index in range(len(arrangement.sheets))]

    def names_of(variant: Variant) -> list[str]:
        pattern, ending = settings.file_name, f".{settings.image}"
        return sheet_names(name, arrangement.sheets, on_sheets, settings.portion, pattern, variant.name, ending)

    base, *skins = prepared.variants
    names = [names_of(skin) for skin in skins]
    return tuple(
        sheet._replace(
            skins=tuple(
                SkinImage(skin.name, of_skin[index], "", skin.is_plain)
                for skin, of_skin in zip(skins, names, strict=True)
            )
        )
        for index, sheet in enumerate(described_sheets(names_of(base), arrangement.sheets))
    )


def _finish(settings: Settings) -> Iterator[Message]:
    """Yield the changes to the sheets' pixels as a whole."""
    if settings.premultiply:
        yield Message("colors multiplied by their alpha: the game must blend them as premultiplied")
    if settings.background:
        yield Message(f"flattened on {settings.background.hex}: the image has no alpha")


class _Indexed(NamedTuple):
    """The palette of an indexed image, or None, and a remark about it."""

    palette: Words | None = None
    remarks: tuple[Message, ...] = ()
    warnings: tuple[Message, ...] = ()


def _few_colors(variant: Variant, drawn: Sequence[bool], settings: Settings) -> _Indexed:
    """Return the colors of an indexed image if a palette was asked for and alpha does not make too many of them."""
    if variant.is_plain or not (settings.colors or settings.palette):
        return _Indexed()
    from ..core.frame.indexed import MOST_COLORS, few_colors

    pairs = zip(variant.pictures, drawn, strict=True)
    found = few_colors(picture.pixels for picture, wanted in pairs if wanted)
    if found is not None:
        remark = f"indexed image of {counted(len(found), 'color')}, the empty one counted in"
        return _Indexed(found, (Message(remark),))
    warning = message(
        "with soft edges and the empty color, the image has more than {} colors, so it is not "
        "indexed; {hard_alpha:128} makes edges hard, {colors:255} leaves room for the empty one",
        MOST_COLORS,
    )
    return _Indexed(warnings=(Message(warning),))


def animations_of(sequences: Sequences, settings: Settings) -> tuple[Animation, ...]:
    """The animations of a crate whose frames are those of the sequences, in order."""
    rates, times = _times(sequences, settings)
    return described_animations(sequences, times, rates, each("loop", settings.loop, sequences))


def _times(
    sequences: Sequences, settings: Settings
) -> tuple[dict[str, Fraction | None], dict[str, tuple[Fraction, ...]]]:
    """The frames a second that were asked for, and the exact milliseconds of each frame, of each animation."""
    fps = each("fps", settings.fps, sequences)
    total = each("duration", settings.duration, sequences)
    holds: dict[str, dict[int, Hold]] = defaultdict(dict)
    for name, position, hold in settings.hold:
        holds[name][position] = hold
    animations = {sequence.name: sequence for sequence in sequences if sequence.name is not None}
    rates = {name: None if total[name] else fps[name] for name in animations}
    return rates, {
        name: frame_times(sequence, fps[name], total[name], holds[name]) for name, sequence in animations.items()
    }
