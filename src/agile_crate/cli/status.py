"""Exit codes, each with one meaning (docs/programmers/command-line.md)."""

from enum import IntEnum

from ..core.errors import CrateError


class Status(IntEnum):
    DONE = 0
    FOUND = 1
    """Done, and something was found that the user should see."""
    USAGE = 2
    INPUT = 3
    FIT = 4
    OUTPUT = 5
    ERROR = 70
    """A fault in the program itself (EX_SOFTWARE of BSD's sysexits)."""
    INTERRUPTED = 130


def status_of(error: CrateError) -> Status:
    """Return the exit code for an error."""
    return Status(error.code)
