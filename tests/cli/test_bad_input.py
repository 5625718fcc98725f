"""Everything that can be wrong: one plain sentence, the documented exit code, and nothing lost or half-written."""

import ctypes
import os
import pty
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

from agile_crate.cli import main
from conftest import PROGRAM, Run, art, refusal, save, tree


@pytest.fixture
def old(tmp_path: Path) -> dict[str, bytes]:
    """A folder `build` with an earlier build, which no failure may touch."""
    save(tmp_path / "earlier" / "swim_1.png", art(9, 9))
    subprocess.run([PROGRAM, "pack", "earlier", "--out", "build/otter"], cwd=tmp_path, check=True, capture_output=True)
    return tree(tmp_path / "build")


def test_force_overwrites_what_is_not_ours(run: Run, swim: Path, tmp_path: Path) -> None:
    (tmp_path / "o.png").write_bytes(b"mine")
    assert run("pack", "frames", "--out", "o").returncode == 5
    assert (tmp_path / "o.png").read_bytes() == b"mine"
    assert run("pack", "frames", "--out", "o", "--force").returncode == 0
    (tmp_path / "p.png").mkdir()
    done = run("pack", "frames", "--out", "p", "--force")
    assert (done.returncode, "p.png cannot be written: is a directory" in done.stderr) == (5, True)


def without_rights_of_root() -> None:
    """Drop root's right to ignore permissions, for the program that starts next."""
    if os.geteuid() == 0:
        libc = ctypes.CDLL(None, use_errno=True)
        for capability in (1, 2):  # CAP_DAC_OVERRIDE, CAP_DAC_READ_SEARCH
            assert libc.prctl(24, capability, 0, 0, 0) == 0  # PR_CAPBSET_DROP


def test_a_read_only_output_folder(run: Run, swim: Path, tmp_path: Path, old: dict[str, bytes]) -> None:
    (tmp_path / "build").chmod(0o555)
    done = run("pack", "frames", "--out", "build/otter", preexec_fn=without_rights_of_root)
    (tmp_path / "build").chmod(0o755)
    assert done.returncode == 5
    assert "build cannot be written: permission denied; the previous files are unchanged" in done.stderr
    assert tree(tmp_path / "build") == old


def test_an_unreadable_folder_and_an_unreadable_file(run: Run, swim: Path, tmp_path: Path) -> None:
    (swim / "swim" / "swim_03.png").chmod(0)
    done = run("pack", "frames", "--out", "o", preexec_fn=without_rights_of_root)
    assert refusal(done) == (
        3,
        "frames/swim/swim_03.png cannot be opened: permission denied; export it again or remove it",
    )
    (swim / "swim").chmod(0)
    done = run("pack", "frames", "--out", "o", preexec_fn=without_rights_of_root)
    (swim / "swim").chmod(0o755)
    assert refusal(done) == (3, "the folder frames/swim cannot be read: permission denied")


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
        assert told == "agile-crate: error: interrupted; no file is incomplete\n"
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
    assert "InputError: nothing does not exist" in done.stderr
    assert done.returncode == 3


def test_bars_are_drawn_on_a_terminal_only(swim: Path, tmp_path: Path) -> None:
    primary, secondary = pty.openpty()
    code = f"import os; os.execv({str(PROGRAM)!r}, ['agile-crate', 'pack', 'frames', '--out', 'o'])"
    process = subprocess.Popen(
        [sys.executable, "-c", code], cwd=tmp_path, stdout=secondary, stderr=secondary,
        env=os.environ | {"TERM": "xterm", "COLUMNS": "80"},
    )  # fmt: skip
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
