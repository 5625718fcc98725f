"""Everything that can be wrong: one plain sentence, the documented exit code, and nothing lost or half-written."""

from __future__ import annotations

import ctypes
import io
import os
import pty
import resource
import shutil
import signal
import struct
import subprocess
import sys
import time
import zipfile
import zlib
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
import pytest

from agile_crate.cli import main
from conftest import PROGRAM, art, save, tree

Run = Callable[..., subprocess.CompletedProcess[str]]


def bomb() -> bytes:
    header = struct.pack(">IIBBBBB", 100_000, 100_000, 8, 6, 0, 0, 0)
    parts = [(b"IHDR", header), (b"IDAT", zlib.compress(bytes(1000))), (b"IEND", b"")]
    return b"\x89PNG\r\n\x1a\n" + b"".join(
        struct.pack(">I", len(c)) + k + c + struct.pack(">I", zlib.crc32(k + c)) for k, c in parts
    )


def archive(stack: str | None) -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w") as entries:
        entries.writestr("mimetype", "image/openraster")
        if stack is not None:
            entries.writestr("stack.xml", stack)
            entries.writestr("a.png", bomb())
    return stream.getvalue()


@pytest.fixture
def old(tmp_path: Path) -> dict[str, bytes]:
    """A folder `build` with an earlier build, which no failure may touch."""
    save(tmp_path / "earlier" / "swim_1.png", art(9, 9))
    subprocess.run([PROGRAM, "pack", "earlier", "--out", "build/otter"], cwd=tmp_path, check=True, capture_output=True)
    return tree(tmp_path / "build")


def spoil(tmp_path: Path, what: str) -> None:
    frames = tmp_path / "frames"
    whole = (frames / "swim" / "swim_01.png").read_bytes()
    files = {
        "text": {"swim/text_1.png": b"Dear otter"},
        "empty": {"swim/empty_1.png": b""},
        "cut": {"swim/cut_1.png": whole[:-20]},
        "damaged": {"swim/damaged_1.png": whole[:50] + b"\0\0\0" + whole[53:]},
        "bomb": {"swim/bomb_1.png": bomb()},
        "three": {"a.png": b"", "b.png": whole[:-20], "c.jpg": b"x"},
        "clash": {"a/01.png": whole, "a/01.gif": whole},
        "dive": {"dive_1.png": whole},
        "layers": {
            "courier.ora": archive('<image w="8" h="8"><stack><layer name="../up" src="a.png"/></stack></image>')
        },
        "no stack": {"courier.ora": archive(None)},
    }
    for name, data in files.get(what, {}).items():
        (frames / name).parent.mkdir(exist_ok=True)
        (frames / name).write_bytes(data)


