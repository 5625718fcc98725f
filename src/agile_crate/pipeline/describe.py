"""The describe stop: arranged frames as a crate that is ready to be drawn and written."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from fractions import Fraction
from typing import TYPE_CHECKING, NamedTuple

from ..core.arrange.arrangement import Considered
from ..core.crate.describe import described_animations, described_frames, described_sheets
from ..core.crate.file_names import sheet_names, sized_name
from ..core.message import Sentence, setting
from ..core.model.crate import Animation, Crate
from ..core.model.picture import Picture, Sequences
from ..core.model.sheet import Skin
from ..core.motion.timing import Hold, frame_times
from ..core.rounding import plain
from ..core.text import counted
from ..exports.formats import text_names
from ..settings.given import remembered
from ..settings.table import Settings
from .arrange import Arranged
from .prepare import Prepared
from .select import each

if TYPE_CHECKING:
    from ..core.pixels import Words
    from ..exports.template import Template


class PlannedSkin(NamedTuple):
    """A skin that is about to be drawn: its pictures, in the order of the base's, and its palette if its images are to
    be indexed."""

    name: str
    plain: bool
    pictures: Sequence[Picture]
    palette: Words | None


class Plan(NamedTuple):
    """One crate that is about to be written.

    `pictures` are its frames' in order, `drawn` says which of them are put on a sheet (others share their box). `texts`
    are the names of its text files; `palette` is there when its images are to be indexed; `skins` are drawn on sheets
    of their own. The rest is what the user should know.
    """

    crate: Crate
    pictures: Sequence[Picture]
    drawn: Sequence[bool]
    settings: Settings
    texts: tuple[str, ...]
    palette: Words | None
    remarks: tuple[Sentence, ...]
    warnings: tuple[Sentence, ...]
    considered: tuple[Considered, ...]
    bound: int
    proven: bool
    skins: tuple[PlannedSkin, ...] = ()


def plan_of(
    stem: str,
    sequences: Sequences,
    prepared: Prepared,
    arranged: Arranged,
    templates: Sequence[Template],
    generator: str,
) -> Plan:
    """One crate of a build, described under its name: `stem`, with the portion behind it at another size."""
    settings, pictures = prepared.settings, prepared.pictures
    arrangement = arranged.arrangement
    name = sized_name(stem, settings.portion)
    counts = Counter(spot.on_sheet for spot in arrangement.spots)
    on_sheets = [counts[index] for index in range(len(arrangement.sheets))]

    def images(skin: str = "") -> list[str]:
        return sheet_names(
            name, arrangement.sheets, on_sheets, settings.portion, settings.file_name, skin, f".{settings.image}"
        )

    sheets = described_sheets(images(), arrangement.sheets)
    worn = [[Skin(skin.name, image, "", skin.plain) for image in images(skin.name)] for skin in prepared.skins]
    if worn:
        sheets = tuple(
            sheet._replace(skins=skins) for sheet, skins in zip(sheets, zip(*worn, strict=True), strict=True)
        )
    crate = Crate(
        name=name,
        sheets=sheets,
        frames=described_frames(pictures, arrangement.spots),
        animations=animations_of(sequences, settings),
        scale=plain(prepared.factor),
        alpha="premultiplied" if settings.premultiply else "straight",
        generator=generator,
        settings=remembered(settings),
        background=settings.background.hex if settings.background else "",
    )
    drawn = [spot.drawn for spot in arrangement.spots]
    palette, of_palette, warnings = _few_colors(pictures, drawn, settings)
    skins: list[PlannedSkin] = []
    for skin in prepared.skins:
        own, _, doubts = (None, (), ()) if skin.plain else _few_colors(skin.pictures, drawn, settings)
        skins.append(PlannedSkin(skin.name, skin.plain, skin.pictures, own))
        warnings += tuple(doubt for doubt in doubts if doubt not in warnings)
    return Plan(
        crate,
        pictures,
        drawn,
        settings,
        tuple(text_names(name, settings, templates)),
        palette,
        (*prepared.remarks, *arranged.remarks, *of_palette, *_finish(settings)),
        (*prepared.warnings, *warnings),
        arrangement.considered,
        arrangement.bound,
        arrangement.proven,
        tuple(skins),
    )


def _finish(settings: Settings) -> Iterator[Sentence]:
    """What is done to the sheets' pixels as a whole."""
    if settings.premultiply:
        yield Sentence("colours multiplied by their alpha: the game must blend them as premultiplied")
    if settings.background:
        yield Sentence(f"flattened on {settings.background.hex}: the image has no alpha")


def _few_colors(
    pictures: Sequence[Picture], drawn: Sequence[bool], settings: Settings
) -> tuple[Words | None, tuple[Sentence, ...], tuple[Sentence, ...]]:
    """The colours of an indexed image, where a palette was asked for and alpha does not make too many of them; with a
    remark if there are, and a warning if there are too many."""
    if not (settings.colors or settings.palette):
        return None, (), ()
    from ..core.frame.indexed import MOST_COLORS, few_colors

    found = few_colors(picture.pixels for picture, wanted in zip(pictures, drawn, strict=True) if wanted)
    if found is not None:
        told = f"indexed image of {counted(len(found), 'colour')}, the empty one counted in"
        return found, (Sentence(told),), ()
    warning = (
        f"soft edges and the empty colour counted in, there are more than {MOST_COLORS} colours, so the image "
        f"is not indexed; {setting('hard_alpha', 128)} makes edges hard, {setting('colors', 255)} leaves room for the "
        "empty one"
    )
    return None, (), (Sentence(warning),)


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
    return rates, {name: frame_times(s, fps[name], total[name], holds[name]) for name, s in animations.items()}
