"""Check frames before packing, and leave out findings on request."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from ..core.errors import UsageError
from ..core.frame.decode import DecodedFrame
from ..core.inspect.facts import FrameFacts
from ..core.inspect.finding import CODES, ERROR, Finding
from ..core.inspect.findings import budget, worst_first
from ..core.message import Message, setting
from ..core.names import nearest
from ..core.text import quoted
from ..pipeline.context import Context
from ..settings.table import Settings, options
from ..sources.decode import DecodedPart
from ..storage.recovery import recover_interrupted
from .inspection import PLAIN, Inspection, Known, SequenceSummary, SkinBase


@dataclass(frozen=True, slots=True)
class Survey:
    """The result of a survey: sequences in crate order, findings with the worst first, and the memory of all frames.

    `baselined` are findings that were accepted before, `settled` counts those that the settings fix, `known` identifies
    each finding, `parts` are the decoded frames, if they were to be kept, and `facts` those of each
    frame by its name in the files.
    """

    sequences: tuple[SequenceSummary, ...]
    findings: tuple[Finding, ...]
    gpu_bytes: int
    square: int
    skipped: Mapping[str, int] = field(hash=False)
    warnings: tuple[Message, ...] = ()
    baselined: tuple[Finding, ...] = ()
    settled: int = 0
    known: Mapping[Finding, Known] = field(default_factory=dict, repr=False, hash=False)
    parts: tuple[DecodedPart[DecodedFrame], ...] = field(default=(), repr=False, compare=False)
    facts: Mapping[str, FrameFacts] = field(default_factory=dict, repr=False, compare=False)

    @property
    def error_count(self) -> int:
        """The number of findings that are errors."""
        return sum(finding.severity == ERROR for finding in self.findings)


class SurveyOptions(NamedTuple):
    """Options of a survey: the findings to report, and what to keep.

    ignore       codes of findings that are left out
    codes        leave out all other codes; all are reported without one
    baselined    keys of findings that are known to be fine
    keep_frames  keep the decoded frames, for a page
    """

    ignore: Sequence[str] = ()
    codes: Sequence[str] = ()
    baselined: AbstractSet[str] = frozenset()
    keep_frames: bool = False


ALL = SurveyOptions()
"""Report everything."""


def survey(
    inputs: Sequence[str],
    context: Context,
    wanted: SurveyOptions = ALL,
    settings: Settings = PLAIN,
    base: SkinBase | None = None,
) -> Survey:
    """Survey frames; those of a skin are compared with its base.

    The settings that read and select frames apply, and so does the scale of a later build. Findings that the settings
    fix are left out, and counted. Raises InputError and UsageError.
    """
    check_codes("ignore", wanted.ignore)
    check_codes("code", wanted.codes)
    notes = recover_interrupted(inputs)
    look = Inspection(inputs, settings, context, wanted.keep_frames)
    is_art = base is None or base.is_art
    for name, parts in look.selected():
        look.judge(name, parts, is_art)
    if is_art:
        look.judge_all()
    if base:
        look.compare(base)
    found = [finding for finding in worst_first(look.findings) if finding.code not in wanted.ignore]
    found = [finding for finding in found if not wanted.codes or finding.code in wanted.codes]
    unsettled = [finding for finding in found if not is_settled(finding, settings)]
    gpu_bytes, square = budget([frame for sequence in look.surveyed for frame in sequence.frames])
    return Survey(
        tuple(look.summaries),
        tuple(finding for finding in unsettled if look.findings[finding].key not in wanted.baselined),
        gpu_bytes,
        square,
        look.search.skipped,
        (*notes, *look.warnings),
        tuple(finding for finding in unsettled if look.findings[finding].key in wanted.baselined),
        len(found) - len(unsettled),
        look.findings,
        tuple(look.parts),
        look.facts,
    )


def is_settled(finding: Finding, settings: Settings) -> bool:
    """Return True if the settings contain everything that a finding suggests."""
    wanted = [(name, value) for name, value in finding.fix.settings if name in options()]
    return bool(wanted) and all(_is_given(settings.given.get(name), value) for name, value in wanted)


def _is_given(given: Any, value: str) -> bool:
    """Return True if a setting has a value: for an animation, if the suggested one is for an animation."""
    animation, equals, _ = value.rpartition("=")
    if not (equals and given):
        return bool(given)
    texts = [given] if isinstance(given, str) else map(str, given)
    return any("=" not in text or text.rpartition("=")[0] == animation for text in texts)


def check_codes(option: str, codes: Iterable[str]) -> None:
    """Raise UsageError for an unknown finding code."""
    unknown = sorted(set(codes) - set(CODES))
    if unknown:
        near = nearest(unknown[0], CODES)
        hint = f"did you mean {near}?" if near else f"the codes are {', '.join(CODES)}"
        raise UsageError("{}: unknown finding code {}; {}", setting(option), quoted(unknown[0]), hint)
