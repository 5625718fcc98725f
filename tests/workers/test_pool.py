"""Whoever does the work gives the same, in order, and leaves nobody behind."""

import os
import signal
import subprocess
import sys
import threading
from collections.abc import Iterator
from concurrent.futures import BrokenExecutor
from pathlib import Path

import numpy as np
import pytest

from agile_crate.workers import processes
from agile_crate.workers.ordered import AHEAD, InlineExecutor, in_turn
from agile_crate.workers.pool import WorkerPool
from agile_crate.workers.processes import Processes
from conftest import art

on_linux = pytest.mark.skipif(sys.platform != "linux", reason="only there a process can be forked at any time")


@pytest.fixture(scope="module")
def others() -> Iterator[Processes]:
    made = Processes(2)
    yield made
    made.shutdown()


def drawn(seed: int) -> dict[str, object]:
    return {"seed": seed, "pixels": [art(40, 30, seed), art(9, 7, seed)[:, ::2]]}


def failing(seed: int) -> int:
    raise ValueError(f"nothing for {seed}")


def killed(but: int) -> int:
    """End this process, unless it is the test's own."""
    if but not in (0, os.getpid()):
        os.kill(os.getpid(), signal.SIGKILL)
    return but


@on_linux
@pytest.mark.parametrize("slot", [1 << 23, 100], ids=["in a slot", "by itself"])
def test_arrays_come_back_from_processes(others: Processes, slot: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(processes, "SLOT", slot)
    workers = Processes(2) if slot == 100 else others
    for seed, found in enumerate(in_turn(workers, drawn, ([seed] for seed in range(60)))):
        expected = drawn(seed)
        assert found["seed"] == seed
        for one, other in zip(found["pixels"], expected["pixels"], strict=True):
            assert np.array_equal(one, other)
    if workers is not others:
        workers.shutdown()


@on_linux
def test_errors_come_back_from_processes(others: Processes) -> None:
    with pytest.raises(ValueError, match="nothing for 3"):
        others.submit(failing, 3).result()
    assert others.submit(abs, -2).result() == 2


@on_linux
def test_a_process_that_is_killed_is_told() -> None:
    workers = Processes(1)
    with pytest.raises(BrokenExecutor, match="terminated abruptly"):
        workers.submit(killed, os.getpid()).result()
    workers.shutdown()


@on_linux
def test_what_a_killed_process_had_to_do_is_done_here() -> None:
    workers = Processes(2)
    tasks = [[os.getpid() if number == 9 else 0] for number in range(40)]
    assert list(in_turn(workers, killed, tasks)) == [task[0] for task in tasks]
    workers.shutdown()


@on_linux
def test_processes_end_with_the_one_that_began_them(tmp_path: Path) -> None:
    """However it ends: here it kills itself in the middle."""
    told = tmp_path / "pids"
    program = f"""
import os, signal, threading
from agile_crate.workers.processes import Processes
workers = Processes(2)
pids = [str(workers.submit(os.getpid).result()) for _ in range(20)]
open({str(told)!r}, "w").write(" ".join(set(pids)))
workers.submit(threading.Event().wait, 600)
os.kill(os.getpid(), signal.SIGKILL)
"""
    assert subprocess.run([sys.executable, "-c", program], check=False).returncode == -signal.SIGKILL
    pids = [int(pid) for pid in told.read_text().split()]
    assert pids
    waiting = threading.Event()
    for _ in range(200):
        if not any(Path(f"/proc/{pid}").exists() for pid in pids):
            break
        waiting.wait(0.05)
    assert not any(Path(f"/proc/{pid}").exists() for pid in pids)


@on_linux
@pytest.mark.parametrize("patience", [0, 5])
def test_a_process_that_is_ended_as_it_begins_does_not_answer_for_us(patience: float) -> None:
    reading, writing = os.pipe()
    before = signal.signal(signal.SIGTERM, lambda *_: os.write(writing, b"answered"))
    waiting = threading.Event()
    try:
        for _ in range(12):
            pool = processes.Pool(3, "fork", processes.follow_parent, signal.SIG_DFL)
            pool.submit(os.getpid).result()
            children = list(pool._children)
            pool.end(patience)
            for _ in range(400):
                if not any(child.is_alive() for child in children):
                    break
                waiting.wait(0.05)
            assert not any(child.is_alive() for child in children)
    finally:
        signal.signal(signal.SIGTERM, before)
        os.close(writing)
    with open(reading, "rb") as said:
        assert said.read() == b""


def test_few_tasks_are_done_ahead_and_the_rest_never_if_nobody_asks() -> None:
    begun: list[int] = []
    results = in_turn(
        InlineExecutor(), lambda number: begun.append(number) or number, ([number] for number in range(100))
    )
    assert (next(results), len(begun)) == (0, AHEAD)
    results.close()
    assert len(begun) == AHEAD


def test_large_results_are_not_piled_up() -> None:
    begun: list[int] = []
    results = in_turn(InlineExecutor(), lambda n: begun.append(n) or n, ([n] for n in range(100)), lambda: 1 << 26)
    assert (next(results), len(begun)) == (0, 2)
    results.close()


def test_small_things_are_done_here_unless_processes_pay() -> None:
    with WorkerPool(2) as both, WorkerPool(1) as alone:
        assert isinstance(both.small_frames_pool(False), InlineExecutor)
        assert isinstance(alone.small_frames_pool(True), InlineExecutor)
        if sys.platform == "linux":
            assert isinstance(both.small_frames_pool(True), Processes)
    with pytest.raises(ZeroDivisionError, match="by zero"):
        InlineExecutor().submit(divmod, 1, 0).result()
