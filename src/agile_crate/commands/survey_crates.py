"""Survey the crates of crate files: each in its own name space, with its own settings, and its skins."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType
from typing import NamedTuple

from ..core.errors import CrateError, UsageError
from ..core.model.variant import Variant
from ..crate_files.spec import CrateSpec
from ..pipeline.context import Context
from ..settings.given import settings_from
from ..settings.table import Settings
from .inspection import SkinBase
from .survey import ALL, Survey, SurveyOptions, survey

READING = ("layers", "vector_size", "font", "exposure", "to_srgb", "color_key", "limit")
"""Settings that say how files are read."""


class SurveyedCrate(NamedTuple):
    """The survey of a crate, or of one of its skins, and the settings with which it was surveyed. Frames that no crate
    file asks for have no names here."""

    file: str
    crate: str
    skin: str
    settings: Settings
    survey: Survey

    @property
    def label(self) -> str:
        """The crate's name, with the skin's."""
        return f"{self.crate}, skin {self.skin}" if self.skin else self.crate


def survey_crates(
    specs: Sequence[tuple[str, CrateSpec]],
    context: Context,
    failed: Callable[[str, str, CrateError], None],
    wanted: SurveyOptions = ALL,
    overriding: Mapping[str, object] = MappingProxyType({}),
) -> Iterator[SurveyedCrate]:
    """Survey crates, each with the path of its file, and yield the survey of each, followed by its skins.

    `overriding` are settings in place of the files'. A crate's error goes to `failed`, with its file and name, and the
    others are surveyed.
    """
    for file, spec in specs:
        try:
            spec = spec.overridden(overriding)
            own = context._replace(limits=context.limits._replace(**dict(spec.settings.limit)))
            base = survey(spec.inputs, own, wanted, spec.settings)
        except CrateError as error:
            failed(file, spec.name, error)
            continue
        yield SurveyedCrate(file, spec.name, "", spec.settings, base)
        for skin in spec.variants[1:]:
            try:
                for label, settings, looked in _layers(spec, skin, base, own, wanted):
                    yield SurveyedCrate(file, spec.name, label, settings, looked)
            except CrateError as error:
                failed(file, spec.name, error)


def _layers(
    spec: CrateSpec, skin: Variant, base: Survey, context: Context, wanted: SurveyOptions
) -> Iterator[tuple[str, Settings, Survey]]:
    """Survey the art of a skin, layer by layer. A skin that only exchanges colors has none of its own."""
    settings = spec.settings
    if skin.is_plain:  # no step changes the colors of data
        settings = replace(settings, color_key=None, to_srgb=False)
    for number, layer in enumerate(skin.layers):
        if layer == spec.inputs:
            continue
        label = skin.name if len(skin.layers) == 1 else f"{skin.name}, layer {number + 1}"
        compared = SkinBase(base.facts, skin.may_miss, is_art=len(skin.layers) == 1 and not skin.is_plain)
        try:
            yield label, settings, survey(layer, context, wanted, settings, compared)
        except UsageError:  # an animation that settings name may be missing in the skin
            reading = settings_from({name: value for name, value in settings.given.items() if name in READING})
            yield label, reading, survey(layer, context, wanted, reading, compared)
