"""A studio's night: a thousand crates of forty thousand frames, alone, with two jobs, and on a cluster of two workers.

Then what a task costs the scheduler and the one who asks, measured, and what follows for 10 and 100 workers: by a
formula, and by a simulation of the same thing. docs/scale.md tells the results. Run by hand: `python bench/night.py`,
with a smaller number of crates as its argument for a trial. The tree is kept in build/bench between runs.
"""

from __future__ import annotations

import contextlib
import heapq
import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from statistics import mean

import numpy as np
from PIL import Image

from agile_crate import GENERATOR
from agile_crate.commands import cluster_build
from agile_crate.commands.build import Request
from agile_crate.commands.cluster_build import build_on_cluster
from agile_crate.core.limits import USUAL
from agile_crate.crate_files.read import read_crate_file
from agile_crate.workers import cluster as cluster_module
from agile_crate.workers.cluster import connected
from frames import pixel_art

WORK = Path(__file__).parent.parent / "build" / "bench"
PROGRAM = Path(sys.executable).with_name("agile-crate")
FRAMES, IN_ONE_FILE = 40, 100


def main() -> None:
    crates = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    folder = tree(crates)
    files = sorted(folder.glob("*.crate.toml"))
    print(f"{crates:,} crates, {crates * FRAMES:,} frames of 64×64")
    alone = night("one after the other", folder, files, [])
    jobs = night("--jobs 2", folder, files, ["--jobs", "2"])
    with cluster(2) as address:
        night("the first hundred, so that workers load what they need", folder, files[:1], ["--cluster", address])
        far = night("--cluster, two workers", folder, files, ["--cluster", address])
        sent = night("--cluster --send-inputs", folder, files, ["--cluster", address, "--send-inputs"])
        scheduler = cost_of_a_task(address)
        asker, there = cost_of_a_crate(address, folder, files[0])
    print(f"alone ÷ --jobs 2: {alone / jobs:.2f}; alone ÷ cluster: {alone / far:.2f}, sent: {alone / sent:.2f}")
    print(f"a task costs the scheduler and its client {1000 * scheduler:.1f} ms")
    print(f"a crate costs the one who asks {1000 * asker:.1f} ms, and a worker {1000 * there:.0f} ms")
    print(f"alone it takes {1000 * alone / crates:.0f} ms")
    model(crates, scheduler, asker, there)


def tree(crates: int) -> Path:
    """Folders of frames, no two alike, and crate files of a hundred crates each."""
    folder = WORK / f"night-{crates}"
    if folder.exists():
        return folder
    with ProcessPoolExecutor() as executor:
        list(executor.map(partial(draw, folder), range(crates), chunksize=16))
    for first in range(0, crates, IN_ONE_FILE):
        text = "".join(
            f'[crate.c{n:04}]\nfrom = ["frames/c{n:04}"]\nout = "out/c{n:04}"\n'
            for n in range(first, min(first + IN_ONE_FILE, crates))
        )
        (folder / f"part-{first // IN_ONE_FILE:02}.crate.toml").write_text(text)
    return folder


def draw(folder: Path, crate: int) -> None:
    there = folder / "frames" / f"c{crate:04}"
    there.mkdir(parents=True)
    figure = np.asarray(pixel_art(crate))
    for number in range(FRAMES):
        pixels = np.roll(figure, number, axis=1)
        pixels[0, 0] = (crate % 256, crate // 256, number, 255)
        Image.fromarray(pixels).save(there / f"swim_{number:03}.png")


def night(name: str, folder: Path, files: list[Path], more: list[str]) -> float:
    """The whole command with nothing kept from before: seconds."""
    shutil.rmtree(folder / "out", ignore_errors=True)
    with tempfile.TemporaryDirectory() as cache:
        began = time.perf_counter()
        subprocess.run(
            [PROGRAM, "pack", *files, "-q", *more], check=True, env=os.environ | {"XDG_CACHE_HOME": cache}
        )  # fmt: skip
        took = time.perf_counter() - began
    print(f"{name:60}{took:8.1f} s", flush=True)
    return took


@contextlib.contextmanager
def cluster(count: int) -> Iterator[str]:
    """A scheduler with so many workers of one thread; its address."""
    with tempfile.TemporaryDirectory() as folder:
        known = Path(folder, "scheduler.json")
        dask = [sys.executable, "-m", "dask"]
        quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "cwd": folder}
        here = ["--host", "127.0.0.1", "--port", "0", "--no-dashboard"]
        begun = [subprocess.Popen([*dask, "scheduler", *here, "--scheduler-file", known], **quiet)]
        try:
            while not known.exists():
                time.sleep(0.1)
            address = json.loads(known.read_text())["address"]
            for number in range(count):
                own = ["--nthreads", "1", "--no-nanny", "--no-dashboard", "--local-directory", folder]
                environment = os.environ | {"XDG_CACHE_HOME": str(Path(folder, f"cache-{number}"))}
                begun.append(subprocess.Popen([*dask, "worker", address, *own], env=environment, **quiet))
            with connected(address) as found:
                while len(found.workers) < count:
                    time.sleep(0.1)
            yield address
        finally:
            for process in begun:
                process.kill()
                process.wait()


