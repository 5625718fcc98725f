"""Words that people may type for ours: names from before the first release, and words of the trade."""

from __future__ import annotations

OURS = {
    # Options and settings under their former names.
    "keep_touches": "keep_edits", "again": "rebuild", "squeeze": "optimize", "alike": "tolerance",
    "forget_offsets": "no_offsets", "alpha_floor": "trim_alpha", "clear_below": "clear_alpha",
    "part": "split_touching", "part_animations": "break_animations", "drop_copies": "drop_duplicates",
    "keep_repeats": "store_duplicates", "allow": "ignore", "allowed": "baseline", "save_allowed": "write_baseline",
    "steady": "normal",
    # Finding codes under their former names.
    "exchanged": "frames_swapped", "name_says_nothing": "name_generic", "name_twice": "name_duplicate",
    "number_twice": "number_duplicate", "speck": "stray_pixels", "file_odd": "file_unrelated",
    "size_departs": "size_differs", "colour_departs": "tint_differs", "colours_foreign": "color_profile",
    "colours_many": "colors_many", "copies": "duplicates", "copies_nearly": "near_duplicates",
    # Words of the trade.
    "padding": "gap", "spacing": "gap", "border": "margin", "rotate": "turn", "format": "metadata", "output": "out",
    "framerate": "fps", "frame_rate": "fps", "background_color": "background", "colour_key": "color_key",
    "bounce": "back_and_forth", "repeat": "forever",
}  # fmt: skip
"""Our word for each, spelled with underscores."""


def spelled(name: str) -> str:
    """Return a name without its leading dashes, in lower case, and with underscores.

    >>> spelled("--Keep-Touches")
    'keep_touches'
    """
    return name.lstrip("-").replace("-", "_").casefold()
