"""Work on untrusted files in a process of its own, which bounds the resources it can use."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path


def run_module(module: str, request: bytes, seconds: float) -> bytes:
    """Return what a module writes to stdout when it is run by itself with a request on stdin; nothing if it was ended.
    Raises TimeoutError."""
    root = str(Path(__file__).parents[2])
    environment = os.environ | {"PYTHONPATH": os.pathsep.join(filter(None, (root, os.environ.get("PYTHONPATH"))))}
    command = [sys.executable, "-P", "-m", module]
    try:
        done = subprocess.run(
            command, input=request, capture_output=True, timeout=seconds, check=False, env=environment
        )
    except subprocess.TimeoutExpired:
        raise TimeoutError from None
    return done.stdout
