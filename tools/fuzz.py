"""One kind of hostile input, tried for as long as you like, guided by what of the program is reached (atheris):

    pip install atheris
    python tools/fuzz.py metadata -max_total_time=600        the kinds are the tests of tests/trust/test_fuzz*.py

What is behind the kind goes to libFuzzer. A case that breaks the rules of tests/trust/attempt.py ends it, with what was
fed to the program; it belongs into tests/trust/corpus/, and `keep` in that folder's test writes it there.
"""

from __future__ import annotations

import inspect
import os
import sys
import tempfile
from pathlib import Path

import atheris
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

with atheris.instrument_imports(include=["agile_crate"]):
    from trust import test_fuzz, test_fuzz_art


def main() -> None:
    kind, *more = sys.argv[1:] or sys.exit(__doc__)
    kinds = vars(test_fuzz_art) | vars(test_fuzz)
    tried = kinds[f"test_{kind}"].hypothesis.inner_test
    work = Path(tempfile.mkdtemp(prefix="agile-crate-fuzz-"))
    os.environ["AGILE_CRATE_CACHE"] = str(work / "cache")
    os.fsync = os.fstat  # nothing here asks whether a disk kept what it was told
    fixtures = {"folder": work / "case", "cache_folder": work / "cache"}
    fixtures["folder"].mkdir()
    known = {name: fixtures[name] for name in inspect.signature(tried).parameters if name in fixtures}

    @settings(database=None, deadline=None, suppress_health_check=list(HealthCheck))
    @given(st.data())
    def one(data: st.DataObject) -> None:
        tried(**known, data=data)

    atheris.Setup([sys.argv[0], *more], one.hypothesis.fuzz_one_input)
    atheris.Fuzz()


if __name__ == "__main__":
    main()
