"""Compiles the arranging engine when a wheel is built, where mypyc and a C compiler are at hand. The wheel is plain
Python elsewhere, and whenever AGILE_CRATE_PLAIN is set. Both give the same results; docs/arrange.md has the figures."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface

PACKAGE = Path("agile_crate", "core", "arrange")
MODULES = ("skyline", "exact_search")


class CompiledHook(BuildHookInterface):
    """A build hook that adds the compiled modules to a wheel, next to their sources."""

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        if version == "editable" or os.environ.get("AGILE_CRATE_PLAIN"):
            return
        self.work = Path(tempfile.mkdtemp(prefix="agile-crate-"))
        try:
            made = compiled(Path(self.root, "src"), self.work)
        except (OSError, subprocess.CalledProcessError):
            self.app.display_warning(
                "arranging is not compiled: mypyc or a C compiler is missing; it runs as plain Python"
            )
            return
        build_data["pure_python"] = False
        build_data["infer_tag"] = True
        build_data["force_include"].update({str(path): str(PACKAGE / path.name) for path in made})

    def finalize(self, *_: object) -> None:
        shutil.rmtree(getattr(self, "work", ""), ignore_errors=True)


def compiled(source: Path, work: Path) -> list[Path]:
    """The extension modules made of `MODULES`, side by side in the folder `work`. Raises OSError or
    CalledProcessError."""
    started = {name: _started(source, work / name, name) for name in MODULES}
    for process in started.values():
        if process.wait():
            raise subprocess.CalledProcessError(process.returncode, process.args)
    found = [path for name in MODULES for path in (work / name / PACKAGE).iterdir()]
    return [path for path in sorted(found) if path.suffix in (".so", ".pyd")]


def _started(source: Path, work: Path, name: str) -> subprocess.Popen[bytes]:
    """Compile one module; the others are there for their types."""
    folder = work / PACKAGE
    folder.mkdir(parents=True)
    for part in (work / PACKAGE.parts[0], work.joinpath(*PACKAGE.parts[:2]), folder):
        (part / "__init__.py").touch()
    for module in MODULES:
        shutil.copy(source / PACKAGE / f"{module}.py", folder)
    return subprocess.Popen(
        [sys.executable, "-m", "mypyc", str(PACKAGE / f"{name}.py")],
        cwd=work,
        env=os.environ | {"MYPYC_DEBUG_LEVEL": "0"},
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
