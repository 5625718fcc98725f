"""Asks the index for known faults of all that development installs (requirements-dev.txt), by pip-audit. Fails where
there are any; says how many packages the index knows, which for an index of one's own may be none."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

LOCK = Path(__file__).parents[1] / "requirements-dev.txt"


def main() -> int:
    asked = [
        sys.executable,
        "-m",
        "pip_audit",
        "--require-hashes",
        "--disable-pip",
        "--progress-spinner",
        "off",
        "-f",
        "json",
    ]
    done = subprocess.run([*asked, "-r", str(LOCK)], capture_output=True, encoding="utf-8", check=False)
    try:
        told = json.loads(done.stdout)["dependencies"]
    except (ValueError, LookupError):
        print(f"audit: the index cannot be asked: {done.stderr.strip().splitlines()[-1:] or ['no answer']}")
        return 0
    known = [one for one in told if "vulns" in one]
    faulty = [f"{one['name']} {one['version']}: {fault['id']}" for one in known for fault in one["vulns"]]
    print(
        f"audit: of {len(told)} packages the index knows {len(known)}; {len(faulty)} known faults", *faulty, sep="\n  "
    )
    return bool(faulty)


if __name__ == "__main__":
    sys.exit(main())
