"""The published schemas."""

from __future__ import annotations

import json
from typing import Literal

from ..crate_files.schema import crate_schema
from ..format import schemas


def schema(form: Literal["json", "xml", "crate"]) -> str:
    """Return the JSON Schema (2020-12) of the metadata, its XML Schema (1.0), or the JSON Schema of crate files."""
    return json.dumps(crate_schema(), indent=2) + "\n" if form == "crate" else schemas.schema(form)
