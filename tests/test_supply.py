"""Test dependencies: each is locked by digests, and documented with its purpose."""

import re
import tomllib
from pathlib import Path

from packaging.requirements import Requirement

TOP = Path(__file__).parents[1]
PROJECT = tomllib.loads((TOP / "pyproject.toml").read_text("utf-8"))["project"]
EXTRAS = PROJECT["optional-dependencies"]


def test_the_lock_holds_what_is_declared() -> None:
    text = (TOP / "requirements-dev.txt").read_text("utf-8")
    locked = {name.lower(): version for name, version in re.findall(r"^([\w.-]+)==([^ ;\\]+)", text, re.MULTILINE)}
    declared = map(
        Requirement, (*PROJECT["dependencies"], *EXTRAS["cluster"], *EXTRAS["exr"], *EXTRAS["test"], *EXTRAS["dev"])
    )
    for one in declared:
        if one.name != "agile-crate":
            assert one.specifier.contains(locked[one.name.lower()]), one
    hashed = re.findall(r"^[\w.-]+==.*\\\n    --hash=sha256:[0-9a-f]{64}", text, re.MULTILINE)
    assert len(hashed) == len(re.findall("==.*\\\\$", text, re.MULTILINE)) >= len(locked)
    assert not re.search(r"https?:|file:|index-url", text)


def test_every_dependency_is_told_with_what_it_is_for() -> None:
    table = (TOP / "SECURITY.md").read_text("utf-8").partition("## Dependencies")[2]
    rows = {name.strip() for cell in re.findall(r"^\| ([^|]+) \|", table, re.MULTILINE) for name in cell.split(",")}
    needed = {Requirement(one).name for one in (*PROJECT["dependencies"], *EXTRAS["cluster"], *EXTRAS["exr"])}
    assert rows - {"package", "---"} == needed
