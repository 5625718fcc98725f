"""Every limit: what just keeps to it works, what is just beyond it is one sentence that says which limit to raise."""

import re
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

import agile_crate
from agile_crate.core.errors import InputError, UsageError
from agile_crate.core.limits import ABOUT, USUAL, Limits
from agile_crate.core.message import key_of
from agile_crate.settings.readers import limit
from conftest import art
from file_bytes import layered, stored
from trust.test_hostile import dots

Files = Mapping[str, bytes]


def picture(w: int, h: int, kind: str = "PNG", **more: Any) -> bytes:
    return stored(art(w, h), kind, **more)


def render(layers: int) -> bytes:
    OpenEXR = pytest.importorskip("OpenEXR")  # noqa: N806
    light = np.ones((2, 2, 3), np.float16)
    names = [f"glow{n}.RGB" for n in range(layers)]
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with OpenEXR.File(header, dict.fromkeys(names, light)) as file:
        file.write("made.exr")
    return Path("made.exr").read_bytes()


LAYER = '<layer src="data/a.png" name="{0}"/>'
IN_GROUPS = f'<image w="4" h="3"><stack>{"<stack>" * 5}{LAYER.format(1)}{"</stack>" * 5}</stack></image>'
SIDE_BY_SIDE = f'<image w="4" h="3"><stack>{LAYER.format(1)}{LAYER.format(2)}</stack></image>'
SVG = '<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9">{}</svg>'
GIF = picture(9, 7, "GIF", save_all=True, append_images=[Image.fromarray(art(9, 7, n)) for n in (1, 2)])
TOML = b'[crate.o]\nfrom = "a.png"\nout = "n/o"\n'
PACK = ("pack", "frames", "--out", "out/o")
STILL = {"frames/a.png": picture(8, 6)}
BARE = ("unpack", "a.png", "--out", "f", "--islands")

CASES: dict[str, tuple[Callable[[], Files], tuple[str, ...], int]] = {
    "picture_pixels": (lambda: STILL, PACK, 48),
    "sheet_pixels": (lambda: STILL, ("unpack", "made.json", "--out", "f"), 48),
    "side_pixels": (lambda: STILL, PACK, 8),
    "layer_pixels": (lambda: {"frames/a.ora": layered(SIDE_BY_SIDE, {"data/a.png": picture(4, 3)})}, PACK, 24),
    "view_pixels": (lambda: {"frames/a_1.png": picture(8, 6)}, ("show", "made.json", "--out", "v.gif"), 48),
    "file_bytes": (lambda: STILL, PACK, len(picture(8, 6))),
    "metadata_bytes": (lambda: STILL, ("verify", "made.json"), -1),
    "text_bytes": (lambda: STILL | {"p.gpl": b"#201830\n" * 9}, (*PACK, "--palette", "p.gpl"), 72),
    "crate_file_bytes": (lambda: {"a.png": picture(8, 6), "o.crate.toml": TOML}, ("pack", "o.crate.toml"), len(TOML)),
    "unpacked_bytes": (lambda: {"frames/a.gif": GIF}, PACK, 3 * 4 * 63),
    "frames_bytes": (lambda: STILL, ("unpack", "made.json", "--out", "f"), 4 * 48),
    "frames": (lambda: {f"frames/a_{n}.png": picture(8, 6) for n in range(3)}, PACK, 3),
    "layers": (lambda: {"frames/a.exr": render(3)}, (*PACK, "--layers", "separate"), 3),
    "entries": (lambda: {"frames/a.ora": layered(SIDE_BY_SIDE, {"data/a.png": picture(4, 3)})}, PACK, 3),
    "elements": (lambda: {"frames/a.svg": SVG.format('<rect width="5" height="5"/>' * 6).encode()}, PACK, 7),
    "contour_sides": (lambda: {"frames/a.png": dots(4)}, (*PACK, "--shape", "contour"), 16),
    "islands": (lambda: {"a.png": dots(4)}, BARE, 4),
    "nesting": (lambda: {"frames/a.ora": layered(IN_GROUPS, {"data/a.png": picture(4, 3)})}, PACK, 5),
    "name_characters": (lambda: {f"frames/{'n' * 50}/{'m' * 49}.png": picture(8, 6)}, PACK, 100),
    "template_characters": (lambda: STILL | {"t.x.j2": b"{{ 'otter' }}!"}, (*PACK, "--template", "t.x.j2"), 6),
}  # fmt: skip

NOT_TO_THE_POINT = {"process_bytes", "seconds"}
"""The memory of a process differs between systems; tests/exports/test_template.py tests values far within and beyond.
"""


def told(folder: Path, words: tuple[str, ...]) -> tuple[int, str]:
    from prepared_program import run_prepared

    done = run_prepared(list(words), folder)
    return done.returncode, done.stderr


