"""Frames of which only the sizes are read at first give the same files, to the byte."""

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from agile_crate.commands.pack import pack
from agile_crate.core.errors import InputError
from agile_crate.exports import png
from agile_crate.pipeline import gather
from agile_crate.pipeline import job as request
from agile_crate.pipeline.context import working
from agile_crate.sources import deferred
from agile_crate.workers.processes import Processes
from conftest import art, job, save


@pytest.fixture
def frames(tmp_path: Path) -> Path:
    """PNGs of every kind, one of them turned by its orientation note; a GIF and a JPEG."""
    folder = tmp_path / "frames"
    for number in range(9):
        save(folder / f"swim_{number}.png", art(40 + number, 30, number))
    for number, mode in enumerate(("RGB", "P", "L", "LA", "1"), 1):
        pixels = Image.fromarray(art(33, 21, number)).convert(mode)
        pixels.save(folder / f"dive_{number}.png", **({"transparency": 3} if mode in ("L", "P") else {}))
    note = Image.Exif()
    note[0x0112] = 6
    Image.fromarray(art(20, 10, 3)).save(folder / "turned_1.png", exif=note)
    Image.fromarray(art(20, 10, 4)[..., :3]).save(folder / "sea_1.jpg")
    Image.fromarray(art(20, 10, 5)).save(folder / "gull_1.png", interlace=True)
    big = np.zeros((300, 200, 4), np.uint8)  # its empty rim goes at first sight
    big[100:150, 30:90] = art(60, 50)
    save(folder / "lantern.png", big)
    return folder


def files_of(folder: Path) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in folder.iterdir() if path.is_file()}


def packed(frames: Path, out: Path, given: Mapping[str, Any]) -> dict[str, bytes]:
    with working(threads=2) as context:
        pack(job(frames, out / "otter", **given), context)
    return files_of(out)


GIVEN: list[dict[str, Any]] = [
    {},
    {"mirrored": ["back=swim"], "reverse": True, "edge_repeat": 2, "gap": 1},
    {"scale": "50%", "premultiply": True},
    {"background": "#204060", "layout": "rows", "align": "center"},
    {"max_size": "400x320", "canvas": "common", "pivot": ["0.5,1", "swim=3px,4px"], "every": "2"},
    {"layout": "strip", "canvas": "animation", "metadata": "json,xml,css"},
]


