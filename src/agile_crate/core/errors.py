"""Errors, grouped by what the user can do about them. Each message is one plain sentence for the user.

The command line turns each class into its exit code; nothing else is read from the class.
"""

from .message import Message, message


class MessageError(Exception):
    """An error that is one sentence, or the end of one. With `values`, the text is a template, as that of
    `core.message.message`. `message` keeps the settings and the files that it is about."""

    def __init__(self, text: str, *values: object) -> None:
        self.message = message(text, *values) if values else Message(text)
        super().__init__(self.message)

    def __reduce__(self) -> tuple[object, ...]:
        return type(self), (self.message,)


class CrateError(MessageError):
    """Base of all errors that the user reads, without a traceback. `code` is the exit code."""

    code = 70


class UsageError(CrateError):
    """The command line or a setting is invalid."""

    code = 2


class InputError(CrateError):
    """An input is missing, unreadable or damaged."""

    code = 3


class FitError(CrateError):
    """The frames do not fit the given limits."""

    code = 4


class OutputError(CrateError):
    """The output cannot be written."""

    code = 5


def reason(error: OSError) -> str:
    """Return the operating system's reason for an error, as the end of a sentence."""
    text = error.strerror or str(error)
    return text if isinstance(text, Message) else text[:1].lower() + text[1:]
