"""The types of the JavaScript reader and of the document, checked by the TypeScript compiler."""

import json
import re
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from agile_crate import __version__
from agile_crate.format.json_form import to_json
from conftest import tool
from crates import FULL

ROOT = Path(__file__).parents[2]
READER = ROOT / "readers" / "javascript"
COMPILER = ROOT / "build" / "node" / "node_modules" / "typescript" / "bin" / "tsc"

USE = (Path(__file__).parent / "use_reader.ts").read_text("utf-8")


def compiled(folder: Path, texts: dict[str, str]) -> str:
    """The compiler's messages, in its strictest mode, about programs that use the reader as a package."""
    packages = folder / "node_modules"
    packages.mkdir()
    (packages / "agile-crate-reader").symlink_to(READER, target_is_directory=True)
    for name, text in texts.items():
        (folder / name).write_text(text, "utf-8")
    options = {
        "strict": True, "noEmit": True, "target": "es2022", "module": "esnext", "moduleResolution": "bundler",
        "lib": ["es2022", "dom"], "types": [], "exactOptionalPropertyTypes": True, "noUnusedLocals": False,
    }  # fmt: skip
    (folder / "tsconfig.json").write_text(json.dumps({"compilerOptions": options, "files": list(texts)}), "utf-8")
    if not COMPILER.exists():
        pytest.fail("the TypeScript compiler is missing; 'make test' installs it in build/node")
    done = subprocess.run(
        [tool("node"), COMPILER, "-p", "."], cwd=folder, capture_output=True, encoding="utf-8", check=False
    )
    return done.stdout


def test_the_reader_is_used_as_its_types_say_and_every_key_has_its_type(tmp_path: Path) -> None:
    """The latter by a whole document as a literal: a key that the types do not know is an error there, and a value of
    another type."""
    start = 'import type { CrateDocument } from "agile-crate-reader";\nexport const whole: CrateDocument = '
    assert compiled(tmp_path, {"use.ts": USE, "document.ts": start + to_json(FULL)}) == ""


def test_the_types_know_every_key_of_the_schema() -> None:
    types = (READER / "crate.d.ts").read_text("utf-8")
    schema = json.loads((ROOT / "src/agile_crate/format/schemas/metadata.schema.json").read_text("utf-8"))
    of_functions = {"document", "images", "context", "crate", "one", "x", "y", "scale"}
    named = set(re.findall(r"^  (\w+)\??:", types, re.MULTILINE)) - of_functions
    assert named == set(_keys(schema)) - {"scale"}


def _keys(part: Any) -> Iterator[str]:
    """The names of all properties in a schema."""
    if isinstance(part, dict):
        yield from part.get("properties", {})
    for below in part.values() if isinstance(part, dict) else part if isinstance(part, list) else ():
        yield from _keys(below)


def test_the_package_offers_what_the_module_has() -> None:
    package = json.loads((READER / "package.json").read_text("utf-8"))
    assert package["version"] == __version__
    assert all((READER / name).is_file() for name in package["files"])
    module, types = ((READER / name).read_text("utf-8") for name in package["files"])
    functions = set(re.findall(r"^export (?:async )?function (\w+)", module, re.MULTILINE))
    assert functions == set(re.findall(r"^export function (\w+)", types, re.MULTILINE))
