"""Text formats from the user's templates, rendered in a bounded process of their own."""

from __future__ import annotations

import json
from collections.abc import Iterable
from pathlib import Path
from typing import NamedTuple

from ..core.crate.file_names import repeated
from ..core.errors import InputError, UsageError, reason
from ..core.limits import Limits, raise_hint
from ..core.message import a_file, message, some_files
from ..core.model.crate import Crate
from ..core.text import is_unicode, shown
from ..format.json_form import to_json
from ..format.regular import read_regular
from ..workers.child import run_module


class Template(NamedTuple):
    """A template's path, as it was given, its text, the limits within which it runs, and its variables."""

    path: str
    text: str
    limits: Limits
    given: tuple[tuple[str, str], ...] = ()

    @property
    def ending(self) -> str:
        """The whole ending of the file that it makes: ``.uv.json`` of ``engine.uv.json.j2``."""
        return "." + Path(self.path).name.removesuffix(".j2").partition(".")[2]


def read_templates(paths: Iterable[str], given: tuple[tuple[str, str], ...], limits: Limits) -> tuple[Template, ...]:
    """Templates with their texts, and with variables. Raises InputError for one that cannot be read."""
    templates = []
    for path in paths:
        try:
            text = read_regular(path, limits, "text_bytes").decode("utf-8")
            templates.append(Template(path, text.replace("\r\n", "\n").replace("\r", "\n"), limits, given))
        except OSError as error:
            raise InputError("{} cannot be read: {}", a_file(path), reason(error)) from None
        except UnicodeDecodeError:
            raise InputError("{} is not text in UTF-8; save the template as that", a_file(path)) from None
    if ending := repeated(template.ending for template in templates):
        twice = [template.path for template in templates if template.ending.casefold() == ending.casefold()]
        stem = Path(twice[1]).name.partition(".")[0]
        raise UsageError(
            "the templates {} both write a file that ends in {}; an ending is all after the first dot, so rename the "
            "second to {}",
            some_files(twice),
            shown(ending),
            shown(f"{stem}.{stem}{ending}.j2"),
        )
    return tuple(templates)


def rendered(template: Template, crate: Crate) -> str:
    """Render the template with the crate. Raises InputError that names the template, the line and the
    fault."""
    limits = template.limits
    request = {
        "template": template.text,
        "name": template.path,
        "metadata": to_json(crate, compact=True),
        "limits": limits._asdict(),
        "set": dict(template.given),
    }
    try:
        output = run_module(f"{__package__}.template_child", json.dumps(request).encode(), limits.seconds)
    except TimeoutError:
        raise _refused(template, f"it takes longer than {limits.seconds} seconds", "seconds") from None
    try:
        answer = json.loads(output)
    except ValueError:
        raise _refused(template, "it takes more than a template may, and was stopped", "process_bytes") from None
    if "error" in answer:
        raise _refused(template, answer["error"], answer.get("limit", ""))
    text: str = answer["text"]
    if not is_unicode(text):
        raise _refused(template, "it makes what is not Unicode text: half of a surrogate pair")
    return text


def _refused(template: Template, why: str, limit: str = "") -> InputError:
    more = message("; {}", raise_hint(limit)) if limit else ""
    return InputError("{}: {}; nothing was written{}", a_file(template.path), shown(why).removesuffix("."), more)
