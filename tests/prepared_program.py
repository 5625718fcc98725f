"""The installed program, ready to go: processes that fork from one that has loaded what a command loads.

Most of a small command is start-up, and the tests run thousands. A fork begins where the program has loaded its modules
and done nothing yet; it is a process of its own, with its own arguments, folder, environment and outputs, and it ends
as the program ends. Whatever a test asks for beside that (another environment, limits, input) runs the program itself.
"""

import multiprocessing
import os
import subprocess
import sys
import tempfile
from functools import cache
from pathlib import Path
from pkgutil import walk_packages
from typing import Any

import agile_crate


@cache
def _server() -> Any:
    """The process to fork from. Not made as this module is loaded, for each fork loads it."""
    server = multiprocessing.get_context("forkserver")
    ours = [one.name for one in walk_packages(agile_crate.__path__, "agile_crate.") if "__main__" not in one.name]
    server.set_forkserver_preload([*ours, "pyspng", "rich.table", "rich.console"])
    return server


def run_prepared(
    words: list[str], folder: Path, memory: int = 0, seconds: float | None = None
) -> subprocess.CompletedProcess[str]:
    """Run the program with these arguments in a folder, with a limit on address space and seconds. Raises
    subprocess.TimeoutExpired."""
    with tempfile.NamedTemporaryFile() as out, tempfile.NamedTemporaryFile() as err:
        process = _server().Process(
            target=_become, args=(words, str(folder), dict(os.environ), out.name, err.name, memory)
        )
        process.start()
        process.join(seconds)
        if process.is_alive():
            process.kill()
            process.join()
            raise subprocess.TimeoutExpired(words, seconds or 0)
        said = [stream.read().decode("utf-8", "surrogateescape").replace("\r\n", "\n") for stream in (out, err)]
    return subprocess.CompletedProcess(["agile-crate", *words], process.exitcode or 0, *said)


def _become(words: list[str], folder: str, environment: dict[str, str], out: str, err: str, memory: int) -> None:
    if memory:
        import resource

        resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    for target, path in enumerate((os.devnull, out, err)):
        os.dup2(os.open(path, os.O_RDWR), target)
    os.chdir(folder)
    os.environ.clear()
    os.environ.update(environment)
    os.fsync = os.fstat  # nothing here asks whether a disk kept what it was told
    sys.argv = ["agile-crate", *words]
    from agile_crate.cli.start import run

    run()
