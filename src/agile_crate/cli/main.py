"""The command line: finds the command, runs it, and turns every error into one sentence and an exit code."""

from __future__ import annotations

import argparse
import os
import sys
import warnings
from collections.abc import Sequence
from functools import partial
from importlib import import_module
from types import ModuleType

from .. import __version__
from ..core.errors import CrateError, UsageError, reason
from ..core.message import Spelling
from ..core.names import nearest
from ..core.text import shown
from ..interrupts import AfterCommit, has_committed
from . import signals
from .parser import Parser, chosen_limits
from .status import Status, status_of
from .streams import make_safe
from .wording import as_option, options_of

COMMANDS = {
    "pack": "pack frames into sheets with metadata",
    "draft": "write a crate file (a project) for folders of frames",
    "survey": "check frames before packing",
    "show": "view a crate: annotated sheet, light table, films, charts",
    "watch": "rebuild a crate file whenever frames change, with a live page",
    "verify": "prove that every frame can be restored from a crate",
    "describe": "write more text formats of an existing crate",
    "unpack": "turn a crate, or any sheet, back into frames",
    "adopt": "write metadata for a sheet that was made elsewhere",
    "schema": "print the schema of the metadata or of crate files",
    "cache": "show or clear the build cache",
    "help": "print a page on layouts, timing, pivots, pixel art or effects",
    "demo": "write the demo frames and build them",
}
"""Each command's line in the help; a module of the same name declares and runs it."""


def main(arguments: Sequence[str]) -> int:
    """Run one command line and return its exit code. Only argparse's help raises an exception (SystemExit)."""
    debug = "--debug" in arguments
    tell = partial(_print_failure, as_json="--json" in arguments)
    if not debug:
        warnings.simplefilter("ignore")  # libraries' remarks on odd files; what matters we say ourselves
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # NumPy starts quicker; its linear algebra is not used here
    make_safe()
    spelling: Spelling = as_option
    try:
        command, parser = _command(arguments)
        if command is None:
            return Status.USAGE
        spelling = options_of(arguments[0], parser.options)
        understood = parser.understood(arguments[1:])
        chosen_limits(understood)  # before anything is read
        status: int = command.run(understood)
        sys.stdout.flush()
        return status
    except AfterCommit:
        signals.ignore()
        print("agile-crate: interrupted after all files were written", file=sys.stderr)
        return Status.DONE
    except KeyboardInterrupt:
        signals.ignore()
        return tell("interrupted; no file is incomplete", Status.INTERRUPTED)
    except BrokenPipeError:  # the reader of our output has had enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return Status.DONE
    except OSError as error:  # files are the jobs' to speak of: this is what we print ourselves
        if debug:
            _print_trace()
        if has_committed():
            return tell(f"all files were written, but the summary could not be printed: {reason(error)}", Status.DONE)
        return tell(f"the output could not be printed: {reason(error)}", Status.OUTPUT)
    except Exception as error:
        if debug:
            _print_trace()
        return tell(*_explained(error, spelling))


def _print_trace() -> None:
    import traceback

    traceback.print_exc()


def _explained(error: Exception, spelling: Spelling) -> tuple[str, Status, Sequence[str]]:
    """Return the sentence, the exit code and the files for any error."""
    if isinstance(error, CrateError):
        return error.message.spelled(spelling), status_of(error), error.message.files
    if isinstance(error, MemoryError):
        return "the frames do not fit into this machine's memory; pack fewer of them at a time", Status.INPUT, ()
    if isinstance(error, UnicodeEncodeError) and error.encoding == sys.getfilesystemencoding():
        cause = f"a file's name has '{shown(error.object[error.start : error.end])}'"
        where = f"file names are in {error.encoding} here"
        return f"{cause}, and {where}; set PYTHONUTF8=1, or a locale with UTF-8", Status.INPUT, ()
    cause = f"a fault in agile-crate itself ({type(error).__name__}: {error})"
    return f"{cause}; run it again with --debug and report what it prints", Status.ERROR, ()


def _print_failure(sentence: str, status: Status, files: Sequence[str] = (), as_json: bool = False) -> Status:
    from .tables import print_error

    print_error(sentence, status, files, as_json)
    return status


def _command(arguments: Sequence[str]) -> tuple[ModuleType | None, Parser]:
    """Return the command's module and parser; None if the line asks only for help."""
    name = next((word for word in arguments if not word.startswith("-")), None)
    if name not in COMMANDS or arguments[0] != name:
        return None, _without_command(arguments)
    module = import_module(f"{__package__}.{name}")
    inputs, description, examples, short = help_of(name)
    usage = " ".join(filter(None, ("agile-crate", name, inputs, "[options]")))
    if short and "-h" in arguments[: arguments.index("--") if "--" in arguments else None]:
        print(f"usage: {usage}\n\n{short}", end="")
        raise SystemExit(Status.DONE)
    parser = Parser(
        has_short_help=bool(short), prog=f"agile-crate {name}", usage=usage, description=description, epilog=examples
    )
    module.declare(parser)
    return module, parser


def help_of(command: str) -> tuple[str, str, str, str]:
    """Return the help of a command: what follows its name, what it does, examples, and a help on one screen if it has
    one."""
    usage, description, examples, *short = _text(command).split("---\n")
    return usage.rstrip(), description, examples, "".join(short)


def _text(name: str) -> str:
    with open(os.path.join(os.path.dirname(__file__), "help_texts", f"{name}.txt"), encoding="utf-8") as file:
        return file.read()  # not pathlib: importing it takes longer than printing help


def _build() -> str:
    from ..core.arrange.tight import COMPILED

    return f"arranging {'compiled' if COMPILED else 'in plain Python'}"


def _without_command(arguments: Sequence[str]) -> Parser:
    """Handle a line without a command: print the help, or raise UsageError."""
    listed = "".join(f"  {name:8}  {line}\n" for name, line in COMMANDS.items())
    parser = Parser(
        prog="agile-crate",
        usage="agile-crate COMMAND …",
        description="Turns folders of animation frames into sprite sheets with exact metadata.\n"
        "Proves that every frame can be restored to the pixel.",
        epilog=f"commands:\n{listed}\n{_text('agile-crate')}",
    )
    parser.add_argument("-h", "--help", action="help", help="print this and exit")
    parser.add_argument("--version", action="store_true", help="print the version, and with --verbose how it was built")
    parser.add_argument("-v", "--verbose", action="store_true", help=argparse.SUPPRESS)
    parser.add_argument("command", nargs="?", help=argparse.SUPPRESS)
    parsed, _ = parser.parse_known_args(arguments)
    if parsed.version:
        print(f"agile-crate {__version__}" + (f", {_build()}" if parsed.verbose else ""))
        raise SystemExit(Status.DONE)
    if parsed.command is None:
        if arguments:
            raise UsageError(f"unknown option '{arguments[0]}'; see agile-crate --help")
        parser.print_help()
        return parser
    if parsed.command in COMMANDS:
        raise UsageError(f"put the command first: agile-crate {parsed.command} …")
    near = nearest(parsed.command, COMMANDS, 0.4)
    hint = f"did you mean '{near}'?" if near else f"the commands are {', '.join(COMMANDS)}"
    raise UsageError(f"unknown command '{parsed.command}'; {hint}")
