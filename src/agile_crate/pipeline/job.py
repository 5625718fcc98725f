"""The values of a request: a build, its frames, and the state of the disk."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from fractions import Fraction
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple

from ..core.crate.origin import Origin, built_from
from ..core.limits import Limits
from ..core.model.variant import Variants
from ..format.regular import read_regular
from ..settings.given import typed
from ..settings.table import GIVEN_ORDER, Settings
from ..sources.find import NameRules, Search, find
from ..storage.previous_build import PreviousBuild, target_of
from .context import Context

if TYPE_CHECKING:
    from ..core.crate.edits import Edits
    from ..core.frame.decode import DecodedFrame
    from ..core.pixels import Pixels
    from ..sources.decode import DecodedPart


class BuildJob(NamedTuple):
    """One crate to be built.

    out         the path that all files begin with, without an ending
    settings    of the crate at its own size
    variants    the base art, and skins
    force       overwrite files that no earlier build wrote, and edits
    keep_edits  carry what was painted on the previous sheets
    dry_run     do everything but draw and write
    wait        for another build of the same crate; otherwise that is an error
    """

    out: str
    settings: Settings
    variants: Variants
    force: bool = False
    keep_edits: bool = False
    dry_run: bool = False
    wait: bool = True

    @property
    def inputs(self) -> tuple[str, ...]:
        """The inputs of the base art."""
        return self.variants[0].layers[0]

    @property
    def target(self) -> Path:
        """The absolute path that all files begin with. Raises UsageError for one that cannot be."""
        return target_of(self.out)

    def limits(self, limits: Limits) -> Limits:
        """Return the limits of this build, which its settings may change."""
        return limits._replace(**dict(self.settings.limit))


class LoadRequest(NamedTuple):
    """Which frames are wanted, and what for.

    variants   the base art and skins, by their inputs
    settings   of the crate at its own size
    owned      absolute paths of files that are outputs, and so no inputs
    found      the files of each layer, by its inputs, as far as they were looked up already
    edits      what was painted on the frames of each size, by its portion
    for_proof  keep the untrimmed pictures
    may_defer  read many pixels only when they are drawn, if no step needs them before
    arrays     frames in memory, by their names, in place of the inputs of the base art
    parts      frames that were decoded already, in crate order, in place of the inputs as well
    """

    variants: Variants
    settings: Settings
    owned: AbstractSet[str] = frozenset()
    found: Mapping[tuple[str, ...], Search] = MappingProxyType({})
    edits: Mapping[Fraction, Edits] = MappingProxyType({})
    for_proof: bool = False
    may_defer: bool = False
    arrays: Mapping[str, Pixels] = MappingProxyType({})
    parts: Sequence[DecodedPart[DecodedFrame]] = ()

    def files_of(self, inputs: tuple[str, ...], limits: Limits) -> Search:
        """Return the files of one layer. Raises InputError."""
        return self.found.get(inputs) or find(inputs, self.owned, limits, name_rules(self.settings))


def name_rules(settings: Settings) -> NameRules:
    """Return how the names of files are read."""
    return NameRules(settings.digits, settings.order == GIVEN_ORDER)


class DiskState(NamedTuple):
    """The state of the disk before a build.

    previous   the existing build
    found      the files of each layer, by its inputs
    files      what the frames come from
    origin     the digest of all that the build is made from, if `files` are known
    """

    previous: PreviousBuild
    found: Mapping[tuple[str, ...], Search] = MappingProxyType({})
    files: tuple[Origin, ...] = ()
    origin: str = ""


def origin_of(job: BuildJob, files: Iterable[Origin], context: Context) -> str:
    """Return the digest of a build's inputs. Templates, fonts and palettes count by their content."""
    given, skins = typed(job.settings), job.variants[1:]
    if skins:
        given["skin"] = [skin.recorded for skin in skins]
    texts = [
        Origin(
            os.path.basename(path), "text", hashlib.sha256(read_regular(path, context.limits, "file_bytes")).hexdigest()
        )
        for path in job.settings.files
    ]
    if texts:
        given |= {"palette": "", "template": "", "font": ""}
    return built_from(context.program, job.target.name, given, [*files, *texts])
