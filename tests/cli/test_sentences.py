"""Everything that can be typed wrong, and is wrong with files: one plain sentence, the documented exit code, and every
file as it was. The sentences stand in sentences.txt, as the program says them."""

import shlex
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from conftest import art, save, tree
from file_bytes import layered, png
from prepared_program import run_prepared


def lines() -> Iterator[tuple[list[str], int, str]]:
    """Command lines with their exit code and sentence. What is not indented is how the lines below it begin."""
    begins = ""
    for line in Path(__file__).with_name("sentences.txt").read_text("utf-8").splitlines():
        if line.startswith(" "):
            words, _, said = line.strip().partition("=> ")
            yield shlex.split(f"{begins} {words}"), int(said[0]), said[2:]
        elif not line.startswith("#"):
            begins = line.removeprefix("agile-crate")


BOMB = png((100_000, 100_000, 8, 6, 0, 0, 0), bytes(1000))


def block(w: int, h: int, left: int, top: int, inner: tuple[int, int], seed: int = 0) -> np.ndarray:
    """A canvas with an opaque block on it."""
    pixels = np.zeros((h, w, 4), np.uint8)
    pixels[top : top + inner[1], left : left + inner[0]] = art(*inner, seed) | np.array([0, 0, 0, 255], np.uint8)
    return pixels


GROWING = "".join(f"<!ENTITY e{number} '" + f"&e{number - 1};" * 10 + "'>" for number in range(1, 10))

TEXTS = {
    "empty.txt": "; nothing\n", "bad.txt": "#201830\nblue\n", "many.txt": "\n".join(f"#{n:06x}" for n in range(3000)),
    "noise.bin": "\0\x7f" * 50, "bad.lua.j2": "return {\n{{ frmae }}\n", "a.json.j2": "{}", "pace.txt.j2": "{{ pace }}", "o.css": "mine", "a.toml": "mine",
    "all.crate.toml": '[crate.otter]\nfrom = "frames"\nout = "all/otter"\n', "boxes/a.csv": "", "boxes/b.csv": "name,x,y,w,h\n",
    "boxes/c.csv": "name,x,y,w,h\na,1,2,3\n", "boxes/d.csv": "name,x,y,w,h\na,1,2,3,4\n../b,1,2,3,4\n", "boxes/e.csv": "name,x,y,w,h\ncon,1,2,3,4\n",
    "boxes/f.csv": "name,x,y,w,h\na,1,2,3,-4\n", "boxes/g.csv": "name,x,y,w,h\na,70,2,7,4\n", "boxes/h.csv": "name,x,y,w,h\na,1,2,0,4\n",
    "boxes/i.csv": "name,x,y,w,h\na,1,2,3,4\nA,1,2,3,4\n", "boxes/j.csv": 'name,x,y,w,h\n"a,1,2,3,4\n',
    "grows.xml": f"<!DOCTYPE crate [<!ENTITY e0 'otter'>{GROWING}]><crate name='&e9;'/>",
}  # fmt: skip


@pytest.fixture(scope="module")
def post(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with frames, good and spoilt, crates and texts: no line changes any of it."""
    top = tmp_path_factory.mktemp("post")
    pictures = {f"frames/swim/swim_{n:02}": art(8, 8, n) for n in range(1, 14)}
    pictures |= {f"poses/walk/walk_{n}": block(40, 30, 10, 13, (20, 15)) for n in range(1, 5)}
    pictures |= {f"poses/lie/lie_{n}": block(60, 20, 15, 8, (30, 10)) for n in range(1, 5)}
    pictures |= {f"shapes/{name}/{name}_{n}": block(32, 32, 4 * n, 9, size) for name, size in (("run", (17, 5)), ("dive", (9, 11))) for n in range(1, 4)}  # fmt: skip
    pictures |= {"letters/letter": art(8, 6), "earlier/o_01": art(8, 6), "nothing": art(8, 6) * 0}
    pictures["two rows"] = np.vstack([block(76, 24, 2, 2, (14, 20)) + block(76, 24, 40, 2, (14, 20))] * 2)
    for name, pixels in pictures.items():
        save(top / f"{name}.png", pixels)
    whole = (top / "frames/swim/swim_01.png").read_bytes()
    layer = '<image w="8" h="8"><stack><layer name="../up" src="a.png"/></stack></image>'
    spoilt = {
        "text_1.png": b"Dear otter", "empty_1.png": b"", "cut_1.png": whole[:-20], "damaged_1.png": whole[:50] + b"\0\0\0" + whole[53:], "bomb_1.png": BOMB,
        "three/a.png": b"", "three/b.png": whole[:-20], "three/c.jpg": b"x", "clash/a/01.png": whole, "clash/a/01.gif": whole,
        "layers.ora": layered(layer, {"a.png": whole}), "no stack.ora": layered(None, {}),
    }  # fmt: skip
    for name, data in {**{name: text.encode() for name, text in TEXTS.items()}, **{f"spoilt/{name}": data for name, data in spoilt.items()}}.items():  # fmt: skip
        (top / name).parent.mkdir(parents=True, exist_ok=True)
        (top / name).write_bytes(data)
    for words in ("frames --out o --gap 1 --margin 2 --columns 5", "letters --out stills", "letters --out build/otter", "letters --out wide --size 16384x8"):  # fmt: skip
        assert run_prepared(["pack", *words.split()], top).returncode == 0
    return top


@pytest.mark.parametrize(
    ("words", "status", "sentence"), list(lines()), ids=lambda value: " ".join(value) if isinstance(value, list) else ""
)
def test_one_sentence_and_every_file_as_it_was(post: Path, words: list[str], status: int, sentence: str) -> None:
    before = tree(post)
    done = run_prepared(words, post)
    assert (done.returncode, done.stdout) == (status, ""), done.stderr
    said = done.stderr.replace("\n  ", " ").replace(f"{post}/", "")
    assert said == f"agile-crate: error: {sentence}\n"
    assert tree(post) == before
