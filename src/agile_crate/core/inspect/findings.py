"""From facts of frames to findings, and to numbers for the table."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from .checks import across, backgrounds, canvases, colors, edges, motion, names, repeats, strays, tiles
from .facts import FrameFacts
from .finding import SEVERITIES, Check, Finding, Surveyed

STILL_CHECKS: tuple[Check, ...] = (
    canvases.scaling, strays.emptiness, backgrounds.background, strays.haze, strays.specks, edges.fringes, tiles.seams,
)  # fmt: skip
ANIMATION_CHECKS: tuple[Check, ...] = (
    names.numbering, names.plain_name, canvases.canvases, canvases.scaling, strays.emptiness, backgrounds.background,
    strays.haze, strays.specks, edges.cut_off, edges.kinds_of_edges, edges.fringes, repeats.repeats,
    motion.out_of_place, motion.order, motion.wobble, colors.tinted, colors.pixel_art,
)  # fmt: skip


def find_all(sequence: Surveyed) -> list[Finding]:
    """Return all findings of one sequence, the worst first, then in the order of the checks."""
    checks = STILL_CHECKS if sequence.name is None else ANIMATION_CHECKS
    found = [finding for check in checks for finding in check(sequence)]
    return worst_first(found)


def find_across(sequences: Sequence[Surveyed]) -> list[Finding]:
    """Return findings that need several sequences, the worst first."""
    checks = (across.strayed, across.names_alike, across.odd_files, across.grounds, across.mirrors)
    return worst_first(finding for check in checks for finding in check(sequences))


def worst_first(findings: Iterable[Finding]) -> list[Finding]:
    """Sort findings by severity, else keep their order."""
    return sorted(findings, key=lambda finding: SEVERITIES.index(finding.severity))


def by_code(findings: Iterable[Finding]) -> list[list[Finding]]:
    """Group findings by severity and code, in the order of each group's first."""
    together: dict[tuple[str, str], list[Finding]] = {}
    for finding in findings:
        together.setdefault((finding.severity, finding.code), []).append(finding)
    return list(together.values())


def union_box(frames: Sequence[FrameFacts]) -> tuple[int, int]:
    """The size of the rectangle that holds the kept boxes of all frames (canvases laid on each other's top left)."""
    boxes = [frame.kept for frame in frames if frame.kept is not None]
    if not boxes:
        return 0, 0
    return (
        max(box.right for box in boxes) - min(box.x for box in boxes),
        max(box.bottom for box in boxes) - min(box.y for box in boxes),
    )


def budget(frames: Sequence[FrameFacts]) -> tuple[int, int]:
    """Return the bytes of all frames as separate textures, and the side of the smallest square power of two of that
    area."""
    area = sum(frame.canvas.w * frame.canvas.h for frame in frames)
    side = 1
    while side * side < area:
        side *= 2
    return area * 4, side


def transparency(frames: Sequence[FrameFacts]) -> str:
    """Return how a sequence uses alpha: none, hard, or soft."""
    if all(frame.opaque for frame in frames):
        return "none"
    return "soft" if any(frame.partial > 0 for frame in frames) else "hard"
