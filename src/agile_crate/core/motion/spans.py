"""Ranges of frames, as people write them: positions from 1, or numbers, both ends included."""

from typing import NamedTuple

LAST = -1
"""Stands for the last one."""


class Span(NamedTuple):
    """A range, which may run backwards. The last one is LAST, an open end None."""

    first: int
    last: int | None

    def ends(self, most: int) -> tuple[int, int]:
        """Return where it begins and ends where `most` is the last."""
        last = LAST if self.last is None else self.last
        return most if self.first == LAST else self.first, most if last == LAST else last

    def positions(self, count: int) -> range:
        """The positions in a sequence of `count` frames, from 1, in the order in which they are taken.

        >>> list(Span(2, None).positions(4)), list(Span(LAST, 2).positions(4))
        ([2, 3, 4], [4, 3, 2])
        """
        first, last = self.ends(count)
        return range(first, last + 1) if first <= last else range(first, last - 1, -1)

    def __str__(self) -> str:
        names = {None: "", LAST: "last"}
        ends = [names.get(end, str(end)) for end in self]
        return ends[0] if self.first == self.last else "-".join(ends)


Spans = tuple[Span, ...]
