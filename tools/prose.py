"""Measures prose: the sentences of every page, and the habits that docs/dev/language.md asks us to drop.

python tools/prose.py           a line for each page, then the counts of each habit
python tools/prose.py --show    also every place that a pattern finds
"""

from __future__ import annotations

import argparse
import ast
import io
import re
import tokenize
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parents[1]

LONGEST_LINE, LONGEST_SENTENCE = 200, 40
"""Characters of a line of source, and words of a sentence."""

PAGES = ("*.md", "docs/**/*.md", "readers/**/*.md", "src/agile_crate/cli/help_texts/**/*.txt")
SOURCES = ("src/**/*.py", "tests/**/*.py", "tools/**/*.py", "bench/**/*.py")

BRITISH = ("colour", "grey", "centre", "centring", "neighbour", "favour", "behaviour", "honour", "analyse", "catalogue",
           "anticlockwise", "travelled", "labelled", "modelled", "licence", "recognise", "organise",
           "normalise")  # fmt: skip

HABITS = {
    "told, said, there": r"\b(?:told|said|there)\b",
    "what … is": r"\bwhat is\b",
    "there is … that": r"\bthere (?:is|are)\b[^.;:]* that\b",
    "British spelling": "|".join(BRITISH),
}
"""Patterns that find a habit, in any letters."""

OPENERS = re.compile(r"(?:Whether|What|Who|How|Where)\b")
"""With which no docstring begins."""


class Page(NamedTuple):
    """The figures of a page: its sentences, their mean length in words, and the longest."""

    path: Path
    sentences: int
    mean: float
    longest: str


def paragraphs(text: str) -> Iterator[str]:
    """Yield the running text of a page: neither code, tables nor headings; each entry of a list by itself."""
    text = re.sub(r"^```.*?^```", "", text, flags=re.MULTILINE | re.DOTALL)
    for block in re.split(r"\n\s*\n|\n(?=\s*(?:[-*]|\d+\.) )", text):
        lines = [line.strip() for line in block.splitlines()]
        if lines and not any(line.startswith(("|", "#", "!", "<")) for line in lines):
            yield re.sub(r"^(?:[-*]|\d+\.) ", "", " ".join(lines)).strip()


def sentences(text: str) -> list[str]:
    """Return the sentences of a page, with a word in place of every piece of code and every address."""
    found = []
    for paragraph in paragraphs(text):
        plain = re.sub(r"`[^`]*`", "Code", re.sub(r"\[([^]]*)\]\([^)]*\)", r"\1", paragraph))
        found += [one for one in re.split(r"(?<=[.!?])[)*\"]* (?=[A-Z*\"(])", plain) if one.strip()]
    return found


def words(sentence: str) -> int:
    return len(re.findall(r"[\w'’-]+", sentence))


def page_of(path: Path) -> Page | None:
    """Return the figures of a page, None for one without a sentence."""
    found = sentences(path.read_text("utf-8"))
    if not found:
        return None
    counts = [words(one) for one in found]
    return Page(path, len(found), sum(counts) / len(counts), found[counts.index(max(counts))])


def pages() -> list[Page]:
    paths = sorted({path for pattern in PAGES for path in ROOT.glob(pattern) if "node_modules" not in path.parts})
    return [page for path in paths if (page := page_of(path))]


def texts_of(source: str) -> Iterator[tuple[int, str]]:
    """Yield the strings and comments of a module, with their lines."""
    for token in tokenize.generate_tokens(io.StringIO(source).readline):
        if token.type in (tokenize.STRING, tokenize.COMMENT):
            yield token.start[0], token.string


def docstrings(source: str) -> Iterator[tuple[int, str]]:
    """Yield every docstring, those of constants included, with the line that it begins on."""
    for node in ast.walk(ast.parse(source)):
        for statement in getattr(node, "body", []) if not isinstance(node, (ast.Lambda, ast.IfExp)) else []:
            match statement:
                case ast.Expr(ast.Constant(str(text))):
                    yield statement.lineno, text


def found_in(path: Path) -> Iterator[tuple[str, int, str]]:
    """Yield the habits in a file: the habit, the line, and the text around it. Of a module only strings and comments
    count, for names may be anything."""
    source = path.read_text("utf-8")
    is_code = path.suffix == ".py"
    for line, text in texts_of(source) if is_code else enumerate(source.splitlines(), 1):
        for habit, pattern in HABITS.items():
            for match in re.finditer(pattern, text, re.IGNORECASE):
                yield habit, line, text[max(0, match.start() - 30) : match.end() + 30].replace("\n", " ")
    if is_code:
        yield from (("docstring opener", line, text[:60]) for line, text in docstrings(source) if OPENERS.match(text))
    for number, line_text in enumerate(source.splitlines(), 1):
        if len(line_text) > LONGEST_LINE:
            yield f"over {LONGEST_LINE} characters", number, line_text[:60]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.partition("\n")[0])
    parser.add_argument("--show", action="store_true", help="print every place")
    is_shown = parser.parse_args().show
    for page in pages():
        longest = words(page.longest)
        figures = f"{page.sentences:4} sentences, {page.mean:4.1f} words, longest {longest}"
        print(f"{page.path.relative_to(ROOT)!s:48} {figures}")
        if is_shown and longest > LONGEST_SENTENCE:
            print(f"    {page.longest}")
    for part in (PAGES, SOURCES[:1], SOURCES[1:]):
        counts: dict[str, int] = {}
        for path in sorted({path for pattern in part for path in ROOT.glob(pattern)}):
            for habit, line, text in found_in(path):
                counts[habit] = counts.get(habit, 0) + 1
                if is_shown:
                    print(f"{path.relative_to(ROOT)}:{line}: {habit}: {text}")
        print(f"{part[0]}: " + ", ".join(f"{habit} {count}" for habit, count in sorted(counts.items())))


if __name__ == "__main__":
    main()
