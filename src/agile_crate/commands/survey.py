"""Check frames before packing. Each frame is decoded once; its facts are kept, and its pixels released. Findings come
from facts. Only suspicious frames are read again."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import partial
from typing import NamedTuple

from ..core.errors import InputError, UsageError
from ..core.frame.decode import DecodedFrame, Decoding, decoded
from ..core.inspect.baseline import key_of
from ..core.inspect.facts import FrameFacts, frame_facts, judged
from ..core.inspect.finding import CODES, ERROR, WARNING, Code, Finding, Surveyed, codes, finding
from ..core.inspect.findings import budget, find_across, find_all, transparency, union_box, worst_first
from ..core.message import Message, a_file, message, setting
from ..core.motion.timing import DEFAULT_FPS
from ..core.names import natural_key, nearest, without_repetition
from ..core.pixels import Pixels
from ..core.text import counted, quoted, shown
from ..crate_files.read import frames_of
from ..pipeline.context import Context
from ..pipeline.gather import held
from ..pipeline.prepare import decoding_of
from ..settings.table import Settings
from ..sources.decode import DecodedPart, each_part
from ..sources.find import Found, named_twice, searched
from ..sources.full_size import FrameSource, read_again
from ..storage.recovery import recover_interrupted

PICTURE_UNREADABLE, NAME_TWICE, COLORS_FOREIGN, LIGHT_INFINITE = codes(
    "picture-unreadable", "name-duplicate", "color-profile", "light-infinite"
)


@dataclass(frozen=True, slots=True)
class SequenceSummary:
    """One sequence in numbers. `canvas` is the largest; `empty` is the share of canvas pixels outside of frames' boxes;
    `unique` counts different frames; `seconds` is at its own times or the fps; `alpha` is none, hard or soft."""

    name: str | None
    frames: int
    canvas: tuple[int, int]
    seconds: float
    trimmed: tuple[int, int]
    empty_ratio: float
    unique: int
    alpha: str


class Known(NamedTuple):
    """A finding's key, which stays the same from survey to survey, and its files."""

    key: str
    files: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Survey:
    """The result of a survey: sequences in crate order, findings with the worst first, and the memory of all frames.

    `baselined` are findings that were found fine before, `known` what each finding is known by, and `parts` the decoded
    frames, if they were to be kept.
    """

    sequences: tuple[SequenceSummary, ...]
    findings: tuple[Finding, ...]
    gpu_bytes: int
    square: int
    skipped: Mapping[str, int] = field(hash=False)
    warnings: tuple[Message, ...] = ()
    baselined: tuple[Finding, ...] = ()
    known: Mapping[Finding, Known] = field(default_factory=dict, repr=False, hash=False)
    parts: tuple[DecodedPart[DecodedFrame], ...] = field(default=(), repr=False, compare=False)

    @property
    def error_count(self) -> int:
        """The number of findings that are errors."""
        return sum(finding.severity == ERROR for finding in self.findings)


def survey(
    inputs: Sequence[str],
    context: Context,
    fps: Fraction | None = None,
    ignore: Sequence[str] = (),
    scale: Fraction = Fraction(1),
    codes: Sequence[str] = (),
    baselined: AbstractSet[str] = frozenset(),
    keep_frames: bool = False,
) -> Survey:
    """Survey frames, or the frames of a crate file's crates. `scale` is the factor by which a build will scale them.

    Leaves out findings whose code is in `ignore`, those of other codes than `codes` if any are given, and those whose
    key is among the `baselined`. Raises InputError and UsageError.
    """
    check_codes("ignore", ignore)
    check_codes("code", codes)
    inputs = frames_of(inputs, context.limits)
    notes = recover_interrupted(inputs)
    look = _Surveying(inputs, scale, context, keep_frames)
    for name, parts in look.sequences():
        look.judge(name, parts, fps)
    look.judge_all()
    chosen = [
        index for index in worst_first(look.findings) if index.code not in ignore and (not codes or index.code in codes)
    ]
    gpu_bytes, square = budget([frame for sequence in look.surveyed for frame in sequence.frames])
    return Survey(
        tuple(look.summaries),
        tuple(index for index in chosen if look.findings[index].key not in baselined),
        gpu_bytes,
        square,
        look.search.skipped,
        tuple(notes),
        tuple(index for index in chosen if look.findings[index].key in baselined),
        look.findings,
        tuple(look.parts),
    )