@pytest.mark.parametrize("name", CASES)
def test_just_within_and_just_beyond(name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    make, words, value = CASES[name]
    for path, data in make().items():
        Path(path).parent.mkdir(parents=True, exist_ok=True)
        Path(path).write_bytes(data)
    if "made.json" in words:
        assert told(tmp_path, ("pack", "frames", "--out", "made"))[0] == 0
    value = value if value > 0 else Path("made.json").stat().st_size
    before = sorted(tmp_path.rglob("*"))
    status, said = told(tmp_path, (*words, f"--limit={key_of(name)}={value - 1}"))
    assert status in (2, 3), said
    assert said.count("agile-crate: error: ") == 1
    assert f"--limit {key_of(name)}=N" in said or "limit = " in said, said
    assert [path for path in tmp_path.rglob("*") if path not in before] == []
    status, said = told(tmp_path, (*words, f"--limit={key_of(name)}={value}"))
    assert status == 0, said


def test_every_limit_is_tried_and_told() -> None:
    assert {*CASES, *NOT_TO_THE_POINT} == set(Limits._fields) == set(ABOUT)
    text = (Path(__file__).parents[2] / "docs" / "settings.md").read_text("utf-8")
    for name in Limits._fields:
        assert re.search(rf"\| `{key_of(name)}` \| [^|]+ \| {re.escape(ABOUT[name])} \|", text), name


def test_limits_of_a_crate_file_are_those_of_its_crates(tmp_path: Path) -> None:
    (tmp_path / "a.png").write_bytes(picture(8, 6))
    text = '[crate.small]\nfrom = "a.png"\nout = "out/small"\nlimit = { picture-pixels = 47 }\n[crate.large]\nfrom = "a.png"\nout = "out/large"\n'
    (tmp_path / "o.crate.toml").write_text(text, "utf-8")
    status, said = told(tmp_path, ("pack", "o.crate.toml"))
    assert (status, "crate 'small': a.png claims to have more than 47 pixels" in said) == (3, True), said
    assert (tmp_path / "out" / "large.json").is_file()
    assert told(tmp_path, ("pack", "o.crate.toml", "--limit", "picture-pixels=48"))[0] == 0


@pytest.mark.parametrize("text", ["", "frames", "frames=", "frames=0", "frames=-1", "frames=1.5", "frames=1e3", "frames=9x9", "otters=3", "file-bytes=2QB", "picture-pixels=9x9x9", f"frames={'9' * 40}"])  # fmt: skip
def test_what_is_no_limit(text: str) -> None:
    with pytest.raises(UsageError, match=r"is no limit|names no limit|amount of memory"):
        limit(text)


def test_scripts_set_limits_too(tmp_path: Path) -> None:
    (tmp_path / "a.png").write_bytes(picture(8, 6))
    with pytest.raises(agile_crate.InputError, match="limit='picture-pixels=N'"):
        agile_crate.pack(tmp_path / "a.png", tmp_path / "o", limit={"picture_pixels": 47})
    agile_crate.pack(tmp_path / "a.png", tmp_path / "o", limit={"picture-pixels": 48})


def test_limits_are_read_in_their_units() -> None:
    assert limit("file-bytes=2GB") == ("file_bytes", 2 << 30)
    assert limit("picture-pixels=9000x9000") == ("picture_pixels", 81_000_000)


def test_layers_that_share_one_entry_are_counted(tmp_path: Path) -> None:
    many = '<image w="4" h="3"><stack>' + '<layer src="data/a.png"/>' * 10_001 + "</stack></image>"
    (tmp_path / "a.ora").write_bytes(layered(many, {"data/a.png": picture(4, 3)}))
    status, said = told(tmp_path, ("pack", "a.ora", "--out", "o"))
    assert (status, "has more than 10,000 layers and groups; --limit entries=N allows more" in said) == (3, True)


@pytest.mark.parametrize("command", ["survey", "pack", "draft"])
def test_folders_are_not_walked_on_and_on(command: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for number in range(12):
        (tmp_path / f"f{number}").mkdir()
        (tmp_path / f"f{number}" / "swim_1.png").write_bytes(picture(8, 6))
    out = () if command == "survey" else ("--out", "new.toml" if command == "draft" else "o")
    status, said = told(tmp_path, (command, str(tmp_path), *out, "--limit", "frames=10"))
    assert (status, "holds more than 10 pictures; --limit frames=N allows more" in said) == (3, True)
    from agile_crate.sources import find

    monkeypatch.setattr(find, "LEAST_ENTRIES", 5)
    monkeypatch.setattr(find, "ENTRIES_A_FRAME", 0)
    with pytest.raises(
        InputError,
        match="holds too many files to look through for 1,000,000 frames; name the folders of frames, or limit='frames=N'",
    ):
        find.searched([str(tmp_path)], frozenset(), USUAL)
