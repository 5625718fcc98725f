"""Findings in SARIF, version 2.1.0 (OASIS, 2020), which code hosts show on the changed files."""

from __future__ import annotations

import json
import os
from collections.abc import Iterable, Mapping
from typing import Any, NamedTuple
from urllib.parse import quote

LEVELS = {"error": "error", "warning": "warning", "note": "note"}


class Result(NamedTuple):
    """A finding in SARIF: its code and severity, one sentence, its files, and its key, which stays the same from run to
    run."""

    code: str
    severity: str
    message: str
    files: tuple[str, ...]
    key: str


def sarif_text(results: Iterable[Result], codes: Mapping[str, str], version: str) -> str:
    """The document. `codes` are all codes with their descriptions. Paths are relative to the folder
    that the program runs in, where they lie in it, else as they are."""
    results = list(results)
    used = {result.code for result in results}
    rules = [{"id": code, "shortDescription": {"text": about}} for code, about in codes.items() if code in used]
    driver = {"name": "Agile Crate", "version": version, "rules": rules}
    run = {
        "tool": {"driver": driver},
        "columnKind": "unicodeCodePoints",
        "results": [_result(result) for result in results],
    }
    document = {
        "$schema": "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json",
        "version": "2.1.0",
        "runs": [run],
    }
    return json.dumps(document, ensure_ascii=False, indent=2) + "\n"


def _result(result: Result) -> dict[str, Any]:
    return {
        "ruleId": result.code,
        "level": LEVELS[result.severity],
        "message": {"text": result.message},
        "locations": [{"physicalLocation": {"artifactLocation": {"uri": _uri(file)}}} for file in result.files],
        "partialFingerprints": {"frames/v1": result.key},
    }


def _uri(path: str) -> str:
    """A path as a relative reference (RFC 3986), with /; one outside of the folder as a file's URI."""
    here, file = os.getcwd(), os.path.abspath(path)
    inside = os.path.normcase(file).startswith(os.path.join(os.path.normcase(here), ""))
    plain = (os.path.relpath(file, here) if inside else file).replace(os.sep, "/")
    return quote(plain) if inside else "file://" + quote(plain if plain.startswith("/") else f"/{plain}")
