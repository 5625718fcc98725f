"""Measure how well the survey judges: on any folder of real frames it plants its own faults into calm animations and
counts which are found at the right frames, and counts the alarms on what it left alone. ``make bench-survey FOLDER=…``
runs it.

Animations are calm, independently of the survey, if they have one canvas, at least CALM_FRAMES frames, and neighbors
that differ slightly.
"""

from __future__ import annotations

import argparse
import sys
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from itertools import pairwise
from zlib import crc32

import numpy as np
from PIL import Image

from agile_crate.core.errors import InputError
from agile_crate.core.inspect.facts import frame_facts
from agile_crate.core.inspect.finding import Finding, Surveyed
from agile_crate.core.inspect.findings import find_all
from agile_crate.core.limits import USUAL
from agile_crate.core.names import frame_key
from agile_crate.core.png_chunks import PictureError
from agile_crate.sources.find import Found, find
from agile_crate.sources.read_source import read_source

FEWEST, MOST = 3, 40
"""Frames of an animation that is looked at; a longer one is cut."""

LARGEST = 1024
"""Pixels. Animations on larger canvases are left out, to be done in reasonable time."""

CALM_FRAMES, CALM_STEP = 4, 0.03
"""Frames of a calm animation, and how much neighbors differ at most, as a share of their energy."""

ORDERED = 6
"""Frames of an animation in which two are exchanged."""

Pixels = np.ndarray
Planted = tuple[list[Pixels], list[int], set[int]]
"""Frames, their numbers, and the places at which the fault must be found; none for the whole sequence."""

Plant = Callable[[list[Pixels], np.random.Generator], Planted | None]


def with_frame(frames: list[Pixels], place: int, frame: Pixels) -> Planted:
    changed = [*frames[:place], frame, *frames[place + 1 :]]
    return changed, numbers(changed), {place}


def numbers(frames: Sequence[Pixels]) -> list[int]:
    return list(range(1, len(frames) + 1))


def inner(frames: list[Pixels], chance: np.random.Generator) -> int:
    """A place between the second and the last but one where something is seen."""
    places = [place for place in range(1, len(frames) - 1) if (frames[place][..., 3] > 8).sum() >= 40]
    return int(chance.choice(places)) if places else 0


def moved(frame: Pixels, x: int, y: int) -> Pixels:
    result = np.zeros_like(frame)
    height, width = frame.shape[:2]
    result[max(0, y) : height + min(0, y), max(0, x) : width + min(0, x)] = frame[
        max(0, -y) : height + min(0, -y), max(0, -x) : width + min(0, -x)
    ]
    return result


def noisy(frame: Pixels, chance: np.random.Generator, reach: int = 2) -> Pixels:
    noise = chance.integers(-reach, reach + 1, frame.shape)
    noise[..., 3] = 0
    return np.where(frame[..., 3:] > 0, np.clip(frame.astype(int) + noise, 0, 255), frame).astype(np.uint8)


def slip(frames: list[Pixels], chance: np.random.Generator, by: int) -> Planted | None:
    place = inner(frames, chance)
    x, y = [(by, 0), (-by, 0), (0, by), (0, -by)][int(chance.integers(4))]
    return with_frame(frames, place, moved(frames[place], x, y)) if place else None


def tint(frames: list[Pixels], chance: np.random.Generator) -> Planted | None:
    place = inner(frames, chance)
    factor = np.array((0.85, 1.0, 1.18))[chance.permutation(3)]
    changed = frames[place].astype(float)
    changed[..., :3] = np.clip(changed[..., :3] * factor + 6 * np.sign(factor - 1), 0, 255)
    return with_frame(frames, place, changed.astype(np.uint8)) if place else None


def closing(frames: list[Pixels], chance: np.random.Generator, noise: int) -> Planted:
    last = noisy(frames[0], chance, noise) if noise else frames[0]
    changed = [noisy(frame, chance, noise) if noise else frame for frame in frames] + [last]
    return changed, numbers(changed), {len(changed) - 1}


def cycle(frames: list[Pixels], chance: np.random.Generator, noise: int) -> Planted:
    twice = [noisy(frame, chance, noise) if noise else frame for frame in frames + frames]
    return twice, numbers(twice), set(range(len(frames), 2 * len(frames)))