@pytest.mark.parametrize(
    ("what", "arguments", "status", "sentence"),
    [
        ("", ["frames/nothing"], 3, "frames/nothing is not there; check the path"),
        ("", ["frames/*.tif"], 3, "nothing matches the pattern frames/*.tif; check it, and quote it"),
        ("text", ["frames"], 3, "frames/swim/text_1.png is not a picture in any format that can be read; export it again or take it out"),
        ("empty", ["frames"], 3, "frames/swim/empty_1.png is empty; export it again or take it out"),
        ("cut", ["frames"], 3, "frames/swim/cut_1.png is cut short; export it again or take it out"),
        ("damaged", ["frames"], 3, "frames/swim/damaged_1.png is damaged: the checksum of its 'IDAT' part is wrong; export it again or take it out"),
        ("bomb", ["frames"], 3, "frames/swim/bomb_1.png claims to have more than 67,108,864 pixels, the most that one picture may have; --limit picture-pixels=N allows more; export it again or take it out"),
        (
            "three",
            ["frames"],
            3,
            "3 pictures cannot be read; export them again or take them out:\n  frames/a.png is empty\n"
            "  frames/b.png is cut short\n  frames/c.jpg is not a picture in any format that can be read",
        ),
        ("clash", ["frames"], 3, "two frames have the name 'a/01': frames/a/01.gif and frames/a/01.png; rename one, or name the folder above them so that the folders' names tell them apart"),
        ("", ["frames", "--columns", "3", "--rows", "4"], 4, "13 frames do not fit into 3 × 4 cells (12); raise --columns or --rows, or leave one out"),
        ("", ["frames", "--cell", "6x6"], 4, "frame 'swim/swim_01' (and 12 more) is 8×8, larger than the cell, 6×6; give a larger --cell, or make frames smaller with --scale or --trim"),
        ("", ["frames", "--max-size", "7x99"], 4, "frame 'swim/swim_01' (and 12 more) is 8×8, larger than a sheet may be, 7×99; raise --max-size or --size, or make frames smaller with --scale or --trim"),
        ("", ["frames", "--columns", "99", "--max-size", "64x64"], 4, "99 columns of 8×8 cells are larger than the largest sheet allowed, 64×64; at most 8 fit, or raise --max-size"),
        ("", ["frames", "--columns", "0"], 2, "--columns: '0' is not a whole number from 1 to 16384"),
        ("", ["frames", "--gap", "-1"], 2, "--gap: '-1' is not a whole number from 0 to 16384"),
        ("", ["frames", "--fps", "swin=24"], 2, "--fps: there is no animation 'swin'; did you mean 'swim'?"),
        ("", ["frames", "--loop", "x=once"], 2, "--loop: there is no animation 'x'; there are: swim"),
        ("", ["frames", "--frames", "swim=5-30"], 2, "--frames: 5-30 is outside 'swim', which has 13 frames"),
        ("", ["frames", "--mirrored", "a=swin"], 2, "--mirrored: there is no animation 'swin'; did you mean 'swim'?"),
        ("", ["frames", "--rename", "swim=a", "--rename", "swim=b"], 2, "--rename: 'swim' is given twice; leave one of them out"),
        ("", ["frames", "--split", "swim=a:1-8,b:8-13"], 2, "--split swim: frame 8 is in 'a' and in 'b'; each frame goes to one part"),
        ("", ["frames", "--split", "swim=a:1-8,b:10-13"], 2, "--split swim: 1 frame of 13 is in no part (9); add them to a part, or leave them out with --frames"),
        ("dive", ["frames", "--rename", "swim=dive"], 2, "--rename swim=dive: there is an animation 'dive' already; choose another name, or join the two in the order that you want: --rename dive=dive and --rename swim=dive"),
        ("layers", ["frames"], 3, "frames/courier.ora has a layer named '../up', which would lead out of a folder; export it again or take it out"),
        ("no stack", ["frames"], 3, "frames/courier.ora lacks 'stack.xml', which an OpenRaster document must hold; export it again or take it out"),
        ("", ["frames", "--hold", "swim:14=2"], 2, "--hold swim:14 is outside 'swim', which has 13 frames"),
        ("", ["frames", "--include", "gull/*"], 3, "--include and --exclude leave no frame; patterns are held against names such as swim/swim_01"),
        ("", ["frames", "--colums", "3"], 2, "there is no option '--colums' here; did you mean --columns?"),
        ("", ["frames", "--columns"], 2, "argument --columns: expected one argument; see agile-crate pack --help"),
    ],
)  # fmt: skip
def test_one_sentence_and_nothing_written(
    run: Run,
    swim: Path,
    tmp_path: Path,
    old: dict[str, bytes],
    what: str,
    arguments: list[str],
    status: int,
    sentence: str,
) -> None:
    spoil(tmp_path, what)
    done = run("pack", *arguments, "--out=build/otter")
    assert (done.returncode, done.stdout) == (status, "")
    assert done.stderr == f"agile-crate: error: {sentence}\n"
    assert tree(tmp_path / "build") == old


@pytest.mark.parametrize(
    ("out", "status", "sentence"),
    [
        ("build/", 2, "--out build/ has no name: write the files' path without ending"),
        (".", 2, "--out . has no name"),
        ("frames/swim/swim_01.png/otter", 5, "swim_01.png cannot be written: is a file, not a folder"),
        ("earlier/swim_1", 5, "swim_1.png is already there and is not from a build of this name; choose another --out"),
    ],
)
def test_out_where_nothing_can_go(
    run: Run, swim: Path, tmp_path: Path, old: dict[str, bytes], out: str, status: int, sentence: str
) -> None:
    before = tree(tmp_path)
    done = run("pack", "frames", "--out", out)
    assert done.returncode == status
    assert sentence in done.stderr
    assert tree(tmp_path) == before


def test_force_overwrites_what_is_not_ours(run: Run, swim: Path, tmp_path: Path) -> None:
    (tmp_path / "o.png").write_bytes(b"mine")
    assert run("pack", "frames", "--out", "o").returncode == 5
    assert (tmp_path / "o.png").read_bytes() == b"mine"
    assert run("pack", "frames", "--out", "o", "--force").returncode == 0
    (tmp_path / "p.png").mkdir()
    done = run("pack", "frames", "--out", "p", "--force")
    assert (done.returncode, "p.png cannot be written: is a directory" in done.stderr) == (5, True)


def without_rights_of_root() -> None:
    """Drops root's right to read and write what its permissions forbid, for the program that is about to start."""
    if os.geteuid() == 0:
        libc = ctypes.CDLL(None, use_errno=True)
        for capability in (1, 2):  # CAP_DAC_OVERRIDE, CAP_DAC_READ_SEARCH
            assert libc.prctl(24, capability, 0, 0, 0) == 0  # PR_CAPBSET_DROP


def test_a_read_only_output_folder(run: Run, swim: Path, tmp_path: Path, old: dict[str, bytes]) -> None:
    (tmp_path / "build").chmod(0o555)
    done = run("pack", "frames", "--out", "build/otter", preexec_fn=without_rights_of_root)
    (tmp_path / "build").chmod(0o755)
    assert done.returncode == 5
    assert "build cannot be written: permission denied; the files of before are untouched" in done.stderr
    assert tree(tmp_path / "build") == old


