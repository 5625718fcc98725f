"""Crates that are built elsewhere are the same, whatever becomes of a worker; and what does not fit is told."""

import functools
import gc
import http.server
import json
import os
import random
import shutil
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import BrokenExecutor
from functools import partial
from pathlib import Path
from typing import Any

import pytest
from distributed import Client

from agile_crate.commands import cluster_build
from agile_crate.commands.build import BuildOptions
from agile_crate.commands.cluster_build import build_on_cluster
from agile_crate.commands.pack import Packed
from agile_crate.core.errors import CrateError, InputError
from agile_crate.core.limits import USUAL
from agile_crate.crate_files.read import read_crate_file
from agile_crate.crate_files.up_to_date import Unchanged
from agile_crate.workers import cluster
from agile_crate.workers.cluster import connected
from conftest import PROGRAM

from .conftest import Machines, files_of, made_project, until

Run = Callable[..., Any]


def call(run: Run, project: Path, *words: object, exit: int = 0) -> Any:
    done = run("pack", *words, cwd=project)
    assert done.returncode == exit, done.stderr
    return done


@pytest.fixture(scope="module")
def alone(tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    """The files that the program writes without a cluster."""
    project = made_project(tmp_path_factory.mktemp("alone"))
    subprocess.run([PROGRAM, "pack", "all.crate.toml", "-q"], cwd=project, check=True)
    return files_of(project / "out")


@pytest.mark.parametrize("more", [[], ["--send-inputs"]], ids=["seen by workers", "sent"])
def test_the_same_files_as_alone(
    machines: Machines, project: Path, run: Run, alone: dict[str, bytes], more: list[str]
) -> None:
    done = call(run, project, "all.crate.toml", "--cluster", machines.address, *more, "--json")
    assert done.stderr == ""
    assert files_of(project / "out") == alone
    said = json.loads(done.stdout)
    assert [crate["crate"] for crate in said["crates"]] == ["otter", "gull", "few", "still", "again"]
    assert said["crates"][0]["files"][0] == str(project / "out" / "otter.png")
    assert said["crates"][1]["frames"] == 6
    assert said["errors"] == []
    again = call(run, project, "all.crate.toml", "--cluster", machines.address, *more)
    assert again.stdout.count("up to date") == 5
    (project / "out" / "gull.png").write_bytes(b"mine")
    refused = call(run, project, "all.crate.toml", "--cluster", machines.address, *more, exit=5)
    assert "gull.png was changed since the last build" in refused.stderr
    assert (project / "out" / "gull.png").read_bytes() == b"mine"


def test_errors_are_collected_and_the_others_built(machines: Machines, project: Path, run: Run) -> None:
    text = (project / "all.crate.toml").read_text()
    (project / "all.crate.toml").write_text(text.replace('"frames/gu*"', '"frames/heron"'))
    (project / "frames" / "gull" / "3.png").write_bytes(b"no picture")
    done = call(run, project, "all.crate.toml", "--cluster", machines.address, "-q", exit=3)
    first, second = done.stderr.splitlines()
    assert "crate 'gull'" in first
    assert f"{project}/frames/heron does not exist; check the path; the worker tcp://127.0.0.1:" in first
    assert "3.png is not a picture in a known format" in second
    assert sorted(path.stem for path in (project / "out").glob("*.json")) == ["again", "otter", "otter@50", "still"]
    sent = call(run, project, "all.crate.toml", "--cluster", machines.address, "--send-inputs", "-q", exit=3)
    assert "frames/heron does not exist; check the path\n" in sent.stderr
    assert f"{project}/frames/gull/3.png is not a picture" in sent.stderr  # no path of the worker's


def test_the_frames_of_a_large_crate_are_read_by_all(
    machines: Machines, project: Path, alone: dict[str, bytes], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(cluster_build, "LARGE_CRATE_BYTES", 1)
    monkeypatch.setattr(cluster_build, "build_remotely", None)
    monkeypatch.chdir(project)
    far: list[object] = []
    submit = cluster._Readers.submit
    monkeypatch.setattr(cluster._Readers, "submit", lambda self, *task: far.append(task) or submit(self, *task))
    assert all(isinstance(one, Packed) for one in built(machines.address, project))
    assert len(far) >= 5
    unlike = [name for name, data in files_of(project / "out").items() if alone[name] != data]
    assert unlike == []


def built(
    address: str, project: Path, send: bool = False, again: bool = False
) -> list[Packed | Unchanged | CrateError]:
    from agile_crate import GENERATOR

    specs = read_crate_file(str(project / "all.crate.toml"), USUAL).specs
    return list(build_on_cluster(address, specs, BuildOptions(GENERATOR, rebuild=again), USUAL, send))


def test_a_worker_that_is_killed_in_the_middle_costs_nothing(
    machines: Machines, project: Path, alone: dict[str, bytes], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(project)
    victim = machines.worker()
    ended: list[int] = []

    def then_kill(*arguments: Any) -> Any:
        if not ended:
            victim.kill()
            ended.append(victim.wait())
        return put_in_place(*arguments)

    put_in_place = cluster_build.put_in_place
    monkeypatch.setattr(cluster_build, "put_in_place", then_kill)
    assert [type(one) for one in built(machines.address, project)] == [Packed] * 5
    assert ended == [-signal.SIGKILL]
    assert files_of(project / "out") == alone


@pytest.mark.skipif(not os.environ.get("AGILE_CRATE_TRUST"), reason="a part of the long form: make trust")
def test_whoever_is_killed_each_crate_is_whole(
    machines: Machines, project: Path, run: Run, alone: dict[str, bytes]
) -> None:
    """The one who asked, or a worker, at a random moment, again and again."""
    dice = random.Random(21)
    command = [PROGRAM, "pack", "all.crate.toml", "--cluster", machines.address, "--rebuild", "-q"]
    for trial in range(60):
        victim = machines.worker() if trial % 2 else None
        with subprocess.Popen(command, cwd=project, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as asking:
            time.sleep(dice.uniform(0.3, 2.5))
            (victim or asking).kill()
            told = asking.communicate()[1].decode()
        assert "Traceback" not in told
        assert asking.returncode in ((0,) if victim else (0, -signal.SIGKILL)), told
        for data in (project / "out").glob("*.json"):
            assert run("verify", data, cwd=project).returncode == 0
    call(run, project, "all.crate.toml", "--rebuild", "-q")
    assert files_of(project / "out") == alone


def test_a_worker_that_hangs_is_left_to_itself(
    machines: Machines, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(cluster, "SILENT_AFTER_S", 2)
    victim = machines.worker()
    path = tmp_path / "go"

    def waits(path: str) -> str:
        """A task that ends when a file is there; within the test, so that workers need not know its module."""
        import pathlib
        import threading

        while not pathlib.Path(path).exists():
            threading.Event().wait(0.05)
        return path

    with connected(machines.address) as found:
        results = found.map([str(path)] * 6, partial(found.submit, waits), lambda _, future: future.result())
        stop = threading.Timer(1, lambda: (os.kill(victim.pid, signal.SIGSTOP), path.touch()))
        stop.start()
        assert list(results) == [str(path)] * 6
    victim.kill()
    victim.wait()
    with connected(machines.address) as found:
        until(lambda: len(found.workers) == 2, 90)


def test_what_ends_its_workers_is_given_up(tmp_path: Path) -> None:
    def dies(_: int) -> None:
        import os

        os._exit(9)

    machines = Machines(tmp_path)
    try:
        with connected(machines.address) as found:
            with pytest.raises(InputError, match=r"has no workers; start one with 'dask worker tcp://127.0.0.1:"):
                found.refuse_others({}, dict)
            machines.worker(), machines.worker()
            with pytest.raises(BrokenExecutor, match=r"ended|worker"):
                found.submit(dies, 0).result()
        assert "the worker that built it was stopped repeatedly" in str(cluster_build.lost("worker"))
    finally:
        machines.end()


def test_another_version_is_told(machines: Machines, project: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    there = cluster_build.versions()
    monkeypatch.setattr(cluster_build, "versions", lambda: there | {"pillow": "9.9"})
    with pytest.raises(
        InputError, match=rf"worker tcp:.* has pillow {there['pillow']}, and here it is pillow 9.9; ins"
    ):
        built(machines.address, project)
    assert not (project / "out").exists()


@pytest.mark.parametrize("first", ["imported", "other"])
def test_the_version_of_a_package_is_that_of_what_is_imported(tmp_path: Path, first: str) -> None:
    """Another distribution of the same name may lie earlier or later on the path, without the module."""
    for folder, version in (("imported", "2.0"), ("other", "9.9")):
        about = tmp_path / folder / f"pyspng-{version}.dist-info"
        about.mkdir(parents=True)
        (about / "METADATA").write_text(f"Metadata-Version: 2.1\nName: pyspng\nVersion: {version}\n")
    (tmp_path / "imported" / "pyspng").mkdir()
    (tmp_path / "imported" / "pyspng" / "__init__.py").touch()
    order = sorted(("imported", "other"), key=lambda folder: folder != first)
    ask = "import sys; from agile_crate.commands.remote_build import versions_of_worker; ask = versions_of_worker(); sys.modules.pop('pyspng', None)\n"
    ask += f"sys.path[:0] = {[str(tmp_path / folder) for folder in order]!r}; print(ask()['pyspng'])"
    done = subprocess.run([sys.executable, "-c", ask], capture_output=True, encoding="utf-8", check=True)
    assert done.stdout == "2.0\n"


@pytest.mark.parametrize("who", ["nobody", "another"])
def test_where_no_scheduler_answers(project: Path, who: str, monkeypatch: pytest.MonkeyPatch, files: str) -> None:
    monkeypatch.setattr(cluster, "CONNECT_TIMEOUT_S", 1)
    said = "connection refused" if who == "nobody" else "timed out"
    port = "9" if who == "nobody" else files.rpartition(":")[2]
    with pytest.raises(
        InputError, match=rf"no scheduler answers at tcp://127.0.0.1:{port}: {said}; check host and port"
    ):
        built(f"tcp://127.0.0.1:{port}", project)
    with pytest.raises(InputError, match="no scheduler answers at over there"):
        built("over there", project)
    left = [one.status for one in gc.get_objects() if isinstance(one, Client)]
    assert set(left) <= {"closed", "newly-created"}  # one that is open would close itself in the middle of the next


@pytest.fixture
def files(project: Path) -> Iterator[str]:
    """The project, served over HTTP; the address."""
    with http.server.ThreadingHTTPServer(("127.0.0.1", 0), Quiet.of(project)) as server:
        threading.Thread(target=server.serve_forever, args=(0.02,), daemon=True).start()
        yield f"http://127.0.0.1:{server.server_port}"
        server.shutdown()


class Quiet(http.server.SimpleHTTPRequestHandler):
    """A server that does not tell of what it does."""

    @classmethod
    def of(cls, folder: Path) -> Any:
        return functools.partial(cls, directory=str(folder))

    def log_message(self, *_: object) -> None:
        pass


def test_frames_come_from_addresses_as_well(
    machines: Machines, project: Path, run: Run, alone: dict[str, bytes], files: str
) -> None:
    text = (project / "all.crate.toml").read_text()
    text = text.replace('["frames/gu*"]', f'["{files}/frames/gu*"]').replace(
        'from = ["frames/otter"]\nout = "out/again"', f'from = ["{files}/frames/otter/"]\nout = "out/again"'
    )
    (project / "all.crate.toml").write_text(text)
    call(run, project, "all.crate.toml", "-q")
    assert files_of(project / "out") == alone
    shutil.rmtree(project / "out")
    call(run, project, "all.crate.toml", "-q", "--cluster", machines.address)
    assert files_of(project / "out") == alone


def test_a_scheduler_that_is_gone_is_told(project: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    machines = Machines(tmp_path)
    put_in_place = cluster_build.put_in_place

    def then_end(*arguments: Any) -> Any:
        machines.end()
        return put_in_place(*arguments)

    monkeypatch.setattr(cluster_build, "put_in_place", then_end)
    monkeypatch.chdir(project)
    try:
        machines.worker()
        with pytest.raises(
            InputError, match=r"the scheduler at tcp:.* does not answer any more; crates that are in plac"
        ):
            built(machines.address, project)
    finally:
        machines.end()
    names = {path.stem.partition("@")[0] for path in (project / "out").glob("*.json")}
    assert names
    assert not [path for path in (project / "out").iterdir() if path.name.startswith(".")]
