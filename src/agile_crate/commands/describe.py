"""Write more text formats of an existing crate from its metadata alone."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

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


def describe(
    data: str,
    templates: Sequence[str],
    formats: Sequence[str],
    given: tuple[tuple[str, str], ...] = (),
    out: str = "",
    compact: bool = False,
    force: bool = False,
    limits: Limits = USUAL,
) -> tuple[Path, ...]:
    """Render a crate's templates and other formats next to its metadata, or at `out`; return the paths.

    An existing file with the same text stays; another is overwritten only with `force`. Raises UsageError,
    InputError for metadata that does not hold together or a template that fails, and OutputError.
    """
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
    made = list(further_texts(crate, target.name, formats, read_templates(templates, given, limits), compact))
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
