"""Hostile inputs as in `make trust`, guided by what of the program is reached (atheris):

    pip install atheris
    python tools/fuzz.py                                every kind in turn, a minute each
    python tools/fuzz.py metadata -max_total_time=600   one of them

The kinds are the tests of tests/trust/test_fuzz*.py; what is behind one goes to libFuzzer. What reached something new
is kept in build/fuzz, and the next run goes on there. A case that breaks the rules of tests/trust/attempt.py ends it,
with what was fed to the program; it belongs into tests/trust/corpus/, and `keep` in tests/trust/test_fuzz.py writes it
there.
"""

from __future__ import annotations

import inspect
import os
import pkgutil
import random
import subprocess
import sys
import tempfile
from collections.abc import Callable
from importlib import import_module
from pathlib import Path
from typing import Any

import atheris
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT / "tests"))

with atheris.instrument_imports(include=["agile_crate"]):
    import agile_crate

    for module in pkgutil.walk_packages(agile_crate.__path__, "agile_crate."):  # also what is imported where it is used
        if not module.name.endswith(("__main__", "_child")):
            import_module(module.name)
    from trust import test_fuzz, test_fuzz_art


def kinds() -> dict[str, Callable[..., None]]:
    """The functions that draw and try an input, by kind."""
    there = vars(test_fuzz_art) | vars(test_fuzz)
    tests = ((name.removeprefix("test_"), getattr(one, "hypothesis", None)) for name, one in there.items())
    return {name: made.inner_test for name, made in tests if made}


def fixtures(names: list[str]) -> dict[str, Any]:
    """The fixtures that a test requests."""
    work = Path(tempfile.mkdtemp(prefix="agile-crate-fuzz-"))
    os.environ["AGILE_CRATE_CACHE"] = str(work / "cache")
    folder = work / "case"
    folder.mkdir()
    ready = {"folder": lambda: folder, "cache_folder": lambda: work / "cache", "server": test_fuzz.serving}
    return {name: ready[name]() for name in names if name != "data"}


def tried(kind: str, more: list[str]) -> None:
    """One kind, until it is told to end, or a case breaks the rules."""
    test = kinds()[kind]
    known = fixtures(list(inspect.signature(test).parameters))
    os.fsync = os.fstat  # nothing here asks whether a disk kept what it was told

    @settings(database=None, deadline=None, suppress_health_check=list(HealthCheck))
    @given(st.data())
    def one(data: st.DataObject) -> None:
        test(**known, data=data)

    corpus = ROOT / "build" / "fuzz" / kind
    corpus.mkdir(parents=True, exist_ok=True)
    for number in range(8):  # libFuzzer's first guesses are shorter than what an input is drawn from
        (corpus / f"first {number}").write_bytes(random.Random(number).randbytes(4096))
    atheris.Setup([sys.argv[0], str(corpus), *more], one.hypothesis.fuzz_one_input)
    atheris.Fuzz()


def main() -> None:
    if sys.argv[1:]:
        tried(sys.argv[1], sys.argv[2:])
    else:
        for kind in kinds():
            print(f"{kind}: a minute", flush=True)
            subprocess.run([sys.executable, __file__, kind, "-max_total_time=60", "-verbosity=0"], check=True)


if __name__ == "__main__":
    main()
