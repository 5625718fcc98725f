"""Pages that are asked what they complained of, and a crate to look at."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from conftest import art, save

from .table import Open, Run, until


@pytest.fixture
def opened(browser: Any) -> Iterator[Open]:
    """Open a page; at the end, check that it logged no errors and requested nothing but itself."""
    heard: list[str] = []
    pages = []

    def open_(path: Path, fragment: str = "") -> Any:
        page = browser.new_page()
        pages.append((page, path.as_uri()))
        page.on("console", lambda message: None if "GL Driver Message" in message.text else heard.append(message.text))
        page.on("pageerror", lambda error: heard.append(str(error)))
        page.on("dialog", lambda dialog: (heard.append(dialog.message), dialog.dismiss()))
        asks = lambda request: None if request.url.startswith("data:") else heard.append(request.url)  # noqa: E731
        page.on("request", asks)
        page.goto(path.as_uri() + fragment)
        until(page, "!!window.lightTable")
        return page

    yield open_
    asked = [uri for _, uri in pages]
    for page, _ in pages:
        page.close()
    assert [said for said in heard if said.partition("#")[0] not in asked] == []


@pytest.fixture
def path(run: Run, tmp_path: Path) -> Path:
    for number in range(1, 6):
        pixels = art(24, 18, number)
        pixels[..., 3] = np.where(pixels[..., 3] > 100, 255, 0)
        save(tmp_path / "frames" / f"swim_{number}.png", pixels)
        save(tmp_path / "frames" / f"dive_{number}.png", art(20, 14, number + 9))
    save(tmp_path / "frames" / "buoy.png", np.full((8, 6, 4), (200, 30, 40, 255), np.uint8))
    times = "--fps 10 --loop swim=back-and-forth --loop dive=once --order swim --hold dive:2=3".split()
    options = ("--layout", "tight", "--turn", "--effort", "quick", "--mirrored", "left=swim", "--share-mirrored")
    assert run("pack", "frames", "--out", "o", *options, *times).returncode == 0
    done = run("show", "o.json", "--out", "o.html")
    assert (done.returncode, done.stdout) == (0, "wrote o.html\n")
    run("unpack", "o.json", "--out", "back")
    return tmp_path / "o.html"
