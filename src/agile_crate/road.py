"""The road: gather → take → prepare → arrange → draw → describe → write. `proof` is the way back.

Nothing here prints or exits. Work goes to the executor that is handed in; the progress function is told of it.
"""

from __future__ import annotations

import dataclasses
import os
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from .arranging import arranged
from .core.arrangement import Arrangement, Considered
from .core.describe import described_animations, described_frames, described_sheets
from .core.errors import OutputError, UsageError
from .core.model import Crate, Offset, Picture, Sheet
from .core.rounding import plain
from .core.take import Sequences, check_names
from .core.text import few, shown
from .core.timing import Hold, frame_times, pace
from .intake import take_in
from .preparing import Prepared
from .settings import Settings
from .sources.find import OwnPlace
from .sources.gather import Progress, unheard
from .taking import each

if TYPE_CHECKING:
    pass

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Packed:
    """The result of a build: the crate, the files it was written to (images first), and what the user should know."""

    crate: Crate
    files: tuple[Path, ...]
    removed: tuple[Path, ...]
    fps: Mapping[str, Fraction]
    passed_over: Mapping[str, int]
    remarks: tuple[str, ...]
    warnings: tuple[str, ...]
    considered: tuple[Considered, ...]
    bound: int


def pack(
    inputs: Sequence[str],
    out: str,
    settings: Settings,
    executor: Executor,
    progress: Progress = unheard,
    generator: str = "",
    dry_run: bool = False,
    force: bool = False,
) -> Packed:
    """Builds a crate from the inputs at `out` (a path without ending). Raises the errors of `core.errors`.

    A dry run does everything but draw and write; its sheets have no checksum.
    """
    target = _target(out)
    before = _build_before(target)
    intake = take_in(inputs, OwnPlace(str(target.parent), before), settings, executor, progress)
    settings, sequences = intake.settings, intake.prepared.sequences
    pictures = [picture for sequence in sequences for picture in sequence.pictures]
    times = _times(sequences, settings)
    arrangement, told = arranged(sequences, settings)
    crate = _described(target.name, intake.prepared, pictures, times, arrangement, settings, generator)
    names = [sheet.image for sheet in crate.sheets] + [target.name + ".json"]
    files = tuple(target.parent / name for name in names)
    stale = tuple(sorted(Path(path) for path in before if Path(path) not in files))
    if not force:
        _refuse_strangers(files, before)
    if not dry_run:
        drawn = [spot.drawn for spot in arrangement.spots]
        crate = _written(target, crate, pictures, drawn, executor, progress, [path.name for path in stale])
    return Packed(
        crate=crate,
        files=files,
        removed=stale,
        fps={name: pace(exact) for name, exact in times.items()},
        passed_over=intake.passed_over,
        remarks=(*intake.prepared.remarks, *told),
        warnings=intake.warnings,
        considered=arrangement.considered,
        bound=arrangement.bound,
    )


def _target(out: str) -> Path:
    """The absolute path that all outputs begin with. An ending that we would add anyway is not said twice."""
    if out.endswith(("/", os.sep)) or os.path.basename(out) in ("", ".", ".."):
        raise UsageError(
            f"--out {shown(out)} has no name: write the files' path without ending, such as build/otter for "
            "build/otter.png and build/otter.json"
        )
    stem, ending = os.path.splitext(out)
    return Path(os.path.abspath(stem if ending in (".png", ".json") else out))


def _build_before(target: Path) -> frozenset[str]:
    """The files of an earlier build at the same place, if its metadata is there and is ours."""
    from .exports.json_metadata import images_of_build

    metadata = target.parent / (target.name + ".json")
    sheets = [image for image in images_of_build(metadata) if _is_sheet_name(image, target.name)]
    return frozenset(str(target.parent / name) for name in [*sheets, metadata.name]) if sheets else frozenset()


