"""Changes `core` a little, one place at a time, and looks whether a test notices: what no test notices is written down.

    pip install -e '.[dev]' cosmic-ray
    python tools/mutants.py                    a sample of each module, 2 changes of 100 lines; about half an hour
    python tools/mutants.py --share 1          every change; a day
    python tools/mutants.py core/motion        only of some modules, again

The changes are cosmic-ray's, drawn by a seed, so that the same sample comes again. Each is made in a copy of the
checkout and tried by the tests that import the module, else by all of its room. docs/dev/mutants.md tells how many were
noticed, and lists the others; what stands behind a dash there is somebody's explanation, and is kept.
"""

from __future__ import annotations

import argparse
import ast
import json
import os
import random
import re
import resource
import shutil
import signal
import sys
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor, as_completed
from importlib import import_module
from itertools import groupby
from pathlib import Path
from typing import NamedTuple

import pytest
from cosmic_ray.commands.init import init
from cosmic_ray.mutating import use_mutation
from cosmic_ray.plugins import get_operator
from cosmic_ray.work_db import WorkDB, use_db
from cosmic_ray.work_item import MutationSpec

ROOT = Path(__file__).parents[1]
CORE = Path("src", "agile_crate", "core")
REPORT = ROOT / "docs" / "dev" / "mutants.md"

KEPT = ROOT / "build" / "mutants.json"
"""The result of each change that was tried, so that a run can go on where another ended: modules that are asked for by
name are tried again, and of all those that were not yet."""

SEED, SECONDS = 21, 240

SLOW = {"arrange": 3}
"""Rooms whose tests take minutes have so many times fewer changes."""

LOADED = ("numpy", "scipy.ndimage", "scipy.fft", "PIL.Image", "lxml.etree", "jsonschema", "matplotlib")
"""Libraries that are loaded once."""

OPTIONS = ("-xq", "-pno:cacheprovider", "-pno:xdist", "-Wignore::pytest.PytestAssertRewriteWarning", "-knot chromium")
"""A browser needs more address space than changes are given."""


class Result(NamedTuple):
    """The result of one change: its place, its text, and True if a test noticed it."""

    module: str
    line: int
    was: str
    became: str
    noticed: bool

    @property
    def room(self) -> str:
        return self.module.rpartition("/")[0]

    @property
    def key(self) -> str:
        return f"`{self.was}` → `{self.became}`"


def type_lines(source: str) -> set[int]:
    """Lines that say types: nothing comes of changing those."""
    nodes = list(ast.walk(ast.parse(source)))
    said = [node.annotation for node in nodes if isinstance(node, ast.arg) and node.annotation]
    said += [node.returns for node in nodes if isinstance(node, ast.FunctionDef) and node.returns]
    said += [node.annotation for node in nodes if isinstance(node, ast.AnnAssign) and node.value is None]
    return {one.lineno for one in said}


def sample(module: Path, share: float) -> list[MutationSpec]:
    """Some of the changes that there are of a module, always the same ones."""
    source = (ROOT / module).read_text("utf-8")
    types = type_lines(source)
    with tempfile.TemporaryDirectory() as folder, use_db(f"{folder}/all.sqlite", WorkDB.Mode.create) as database:
        init([ROOT / module], database, {})
        every = [item.mutations[0] for item in database.work_items]
    every = [one for one in every if one.start_pos[0] not in types]
    every.sort(key=lambda one: (one.operator_name, one.occurrence))
    count = round(len(source.splitlines()) * share / SLOW.get(room_of(module), 1))
    return random.Random(f"{SEED} {module}").sample(every, min(len(every), max(1, count)))


def tests_of(module: Path) -> list[str]:
    """The tests that import a module, else those of its room."""
    name = ".".join(("agile_crate", *module.relative_to("src/agile_crate").with_suffix("").parts))
    pure = [
        path
        for folder in ("core", "format", "pipeline", "exports", "views")
        for path in (ROOT / "tests" / folder).rglob("test_*.py")
    ]
    found = [
        str(path.relative_to(ROOT))
        for path in pure
        if re.search(rf"{re.escape(name)} import|{re.escape(name)}\b", path.read_text("utf-8"))
    ]
    found.sort(key=lambda path: ("/core/" not in path, path))
    return found or [str(Path("tests", "core", room_of(module))), "tests/pipeline", "tests/format"]


def room_of(module: Path) -> str:
    return module.parts[3] if len(module.parts) > 4 else ""


FURTHER = {
    "inspect": ["cli/test_survey.py"],
    "cut": ["cli/test_unpack.py"],
    "motion": ["commands", "cli/test_pack.py"],
    "frame": ["cli/test_prepare.py", "cli/test_skins.py", "cli/test_pack.py"],
    "arrange": ["cli/test_arrange.py"],
    "crate": ["cli/test_verify.py", "cli/test_write.py", "cli/test_skins.py", "cli/test_touched_sheets.py"],
}
"""Tests of the installed program that are asked where the pure ones did not notice, by room."""


def further_tests_of(module: Path) -> list[str]:
    return [f"tests/{path}" for path in FURTHER.get(room_of(module), ["cli/test_sentences.py", "cli/test_pack.py"])]


