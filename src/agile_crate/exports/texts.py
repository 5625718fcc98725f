"""The text files of a build, by name."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from ..core.model.crate import Crate
from ..format.seal import text_sha256
from .formats import FORMATS, TextFormat

if TYPE_CHECKING:
    from ..core.limits import Limits
    from .formats import Larger
    from .template import Template


def templates_of(paths: Sequence[str], given: tuple[tuple[str, str], ...], limits: Limits) -> tuple[Template, ...]:
    """Return the templates of a build, with `given` values. Raises UsageError and InputError."""
    if not paths:
        return ()
    from .template import read_templates  # starts processes, and few builds have any

    return read_templates(paths, given, limits)


def _in_order(formats: Sequence[str], is_metadata: bool) -> list[TextFormat]:
    """The chosen formats in the order in which they are written, which does not depend on the order of choice."""
    return [FORMATS[name] for name in reversed(FORMATS) if name in formats and FORMATS[name].is_metadata is is_metadata]


def text_names(stem: str, formats: Sequence[str], templates: Sequence[Template]) -> list[str]:
    """Return the names of the text files of one crate, in the order in which they are written."""
    chosen = [*_in_order(formats, False), *_in_order(formats, True)]
    endings = [ending for text_format in chosen for ending in text_format.endings]
    return [stem + ending for ending in (*(template.ending for template in templates), *endings)]


def texts_of(
    crate: Crate, larger: Larger, formats: Sequence[str], templates: Sequence[Template], compact: bool
) -> Iterator[tuple[str, bytes]]:
    """Yield a crate's text files by name, in the order of `text_names`. Metadata has the digests of the files before
    it, so it comes last."""
    digests: dict[str, str] = {}
    for name, data in _others(crate, crate.name, larger, formats, templates):
        digests[name] = text_sha256(data)
        yield name, data
    yield from _metadata(crate._replace(file_sha256=digests), crate.name, formats, compact)


def further_texts(
    crate: Crate, stem: str, formats: Sequence[str], templates: Sequence[Template], compact: bool
) -> Iterator[tuple[str, bytes]]:
    """Yield more files of a finished crate by name, each beginning with `stem`; its metadata stays as it is."""
    yield from _others(crate, stem, (), formats, templates)
    yield from _metadata(crate, stem, formats, compact)


def _metadata(crate: Crate, stem: str, formats: Sequence[str], compact: bool) -> Iterator[tuple[str, bytes]]:
    for text_format in _in_order(formats, True):
        yield from _named(stem, text_format, text_format.texts(crate, (), compact))


def _others(
    crate: Crate, stem: str, larger: Larger, formats: Sequence[str], templates: Sequence[Template]
) -> Iterator[tuple[str, bytes]]:
    for template in templates:
        from .template import rendered

        yield stem + template.ending, rendered(template, crate).encode()
    for text_format in _in_order(formats, False):
        yield from _named(stem, text_format, text_format.texts(crate, larger, False))


def _named(stem: str, form: TextFormat, texts: Sequence[str]) -> Iterator[tuple[str, bytes]]:
    for ending, text in zip(form.endings, texts, strict=True):
        yield stem + ending, text.encode()
