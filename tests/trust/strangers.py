"""The material of hostile inputs, and their number: a few of each kind in CI, a hundred thousand in `make trust`.
`tools/fuzz.py` runs one kind for as long as you like, guided by coverage."""

import os
from functools import cache
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, settings

import agile_crate
from conftest import art
from file_bytes import stored

if os.name != "posix":
    pytest.skip("its bounds are those of POSIX", allow_module_level=True)

DEMO = Path(agile_crate.__file__).parent / "demo"


LONG = float(os.environ.get("AGILE_CRATE_TRUST") or 0)
"""The factor of the long form's attempts."""


def cases(few: int, many: int) -> Any:
    """So many here, and so many in the long form, which are others each time."""
    return settings(
        max_examples=int(many * LONG) or few, derandomize=not LONG, deadline=None, database=None,
        suppress_health_check=list(HealthCheck), print_blob=True,
    )  # fmt: skip


@cache
def frames() -> dict[str, bytes]:
    return {f"frames/swim_{n}.png": stored(art(8, 6, n)) for n in (1, 2, 3)}


@cache
def small() -> bytes:
    return stored(art(9, 7))


SIGHTS = (
    ("pack", "art", "--out", "out/o"), ("survey", "art"), ("pack", "art", "--out", "out/o", "--scale", "50%", "--layout", "tight", "--trim", "frame"),
    ("pack", "art", "--out", "out/o", "--colors", "4", "--to-srgb", "--dry-run"), ("draft", "art", "--out", "out/o.crate.toml"),
)  # fmt: skip
