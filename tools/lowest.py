"""The lowest versions of all dependencies that pyproject.toml allows, one a line, as pip takes them."""

import tomllib
from pathlib import Path

project = tomllib.loads((Path(__file__).parents[1] / "pyproject.toml").read_text("utf-8"))["project"]
print("\n".join(dependency.replace(">=", "==") for dependency in project["dependencies"]))
