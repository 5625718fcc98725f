"""Settings in the order of a user's tasks, for the help and the reference."""

from __future__ import annotations

GROUPS = {
    "size and pixel art": (
        "region", "scale", "resample", "fit", "fit_to", "also_scale", "matched", "canvas", "canvas_multiple", "outline",
        "color_key", "vector_size", "font", "exposure", "to_srgb",
    ),
    "timing": ("fps", "duration", "hold", "loop"),
    "layout": (
        "layout", "columns", "rows", "cell", "square_cells", "down", "gap", "margin", "cushion", "edge_repeat",
        "max_size", "size", "pow2", "square", "multiple", "one_sheet", "break_animations", "turn", "share_mirrored",
        "store_duplicates", "aspect", "keep_places",
    ),
    "trim and pivot": ("trim", "trim_alpha", "no_offsets", "align", "shift", "pivot", "snap_pivot"),
    "formats": (
        "metadata", "template", "set", "compact", "file_name", "image", "premultiply", "background", "optimize",
    ),
    "choosing frames": (
        "include", "exclude", "frames", "numbers", "every", "drop_duplicates", "drop_closing", "tolerance",
        "sequence", "rename", "split", "order", "reverse", "mirrored", "reversed", "layers", "digits",
    ),
    "palettes and shapes": (
        "palette", "colors", "dither", "recolor", "clear_alpha", "hard_alpha", "fill_under", "shape", "shape_points",
        "shape_of",
    ),
    "builds and machines": ("effort", "limit"),
}  # fmt: skip
"""The names of all settings, each in one group."""