def _is_sheet_name(image: str, stem: str) -> bool:
    number = image.removeprefix(stem).removesuffix(".png").removeprefix("-")
    return image in (f"{stem}.png", f"{stem}-{number}.png") and (number == "" or number.isdigit())


def _refuse_strangers(files: Iterable[Path], before: frozenset[str]) -> None:
    strangers = [path.name for path in files if os.path.lexists(path) and str(path) not in before]
    if strangers:
        verb = "is" if len(strangers) == 1 else "are"
        raise OutputError(
            f"{few(strangers)} {verb} already there and {verb} not from a build of this name; "
            "choose another --out, move what is there, or overwrite it with --force"
        )


def _times(sequences: Sequences, settings: Settings) -> dict[str, tuple[Fraction, ...]]:
    """The exact milliseconds of each frame of each animation."""
    fps = each("fps", settings.fps, sequences)
    total = each("duration", settings.duration, sequences)
    check_names("--hold", (name for name, *_ in settings.hold), sequences)
    holds: dict[str, dict[int, Hold]] = defaultdict(dict)
    for name, position, hold in settings.hold:
        holds[name][position] = hold
    animations = {sequence.name: sequence for sequence in sequences if sequence.name is not None}
    return {name: frame_times(s, fps[name], total[name], holds[name]) for name, s in animations.items()}


def _described(
    name: str,
    prepared: Prepared,
    pictures: Sequence[Picture],
    times: Mapping[str, Sequence[Fraction]],
    arrangement: Arrangement,
    settings: Settings,
    generator: str,
) -> Crate:
    sequences = prepared.sequences
    return Crate(
        name=name,
        sheets=described_sheets(name, arrangement.sheets),
        frames=described_frames(pictures, arrangement.spots),
        animations=described_animations(sequences, times, each("loop", settings.loop, sequences)),
        scale=plain(prepared.factor),
        generator=generator,
        settings=settings.remembered,
    )


def _written(
    target: Path,
    crate: Crate,
    pictures: Sequence[Picture],
    is_drawn: Sequence[bool],
    executor: Executor,
    progress: Progress,
    stale: Sequence[str],
) -> Crate:
    """Draws and writes sheet by sheet, so that no more than one is in memory, then the metadata."""
    from .core.draw import Placed, draw_sheet
    from .exports.json_metadata import to_json
    from .exports.output import staged
    from .exports.png import encode_png, strip_starts

    placed: list[list[Placed]] = [[] for _ in crate.sheets]
    for picture, frame, wanted in zip(pictures, crate.frames, is_drawn, strict=True):
        if wanted:
            stored, part = picture.stored_box, picture.part
            inside = Offset(part.x - stored.x, part.y - stored.y)
            placed[frame.on_sheet].append(Placed(picture.pixels, inside, frame.box, frame.turned))
    drawn = _Meter("drawing", sum(is_drawn), progress)
    written = _Meter("writing", sum(len(strip_starts(*sheet.size)) + 2 for sheet in crate.sheets), progress)
    sheets: list[Sheet] = []
    with staged(target.parent) as staging:
        for sheet, frames in zip(crate.sheets, placed, strict=True):
            pixels = draw_sheet(sheet.size, drawn.passing(frames), sheet.edge_repeat)
            sha256 = staging.write(sheet.image, written.passing(encode_png(pixels, executor)))
            sheets.append(dataclasses.replace(sheet, sha256=sha256))
        crate = dataclasses.replace(crate, sheets=tuple(sheets))
        staging.write(target.name + ".json", [to_json(crate).encode()])
        staging.commit(remove=stale)
    return crate


class _Meter:
    """Tells the progress function of every item that passes through."""

    def __init__(self, doing: str, total: int, progress: Progress) -> None:
        self._doing, self._total, self._progress = doing, total, progress
        self._done = 0

    def passing(self, items: Iterable[T]) -> Iterator[T]:
        for item in items:
            yield item
            self._done += 1
            self._progress(self._doing, self._done, self._total)
