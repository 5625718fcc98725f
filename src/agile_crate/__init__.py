"""Agile Crate turns folders of animation frames into sprite sheets with exact metadata, and proves them.

The same road as the command line, for scripts::

    import agile_crate

    packed = agile_crate.pack(["frames/otter"], "build/otter", columns=8, fps=["swim=24", 12])
    assert agile_crate.verify("build/otter.json", against=["frames/otter"]).holds
    loaded = agile_crate.load("build/otter.json")
    pixels = loaded.frame("swim/swim_01")      # (height, width, 4) uint8, straight alpha

Importing this is quick: NumPy and Pillow are loaded when a function is first called.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from .core.errors import CrateError, FitError, InputError, OutputError, UsageError

if TYPE_CHECKING:
    from .jobs.pack import Packed
    from .jobs.read import Loaded
    from .jobs.survey import Survey
    from .jobs.verify import Verified

__version__ = "0.1.0"

__all__ = [
    "CrateError",
    "FitError",
    "InputError",
    "OutputError",
    "UsageError",
    "__version__",
    "load",
    "pack",
    "survey",
    "verify",
]

GENERATOR = f"agile-crate {__version__}"


def pack(inputs: Sequence[str], out: str, *, dry_run: bool = False, force: bool = False, **settings: Any) -> Packed:
    """Packs folders, files and patterns into ``out.png`` (or ``out-1.png`` …) and ``out.json``.

    Settings are those of docs/settings.md with underscores: ``columns=8``, ``max_size="2048x2048"``, ``pow2=True``.
    A setting for single animations takes a list: ``fps=["swim=24", 12]``.

    Raises UsageError, InputError, FitError or OutputError; each says in one sentence what to do. Then nothing is
    written, and what was there before is whole.
    """
    from .jobs.pack import pack
    from .jobs.workers import workers
    from .settings.given import settings_from

    with workers() as executor:
        return pack(inputs, out, settings_from(settings), executor, generator=GENERATOR, dry_run=dry_run, force=force)


def verify(data: str, against: Sequence[str] = ()) -> Verified:
    """Proves a crate from its written files; with `against`, restores every frame and compares it with its source."""
    from .jobs.verify import verify
    from .jobs.workers import workers

    with workers() as executor:
        return verify(data, against, executor)


def survey(inputs: Sequence[str], *, fps: float | None = None, allow: Sequence[str] = (), scale: float = 1) -> Survey:
    """Looks frames over before packing: sequences in numbers, and findings, the worst first (docs/survey.md)."""
    from fractions import Fraction

    from .jobs.survey import survey
    from .jobs.workers import workers

    with workers() as executor:
        return survey(inputs, executor, fps=None if fps is None else Fraction(fps), allow=allow, scale=Fraction(scale))


def load(data: str) -> Loaded:
    """Reads a crate back: its metadata as values, and any frame's pixels on its whole canvas by name."""
    from .jobs.read import load

    return load(data)
