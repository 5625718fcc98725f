"""Render one template in a process of its own, which bounds the resources that an untrusted template can use.

Reads a request from stdin, JSON: `template`, `name`, `metadata` (the crate's JSON), `set` (variables by name) and
`limits`.
Writes the answer to stdout, JSON: `text`, or `error` with a sentence, and the name of a `limit` if that is what it met.
"""

from __future__ import annotations

import json
import sys
import traceback
from collections.abc import Mapping
from importlib import import_module
from typing import Any, NoReturn

from jinja2 import Environment, StrictUndefined, TemplateSyntaxError
from jinja2.sandbox import ImmutableSandboxedEnvironment

from ..core.limits import Limits
from ..core.message import message
from ..format.json_form import from_json
from ..platform import bound_memory, close_doors
from .template_context import FILTERS, context_of

PRELOADED = ("jinja2.debug", "encodings.unicode_escape", "difflib", "html", "pprint", "textwrap")
"""Modules that are loaded by what a template does, or where it goes wrong: the door is closed by then."""


def main() -> None:
    request = json.loads(sys.stdin.buffer.read())
    limits = Limits(**request["limits"])
    bound_memory(limits.process_bytes // 4)
    environment = sandbox()
    context = context_of(from_json(request["metadata"], request["name"], limits)) | request["set"]
    for name in PRELOADED:
        import_module(name)
    close_doors()
    try:
        answer = {"text": render(environment, request["template"], context, limits)}
    except RefusedError as refused:
        answer = {"error": str(refused), "limit": refused.limit}
    except MemoryError:
        answer = {"error": "it takes more memory than a template may", "limit": "process_bytes"}
    sys.stdout.buffer.write(json.dumps(answer).encode())


class RefusedError(Exception):
    """A template that cannot be rendered: a sentence that begins with the line where that is known, and the name of
    a limit if that is why."""

    def __init__(self, sentence: str, limit: str = "") -> None:
        super().__init__(sentence)
        self.limit = limit


def sandbox() -> Environment:
    """Return where templates run: nothing of Python is within their reach, and nothing that they are given can be
    changed."""
    environment = ImmutableSandboxedEnvironment(
        undefined=StrictUndefined, keep_trailing_newline=True, trim_blocks=True, lstrip_blocks=True
    )
    environment.filters.update(FILTERS)
    environment.globals["fail"] = _fail
    return environment


def render(environment: Environment, text: str, context: Mapping[str, Any], limits: Limits) -> str:
    """Return what a template's text makes of a context. Raises RefusedError and MemoryError."""
    pieces, length = [], 0
    try:
        code = environment.compile(text, filename=_NAME)
        template = environment.template_class.from_code(environment, code, environment.make_globals(None))
        for piece in template.generate(context):
            pieces.append(piece)
            length += len(piece)
            if length > (most := limits.template_characters):
                raise RefusedError(f"it writes more than {most:,} characters", "template_characters")
    except TemplateSyntaxError as error:
        raise RefusedError(message("line {}: {}", error.lineno, error.message)) from None
    except (RefusedError, MemoryError):
        raise
    except RecursionError:
        raise RefusedError("it calls itself too deeply") from None
    except Exception as error:
        raise RefusedError(f"{_line_of(error)}{error}") from None
    return "".join(pieces)


def _fail(sentence: object) -> NoReturn:
    """End a template that cannot express the crate."""
    raise RefusedError(str(sentence))


_NAME = "<template>"


def _line_of(error: BaseException) -> str:
    """The line of the template that was being rendered."""
    walked = traceback.walk_tb(error.__traceback__)
    lines = [line for frame, line in walked if frame.f_code.co_filename == _NAME]
    return f"line {lines[-1]}: " if lines else ""


if __name__ == "__main__":
    main()
