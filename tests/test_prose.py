"""Our prose keeps to docs/dev/language.md, as far as a program can tell. The figures may only get better."""

import sys
from collections import Counter
from pathlib import Path

import pytest

TOP = Path(__file__).parents[1]
sys.path.insert(0, str(TOP / "tools"))

import prose  # noqa: E402

MOST = {"told, said, there": 34, "what … is": 13, "there is … that": 1, "British spelling": 4}
"""Of each habit in `src`; lower these whenever you can. The British words are those that users may type."""

PAGES = sorted(path.relative_to(TOP).as_posix() for path in [*TOP.glob("*.md"), *(TOP / "docs").rglob("*.md")])

LONGEST_LINE = 200
"""Characters, and lines of a page."""


def test_habits_in_the_source_become_fewer() -> None:
    found = Counter(habit for path in (TOP / "src").rglob("*.py") for habit, *_ in prose.found_in(path))
    assert {habit: count for habit, count in found.items() if count > MOST.get(habit, 0)} == {}


@pytest.mark.parametrize("folder", ["bench", "src", "tests", "tools"])
def test_docstrings_begin_with_a_verb_or_a_noun(folder: str) -> None:
    openers = [
        f"{path}:{line}: {text}"
        for path in sorted((TOP / folder).rglob("*.py"))
        for line, text in prose.docstrings(path.read_text("utf-8"))
        if prose.OPENERS.match(text)
    ]
    assert openers == []


@pytest.mark.parametrize("page", PAGES)
def test_pages_are_short(page: str) -> None:
    lines = (TOP / page).read_text("utf-8").splitlines()
    assert len(lines) <= (130 if page == "README.md" else LONGEST_LINE)
    assert [line for line in lines if len(line) > LONGEST_LINE] == []


@pytest.mark.parametrize("page", PAGES)
def test_sentences_are_short(page: str) -> None:
    figures = prose.page_of(TOP / page)
    assert figures.mean <= 18
    assert prose.words(figures.longest) <= prose.LONGEST_SENTENCE, figures.longest


def test_sentences_are_counted_without_code_and_tables(tmp_path: Path) -> None:
    page = tmp_path / "page.md"
    page.write_text(
        "# A heading\n\nThe otter swims. It `dives --deep` now!\n\n| a | b |\n\n```\ncode here\n```\n\n- A list.\n"
    )
    assert prose.sentences(page.read_text()) == ["The otter swims.", "It Code now!", "A list."]
    figures = prose.page_of(page)
    assert (figures.sentences, figures.longest) == (3, "The otter swims.")
