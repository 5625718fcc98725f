"""A survey in progress: from files to facts, from facts to findings. Each frame is decoded once; its facts are kept,
and its pixels released. Only suspicious frames are read again."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import count
from typing import NamedTuple, TypeVar

from ..core.errors import InputError
from ..core.frame.color_key import keyed
from ..core.frame.decode import DecodedFrame, Decoding, decoded
from ..core.frame.options import ColorKey
from ..core.glued import split_remark
from ..core.inspect.baseline import key_of
from ..core.inspect.checks.skins import compared_skin
from ..core.inspect.facts import FrameFacts, frame_facts, judged
from ..core.inspect.finding import ERROR, WARNING, Code, Finding, Surveyed, codes, finding
from ..core.inspect.findings import find_across, find_all, transparency, union_box
from ..core.message import Message, a_file, message, setting
from ..core.model.picture import FrameSequence, SequenceFrame
from ..core.motion.take import in_order, is_of_use
from ..core.motion.timing import DEFAULT_FPS
from ..core.names import natural_key, without_repetition
from ..core.pixels import Pixels
from ..core.text import counted, shown
from ..pipeline.context import Context
from ..pipeline.gather import held, hidden_layers
from ..pipeline.job import name_rules
from ..pipeline.load import read_options
from ..pipeline.prepare import decoding_of
from ..pipeline.select import select_frames
from ..settings.table import PerAnimation, Settings
from ..sources.decode import DecodedPart, each_part
from ..sources.find import Found, named_twice, searched
from ..sources.full_size import FrameSource, read_again

PICTURE_UNREADABLE, NAME_TWICE, COLORS_FOREIGN, LIGHT_INFINITE = codes(
    "picture-unreadable", "name-duplicate", "color-profile", "light-infinite"
)

T = TypeVar("T")

PLAIN = Settings()
"""Settings of frames without a crate file."""

SELECTING = ("include", "exclude", "sequence", "rename", "frames", "numbers", "split", "every")
"""Settings that select and rename frames. Copies of animations are not surveyed."""


@dataclass(frozen=True, slots=True)
class SequenceSummary:
    """One sequence in numbers.

    canvas       the largest
    seconds      at its own times or the fps
    empty_ratio  the share of canvas pixels outside of frames' boxes
    unique       counts different frames
    alpha        none, hard or soft
    hard_edged_colors  the most colors of a frame in hard-edged art of few colors; 0 in other art
    pixel_size         the side of the squares that such art consists of
    """

    name: str | None
    frames: int
    canvas: tuple[int, int]
    seconds: float
    trimmed: tuple[int, int]
    empty_ratio: float
    unique: int
    alpha: str
    hard_edged_colors: int
    pixel_size: int


class Known(NamedTuple):
    """A finding's key, which stays the same from survey to survey, and its files."""

    key: str
    files: tuple[str, ...]


class SkinBase(NamedTuple):
    """The base that a skin's frames are compared with.

    facts     of the base's frames by their names in the files
    may_miss  the skin may lack frames
    is_art    False for data and for upper layers, of which only names and canvases are looked at
    """

    facts: Mapping[str, FrameFacts]
    may_miss: bool
    is_art: bool


