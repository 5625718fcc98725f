"""The crates of crate files for a command, and the errors of those that fail."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from ..core.errors import CrateError, InputError
from ..core.limits import Limits
from ..crate_files.read import CrateFile, chosen, read_crate_file, refuse_shared_outputs
from ..crate_files.spec import CrateSpec, in_crate_file
from .status import Status, status_of
from .tables import print_error, print_warnings


@dataclass
class CrateErrors:
    """The errors of crates so far."""

    as_json: bool
    found: list[dict[str, Any]] = field(default_factory=list)

    def failed(self, file: str, crate: str, error: CrateError) -> None:
        """Print an error and continue. A crate's own settings are spelled as its file spells them."""
        sentence = in_crate_file(error.message)
        status = int(status_of(error))
        self.found.append({"file": file, "crate": crate, "error": sentence, "exit": status})
        print_error(sentence, status, error.message.files, self.as_json, file, crate)

    @property
    def status(self) -> int:
        """The exit code: that of the first error."""
        return int(self.found[0]["exit"]) if self.found else Status.DONE


def crates_of(
    paths: Sequence[str], only: Sequence[str], limits: Limits, errors: CrateErrors
) -> list[tuple[CrateFile, list[CrateSpec]]]:
    """Return the chosen crates of crate files, and print the files' warnings. A file that cannot be read goes to the
    errors. Raises UsageError for an unknown name, and InputError for two crates with one output."""
    files: list[CrateFile] = []
    for path in dict.fromkeys(paths):
        try:
            files.append(read_crate_file(path, limits))
        except InputError as error:
            errors.failed(path, "", error)
    refuse_shared_outputs(files)
    found = chosen(files, only)
    for file, _ in found:
        print_warnings(file.warnings)
    return found


def with_paths(files: Sequence[tuple[CrateFile, Sequence[CrateSpec]]]) -> list[tuple[str, CrateSpec]]:
    """Return each crate with the path of its file."""
    return [(file.path, spec) for file, specs in files for spec in specs]
