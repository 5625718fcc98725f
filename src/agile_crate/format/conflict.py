"""Conflict markers that a merge of version control leaves in a text file."""

from __future__ import annotations

_OURS, _BASE, _BETWEEN, _THEIRS = b"<<<<<<< ", b"||||||| ", b"=======", b">>>>>>> "


def sides_of(data: bytes) -> tuple[bytes, ...]:
    """The two texts that a merge could not join: first the one that was checked out, then the one that came in; none if
    the text holds no whole conflict. What both have in common stands in both."""
    sides = bytearray(), bytearray()
    into: tuple[bytearray, ...] = sides
    is_open = has_conflict = False
    for line in data.splitlines(keepends=True):
        if line.startswith(_OURS) and not is_open:
            is_open, into = True, sides[:1]
        elif is_open and line.startswith(_BASE):
            into = ()
        elif is_open and line.rstrip(b"\r\n") == _BETWEEN:
            into = sides[1:]
        elif is_open and line.startswith(_THEIRS):
            is_open, has_conflict, into = False, True, sides
        else:
            for side in into:
                side += line
    return tuple(map(bytes, sides)) if has_conflict and not is_open else ()
