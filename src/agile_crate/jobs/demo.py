"""The demo frames, copied to a folder."""

from __future__ import annotations

from pathlib import Path

from ..core.errors import OutputError
from ..core.text import shown
from ..demo import contents, files
from ..exports.in_place import holds, staged


def write_frames(folder: Path) -> int:
    """Copies the demo files, all together or not at all, and returns how many pictures there are. Files that are there
    already stay; one that differs is an error: raises OutputError."""
    pictures = 0
    with staged(folder) as staging:
        for path in files():
            target, data = folder / path, contents(path)
            pictures += path.suffix == ".png" and path.parts[0] == "frames"
            if not target.exists():
                staging.write(path.as_posix(), [data])
            elif not holds(target, data):
                raise OutputError(f"{shown(str(target))} is already there and is not ours; choose another folder")
        staging.commit()
    return pictures