class Inspection:
    """The frames of a survey, from files to findings."""

    def __init__(self, inputs: Sequence[str], settings: Settings, context: Context, keep_frames: bool) -> None:
        self._settings, self._context, self._keep_frames = settings, context, keep_frames
        self._reading = read_options(settings, context.limits)
        self.parts: list[DecodedPart[DecodedFrame]] = []
        self.search = searched(inputs, frozenset(), context.limits, name_rules(settings))
        self.places: dict[str, FrameSource] = {}
        self.unused: set[str] = set()
        self.findings: dict[Finding, Known] = {}
        self.summaries: list[SequenceSummary] = []
        self.surveyed: list[Surveyed] = []
        self.hidden: list[tuple[Found, int]] = []
        self.warnings = [split_remark(self.search.glued)] if self.search.glued else []
        self.facts: dict[str, FrameFacts] = {}
        self.original: dict[str, str] = {}
        self._pixels = read_again(self.places, self._reading)

    def again(self, frame: FrameFacts) -> Pixels:
        """Return the pixels of a frame, read again."""
        pixels = self._pixels(frame.name, frame.canvas)
        return keyed(pixels, self._settings.color_key) if self._settings.color_key else pixels

    def selected(self) -> Iterator[tuple[str | None, list[DecodedPart[FrameFacts]]]]:
        """Yield the sequences of a build, with their parts. Without settings that select frames, each comes as soon as
        it is complete."""
        if not any(self._settings.given.get(name) for name in SELECTING):
            yield from self.sequences()
            return
        found = list(self.sequences())
        numbers = count()
        as_found = [
            FrameSequence(
                name,
                tuple(SequenceFrame(frame, next(numbers), time) for part in parts for frame, _, time in part.frames),
            )
            for name, parts in found
        ]
        drawings = [(part, facts) for _, parts in found for part in parts for _, facts, _ in part.frames]
        settings = replace(
            self._settings, mirrored=(), reversed=(), order=(), drop_duplicates=False, drop_closing=False
        )
        selection = select_frames(in_order(as_found), settings, lambda _: lambda *_: False)
        self.warnings += selection.warnings
        for sequence in selection.sequences:
            parts = []
            for frame in sequence.frames:
                part, facts = drawings[frame.drawing]
                self.places[frame.name], self.original[frame.name] = self.places[facts.name], facts.name
                renamed = (frame.name, replace(facts, name=frame.name), frame.milliseconds)
                parts.append(part._replace(animation=sequence.name, frames=(renamed,)))
            yield sequence.name, parts

    def sequences(self) -> Iterator[tuple[str | None, list[DecodedPart[FrameFacts]]]]:
        """Yield sequences, each as soon as it is complete, with the parts that it is made of."""
        for first, other in named_twice(self.search.found):
            self._twice(first, other)
        files = [file for file in self.search.found if file.path not in self.unused]
        is_used = partial(is_of_use, include=self._settings.include, exclude=self._settings.exclude)
        reels = {without_repetition(file.name) for file in files if file.animation is None}
        waiting: dict[str | None, list[DecodedPart[FrameFacts]]] = defaultdict(list)
        last: str | None = None
        reasons: list[Message] = []
        for file, part in self._looked_at(files):
            if part.error and not is_used(file.name, file.animation):
                continue
            self.hidden += [(file, part.hidden)] * bool(part.hidden)
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
        decoding = decoding_of((replace(self._settings, scale=PLAIN.scale, region=None),))
        if not self._keep_frames:
            facts_of = partial(_facts_of, decoding.color_key) if decoding.color_key else frame_facts
            yield from each_part(files, context.pool, context.progress, facts_of, self._reading)
            return
        make = partial(_facts_and_frame, decoding)
        for file, part in each_part(files, context.pool, context.progress, make, self._reading):
            if not part.error:
                frames = tuple((name, looked.frame, time) for name, looked, time in part.frames)
                self.parts.append(held(part.with_frames(frames), file, context))
            yield file, part.with_frames(tuple((name, looked.facts, time) for name, looked, time in part.frames))

    def judge(self, name: str | None, parts: Sequence[DecodedPart[FrameFacts]], is_art: bool) -> None:
        """Judge a whole sequence if it is art, and keep only the facts that are needed later."""
        frames = tuple(facts for part in parts for _, facts, _ in part.frames)
        loops = _meant(self._settings.loop, name) != "once"
        # Canvases that are padded to a multiple scale evenly.
        scale = self._settings.scale if self._settings.canvas_multiple == 1 else PLAIN.scale
        sequence = Surveyed(name, frames, self.again, scale, loops)
        if is_art:
            for one in (*find_all(sequence), *_foreign(sequence, parts), *_endless(sequence, parts)):
                self._found(one, frames)
        self.summaries.append(_summary(name, frames, parts, self._settings))
        known = tuple(map(judged, frames))
        self.facts |= {self.original.get(facts.name, facts.name): facts for facts in known}
        self.surveyed.append(replace(sequence, frames=known))

    def judge_all(self) -> None:
        """Judge all sequences together, after each has been judged by itself."""

        def order(name: str | None) -> tuple[object, ...]:
            return (name is None, natural_key(name or ""))

        self.warnings += hidden_layers(self.hidden)
        self.surveyed.sort(key=lambda sequence: order(sequence.name))
        self.summaries.sort(key=lambda summary: order(summary.name))
        frames = {sequence.label: sequence.frames for sequence in self.surveyed}
        for one in find_across(self.surveyed):
            self._found(one, frames.get(one.sequence, ()))

    def compare(self, base: SkinBase) -> None:
        """Compare a skin with its base."""
        for one in compared_skin(self.facts, base.facts, base.may_miss, base.is_art):
            about = [self.facts[name] for name in one.frames if name in self.facts]
            files = dict.fromkeys(self.places[facts.name].path for facts in about)
            self.findings[one] = Known(key_of(one, about), tuple(files))

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
    facts = _facts_of(decoding.color_key, name, pixels) if decoding.color_key else frame_facts(name, pixels)
    return _FactsAndFrame(facts, decoded(name, pixels, decoding))


def _facts_of(key: ColorKey, name: str, pixels: Pixels) -> FrameFacts:
    return frame_facts(name, keyed(pixels, key))


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
    name: str | None, frames: Sequence[FrameFacts], parts: Sequence[DecodedPart[FrameFacts]], settings: Settings
) -> SequenceSummary:
    fps = _meant(settings.fps, name)
    default = 1000 / (fps or DEFAULT_FPS)
    times = [ms if ms is not None and fps is None else default for part in parts for *_, ms in part.frames]
    area = sum(frame.canvas.w * frame.canvas.h for frame in frames)
    kept_pixels = sum(frame.kept.w * frame.kept.h for frame in frames if frame.kept)
    hard_edged = [frame.hard_edged_colors for frame in frames]
    return SequenceSummary(
        name=name,
        frames=len(frames),
        canvas=(max(frame.canvas.w for frame in frames), max(frame.canvas.h for frame in frames)),
        seconds=0 if name is None else float(sum(times) / 1000),
        trimmed=union_box(frames),
        empty_ratio=1 - kept_pixels / area,
        unique=len({frame.digest for frame in frames}),
        alpha=transparency(frames),
        hard_edged_colors=max(hard_edged) if all(hard_edged) else 0,
        pixel_size=math.gcd(*(frame.pixel_size for frame in frames)),
    )


def _meant(value: PerAnimation[T], name: str | None) -> T:
    """Return the value of an animation, which may be named by the last part of its name."""
    known = [given for given, _ in value.named if f"/{name}".endswith(f"/{given}")]
    return value.of(max(known, key=len) if known else None)
