"""Dependencies of a build for make and ninja: one rule, outputs before the colon, inputs after it.

The form is that of POSIX make's rules, with the escapes that GNU make and ninja understand in dependency files.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterable
from pathlib import Path

from ..core.errors import UsageError
from ..core.text import shown
from ..storage.staging import staged

_SPECIAL = re.compile(r"([ #\\])")


def write_depfile(path: str, targets: Iterable[str], needed: Iterable[str]) -> None:
    """Write the rule over an existing file. Raises UsageError for a name that it cannot hold, and OutputError."""
    text = f"{' '.join(map(_escaped, targets))}: \\\n  " + " \\\n  ".join(map(_escaped, needed)) + "\n"
    target = Path(os.path.abspath(path))
    with staged(target.parent, target.name) as staging:
        staging.write(target.name, [text.encode("utf-8", "surrogateescape")])
        staging.commit()


def _escaped(path: str) -> str:
    if set(path) & set("\n\r\t"):
        raise UsageError("{depfile}: no such file can name {}; rename it", shown(path))
    return _SPECIAL.sub(r"\\\1", path.replace(os.sep, "/")).replace("$", "$$")
