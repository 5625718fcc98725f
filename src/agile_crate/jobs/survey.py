"""A look before packing: each frame is decoded once, its facts are kept and its pixels let go; facts make findings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass
from fractions import Fraction

from ..core.errors import UsageError
from ..core.look.facts import FrameFacts, frame_facts
from ..core.look.findings import DOUBT, FAULT, SEVERITIES, Finding, Surveyed, budget, find_all, transparency, union_box
from ..core.motion.timing import DEFAULT_FPS
from ..core.names import alike_but_for_case, natural_key, nearest
from ..core.sentence import Sentence, setting
from ..core.text import quoted
from ..sources.gather import Part, Progress, by_animation, look, silent
from .settled import settled


@dataclass(frozen=True, slots=True)
class SequenceSummary:
    """One sequence in numbers. `canvas` is the largest; `empty` is the share of canvas pixels outside of frames' boxes;
    `unique` counts different frames; `seconds` is at its own times or the fps; `alpha` is none, hard or soft."""

    name: str | None
    frames: int
    canvas: tuple[int, int]
    seconds: float
    trimmed: tuple[int, int]
    empty: float
    unique: int
    alpha: str


@dataclass(frozen=True, slots=True)
class Survey:
    """What a look found: sequences in crate order, findings the worst first, and what all frames take in memory."""

    sequences: tuple[SequenceSummary, ...]
    findings: tuple[Finding, ...]
    gpu_bytes: int
    square: int
    passed_over: Mapping[str, int]
    warnings: tuple[Sentence, ...] = ()

    @property
    def faults(self) -> int:
        return sum(finding.severity == FAULT for finding in self.findings)


def survey(
    inputs: Sequence[str],
    executor: Executor,
    progress: Progress = silent,
    fps: Fraction | None = None,
    allow: Sequence[str] = (),
    scale: Fraction = Fraction(1),
) -> Survey:
    """Looks the frames over. `scale` is what they are to be scaled by later.

    Findings whose code is in `allow` are left out. Raises InputError and UsageError.
    """
    unknown = sorted(set(allow) - set(CODES))
    if unknown:
        near = nearest(unknown[0], CODES)
        hint = f"did you mean {near}?" if near else f"the codes are {', '.join(CODES)}"
        raise UsageError(f"{setting('allow')}: there is no finding {quoted(unknown[0])}; {hint}")
    notes = settled(inputs)
    looked = look(inputs, frozenset(), executor, progress, frame_facts)
    together = by_animation(looked.parts)
    names = sorted(together, key=lambda name: (name is None, natural_key(name or "")))
    sequences: list[SequenceSummary] = []
    findings = _alike([frame.name for frame in _facts(looked.parts)])
    for name in names:
        frames = _facts(together[name])
        sequences.append(_summary(name, frames, together[name], fps))
        findings += find_all(Surveyed(name, frames, scale))
    allowed = sorted(
        (finding for finding in findings if finding.code not in allow),
        key=lambda finding: SEVERITIES.index(finding.severity),
    )
    gpu_bytes, square = budget(_facts(looked.parts))
    return Survey(tuple(sequences), tuple(allowed), gpu_bytes, square, looked.passed_over, tuple(notes))


def _facts(parts: Sequence[Part[FrameFacts]]) -> tuple[FrameFacts, ...]:
    return tuple(facts for part in parts for _, facts, _ in part.frames)


def _alike(names: Sequence[str]) -> list[Finding]:
    what = "these names differ only in case: some file systems and engines cannot tell them apart"
    return [
        Finding("name-case", DOUBT, group[0], group, what, Sentence("rename one"))
        for group in alike_but_for_case(names)
    ]


def _summary(
    name: str | None, frames: Sequence[FrameFacts], parts: Sequence[Part[FrameFacts]], fps: Fraction | None
) -> SequenceSummary:
    default = 1000 / (fps or DEFAULT_FPS)
    times = [ms if ms is not None and fps is None else default for part in parts for *_, ms in part.frames]
    area = sum(frame.canvas.w * frame.canvas.h for frame in frames)
    kept = sum(frame.kept.w * frame.kept.h for frame in frames if frame.kept)
    return SequenceSummary(
        name=name,
        frames=len(frames),
        canvas=(max(frame.canvas.w for frame in frames), max(frame.canvas.h for frame in frames)),
        seconds=0 if name is None else float(sum(times) / 1000),
        trimmed=union_box(frames),
        empty=1 - kept / area,
        unique=len({frame.digest for frame in frames}),
        alpha=transparency(frames),
    )


CODES = {
    "number-missing": "a number is missing",
    "number-twice": "a number appears twice",
    "number-digits": "numbers with different numbers of digits",
    "name-case": "names that differ only in case",
    "name-says-nothing": "a name that says nothing",
    "canvas-differs": "canvases of different sizes in one animation",
    "scale-uneven": "a canvas that the wanted scale does not divide",
    "frame-empty": "nothing is visible",
    "background-solid": "no transparency, one colour in all corners",
    "alpha-none": "no transparency at all",
    "haze": "alpha too faint to see, which a trim keeps",
    "speck": "a stray spot far from the figure",
    "edge-touched": "art that reaches the canvas edge",
    "cycle": "frames that start over",
    "closing": "a last frame that equals the first",
    "copies": "exact copies",
    "copies-nearly": "neighbours that hardly differ",
    "jump": "one frame off its neighbours' path",
    "wobble": "feet and centre of mass that move",
    "colour-departs": "a frame whose colours depart from its neighbours'",
    "edges-soft": "soft edges in hard-edged work",
    "colours-many": "more colours than pixel art has",
    "seam": "a tile that does not continue over its edge",
}
"""Every finding's code, and what it is about in a few words."""
