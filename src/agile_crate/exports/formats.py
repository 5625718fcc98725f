"""The text formats, one record each."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:  # settings load this module for --help
    from ..core.model.crate import Crate

    Larger = Sequence[tuple[Fraction, Crate]]
    """Larger crates of the same build, and by how much they are larger."""


class TextFormat(NamedTuple):
    """A text format.

    endings      what each of its files adds to the crate's name
    texts        makes the text of each file, in that order, from a crate, the larger crates of the same build, and
                 whether it is to be compact; raises OutputError
    is_metadata  whether the crate can be read again from it: by such a file verify and the next build know a build
    uses_larger  whether it names the sheets of larger crates
    """

    endings: tuple[str, ...]
    texts: Callable[[Crate, Larger, bool], Sequence[str]]
    is_metadata: bool = False
    uses_larger: bool = False


def _json(crate: Crate, _: Larger, compact: bool) -> Sequence[str]:
    from ..format.json_form import to_json

    return [to_json(crate, compact)]


def _xml(crate: Crate, _: Larger, __: bool) -> Sequence[str]:
    from ..format.xml_form import to_xml

    return [to_xml(crate)]


def _css(crate: Crate, larger: Larger, _: bool) -> Sequence[str]:
    from .css import to_css

    return [to_css(crate, larger)]


def _csv(crate: Crate, _: Larger, __: bool) -> Sequence[str]:
    from .csv_tables import animations_csv, frames_csv

    return [frames_csv(crate), animations_csv(crate)]


FORMATS: dict[str, TextFormat] = {
    "json": TextFormat((".json",), _json, is_metadata=True),
    "xml": TextFormat((".xml",), _xml, is_metadata=True),
    "css": TextFormat((".css",), _css, uses_larger=True),
    "csv": TextFormat((".frames.csv", ".animations.csv"), _csv),
}
"""Every text format by its name, in the order of the help."""
