"""A page of several crates: a list of them, and an address for each."""

from pathlib import Path
from typing import Any
from urllib.parse import quote

from conftest import art, save

from .table import HOSTILE, Open, Run, state, until


def at_crate(page: Any, name: str) -> None:
    """Wait until the page, which starts anew, shows a crate."""
    page.locator("h1", has_text=name).wait_for()
    until(page, "!!window.lightTable")


def test_the_list_leads_from_crate_to_crate(run: Run, tmp_path: Path, opened: Open) -> None:
    for name, count in (("gull", 3), ("otter & <co>", 4)):
        for number in range(1, count + 1):
            save(tmp_path / "frames" / name / f"swim_{number}.png", art(16, 12, number + count))
    (tmp_path / "p.crate.toml").write_text('[each."frames/*"]\nout = "build/{name}"\n', "utf-8")
    assert run("show", "p.crate.toml", "--out", "o.html").returncode == 0
    page = opened(tmp_path / "o.html")
    links = page.locator("nav[aria-label=Crates] a")
    assert links.all_text_contents() == ["gull", "otter & <co>"]
    assert (page.title(), page.text_content("h1")) == ("gull", "gull")
    links.nth(1).click()
    at_crate(page, "otter & <co>")
    assert page.text_content("nav [aria-current]") == "otter & <co>"
    assert page.evaluate("lightTable.stage.show.frames.length") == 4
    page.keyboard.press("ArrowRight")
    until(page, "location.hash.includes('step=')")
    page.reload()
    at_crate(page, "otter & <co>")
    assert (page.text_content("h1"), state(page, "playing")) == ("otter & <co>", False)
    page.go_back()
    at_crate(page, "gull")


def test_an_address_names_a_crate_and_its_animation(run: Run, tmp_path: Path, opened: Open) -> None:
    name = HOSTILE[0].replace("/", "∕")
    for folder in ("gull", name):
        for animation in ("dive", "swim"):
            for number in (1, 2):
                save(tmp_path / "frames" / folder / f"{animation}_{number}.png", art(9, 9, number))
    (tmp_path / "p.crate.toml").write_text('[each."frames/*"]\nout = "build/{name}"\n', "utf-8")
    assert run("survey", "p.crate.toml", "--page", "o.html").returncode == 0
    page = opened(tmp_path / "o.html", f"#crate={quote(name)}&animation=swim")
    assert page.text_content("h1") == name
    assert page.evaluate("lightTable.stage.show.name") == "swim"
    other = opened(tmp_path / "o.html", "#crate=nobody")
    assert other.text_content("nav [aria-current]") == other.text_content("h1")
