"""The docs say what the program does: examples run, the reference is current, links lead somewhere."""

import json
import re
import shlex
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

import agile_crate
from agile_crate.cli.main import COMMANDS, help_of
from agile_crate.core.inspect.finding import CODES
from conftest import Run

TOP = Path(__file__).parents[1]
README = (TOP / "README.md").read_text("utf-8")
DOCS = sorted(str(path.relative_to(TOP)) for path in (TOP / "docs").rglob("*.md"))


@pytest.mark.parametrize(
    ("tool", "page"), [("settings_reference", "settings.md"), ("command_reference", "programmers/commands.md")]
)
def test_references_are_current(tool: str, page: str) -> None:
    made = subprocess.run([sys.executable, TOP / f"tools/{tool}.py"], capture_output=True, check=True).stdout
    assert made.decode() == (TOP / "docs" / page).read_text("utf-8")


def documented(command: str) -> set[str]:
    """The keys of a command's JSON, in docs/programmers/command-line.md."""
    page = (TOP / "docs/programmers/command-line.md").read_text("utf-8")
    (part,) = re.findall(rf"^\*\*{command}\*\*: (.*?)(?=^\*\*|\Z)", page, re.MULTILINE | re.DOTALL)
    return set(re.findall(r"`([a-z_]+)`", part))


def keys_of(value: Any) -> set[str]:
    """Every key in a JSON value, but for names of the user's."""
    if isinstance(value, list):
        return set().union(*map(keys_of, value))
    if not isinstance(value, dict):
        return set()
    return set(value) | set().union(*(keys_of(one) for key, one in value.items() if key not in ("skipped", "skins")))


@pytest.mark.usefixtures("demo")
@pytest.mark.parametrize(
    "line",
    [
        "pack otter-post/frames/otter --out build/o --layout blocks --also-scale 50% --explain", "survey otter-post/rough",
        "verify otter-post/crate/otter.json --against otter-post/frames/otter", "cache", "schema json", "help layout",
        "show otter-post/crate/otter.json --out look/o.png", "show otter-post/crate/otter.json --against otter-post/crate/buoy.json",
        "unpack otter-post/crate/otter.json --out back", "unpack otter-post/crate/harbor.png --islands --out cut --split-touching",
        "draft otter-post/frames/otter --out d.crate.toml", "describe otter-post/crate/sea.json --metadata css --out sea",
    ],
)  # fmt: skip
def test_every_key_of_json_is_documented(run: Run, line: str) -> None:
    done = run(*line.split(), "--json")
    said = json.loads(done.stdout)
    if line.startswith(("draft", "schema")):
        said = dict.fromkeys(said)
    assert keys_of(said) - documented(line.split()[0]) - {"command"} == set(), done.stderr


@pytest.mark.parametrize("page", ["README.md", "CONTRIBUTING.md", "SECURITY.md", *DOCS])
def test_links_lead_somewhere(page: str) -> None:
    for target in re.findall(r"\]\(([^)#]+)\)", (TOP / page).read_text("utf-8")):
        assert ((TOP / page).parent / target).exists(), target


@pytest.mark.parametrize("page", ["README.md", "CONTRIBUTING.md", "SECURITY.md", *DOCS])
def test_code_that_is_named_is_there(page: str) -> None:
    """Those who follow a page to a test, a tool or a module find it."""
    made = set(re.findall(r"Make `([^`]+)`", (TOP / page).read_text("utf-8")))
    named = re.findall(
        r"`((?:tests|tools|bench|src|readers|core|pipeline|settings|sources)/[\w./-]*)`",
        (TOP / page).read_text("utf-8"),
    )
    tops = (TOP, TOP / "src/agile_crate")
    assert [name for name in named if name not in made and not any((top / name).exists() for top in tops)] == []


def test_every_screenshot_is_in_the_readme() -> None:
    shots = sorted(path.name for path in (TOP / "docs/screenshots").iterdir())
    assert sorted(set(re.findall(r"docs/screenshots/([\w-]+\.png)", README))) == shots
    assert len(shots) < 20


TOPICS = sorted((TOP / "src/agile_crate/cli/help_texts/topics").glob("*.txt"))


EXAMPLES = {
    "README": [line for line in README.splitlines() if line.startswith("agile-crate ")],
    "commands": [line for name in COMMANDS for line in help_of(name)[2].splitlines()],
    "topics": [line for topic in TOPICS for line in topic.read_text("utf-8").splitlines()],
}


@pytest.mark.usefixtures("demo")
@pytest.mark.parametrize("where", EXAMPLES)
def test_every_example_runs_on_the_demo(run: Run, where: str) -> None:
    count, seen = 0, set()
    for line in EXAMPLES[where]:
        for command in re.findall(
            r"agile-crate ((?:pack|draft|survey|verify|describe|unpack|show|schema) .*?)(?= &&|$)", line
        ):
            count += 1
            if command in seen or (where != "README" and command in str(EXAMPLES["README"])):
                continue
            seen.add(command)
            shared = command.startswith(("show", "draft")) and "--out" in command
            done = run(*shlex.split(command), *(["--force"] if shared else []))  # some share a name
            assert done.returncode in (0, 1 if "--strict" in command else 0), (line, done.stderr)
    assert count >= 5


@pytest.mark.usefixtures("demo")
def test_the_readme_shows_what_is_printed(run: Run) -> None:
    (command,) = re.findall(r"agile-crate (pack .* swim=16)\n", README)
    assert f"agile-crate {command}\n\n{run(*shlex.split(command)).stdout}```" in README


@pytest.mark.usefixtures("demo")
def test_the_readmes_script_runs(run: Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    scope: dict[str, object] = {}
    exec(re.search(r"```python\n(.*?)```", README, re.DOTALL).group(1), scope)
    assert scope["pixels"].shape == (96, 96, 4)


@pytest.mark.usefixtures("demo")
def test_the_examples_for_scripts_run(
    run: Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    page = (TOP / "docs/programmers/scripts.md").read_text("utf-8")
    examples = re.findall(r"```python\n(.*?)```", page, re.DOTALL)
    assert len(examples) > 4
    scope: dict[str, object] = {}
    for example in examples:
        exec(example, scope)
    printed = capsys.readouterr().out
    for line in ("(96, 96, 4) uint8 255", "42 of 42 frames came back to the pixel", "speck "):
        assert line in printed
    (promised,) = re.findall(r"# (frame 'dive/dive_01' .*), …", page)
    assert promised in printed


def test_the_version_stands_in_one_place() -> None:
    said = [
        p for p in TOP.glob("**/*.toml") if ".venv" not in p.parts and agile_crate.__version__ in p.read_text("utf-8")
    ]
    assert said == []
    assert f"## {agile_crate.__version__}" in (TOP / "CHANGELOG.md").read_text("utf-8")


def test_every_finding_is_described() -> None:
    text = (TOP / "docs/survey.md").read_text("utf-8")
    described = re.findall(r"^\| `([a-z-]+)` \| (?:error|warning|note)", text, re.MULTILINE)
    assert described == list(CODES)