def tried(task: tuple[Path, list[MutationSpec]]) -> list[Result]:
    """The results of the changes of one module, in a copy of the checkout."""
    module, changes = task
    for name in LOADED:
        import_module(name)
    results = []
    with tempfile.TemporaryDirectory() as folder:
        copy, left_out = Path(folder), shutil.ignore_patterns("__pycache__", "*.png", "node_modules", "*.so")
        for part in ("src", "tests", "docs", "tools", "readers"):
            shutil.copytree(ROOT / part, copy / part, ignore=left_out)
        shutil.copy(ROOT / "pyproject.toml", copy)
        began = time.monotonic()
        if fails(copy, tests_of(module), 3 * SECONDS):
            print(f"{module.relative_to(CORE)}: left out, its tests fail or are slow without any change", flush=True)
            return []
        patience = 20 + 4 * (time.monotonic() - began)
        source = (copy / module).read_text("utf-8").splitlines()
        for one in changes:
            operator = get_operator(one.operator_name)(**one.operator_args)
            with use_mutation(copy / module, operator, one.occurrence) as (_, made):
                if made is None:
                    continue
                pairs = enumerate(zip(source, made.splitlines(), strict=False))
                line = next((number for number, (old, new) in pairs if old != new), 0)
                was, became = source[line].strip(), made.splitlines()[line].strip()
                noticed = fails(copy, tests_of(module), patience) or fails(copy, further_tests_of(module), SECONDS)
            results.append(Result(str(module.relative_to(CORE)), line + 1, was, became, noticed))
            if not noticed:
                print(f"  {module.relative_to(CORE)}: {results[-1].key}", flush=True)
    print(f"{module.relative_to(CORE)}: {sum(one.noticed for one in results)} of {len(results)}", flush=True)
    return results


def fails(copy: Path, tests: list[str], seconds: float) -> bool:
    """Return True if tests fail or take too long in a process that has loaded the libraries but not our modules."""
    child = os.fork()
    if child == 0:
        status = 1
        try:
            os.setsid()
            os.chdir(copy)
            null = os.open(os.devnull, os.O_RDWR)
            for stream in range(3):
                os.dup2(null, stream)
            os.environ["PYTHONPATH"] = str(copy / "src")
            sys.dont_write_bytecode = True
            sys.path[:0] = [str(copy / "src")]
            resource.setrlimit(resource.RLIMIT_AS, (6 << 30, 6 << 30))
            status = int(pytest.main([*OPTIONS, *tests]) != 0)
        finally:
            os._exit(status)
    ends = time.monotonic() + seconds
    while time.monotonic() < ends:
        ended, status = os.waitpid(child, os.WNOHANG)
        if ended:
            return status != 0
        time.sleep(0.02)
    os.killpg(child, signal.SIGKILL)
    os.waitpid(child, 0)
    return True


HEAD = """\
# Mutation testing

`tools/mutants.py` writes this page. It makes one small change in `core` at a time and runs the tests. Edit only the
explanations after the dashes. A seed selects the changes. The tests noticed **{share:.1%}** of {of:,} changes in
{modules} of {all} modules.

| package | changes | noticed |
|---|---|---|
{rows}
## Changes that no test noticed

"""


def report(results: list[Result]) -> str:
    """The page, with what was explained before."""
    before = REPORT.read_text("utf-8") if REPORT.is_file() else ""
    explained = dict(re.findall(r"^- (`.+`\n  → `.+`)\n  — (.*)$", before, re.MULTILINE))
    results = sorted(results, key=lambda one: (one.room, one))
    rows = ""
    for room, group in groupby(results, key=lambda one: one.room):
        of_room = list(group)
        rows += (
            f"| {room or 'core itself'} | {len(of_room)} | {sum(one.noticed for one in of_room) / len(of_room):.0%} |\n"
        )
    noticed, modules = sum(one.noticed for one in results), {one.module for one in results}
    every = [path for path in (ROOT / CORE).rglob("*.py") if path.name != "__init__.py"]
    share = noticed / len(results)
    text = HEAD.format(of=len(results), share=share, rows=rows, modules=len(modules), all=len(every))
    for module, group in groupby([one for one in results if not one.noticed], key=lambda one: one.module):
        text += f"**{module}**\n\n"
        for one in group:
            lines = one.key.replace("` → `", "`\n  → `")
            text += f"- {lines}" + (f"\n  — {explained[lines]}" if lines in explained else "") + "\n"
        text += "\n"
    return text.rstrip() + "\n"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.partition("\n")[0])
    parser.add_argument("modules", nargs="*", help="parts of paths of modules; all of core that were not tried yet")
    parser.add_argument("--share", type=float, default=0.02, help="changes for each line of a module")
    asked = parser.parse_args()
    paths = [path.relative_to(ROOT) for path in sorted((ROOT / CORE).rglob("*.py")) if path.name != "__init__.py"]
    before = [Result(*one) for one in json.loads(KEPT.read_text("utf-8"))] if KEPT.is_file() else []
    tried_before = {one.module for one in before}
    if asked.modules:
        paths = [path for path in paths if any(part in str(path) for part in asked.modules)]
    else:
        paths = [path for path in paths if str(path.relative_to(CORE)) not in tried_before]
    tasks = [(path, sample(path, asked.share)) for path in paths]
    tasks.sort(key=lambda task: (room_of(task[0]) not in SLOW, -len(task[1])))
    results = [one for one in before if CORE / one.module not in paths]
    KEPT.parent.mkdir(exist_ok=True)
    with ProcessPoolExecutor(2) as pool:
        for done in as_completed([pool.submit(tried, task) for task in tasks]):
            results += done.result()
            KEPT.write_text(json.dumps(results, indent=1), "utf-8")
            REPORT.write_text(report(results), "utf-8")
    print(f"{sum(one.noticed for one in results)} of {len(results)} noticed; see {REPORT.relative_to(ROOT)}")


if __name__ == "__main__":
    main()
