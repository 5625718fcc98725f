"""How whoever asked hears of what is done."""

from collections.abc import Callable

Progress = Callable[[str, int, int], None]
"""Told what is being done, how much of it is done, and of how much."""


def silent(doing: str, done: int, total: int) -> None:
    """Progress that nobody watches."""