def test_an_unreadable_folder_and_an_unreadable_file(run: Run, swim: Path, tmp_path: Path) -> None:
    (swim / "swim" / "swim_03.png").chmod(0)
    done = run("pack", "frames", "--out", "o", preexec_fn=without_rights_of_root)
    assert (done.returncode, done.stderr) == (
        3,
        "agile-crate: error: frames/swim/swim_03.png cannot be opened: permission denied; export it again or take it out\n",
    )
    (swim / "swim").chmod(0)
    done = run("pack", "frames", "--out", "o", preexec_fn=without_rights_of_root)
    (swim / "swim").chmod(0o755)
    assert (done.returncode, done.stderr) == (
        3,
        "agile-crate: error: the folder frames/swim cannot be read: permission denied\n",
    )


def test_a_full_disk(run: Run, swim: Path, tmp_path: Path, old: dict[str, bytes]) -> None:
    chance = np.random.default_rng(3)
    save(swim / "noise_1.png", chance.integers(0, 256, (300, 300, 4), dtype=np.uint8))
    small = lambda: resource.setrlimit(resource.RLIMIT_FSIZE, (50_000, 50_000))  # noqa: E731
    done = run("pack", "frames", "--out", "build/otter", preexec_fn=small)
    assert done.returncode == 5
    assert "otter.png cannot be written: file too large; the files of before are untouched" in done.stderr
    assert tree(tmp_path / "build") == old


def test_an_interruption_stops_the_build_and_leaves_no_file(tmp_path: Path) -> None:
    chance = np.random.default_rng(3)
    for number in range(8):
        save(tmp_path / "f" / f"noise_{number}.png", chance.integers(0, 256, (1024, 1024, 4), dtype=np.uint8))
    for number in range(8, 64):
        shutil.copy(tmp_path / "f" / f"noise_{number % 8}.png", tmp_path / "f" / f"noise_{number}.png")
    for stage in ("reading", "writing"):
        (tmp_path / "o").mkdir(exist_ok=True)
        process = subprocess.Popen(
            [PROGRAM, "pack", "f", "--out", "o/x", "--max-size", "8192x8192"],
            cwd=tmp_path,
            stderr=subprocess.PIPE,
            encoding="utf-8",
            preexec_fn=partial(signal.signal, signal.SIGINT, signal.default_int_handler),
        )
        threads = Path(f"/proc/{process.pid}/task")  # more than one as soon as pictures are read
        while process.poll() is None and not (
            len(list(threads.iterdir())) > 1 if stage == "reading" else any((tmp_path / "o").glob(".*/0.new"))
        ):
            time.sleep(0.005)
        assert process.poll() is None
        process.send_signal(signal.SIGINT)
        _, told = process.communicate()
        assert process.returncode == 130
        assert told == "agile-crate: error: interrupted; no file was left half-written\n"
        assert list((tmp_path / "o").iterdir()) == []


def test_a_reader_that_goes_away_is_no_error(swim: Path, tmp_path: Path) -> None:
    done = subprocess.run(
        f"{PROGRAM} pack frames --out o --verbose | true", shell=True, cwd=tmp_path, capture_output=True, encoding="utf-8",
        check=False,
    )  # fmt: skip
    assert done.stderr == ""
    assert (tmp_path / "o.json").is_file()


def test_a_fault_of_our_own_is_one_sentence_too(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr(main, "_command", lambda _: 1 // 0)
    assert main.main(["pack"]) == 70
    assert capsys.readouterr().err == (
        "agile-crate: error: a fault in agile-crate itself (ZeroDivisionError: integer division or modulo by zero); "
        "run it again with --debug and report what it prints\n"
    )


def test_debug_shows_where_an_error_arose(run: Run, tmp_path: Path) -> None:
    done = run("pack", "nothing", "--out", "o", "--debug")
    assert "Traceback" in done.stderr
    assert "InputError: nothing is not there" in done.stderr
    assert done.returncode == 3


def test_bars_are_drawn_on_a_terminal_only(swim: Path, tmp_path: Path) -> None:
    primary, secondary = pty.openpty()
    code = f"import os; os.execv({str(PROGRAM)!r}, ['agile-crate', 'pack', 'frames', '--out', 'o'])"
    process = subprocess.Popen(
        [sys.executable, "-c", code],
        cwd=tmp_path,
        stdout=secondary,
        stderr=secondary,
        env=os.environ | {"TERM": "xterm", "COLUMNS": "80"},
    )
    os.close(secondary)
    shown = b""
    try:
        while piece := os.read(primary, 65536):
            shown += piece
    except OSError:
        pass
    os.close(primary)
    assert process.wait() == 0
    for word in ("reading", "drawing", "writing", "13/13", "packed 13 frames"):
        assert word in shown.decode()
