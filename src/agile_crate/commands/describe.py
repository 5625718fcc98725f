"""Write more text formats of an existing crate from its metadata alone."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

from ..core.crate.check import check_crate
from ..core.crate.file_names import repeated
from ..core.errors import InputError, UsageError
from ..core.limits import USUAL, Limits
from ..core.message import a_file, message
from ..core.text import quoted
from ..exports.template import read_templates
from ..exports.texts import further_texts
from ..format.files import read_metadata
from ..storage.previous_build import target_of
from ..storage.recovery import recover_interrupted
from ..storage.staging import holds, refuse_existing, staged
from .load import refuse_empty


class TextOptions(NamedTuple):
    """The texts of a crate to write.

    templates, formats   templates, and formats by name
    given                variables for templates
    compact              JSON on one line
    force                overwrite existing files with another text
    """

    templates: Sequence[str] = ()
    formats: Sequence[str] = ()
    given: Sequence[tuple[str, str]] = ()
    compact: bool = False
    force: bool = False


def describe(data: str, texts: TextOptions, out: str = "", limits: Limits = USUAL) -> tuple[Path, ...]:
    """Render a crate's templates and other formats next to its metadata, or at `out`; return the paths.

    An existing file with the same text stays. Raises UsageError, InputError for metadata that does not hold together or
    a template that fails, and OutputError.
    """
    templates, formats, given, compact, force = texts
    if not (templates or formats):
        raise UsageError(message("choose an output: {template}, or formats with {metadata}"))
    recover_interrupted([], [Path(data)])
    crate = read_metadata(data, limits)
    for problem in check_crate(crate):
        raise InputError("{}: {}", a_file(data), problem)
    refuse_empty(data, crate)
    target = target_of(out or os.path.splitext(data)[0])
    source = Path(os.path.abspath(data))
    reserved = [source.name] if target.parent == source.parent else []
    made = list(further_texts(crate, target.name, formats, read_templates(templates, tuple(given), limits), compact))
    if (twice := repeated([*reserved, *(name for name, _ in made)])) is not None:
        raise UsageError("two files would have the name {}; leave one out, or give another {out}", quoted(twice))
    new = [(name, text) for name, text in made if not holds(target.parent / name, text)]
    if not force:
        refuse_existing(target.parent, [name for name, _ in new])
    with staged(target.parent, target.name) as staging:
        for name, text in new:
            staging.write(name, [text])
        staging.commit()
    return tuple(target.parent / name for name, _ in made)