def check_codes(option: str, codes: Iterable[str]) -> None:
    """Raise UsageError for an unknown finding code."""
    unknown = sorted(set(codes) - set(CODES))
    if unknown:
        near = nearest(unknown[0], CODES)
        hint = f"did you mean {near}?" if near else f"the codes are {', '.join(CODES)}"
        raise UsageError("{}: unknown finding code {}; {}", setting(option), quoted(unknown[0]), hint)


class _Surveying:
    """A survey of all inputs in progress."""

    def __init__(self, inputs: Sequence[str], scale: Fraction, context: Context, keep_frames: bool) -> None:
        self.scale, self._context, self._keep_frames = scale, context, keep_frames
        self.parts: list[DecodedPart[DecodedFrame]] = []
        self.search = searched(inputs, frozenset(), context.limits)
        self.places: dict[str, FrameSource] = {}
        self.unused: set[str] = set()
        self.findings: dict[Finding, Known] = {}
        self.summaries: list[SequenceSummary] = []
        self.surveyed: list[Surveyed] = []
        self._pixels = read_again(self.places, context.limits)

    def again(self, frame: FrameFacts) -> Pixels:
        """Return the pixels of a frame, read again."""
        return self._pixels(frame.name, frame.canvas)

    def sequences(self) -> Iterator[tuple[str | None, list[DecodedPart[FrameFacts]]]]:
        """Yield sequences, each as soon as it is complete, with the parts that it is made of."""
        for first, other in named_twice(self.search.found):
            self._twice(first, other)
        files = [file for file in self.search.found if file.path not in self.unused]
        reels = {without_repetition(file.name) for file in files if file.animation is None}
        waiting: dict[str | None, list[DecodedPart[FrameFacts]]] = defaultdict(list)
        last: str | None = None
        reasons: list[Message] = []
        for file, part in self._looked_at(files):
            if part.error:
                reasons.append(message("{} {}; export it again or remove it", a_file(file.path), part.error))
                self._unreadable(file, part.error)
                continue
            if last is not None and part.animation != last and last in waiting and last not in reels:
                yield last, waiting.pop(last)
            last = part.animation
            self.places |= {name: FrameSource(file.path, number) for number, (name, *_) in enumerate(part.frames)}
            waiting[last].append(part if last is not None else _judged(part))
        if not waiting and not self.summaries:
            raise InputError(reasons[0])
        yield from sorted(waiting.items(), key=lambda item: (item[0] is None, natural_key(item[0] or "")))

    def _looked_at(self, files: Sequence[Found]) -> Iterator[tuple[Found, DecodedPart[FrameFacts]]]:
        """Decode files. Frames are kept if a page will show them, so that none is decoded twice."""
        context = self._context
        if not self._keep_frames:
            yield from each_part(files, context.pool, context.progress, frame_facts, context.limits)
            return
        context.pixels.begin_anew()
        make = partial(_facts_and_frame, decoding_of((Settings(),)))
        for file, part in each_part(files, context.pool, context.progress, make, context.limits):
            if not part.error:
                frames = tuple((name, looked.frame, time) for name, looked, time in part.frames)
                self.parts.append(held(part.with_frames(frames), file, context))
            yield file, part.with_frames(tuple((name, looked.facts, time) for name, looked, time in part.frames))

    def judge(self, name: str | None, parts: Sequence[DecodedPart[FrameFacts]], fps: Fraction | None) -> None:
        """Judge a whole sequence, and keep only the facts that are needed later."""
        frames = tuple(facts for part in parts for _, facts, _ in part.frames)
        sequence = Surveyed(name, frames, self.again, self.scale)
        for one in (*find_all(sequence), *_foreign(sequence, parts), *_endless(sequence, parts)):
            self._found(one, frames)
        self.summaries.append(_summary(name, frames, parts, fps))
        self.surveyed.append(replace(sequence, frames=tuple(map(judged, frames))))

    def judge_all(self) -> None:
        """Judge all sequences together, after each has been judged by itself."""

        def order(name: str | None) -> tuple[object, ...]:
            return (name is None, natural_key(name or ""))

        self.surveyed.sort(key=lambda sequence: order(sequence.name))
        self.summaries.sort(key=lambda summary: order(summary.name))
        frames = {sequence.label: sequence.frames for sequence in self.surveyed}
        for one in find_across(self.surveyed):
            self._found(one, frames.get(one.sequence, ()))

    def _found(self, one: Finding, frames: Sequence[FrameFacts]) -> None:
        about = [frame for frame in frames if one.sequence != "stills" or frame.name in one.frames]
        names = one.frames or [frame.name for frame in about[:1]]
        files = dict.fromkeys(self.places[name].path for name in names)
        self.findings[one] = Known(key_of(one, about), tuple(files))

    def _twice(self, first: Found, other: Found) -> None:
        self.unused.add(other.path)
        what = f"{shown(first.path)} and {shown(other.path)} both have this name: only one of them can be packed"
        self._add_file_finding(NAME_TWICE, other, what, "rename one, or name the folder above them as the input")

    def _unreadable(self, file: Found, reason: str) -> None:
        self.unused.add(file.path)
        self._add_file_finding(
            PICTURE_UNREADABLE, file, message("{} {}", shown(file.path), reason), "export it again, or remove it"
        )

    def _add_file_finding(self, code: Code, file: Found, what: str, fix: str) -> None:
        one = Finding(code, ERROR, file.animation or "stills", (file.name,), what, Message(fix))
        self.findings[one] = Known(key_of(one, ()), (file.path,))