def speck(frames: list[Pixels], chance: np.random.Generator) -> Planted | None:
    place = inner(frames, chance)
    if not place:
        return None
    frame = frames[place].copy()
    seen = np.argwhere(frame[..., 3] > 8)
    away = max(16, min(32, min(frame.shape[:2]) // 8 + 8))
    (top, left), (bottom, right) = seen.min(0), seen.max(0)
    y, x = np.mgrid[: frame.shape[0], : frame.shape[1]]
    free = (y < top - away) | (y > bottom + away) | (x < left - away) | (x > right + away)
    spots = np.argwhere(free[:-2, :-2])
    if not len(spots):
        return None
    row, column = spots[int(chance.integers(len(spots)))]
    frame[row : row + 2, column : column + 2] = (255, 240, 200, 255)
    return with_frame(frames, place, frame)


def dust(frames: list[Pixels], _: np.random.Generator) -> Planted | None:
    changed = []
    for frame in frames:
        with_dust = frame.copy()
        with_dust[..., 3] = np.maximum(with_dust[..., 3], 2)
        changed.append(with_dust)
    seen = [np.argwhere(frame[..., 3] > 8) for frame in frames]
    if any(
        len(one) == 0 or np.prod(np.ptp(one, 0) + 1) * 1.6 > frame[..., 3].size
        for one, frame in zip(seen, frames, strict=True)
    ):
        return None
    return changed, numbers(changed), set(range(len(changed)))


def on_ground(frames: list[Pixels], _: np.random.Generator, checkered: bool) -> Planted | None:
    if any((frame[..., 3] == 0).mean() < 0.2 or _rim(frame[..., 3]).mean() > 12 for frame in frames):
        return None
    height, width = frames[0].shape[:2]
    y, x = np.mgrid[:height, :width]
    gray = np.where((x // 8 + y // 8) % 2 == 0, 255, 204)[..., None].repeat(3, axis=2)
    ground = gray if checkered else np.broadcast_to((255, 0, 255), (height, width, 3))
    changed = []
    for frame in frames:
        alpha = frame[..., 3:] / 255
        mixed = np.floor(frame[..., :3] * alpha + ground * (1 - alpha) + 0.5)
        changed.append(np.dstack((mixed, np.full((height, width), 255))).astype(np.uint8))
    return changed, numbers(changed), set(range(len(changed)))


def _rim(alpha: Pixels) -> Pixels:
    return np.concatenate((alpha[0], alpha[-1], alpha[:, 0], alpha[:, -1]))


def emptied(frames: list[Pixels], chance: np.random.Generator) -> Planted | None:
    place = inner(frames, chance)
    return with_frame(frames, place, np.zeros_like(frames[place])) if place else None


def cut_off(frames: list[Pixels], chance: np.random.Generator) -> Planted | None:
    """One frame moved over the canvas's edge until a quarter of the figure is gone."""
    if any((_rim(frame[..., 3]) > 8).any() for frame in frames):
        return None
    place = inner(frames, chance)
    seen = np.argwhere(frames[place][..., 3] > 8)
    (top, left), (bottom, right) = seen.min(0), seen.max(0) + 1
    width = frames[place].shape[1]
    if min(bottom - top, right - left) < 12:
        return None
    x, y = [
        (-left - (right - left) // 4, 0),
        (width - right + (right - left) // 4, 0),
        (0, -top - (bottom - top) // 4),
    ][int(chance.integers(3))]
    return with_frame(frames, place, moved(frames[place], int(x), int(y))) if place else None


def exchanged(frames: list[Pixels], chance: np.random.Generator) -> Planted | None:
    """Two neighbors exchanged where the motion goes on from one to the other, and is long enough to have an order."""
    if len(frames) < ORDERED:
        return None
    small = [_small(frame) for frame in frames]
    places = []
    for place in range(1, len(frames) - 2):
        a, b, c, d = small[place - 1 : place + 3]
        straight = np.linalg.norm(a - b) + np.linalg.norm(c - d)
        if np.linalg.norm(a - c) + np.linalg.norm(b - d) > 1.5 * straight > 0:
            places.append(place)
    if not places:
        return None
    place = int(chance.choice(places))
    changed = list(frames)
    changed[place], changed[place + 1] = changed[place + 1], changed[place]
    return changed, numbers(changed), {place, place + 1}


def scaled(frames: list[Pixels], chance: np.random.Generator) -> Planted | None:
    """One frame scaled by 4 %, smaller or larger, about the middle of its feet."""
    place = inner(frames, chance)
    frame = frames[place]
    if not place or min(frame.shape[:2]) < 40:
        return None
    fits = not (_rim(frame[..., 3]) > 8).any()
    factor = float(chance.choice((0.96, 1.04))) if fits else 0.96
    height, width = frame.shape[:2]
    size = (round(width * factor), round(height * factor))
    resample = Image.Resampling.NEAREST if np.isin(frame[..., 3], (0, 255)).all() else Image.Resampling.BILINEAR
    alpha = frame[..., 3:].astype(float) / 255
    premultiplied = np.dstack((frame[..., :3] * alpha, frame[..., 3])).astype(np.uint8)
    larger = np.asarray(Image.fromarray(premultiplied, "RGBa").resize(size, resample).convert("RGBA"))
    result = np.zeros_like(frame)
    x, y = (width - size[0]) // 2, height - size[1]
    cut = larger[max(0, -y) : max(0, -y) + height, max(0, -x) : max(0, -x) + width]
    result[max(0, y) : max(0, y) + cut.shape[0], max(0, x) : max(0, x) + cut.shape[1]] = cut
    return with_frame(frames, place, result)


def gap(frames: list[Pixels], chance: np.random.Generator) -> Planted:
    place = int(chance.integers(1, len(frames) - 1))
    left = [number for number in numbers(frames) if number != place + 1]
    return [frames[number - 1] for number in left], left, set()


PLANTS: tuple[tuple[str, str, Plant], ...] = (
    ("slip by 1 pixel", "jump", partial(slip, by=1)),
    ("slip by 2 pixels", "jump", partial(slip, by=2)),
    ("tint", "tint-differs", tint),
    ("closing", "closing", partial(closing, noise=0)),
    ("closing, noise of ±2", "closing", partial(closing, noise=2)),
    ("cycle twice", "cycle", partial(cycle, noise=0)),
    ("cycle twice, noise of ±2", "cycle", partial(cycle, noise=2)),
    ("stray-pixels", "stray-pixels", speck),
    ("dust of alpha 2", "haze", dust),
    ("solid background", "background-solid", partial(on_ground, checkered=False)),
    ("checkerboard background", "background-checkered", partial(on_ground, checkered=True)),
    ("empty frame", "frame-empty", emptied),
    ("cut-off frame", "cut-off", cut_off),
    ("exchanged frames", "frames-swapped", exchanged),
    ("frame scaled by 4 %", "size-differs", scaled),
    ("missing number", "number-missing", gap),
)


@dataclass
class Score:
    """The planted faults, those found, and false alarms."""

    planted: Counter[str] = field(default_factory=Counter)
    found: Counter[str] = field(default_factory=Counter)
    missed: dict[str, list[str]] = field(default_factory=lambda: defaultdict(list))
    animations: int = 0
    calm: int = 0
    alarmed: Counter[str] = field(default_factory=Counter)
    alarms: dict[tuple[str, str], list[str]] = field(default_factory=lambda: defaultdict(list))


def animations_in(folder: str) -> Iterator[tuple[str, list[Found]]]:
    together: dict[str, list[Found]] = defaultdict(list)
    for file in find([f"{folder}/**/*.png"], limits=USUAL).found:
        if file.animation:
            together[file.animation].append(file)
    for name, files in together.items():
        if len(files) >= FEWEST:
            yield name, sorted(files, key=lambda file: frame_key(file.name, file.animation))[:MOST]


def decoded(files: Sequence[Found]) -> list[Pixels] | None:
    frames = []
    for file in files:
        try:
            with open(file.path, "rb") as source:
                picture = read_source(source.read()).picture
        except PictureError:
            return None
        if not isinstance(picture, np.ndarray) or max(picture.shape[:2]) > LARGEST:
            return None
        frames.append(picture)
    return frames


def looked_at(name: str, frames: Sequence[Pixels], labels: Sequence[str]) -> list[Finding]:
    pixels = dict(zip(labels, frames, strict=True))
    facts = tuple(frame_facts(label, frame) for label, frame in pixels.items())
    return find_all(Surveyed(name, facts, lambda frame: pixels[frame.name]))


def is_calm(frames: Sequence[Pixels]) -> bool:
    if len(frames) < CALM_FRAMES or len({frame.shape for frame in frames}) > 1:
        return False
    small = [_small(frame) for frame in frames]
    energy = float(np.mean([np.square(one).sum() for one in small]))
    steps = [float(np.square(a - b).sum()) / (2 * energy + 1e-9) for a, b in pairwise(small)]
    moving = sum(step > 0 for step in steps)
    return energy > 0 and max(steps) <= CALM_STEP and moving * 2 >= len(steps)


def _small(frame: Pixels) -> Pixels:
    image = Image.fromarray(frame).convert("RGBa")
    return np.asarray(image.reduce(max(1, max(frame.shape[:2]) // 96)), np.float32)


def judged(name: str, files: Sequence[Found]) -> Score:
    score = Score()
    frames = decoded(files)
    if frames is None:
        return score
    labels = [file.name for file in files]
    findings = looked_at(name, frames, labels)
    score.animations = 1
    for severity in {finding.severity for finding in findings}:
        score.alarmed[severity] = 1
    for finding in findings:
        score.alarms[finding.severity, finding.code].append(name)
    if not is_calm(frames) or any(finding.severity == "error" for finding in findings):
        return score
    score.calm = 1
    for number, (title, code, plant) in enumerate(PLANTS):
        planted = plant(frames, np.random.default_rng((crc32(name.encode()), number)))
        if planted is None:
            continue
        changed, labeled, where = planted
        names = [f"{name}_{label:04d}" for label in labeled]
        score.planted[title] += 1
        expected = {names[place] for place in where}
        found = [one for one in looked_at(name, changed, names) if one.code == code]
        if any(set(one.frames) == expected for one in found):
            score.found[title] += 1
        else:
            score.missed[title].append(name)
    return score


def summed(scores: Sequence[Score]) -> Score:
    total = Score()
    for score in scores:
        for counter in ("planted", "found", "alarmed"):
            getattr(total, counter).update(getattr(score, counter))
        for lists in ("missed", "alarms"):
            for key, names in getattr(score, lists).items():
                getattr(total, lists)[key] += names
        total.animations += score.animations
        total.calm += score.calm
    return total


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folders", nargs="+", metavar="FOLDER")
    parser.add_argument("--most", type=int, default=1000, help="animations of each folder, evenly spread")
    parser.add_argument("--list", action="store_true", help="name what was missed, and what was raised without cause")
    arguments = parser.parse_args()
    tasks: list[tuple[str, list[Found]]] = []
    for folder in arguments.folders:
        try:
            there = sorted(animations_in(folder))
        except InputError as error:
            sys.exit(f"{error}")
        tasks += there[:: max(1, -(-len(there) // arguments.most))]
    with ProcessPoolExecutor() as pool:
        scores = list(pool.map(judged, *zip(*tasks, strict=True), chunksize=4))
    report(summed(scores), arguments.list)


def report(score: Score, with_names: bool) -> None:
    print(f"{score.animations} animations, {score.calm} of them calm and without a fault\n")
    for title, _, _ in PLANTS:
        if score.planted[title]:
            share = score.found[title] / score.planted[title]
            print(f"  {title:28} {score.found[title]:4} of {score.planted[title]:4}  {share:6.1%}")
            if with_names:
                print("".join(f"      missed in {name}\n" for name in score.missed[title]), end="")
    planted, found = score.planted.total(), score.found.total()
    print(f"  {'all':28} {found:4} of {planted:4}  {found / max(1, planted):6.1%}\n")
    for severity in ("error", "warning", "note"):
        share = score.alarmed[severity] / max(1, score.animations)
        print(f"  with a {severity}: {score.alarmed[severity]} of {score.animations}, {share:.1%}")
        for (kind, code), names in sorted(score.alarms.items(), key=lambda item: -len(item[1])):
            if kind == severity:
                print(f"      {code:24} {len(names):4}")
                if with_names and severity != "note":
                    print("".join(f"          {name}\n" for name in names), end="")


if __name__ == "__main__":
    main()
