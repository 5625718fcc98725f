"""The published schemas of the metadata, as files in this package."""

from __future__ import annotations

from importlib import resources
from typing import Literal

_FILES = {"json": "metadata.schema.json", "xml": "metadata.xsd"}


def schema(form: Literal["json", "xml"]) -> str:
    """The text of the schema: JSON Schema (2020-12) or XML Schema 1.0."""
    return resources.files(__package__).joinpath(_FILES[form]).read_text("utf-8")
