"""What can go wrong, by what the user can do about it. Each message is one plain sentence for the user.

The command line turns each class into its exit code; nothing else is read from the class.
"""

from .message import Sentence


class CrateError(Exception):
    """Base of all errors that are told to the user in a sentence, without a traceback.

    As a text an error names settings as scripts do; `sentence` can spell them in other ways.
    """

    def __init__(self, sentence: str) -> None:
        self.sentence = Sentence(sentence)
        super().__init__(self.sentence)


class UsageError(CrateError):
    """The command line, or a setting, asks for something that makes no sense."""


class InputError(CrateError):
    """An input is missing, unreadable or damaged."""


class FitError(CrateError):
    """The frames do not fit the limits that were set."""


class OutputError(CrateError):
    """The output cannot be written."""


def reason(error: OSError) -> str:
    """Why the operating system refused, as the end of a sentence."""
    text = error.strerror or str(error)
    return text[:1].lower() + text[1:]
