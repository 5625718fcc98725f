"""The Otter Post: the demo frames that come with the program, and the full example on them.

`frames` are clean: an otter courier (idle, swim, dive, walking in four directions), a gull, a lantern and five
parcels at the harbour, a splash, and a strip of sea. `rough` are of the same kinds, each folder with something
wrong that its faults.txt tells. All were drawn by tools/otter_post. `templates` are worked examples of formats that an
engine of one's own may read: a Lua table, a C header, a Python module.
"""

from pathlib import Path

FOLDER = Path(__file__).parent
PARTS = ("frames", "rough", "templates")
ENDINGS = (".png", ".txt", ".j2")

_TEMPLATES = " ".join(f"--template {{folder}}/templates/{name}.j2" for name in ("table.lua", "frames.h", "frames.py"))

EXAMPLE = (
    ("otter", f"--columns 8 --fps 10 --fps swim=16 --metadata json,xml,css,csv --also-scale 50% {_TEMPLATES}"),
    ("harbour", "--gap 2 --margin 2 --pow2"),
    ("splash", "--columns 4 --fps 20 --loop once"),
    ("sea", ""),
)
"""Each build of the example: the folder of frames, which also names the crate, and the options, in which {folder}
is the demo's."""


def files() -> list[Path]:
    """All demo files, as paths below `FOLDER`, in order."""
    found = (path for part in PARTS for path in (FOLDER / part).rglob("*") if path.suffix in ENDINGS)
    return sorted(path.relative_to(FOLDER) for path in found)


def contents(path: Path) -> bytes:
    """One of these files."""
    return (FOLDER / path).read_bytes()
