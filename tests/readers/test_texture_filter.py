"""Edge repeat on real OpenGL (pyglet on EGL, no screen): with a linear filter no neighbor's color shows."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from conftest import save

SCALE = 2.5


def red_seen(document: dict[str, Any], folder: Path) -> int:
    """The number of pixels of the blue frames that show red at 2.5 times their size with a linear filter."""
    import pyglet

    pyglet.options["headless"] = True
    from pyglet import gl

    window = pyglet.window.Window(64, 64, visible=False)
    try:
        path = folder / document["sheets"][0]["image"]
        with path.open("rb") as stream:
            sheet = pyglet.image.load(str(path), file=stream).get_texture()
        gl.glBindTexture(gl.GL_TEXTURE_2D, sheet.id)
        gl.glTexParameteri(gl.GL_TEXTURE_2D, gl.GL_TEXTURE_MIN_FILTER, gl.GL_LINEAR)
        gl.glTexParameteri(gl.GL_TEXTURE_2D, gl.GL_TEXTURE_MAG_FILTER, gl.GL_LINEAR)
        height = document["sheets"][0]["size"][1]
        seen = 0
        for frame in document["frames"]:
            if "blue" not in frame["name"]:
                continue
            x, y, w, h = frame["box"]
            region = sheet.get_region(x, height - y - h, w, h)
            gl.glClearColor(0, 0, 0, 1)
            gl.glClear(gl.GL_COLOR_BUFFER_BIT)
            gl.glDisable(gl.GL_BLEND)
            region.blit(4, 4, width=w * SCALE, height=h * SCALE)
            shown = pyglet.image.get_buffer_manager().get_color_buffer().get_image_data()
            pixels = np.frombuffer(shown.get_data("RGBA", 64 * 4), np.uint8).reshape(64, 64, 4)
            assert pixels[..., 2].max() == 255
            seen += int(np.count_nonzero(pixels[..., 0]))
        return seen
    finally:
        window.close()


def test_with_edge_repeat_no_neighbor_shows_and_without_it_some_do(run: Callable[..., Any], tmp_path: Path) -> None:
    for number in range(1, 10):  # in three columns, so that each has the other color on every side
        name, color = ("blue", (0, 0, 255, 255)) if number % 2 else ("red", (255, 0, 0, 255))
        save(tmp_path / "frames" / f"{number}_{name}.png", np.full((8, 8, 4), color, np.uint8))
    counts = {}
    for name, options in (("bare", ()), ("repeated", ("--edge-repeat", 1))):
        run("pack", "frames", "--out", name, "-q", "--columns", 3, *options)
        counts[name] = red_seen(json.loads((tmp_path / f"{name}.json").read_text("utf-8")), tmp_path)
    assert counts["bare"] > 0
    assert counts["repeated"] == 0
