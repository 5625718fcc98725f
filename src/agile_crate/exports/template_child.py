"""Renders one template, in a process of its own: what a stranger's template may use up is bounded by its process.

Reads a request from stdin, JSON: `template`, `name`, `metadata` (the crate's JSON), `length` (the most characters) and
`set` (variables by name).
Writes the answer to stdout, JSON: `text`, or `error` with a sentence.
"""

from __future__ import annotations

import json
import sys
import traceback
from typing import Any, NoReturn

from ..workers.child import bound_memory

MEMORY = 2 << 30
"""Bytes of address space."""


def main() -> None:
    bound_memory(MEMORY)
    request = json.loads(sys.stdin.buffer.read())
    try:
        answer = {"text": _rendered(request)}
    except RefusedError as refused:
        answer = {"error": str(refused)}
    except MemoryError:
        answer = {"error": "it takes more memory than a template may"}
    sys.stdout.buffer.write(json.dumps(answer).encode())


class RefusedError(Exception):
    """A template that cannot be rendered: a sentence that begins with the line where that is known."""


def _rendered(request: dict[str, Any]) -> str:
    from jinja2 import StrictUndefined, TemplateSyntaxError
    from jinja2.sandbox import ImmutableSandboxedEnvironment

    from ..format.json_form import from_json
    from .template_context import FILTERS, context_of

    environment = ImmutableSandboxedEnvironment(
        undefined=StrictUndefined, keep_trailing_newline=True, trim_blocks=True, lstrip_blocks=True
    )
    environment.filters.update(FILTERS)
    environment.globals["fail"] = _fail
    context = context_of(from_json(request["metadata"], request["name"])) | request["set"]
    pieces, length = [], 0
    try:
        code = environment.compile(request["template"], filename=_NAME)
        template = environment.template_class.from_code(environment, code, environment.make_globals(None))
        for piece in template.generate(context):
            pieces.append(piece)
            length += len(piece)
            if length > request["length"]:
                raise RefusedError(f"it writes more than {request['length']:,} characters")
    except TemplateSyntaxError as error:
        raise RefusedError(f"line {error.lineno}: {error.message}") from None
    except (RefusedError, MemoryError):
        raise
    except RecursionError:
        raise RefusedError("it calls itself too deeply") from None
    except Exception as error:
        raise RefusedError(f"{_line_of(error)}{error}") from None
    return "".join(pieces)


def _fail(sentence: object) -> NoReturn:
    """Ends a template that cannot say what is asked of it."""
    raise RefusedError(str(sentence))


_NAME = "<template>"


def _line_of(error: BaseException) -> str:
    """The line of the template that was being rendered."""
    lines = [frame.lineno for frame in traceback.extract_tb(error.__traceback__) if frame.filename == _NAME]
    return f"line {lines[-1]}: " if lines else ""


if __name__ == "__main__":
    main()
