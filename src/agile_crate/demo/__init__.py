"""The Otter Post: the demo frames that come with the program, and the project that is built of them.

`frames` are clean: an otter courier (idle, swim, dive, walking in four directions), a gull, a lantern and five parcels
at the harbor, a splash, and a strip of sea. `vectors` are a buoy, drawn as SVG, and `rendered` is a flare, as OpenEXR.
`rough` are of the same kinds; each folder has one fault, listed in faults.txt. `skins` are the otter in a raincoat, and
a scarf as a layer. tools/otter_post drew all of them. `templates` are worked examples of formats for other engines: a
Lua table, a C header, a Python module, a scene resource.
"""

from pathlib import Path

FOLDER = Path(__file__).parent
PARTS = ("frames", "vectors", "rendered", "rough", "skins", "templates")
ENDINGS = (".png", ".svg", ".exr", ".txt", ".j2")

CRATE_FILE = "otter-post.crate.toml"
"""The project: a crate file for the frames."""

COMING = tuple(
    (Path(art) / "walk_up" / "walk_up_04.png", Path(art) / "walk_up" / "walk_up_02.png")
    for art in ("frames/otter", "skins/raincoat", "skins/scarf")
)
"""A frame that is added after the first build, in all skins, and the frame that it copies."""


def files() -> list[Path]:
    """Return all demo files, as paths below `FOLDER`, in order."""
    found = (path for part in PARTS for path in (FOLDER / part).rglob("*") if path.suffix in ENDINGS)
    return sorted(path.relative_to(FOLDER) for path in (*found, FOLDER / CRATE_FILE))


def contents(path: Path) -> bytes:
    """Return the contents of a demo file."""
    return (FOLDER / path).read_bytes()
