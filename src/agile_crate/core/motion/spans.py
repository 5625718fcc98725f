"""Ranges of frames, as people write them: positions from 1, both ends included."""

from typing import NamedTuple


class Span(NamedTuple):
    """A range of positions. An open end is None; a range may run backwards."""

    first: int | None
    last: int | None

    def positions(self, count: int) -> range:
        """The positions in a sequence of `count` frames, from 1, in the order in which they are taken.

        >>> list(Span(2, None).positions(4)), list(Span(3, 1).positions(4))
        ([2, 3, 4], [3, 2, 1])
        """
        first, last = self.first or 1, self.last or count
        return range(first, last + 1) if first <= last else range(first, last - 1, -1)

    def __str__(self) -> str:
        return str(self.first) if self.first == self.last else f"{self.first or ''}-{self.last or ''}"


Spans = tuple[Span, ...]
