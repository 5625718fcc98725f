"""Names, numbers and sizes in sentences."""

from collections.abc import Iterable
from fractions import Fraction


def shown(name: str) -> str:
    r"""A name as it can be printed on one line of a terminal: anything unprintable is escaped.

    Names are untrusted; a newline, an escape sequence or a right-to-left mark in one must not break a table or fake a
    message.

    >>> shown("swim_01"), shown("two\nlines"), shown("\x1b[31mred")
    ('swim_01', 'two\\nlines', '\\x1b[31mred')
    """
    if name.isprintable():
        return name
    return "".join(c if c.isprintable() else ascii(c)[1:-1] for c in name)


def is_unicode(text: str) -> bool:
    """Return True if a text can be written in UTF-8: no half of a surrogate pair is in it, as bytes that are no text
    leave."""
    return text.isascii() or not any("\ud800" <= c <= "\udfff" for c in text)


def quoted(name: str) -> str:
    """A shown name in quotes, for the middle of a sentence."""
    return f"'{shown(name)}'"


def counted(number: int, noun: str, plural: str = "") -> str:
    """A number with its noun.

    >>> counted(1, "frame"), counted(12, "frame"), counted(2000, "copy", "copies")
    ('1 frame', '12 frames', '2,000 copies')
    """
    return f"{number:,} {noun if number == 1 else plural or noun + 's'}"


def joined(words: Iterable[str]) -> str:
    """Words as a list in a sentence.

    >>> joined(["a"]), joined(["a", "b"]), joined(["a", "b", "c"])
    ('a', 'a and b', 'a, b and c')
    """
    words = list(words)
    return " and ".join([", ".join(words[:-1]), words[-1]] if len(words) > 1 else words)


def few(names: Iterable[str], limit: int = 5) -> str:
    """Return the first names of a list, and the number of the others.

    >>> few(["a", "b", "c"], 2)
    'a, b and 1 more'
    """
    names = [shown(name) for name in names]
    return joined(names) if len(names) <= limit else f"{', '.join(names[:limit])} and {len(names) - limit:,} more"


def number_list(numbers: Iterable[int], dash: str = "-") -> str:
    """List numbers in order, with runs as ranges.

    >>> number_list([1, 2, 3, 7, 9, 10])
    '1-3, 7 and 9-10'
    """
    runs: list[list[int]] = []
    for number in sorted(set(numbers)):
        if runs and number == runs[-1][-1] + 1:
            runs[-1] = [runs[-1][0], number]
        else:
            runs.append([number])
    return few([dash.join(map(str, run)) for run in runs])


def measured(size: tuple[int, int]) -> str:
    """Return a size in pixels as text: ``96×48``."""
    return f"{size[0]}×{size[1]}"


def percent(share: Fraction) -> str:
    """A share as a percentage, exactly if it has few decimals.

    >>> percent(Fraction(1, 2)), percent(Fraction(1, 8)), percent(Fraction(1, 3))
    ('50%', '12.5%', '33.3333%')
    """
    return f"{float(share * 100):.6g}%"


def bytes_shown(number: int) -> str:
    """A number of bytes with three significant digits, in units of 1,024.

    >>> bytes_shown(800), bytes_shown(64 * 1024), bytes_shown(67_108_864)
    ('800 B', '64.0 KB', '64.0 MB')
    """
    value = float(number)
    for unit in ("B", "KB", "MB"):
        if value < 1024:
            return f"{value:.{0 if unit == 'B' or value >= 100 else 1}f} {unit}"
        value /= 1024
    return f"{value:.2f} GB"
