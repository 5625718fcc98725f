"""Metadata of 20,000 frames in all four formats, beside json.dump of the same facts. ``make bench`` runs it."""

from __future__ import annotations

import io
import json
import time
from collections.abc import Callable
from statistics import median

from agile_crate.core.model.crate import Animation, Crate, Frame
from agile_crate.core.model.geometry import Box, Offset, Point, Size
from agile_crate.core.model.sheet import Sheet
from agile_crate.exports.texts import texts_of
from agile_crate.format.document import document_of
from agile_crate.settings.given import settings_from

COUNT, EACH, ROUNDS = 20_000, 20, 7


def crate() -> Crate:
    frames = tuple(
        Frame(
            f"otter/swim_{n // EACH:04d}/swim_{n % EACH:02d}",
            0,
            Box(n % 90 * 45, n // 90 * 18, 41, 17),
            Size(96, 96),
            Offset(17, 30),
            Point(48, 95.5),
        )
        for n in range(COUNT)
    )
    animations = tuple(
        Animation(f"otter/swim_{at // EACH:04d}", tuple(range(at, at + EACH)), (83,) * EACH)
        for at in range(0, COUNT, EACH)
    )
    sheet = Sheet("otter.png", Size(4096, 4096), sha256="ab" * 32, gap=2)
    return Crate("otter", (sheet,), frames, animations, generator="agile-crate")


def clocked(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def main() -> None:
    made, settings = crate(), settings_from({"metadata": "json,xml,css,csv"})
    document = document_of(made)
    pairs = [
        (
            clocked(lambda: list(texts_of(made, (), settings.metadata, (), settings.compact))),
            clocked(lambda: json.dump(document, io.StringIO())),
        )
        for _ in range(ROUNDS)
    ]
    ratio = median(ours / plain for ours, plain in pairs)
    ours, plain = (median(side) for side in zip(*pairs, strict=True))
    print(f"{'metadata of 20,000 frames, four formats':44}{ours:>9.3f}s{plain:>9.3f}s{ratio:>8.2f}  1.50")


if __name__ == "__main__":
    main()
