"""The page's style sheet: the colors and fonts of `theme`, which films, strips and charts share."""

from __future__ import annotations

from collections.abc import Mapping
from importlib import resources

from .theme import (
    AFTER,
    BEFORE,
    CHECKER,
    ERROR,
    FEET,
    FIGURES,
    GAP_TONE,
    GOOD,
    GROUND,
    INK,
    MASS,
    NOTE,
    OUTLINE,
    OUTSIDE_TONE,
    PAPER,
    PIVOT,
    STILL_TONE,
    TONES,
    TYPEFACE,
    WARNING,
)

ALWAYS = {
    **{f"tone-{index}": tone.hex for index, tone in enumerate(TONES)},
    "still": STILL_TONE.hex,
    "before": BEFORE.hex,
    "after": AFTER.hex,
    "ground": GROUND.hex,
    "pivot": PIVOT.hex,
    "outline": OUTLINE.hex,
    "feet": FEET.hex,
    "mass": MASS.hex,
    "checker-light": CHECKER[0].hex,
    "checker-dark": CHECKER[1].hex,
    "paper-light": PAPER.hex,
    "paper-dark": INK.hex,
    "gap": f"{GAP_TONE.hex}b0",
    "chosen": f"{TONES[0].hex}40",
    "flash": TONES[1].hex,
    "error": ERROR.hex,
    "warning": WARNING.hex,
    "note": NOTE.hex,
    "good": GOOD.hex,
    "letters": TYPEFACE,
    "figures": FIGURES,
}
"""Styles common to the light and dark schemes."""

LIGHT = {
    "desk": "#f0f1ee", "paper": PAPER.hex, "ink": INK.hex, "faint": "#5a6272", "rule": OUTSIDE_TONE.hex,
    "well": "#dfe2e6", "lane": "#e6e9ee", "lane-back": "#f0e9dd", "label": "#fafaf8d8", "accent": TONES[0].hex,
    "on-accent": "#ffffff", "accent-text": "#0050b4",
}  # fmt: skip

DARK = {
    "desk": "#12161d", "paper": INK.hex, "ink": "#e8ebf0", "faint": "#a6afbd", "rule": "#3b4656", "well": "#0c0f14",
    "lane": "#29313f", "lane-back": "#3a342b", "label": "#1c212bd8", "accent": TONES[6].hex, "on-accent": "#10141b",
    "accent-text": TONES[6].hex,
}  # fmt: skip


def page_style() -> str:
    """The whole style sheet."""
    own = (resources.files(__package__) / "page" / "page.css").read_text("utf-8")
    dark = f"@media (prefers-color-scheme: dark) {{ {_root(DARK)} }}\n"
    return f"{_root({**ALWAYS, **LIGHT})}\n:root {{ color-scheme: light dark; }}\n{dark}{own}"


def _root(values: Mapping[str, str]) -> str:
    return f":root {{ {' '.join(f'--{name}: {value};' for name, value in values.items())} }}"
