"""The installed program, ready to go: a process that has loaded what a command loads, and forks for each one.

Most of a small command is start-up, and the tests run thousands. A fork begins where the program has loaded its modules
and done nothing yet; it is a process of its own, with its own arguments, folder, environment and outputs, and it ends as
the program ends. Whatever a test asks for beside that (another environment, limits, input) runs the program itself.
"""

from __future__ import annotations

import atexit
import contextlib
import json
import os
import select
import socket
import subprocess
import sys
import tempfile
from importlib import import_module
from pathlib import Path

MODULES = (
    "agile_crate.cli.start", "agile_crate.cli.pack", "agile_crate.cli.show", "agile_crate.cli.verify", "agile_crate.cli.unpack",
    "agile_crate.cli.survey", "agile_crate.cli.crates", "agile_crate.cli.packing", "agile_crate.cli.tables", "agile_crate.jobs.pack",
    "agile_crate.jobs.project", "agile_crate.jobs.show", "agile_crate.jobs.survey", "agile_crate.jobs.verify", "agile_crate.jobs.unpack",
    "agile_crate.jobs.cut", "agile_crate.jobs.kept_touches", "agile_crate.stops.tight", "agile_crate.stops.blocks",
    "agile_crate.sources.pictures", "agile_crate.format.xml_form", "agile_crate.exports.png", "pyspng", "rich.table", "rich.console",
)  # fmt: skip


class Prepared:
    """A process that forks. One for each that runs tests."""

    def __init__(self) -> None:
        self._folder = tempfile.TemporaryDirectory()
        self._path = str(Path(self._folder.name) / "socket")
        environment = os.environ | {"OPENBLAS_NUM_THREADS": "1"}
        self._process = subprocess.Popen([sys.executable, __file__, self._path], env=environment, stdin=subprocess.PIPE)
        atexit.register(self.close)

    def run(self, words: list[str], folder: Path) -> subprocess.CompletedProcess[str]:
        """What the program says to these words in a folder."""
        with tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as err:
            with self._connected() as connection:
                request = json.dumps([words, str(folder), dict(os.environ)]).encode()
                socket.send_fds(connection, [len(request).to_bytes(8, "big")], [out.fileno(), err.fileno()])
                connection.sendall(request)
                status = int.from_bytes(_whole(connection, 4), "big", signed=True)
            texts = []
            for stream in (out, err):
                stream.seek(0)
                texts.append(stream.read().decode().replace("\r\n", "\n"))
        return subprocess.CompletedProcess(["agile-crate", *words], status, *texts)

    def _connected(self) -> socket.socket:
        while True:
            connection = socket.socket(socket.AF_UNIX)
            try:
                connection.connect(self._path)
                return connection
            except (FileNotFoundError, ConnectionRefusedError):
                connection.close()
                assert self._process.poll() is None, "the prepared program ended"

    def close(self) -> None:
        self._process.kill()
        self._process.wait()
        assert self._process.stdin
        self._process.stdin.close()
        self._folder.cleanup()


def _whole(connection: socket.socket, length: int) -> bytes:
    parts = b""
    while len(parts) < length:
        part = connection.recv(length - len(parts))
        assert part, "the other side is gone"
        parts += part
    return parts


def serve(path: str) -> None:
    """Forks for each request; each fork forks again, and tells how that ended."""
    for name in MODULES:
        import_module(name)
    listening = socket.socket(socket.AF_UNIX)
    listening.bind(path)
    listening.listen(16)
    while True:
        ready, _, _ = select.select([listening, sys.stdin], [], [])
        if sys.stdin in ready:  # closed: whoever asked is gone
            return
        connection, _ = listening.accept()
        if os.fork() == 0:
            listening.close()
            _answer(connection)
            os._exit(0)
        connection.close()
        with contextlib.suppress(ChildProcessError):
            while os.waitpid(-1, os.WNOHANG)[0]:
                pass


def _answer(connection: socket.socket) -> None:
    head, descriptors, *_ = socket.recv_fds(connection, 8, 2)
    head += _whole(connection, 8 - len(head)) if len(head) < 8 else b""
    words, folder, environment = json.loads(_whole(connection, int.from_bytes(head, "big")))
    child = os.fork()
    if child == 0:
        connection.close()
        for target, descriptor in enumerate(descriptors, 1):
            os.dup2(descriptor, target)
            os.close(descriptor)
        os.dup2(os.open(os.devnull, os.O_RDONLY), 0)
        os.chdir(folder)
        os.environ.clear()
        os.environ.update(environment)
        sys.argv = ["agile-crate", *words]
        from agile_crate.cli.start import run

        run()
    _, status = os.waitpid(child, 0)
    connection.sendall(os.waitstatus_to_exitcode(status).to_bytes(4, "big", signed=True))


if __name__ == "__main__":
    serve(sys.argv[1])