@pytest.mark.parametrize(("given", "band"), [(GIVEN[0], 1 << 26), *((given, 1 << 17) for given in GIVEN)], ids=str)
def test_the_files_are_the_same(
    frames: Path, tmp_path: Path, given: Mapping[str, Any], band: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(png, "BAND_BYTES", band)
    monkeypatch.setattr(png, "STRIP_BYTES", 1 << 15)
    read: list[str] = []
    original = deferred.read_deferred
    monkeypatch.setattr(
        "agile_crate.sources.deferred.read_deferred", lambda *given: read.append(given[0].name) or original(*given)
    )
    at_once = packed(frames, tmp_path / "a", given)
    assert read == []
    monkeypatch.setattr(gather, "BYTES_BEFORE_DEFERRING", 0)
    assert packed(frames, tmp_path / "b", given) == at_once
    assert len(read) > 5
    assert len(read) == len(set(read))  # each once
    assert not {name for name in read if name.startswith(("turned", "sea"))}  # their headers do not tell all


def test_processes_read_them_just_so(frames: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    submit = Processes.submit
    at_once = packed(frames, tmp_path / "a", {})
    monkeypatch.setattr(gather, "BYTES_BEFORE_DEFERRING", 0)
    monkeypatch.setattr(gather, "MANY_FILES", 1)
    monkeypatch.setattr("agile_crate.pipeline.draw.MANY_DEFERRED", 1)
    begun: list[object] = []
    monkeypatch.setattr(Processes, "submit", lambda self, *task: begun.append(task) or submit(self, *task))
    assert packed(frames, tmp_path / "b", {}) == at_once
    assert len(begun) >= 2


@pytest.mark.parametrize(
    "given",
    [
        {"trim": "frame"}, {"layout": "tight"}, {"layout": "tight", "trim": "off"}, {"colors": 8}, {"pivot": "feet"},
        {"shift": "1,0", "canvas": "250x310"}, {"fit": "20x20"}, {"drop_duplicates": True}, {"drop_closing": True}, {"also_scale": "50%"}, {"color_key": "#000000"},
    ],
    ids=str,
)  # fmt: skip
def test_where_pixels_decide_they_are_read_at_once(
    frames: Path, tmp_path: Path, given: Mapping[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(gather, "BYTES_BEFORE_DEFERRING", 0)
    monkeypatch.setattr("agile_crate.sources.deferred.read_deferred", None)
    assert "otter.json" in packed(frames, tmp_path / "a", given)


def test_all_damaged_frames_are_named_and_nothing_is_written(
    frames: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(gather, "BYTES_BEFORE_DEFERRING", 0)
    for name in ("swim_3", "dive_2"):
        data = bytearray((frames / f"{name}.png").read_bytes())
        data[data.index(b"IDAT") + 9] ^= 1
        (frames / f"{name}.png").write_bytes(data)
    with pytest.raises(InputError, match=r"(?s)2 pictures cannot be read.*dive_2.png is damaged.*swim_3.png is dam"):
        packed(frames, tmp_path / "a", {})
    assert not (tmp_path / "a").exists() or not list((tmp_path / "a").iterdir())


def test_a_frame_that_changes_meanwhile_is_told(frames: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(gather, "BYTES_BEFORE_DEFERRING", 0)
    original = deferred.measured_or_read

    def changed(file: Any, *given: Any, **named: Any) -> Any:
        part = original(file, *given, **named)
        if file.name == "swim_4":
            save(Path(file.path), art(9, 9))
        return part

    monkeypatch.setattr(deferred, "measured_or_read", changed)
    with pytest.raises(InputError, match=r"swim_4.png changed while it was packed; export it again or"):
        packed(frames, tmp_path / "a", {})


def test_a_frame_larger_than_the_memory_is_told(frames: Path, tmp_path: Path) -> None:
    with (
        working(threads=1, memory=6000) as context,
        pytest.raises(InputError, match=r"dive_1.png takes 2.71 KB|.* by itself"),
    ):
        pack(job(frames, tmp_path / "a" / "otter"), context)


def test_files_that_hold_more_than_they_look_are_read_one_by_one(
    frames: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    whole = packed(frames, tmp_path / "a", {})
    monkeypatch.setattr("agile_crate.sources.decode.RESULT_BYTES", 5000)
    assert packed(frames, tmp_path / "b", {}) == whole


def test_hardly_any_memory_gives_the_same_files(frames: Path, tmp_path: Path) -> None:
    given = {"layout": "tight", "turn": True, "scale": "150%", "outline": "#201830:1", "hard_alpha": "128", "gap": "1"}
    whole = packed(frames, tmp_path / "a", given)
    with working(threads=2, memory=40_000) as context:
        pack(job(frames, tmp_path / "b" / "otter", **given), context)
        assert context.pixels.in_file > 50_000
        assert files_of(tmp_path / "b") == whole
        before, context.pixels.limit = context.pixels.in_file, 1 << 20
        for name in "cdef":  # one crate after the other has all of it
            pack(job(frames, tmp_path / name / "otter", **given), context)
        assert context.pixels.in_file == before


@pytest.mark.parametrize("comes_late", [False, True])
def test_a_folder_that_changes_while_it_is_read(
    frames: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, comes_late: bool
) -> None:
    """A file that was another when it was found is said; one that came since waits for the next build; one that is half
    written, or gone, is named, and nothing is written."""
    found = request.find
    half = save(tmp_path / "half.png", art(50, 40)).read_bytes()

    def then(change: Any) -> None:
        def find_then(*arguments: Any) -> Any:
            search = found(*arguments)
            change()
            return search

        monkeypatch.setattr(request, "find", find_then)

    if comes_late:
        monkeypatch.setattr(gather, "BYTES_BEFORE_DEFERRING", 0)
    with working(threads=2) as context:
        then(lambda: (save(frames / "swim_3.png", art(43, 30, 77)), save(frames / "swim_99.png", art(9, 9))))
        done = pack(job(frames, tmp_path / "out" / "o"), context)
        (warning,) = (told for told in done.warnings if "changed while" in told)
        assert warning.startswith(f"1 file changed while the folder was read: {frames / 'swim_3.png'}; ")
        assert "swim_99" not in {frame.name for frame in done.crate.frames}
        before = files_of(tmp_path / "out")
        for change, told in (
            (lambda: (frames / "swim_4.png").write_bytes(half[:90]), "swim_4.png is cut short"),
            (lambda: (frames / "swim_5.png").unlink(), "swim_5.png cannot be opened: no such file or directory"),
        ):
            then(change)
            with pytest.raises(InputError, match=told):
                pack(job(frames, tmp_path / "out" / "o"), context)
            assert files_of(tmp_path / "out") == before
            save(frames / "swim_4.png", art(44, 30, 4))
