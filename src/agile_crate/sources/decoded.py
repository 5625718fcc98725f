"""Decoded files, one picture or a sequence, and limits on their sizes."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator, Sequence
from fractions import Fraction
from typing import Generic, NamedTuple, TypeVar

from ..core.limits import Limits, raise_hint
from ..core.message import message
from ..core.model.crate import Loop
from ..core.model.picture import Vector
from ..core.pixels import Pixels
from ..core.png_chunks import PictureError


def refuse_large(width: int, height: int, largest: int, limits: Limits) -> None:
    """Raise PictureError for a picture that claims more than the `largest` number of pixels, or too long a side."""
    if width * height > largest:
        raise PictureError(claims_too_much(largest, limits))
    if max(width, height) > (longest := limits.side_pixels):
        raise PictureError(
            "claims to be longer than {:,} pixels, the most that one side may have; {}",
            longest,
            raise_hint("side_pixels"),
        )


def claims_too_much(largest: int, limits: Limits) -> str:
    """Return why a picture of too many pixels is refused."""
    name = "picture_pixels" if largest == limits.picture_pixels else "sheet_pixels"
    return message(
        "claims to have more than {:,} pixels, the most that one picture may have; {}", largest, raise_hint(name)
    )


@contextlib.contextmanager
def refusing_damage() -> Iterator[None]:
    """Raise PictureError in place of any exception of a decoder on malformed data."""
    try:
        yield
    except (PictureError, MemoryError):
        raise
    except Exception as error:
        raise PictureError(f"is damaged: {' '.join(str(error).split())[:120] or type(error).__name__}") from error


P = TypeVar("P", bound=Pixels | Vector)


class DecodedSequence(NamedTuple, Generic[P]):
    """The pictures of a file that holds a sequence.

    milliseconds  for each; None if the file has no time
    loop, times   None if the file has none; how often it plays if above 1
    names         of layers; empty for other pictures
    hidden        counts skipped layers
    """

    pictures: tuple[P, ...]
    milliseconds: tuple[Fraction | None, ...]
    loop: Loop | None = None
    times: int = 0
    names: tuple[str, ...] = ()
    hidden: int = 0


def as_sequence(named: Sequence[tuple[str, P]], hidden: int = 0) -> DecodedSequence[P]:
    """Return pictures with their names as a sequence without times."""
    names, pictures = zip(*named, strict=True)
    return DecodedSequence(pictures, (None,) * len(pictures), names=names, hidden=hidden)


class DecodedFile(NamedTuple):
    """A decoded file, with flags if its colors were not sRGB and if it held infinite light."""

    picture: Pixels | Vector | DecodedSequence[Pixels] | DecodedSequence[Vector]
    is_foreign: bool = False
    is_endless: bool = False