def cost_of_a_task(address: str, count: int = 500) -> float:
    """Measure the seconds per task of very many empty tasks: the scheduler's and the client's share."""
    ahead, cluster_module.AHEAD = cluster_module.AHEAD, 100  # so that nobody waits for an answer
    with connected(address) as found:
        began = time.perf_counter()
        for _ in found.each(abs, ((number, number) for number in range(count))):
            pass
        took = time.perf_counter() - began
    cluster_module.AHEAD = ahead
    return took / count


def cost_of_a_crate(address: str, folder: Path, file: Path) -> tuple[float, float]:
    """Measure the seconds per crate: for the client, which puts it in place, and for the worker, which builds it."""
    shutil.rmtree(folder / "out", ignore_errors=True)
    spent: list[float] = []
    in_place, far_task = cluster_build._in_place, cluster_build.far_task

    def timed(work, *given):
        began = time.perf_counter()
        try:
            return work(*given)
        finally:
            spent.append(time.perf_counter() - began)

    cluster_build._in_place, cluster_build.far_task = partial(timed, in_place), partial(timed, far_task)
    orders = read_crate_file(str(file), USUAL).orders
    began = time.perf_counter()
    list(build_on_cluster(address, orders, Request(GENERATOR, rebuild=True), USUAL, send=False))
    took = time.perf_counter() - began
    cluster_build._in_place, cluster_build.far_task = in_place, far_task
    asker = sum(spent) / len(orders)
    return asker, 2 * (took - 1) / len(orders)  # two workers; a second is connecting


def model(crates: int, scheduler: float, asker: float, there: float) -> None:
    """The duration of a night by the formula and by the simulation, with lengths that vary as crates do."""
    chance = np.random.default_rng(1)
    lengths = there * chance.lognormal(-0.125, 0.5, crates)  # mean `there`
    print(f"\n{'workers':>8}{'formula':>10}{'simulated':>11}{'times one':>11}")
    one = simulated(lengths, 1, scheduler, asker)
    for workers in (1, 2, 10, 100):
        formula = max(lengths.sum() / workers + mean(lengths), crates * (scheduler + asker))
        found = simulated(lengths, workers, scheduler, asker)
        print(f"{workers:8}{formula:9.1f}s{found:10.1f}s{one / found:10.1f}×")


def simulated(lengths: np.ndarray, workers: int, scheduler: float, asker: float) -> float:
    """Tasks go out and come back one at a time through one hand, who takes `scheduler` for each that is sent and
    `asker` for each that is put in place; workers have the next one waiting."""
    free = [0.0] * workers
    heapq.heapify(free)
    hand, back = 0.0, []
    waiting = list(lengths[::-1])
    under_way = 0
    while waiting or back:
        if waiting and under_way < 2 * workers:
            hand += scheduler
            begin = max(heapq.heappop(free), hand)
            end = begin + waiting.pop()
            heapq.heappush(free, end)
            heapq.heappush(back, end)
            under_way += 1
        else:
            hand = max(hand, heapq.heappop(back)) + asker
            under_way -= 1
    return hand


if __name__ == "__main__":
    main()
