"""Rectangles onto one sheet of a given size by a skyline: the outline of what has been placed, filled from below.

Best fit after Burke, Kendall and Whitwell ("A new placement heuristic for the orthogonal stock-cutting problem",
Operations Research 52, 2004): always the lowest niche is filled. Which box goes there is scored as Leung, Zhang and Sim
do ("A two-stage intelligent search algorithm for the two-dimensional strip packing problem", European Journal of
Operational Research 215, 2011): boxes that fill the niche's width, or end level with a neighbour, come first. Our own
departures: only a window of the first boxes in order of size is scored, so that large ones go early; the sheet's height
is known beforehand, and a box that ends level with it counts as level too; a pass ends as soon as more is wasted than
the sheet has to spare.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from operator import itemgetter
from typing import NamedTuple

FAR = 1 << 40
_rank = itemgetter(2)


class Policy(NamedTuple):
    """How a pass chooses. `order`: which boxes go first; `window`: how many are scored; `patience`: what a place
    further back in the order costs; `evenness`: what a pixel of exact width, or of a level end, is worth."""

    order: str
    window: int
    patience: float
    evenness: float


class Filled(NamedTuple):
    """A pass's result, boxes by their place in the order given: left and top edges, which lie turned, the width and
    height in use, which boxes found no place, and how many were placed before the pass ended."""

    x: list[int]
    y: list[int]
    turned: list[bool]
    width: int
    height: int
    left_over: list[int]
    placed: int


def fill(
    sizes: Sequence[tuple[int, int]], width: int, height: int, policy: Policy, spare: int = FAR, turn: bool = False
) -> Filled:
    """Places boxes (width, height), in order, on a sheet of `width` × `height`; with `turn` they may lie turned.

    `spare` is how much area may be wasted; beyond it the pass ends early. Ties go to the box that is first in order and
    to the leftmost niche, so the result hangs on nothing but the arguments.
    Cost: for each box the window, two binary searches, and moving what lies behind it in two lists.
    """
    waiting, by_width = _queue(sizes, turn)
    count = len(sizes)
    base = len(waiting) + 1
    result = Filled([0] * count, [0] * count, [False] * count, 0, 0, [], 0)
    left, level, span = [0], [0], [width]  # the skyline: where each step begins, how high it is, how wide
    _, window, patience, evenness = policy
    rightmost = highest = placed = 0
    while waiting:
        low = min(level)
        step = level.index(low)
        niche, room = span[step], height - low
        before = level[step - 1] - low if step else FAR
        after = level[step + 1] - low if step + 1 < len(level) else FAR
        wall = before if before < after else after
        narrowest = by_width[0] // base
        best = None
        if niche >= narrowest:
            least, cost, exact = float(FAR), 0.0, -evenness * niche
            wasteful = niche - narrowest
            for box in waiting[:window]:
                w, h, _ = box
                if w <= niche and h <= room:
                    even = h in (before, after, room)
                    if w == niche:
                        score = cost + (1.5 * exact if even else exact)
                    elif w > wasteful:
                        score = cost + (niche - w) * (h if h < wall else wall)
                    else:
                        score = cost - 0.5 * evenness * w if even else cost
                    if score < least:
                        least, best = score, box
                cost += patience
            if best is None or best[0] != niche:
                best = _beyond_window(waiting, by_width, base, niche, room, best, least, patience, exact)
        if best is None:
            if wall >= FAR:
                break
            spare -= niche * wall
            if spare < 0:
                break
            _raise(left, level, span, step, before, after)
            continue
        w, h, rank = best
        _take(waiting, by_width, base, rank, turn)
        placed += 1
        box_index = rank >> 1 if turn else rank
        at_left = h == before or (h != after and before >= after)
        x = left[step] if at_left else left[step] + niche - w
        result.x[box_index], result.y[box_index], result.turned[box_index] = x, low, turn and bool(rank & 1)
        rightmost, highest = max(rightmost, x + w), max(highest, low + h)
        _put(left, level, span, step, w, low + h, at_left)
    ranks = {rank >> 1 if turn else rank for _, _, rank in waiting}
    return result._replace(width=rightmost, height=highest, left_over=sorted(ranks), placed=placed)


Waiting = list[tuple[int, int, int]]


def _queue(sizes: Sequence[tuple[int, int]], turn: bool) -> tuple[Waiting, list[int]]:
    """Boxes in order, and their widths sorted, each width with its rank in one number. A box that may be turned stands
    there twice: the odd ranks are turned."""
    if turn:
        waiting = [entry for k, (w, h) in enumerate(sizes) for entry in ((w, h, 2 * k), (h, w, 2 * k + 1))]
    else:
        waiting = [(w, h, k) for k, (w, h) in enumerate(sizes)]
    return waiting, sorted(w * (len(waiting) + 1) + rank for w, _, rank in waiting)


def _beyond_window(
    waiting: Waiting,
    by_width: list[int],
    base: int,
    niche: int,
    room: int,
    best: tuple[int, int, int] | None,
    least: float,
    patience: float,
    exact: float,
) -> tuple[int, int, int] | None:
    """A box of exactly the niche's width from further back, if it beats the window's best; if the window had none at
    all, the widest one that fits."""
    index = bisect_left(by_width, niche * base)
    if index < len(by_width) and by_width[index] < (niche + 1) * base:
        at = bisect_left(waiting, by_width[index] - niche * base, key=_rank)
        if waiting[at][1] <= room and (best is None or patience * at + exact < least):
            return waiting[at]
    if best is not None:
        return best
    index = bisect_left(by_width, (niche + 1) * base)
    while index:
        index -= 1
        candidate = waiting[bisect_left(waiting, by_width[index] % base, key=_rank)]
        if candidate[1] <= room:
            return candidate
    return None


def _take(waiting: Waiting, by_width: list[int], base: int, rank: int, turn: bool) -> None:
    for one in (rank & ~1, rank | 1) if turn else (rank,):
        at = bisect_left(waiting, one, key=_rank)
        del by_width[bisect_left(by_width, waiting[at][0] * base + one)]
        del waiting[at]


def _raise(left: list[int], level: list[int], span: list[int], step: int, before: int, after: int) -> None:
    """A niche that nothing fits is lost: it joins its lower neighbour."""
    if before <= after:
        span[step - 1] += span[step]
        del left[step], level[step], span[step]
        step -= 1
        if before == after:
            span[step] += span[step + 1]
            del left[step + 1], level[step + 1], span[step + 1]
    else:
        left[step + 1] = left[step]
        span[step + 1] += span[step]
        del left[step], level[step], span[step]


def _put(left: list[int], level: list[int], span: list[int], step: int, w: int, top: int, at_left: bool) -> None:
    """The skyline after a box of width `w` was put into a niche; steps of one height join."""
    rest = span[step] - w
    if rest == 0:
        level[step] = top
    else:
        if at_left:
            left.insert(step, left[step])
            left[step + 1] += w
        else:
            left.insert(step + 1, left[step] + rest)
        here = step if at_left else step + 1
        level.insert(here, top)
        span[step] = rest
        span.insert(here, w)
        step = here
    if step + 1 < len(level) and level[step + 1] == top:
        span[step] += span[step + 1]
        del left[step + 1], level[step + 1], span[step + 1]
    if step and level[step - 1] == top:
        span[step - 1] += span[step]
        del left[step], level[step], span[step]
