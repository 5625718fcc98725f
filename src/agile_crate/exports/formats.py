"""The text files of a build: each format is a module of its own, and a line here."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction
from typing import TYPE_CHECKING

from ..core.model.crate import Crate
from ..format.seal import text_sha256
from ..settings.table import Settings

if TYPE_CHECKING:
    from .template import Template

ENDINGS = {"csv": (".frames.csv", ".animations.csv"), "css": (".css",), "xml": (".xml",), "json": (".json",)}
"""What each format adds to the crate's name. Those by which a build is known again come last."""


def text_names(stem: str, settings: Settings, templates: Sequence[Template]) -> list[str]:
    """The names of the text files of one crate, in the order in which they are written."""
    return _names(stem, settings.metadata, templates)


def _names(stem: str, formats: Sequence[str], templates: Sequence[Template]) -> list[str]:
    chosen = [ending for name, endings in ENDINGS.items() if name in formats for ending in endings]
    return [stem + ending for ending in (*(template.ending for template in templates), *chosen)]


def texts_of(
    crate: Crate, larger: Sequence[tuple[Fraction, Crate]], settings: Settings, templates: Sequence[Template]
) -> Iterator[tuple[str, bytes]]:
    """The files by name, in the order of `text_names`. `larger` are larger crates of the same build, and by how much.
    The metadata has the digests of those before it."""
    names = text_names(crate.name, settings, templates)
    digests: dict[str, str] = {}
    for name, text in zip(names, _others(crate, larger, settings.metadata, templates), strict=False):
        data = text.encode()
        digests[name] = text_sha256(data)
        yield name, data
    yield from _documents(crate._replace(file_sha256=digests), crate.name, settings.metadata, settings.compact)


def further_texts(
    crate: Crate, stem: str, formats: Sequence[str], templates: Sequence[Template], compact: bool
) -> Iterator[tuple[str, bytes]]:
    """More files of a crate that is there, by name, each beginning with `stem`; its documents stay as they are."""
    names = _names(stem, formats, templates)
    for name, text in zip(names, _others(crate, (), formats, templates), strict=False):
        yield name, text.encode()
    yield from _documents(crate, stem, formats, compact)


def _documents(crate: Crate, stem: str, formats: Sequence[str], compact: bool) -> Iterator[tuple[str, bytes]]:
    if "xml" in formats:
        from ..format.xml_form import to_xml

        yield f"{stem}.xml", to_xml(crate).encode()
    if "json" in formats:
        from ..format.json_form import to_json

        yield f"{stem}.json", to_json(crate, compact).encode()


def _others(
    crate: Crate, larger: Sequence[tuple[Fraction, Crate]], formats: Sequence[str], templates: Sequence[Template]
) -> Iterator[str]:
    for template in templates:
        from .template import rendered

        yield rendered(template, crate)
    if "csv" in formats:
        from .csv_tables import animations_csv, frames_csv

        yield frames_csv(crate)
        yield animations_csv(crate)
    if "css" in formats:
        from .css import to_css

        yield to_css(crate, larger)