class _FactsAndFrame(NamedTuple):
    facts: FrameFacts
    frame: DecodedFrame

    @property
    def nbytes(self) -> int:
        """The memory that its pixels take."""
        return self.frame.nbytes


def _facts_and_frame(decoding: Decoding, name: str, pixels: Pixels) -> _FactsAndFrame:
    return _FactsAndFrame(frame_facts(name, pixels), decoded(name, pixels, decoding))


def _judged(part: DecodedPart[FrameFacts]) -> DecodedPart[FrameFacts]:
    """Stills, of which each is judged by itself."""
    return part._replace(frames=tuple((name, judged(facts), time) for name, facts, time in part.frames))


def _foreign(sequence: Surveyed, parts: Sequence[DecodedPart[FrameFacts]]) -> Iterator[Finding]:
    names = [name for part in parts if part.is_foreign for name, *_ in part.frames]
    if names:
        what = (
            f"{counted(len(names), 'frame')} of {len(sequence.frames)} with a color profile or gamma other than sRGB: "
            "games take the numbers as they are, and show other colors"
        )
        yield finding(sequence, COLORS_FOREIGN, WARNING, names, what, setting("to_srgb"))


def _endless(sequence: Surveyed, parts: Sequence[DecodedPart[FrameFacts]]) -> Iterator[Finding]:
    names = [name for part in parts if part.is_endless for name, *_ in part.frames]
    if names:
        what = f"{counted(len(names), 'frame')} of {len(sequence.frames)} with infinite light, which is taken as white"
        yield finding(sequence, LIGHT_INFINITE, WARNING, names, what, "look whether a light or a material is broken")


def _summary(
    name: str | None, frames: Sequence[FrameFacts], parts: Sequence[DecodedPart[FrameFacts]], fps: Fraction | None
) -> SequenceSummary:
    default = 1000 / (fps or DEFAULT_FPS)
    times = [ms if ms is not None and fps is None else default for part in parts for *_, ms in part.frames]
    area = sum(frame.canvas.w * frame.canvas.h for frame in frames)
    kept_pixels = sum(frame.kept.w * frame.kept.h for frame in frames if frame.kept)
    return SequenceSummary(
        name=name,
        frames=len(frames),
        canvas=(max(frame.canvas.w for frame in frames), max(frame.canvas.h for frame in frames)),
        seconds=0 if name is None else float(sum(times) / 1000),
        trimmed=union_box(frames),
        empty_ratio=1 - kept_pixels / area,
        unique=len({frame.digest for frame in frames}),
        alpha=transparency(frames),
    )
