"""The first half of the road: gather → take → prepare. A build and its proof both walk it, with the same settings."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass

from .preparing import Prepared, first_look, prepare
from .settings import Settings
from .sizes import all_sizes
from .sources.find import OwnPlace
from .sources.gather import Progress, gather
from .taking import taken


@dataclass(frozen=True, slots=True)
class Intake:
    """Frames ready to be arranged, for each size of the build: with the settings that made them (the palette's file
    read). And what was passed over."""

    sizes: tuple[tuple[Settings, Prepared], ...]
    passed_over: Mapping[str, int]
    warnings: tuple[str, ...]


def take_in(
    inputs: Sequence[str], own: OwnPlace | None, settings: Settings, executor: Executor, progress: Progress
) -> Intake:
    """Inputs as frames that are ready to be arranged. Raises InputError, UsageError and FitError."""
    sizes = all_sizes(_with_palette(settings))
    gathered = gather(inputs, own, executor, progress, first_look(sizes), settings.layers == "flat")
    passed_over, warnings = gathered.passed_over, gathered.warnings
    waiting = list(gathered.sizes)
    del gathered
    ready = []
    for one in sizes:
        prepared = prepare(taken(waiting.pop(0), one), one, executor)
        ready.append((one, prepared))
        warnings = (*warnings, *prepared.warnings)
    return Intake(tuple(ready), passed_over, tuple(dict.fromkeys(warnings)))


def _with_palette(settings: Settings) -> Settings:
    """Settings with the palette's colours in place of its file, so that a proof does not need the file."""
    if not isinstance(settings.palette, str) or not settings.palette:
        return settings
    from .sources.palette_file import read_palette

    colors = read_palette(settings.palette)
    given = {**settings.given, "palette": ",".join(color.hex for color in colors)}
    return dataclasses.replace(settings, palette=colors, given=given)
