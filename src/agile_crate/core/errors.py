"""What can go wrong, by what the user can do about it. Each message is one plain sentence for the user.

The command line turns each class into its exit code; nothing else is read from the class.
"""


class CrateError(Exception):
    """Base of all errors that are told to the user in a sentence, without a traceback."""


class UsageError(CrateError):
    """The command line, or a setting, asks for something that makes no sense."""


class InputError(CrateError):
    """An input is missing, unreadable or damaged."""


class FitError(CrateError):
    """The frames do not fit the limits that were set."""


class OutputError(CrateError):
    """The output cannot be written."""
