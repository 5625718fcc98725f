"""Copy the demo frames to a folder."""

from __future__ import annotations

from pathlib import Path

from ..core.errors import OutputError
from ..core.message import a_file
from ..demo import COMING, contents, files
from ..storage.staging import holds, staged


def write_frames(folder: Path) -> int:
    """Copy the demo files, all or none, and return the number of pictures. Existing files
    stay; one that differs is an error: raises OutputError."""
    frame_goes(folder)
    pictures = 0
    with staged(folder) as staging:
        for path in files():
            target, data = folder / path, contents(path)
            pictures += path.suffix == ".png" and path.parts[0] == "frames"
            if not target.exists():
                staging.write(path.as_posix(), [data])
            elif not holds(target, data):
                raise OutputError("{} already exists with other content; choose another folder", a_file(str(target)))
        staging.commit()
    return pictures


def frame_comes(folder: Path) -> Path:
    """Write one more frame, in all skins, and return its path. Raises OutputError."""
    with staged(folder) as staging:
        for new, like in COMING:
            staging.write(new.as_posix(), [contents(like)])
        staging.commit()
    return folder / COMING[0][0]


def frame_goes(folder: Path) -> None:
    """Delete that frame if it is unchanged."""
    for new, like in COMING:
        if (folder / new).is_file() and holds(folder / new, contents(like)):
            (folder / new).unlink()
