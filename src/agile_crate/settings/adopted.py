"""The settings of frames whose pixels are on a sheet already."""

ADOPTED = (
    "include", "exclude", "frames", "numbers", "sequence", "rename", "split", "order", "mirrored", "reversed",
    "fps", "duration", "hold", "loop", "align", "pivot", "snap_pivot", "metadata", "compact", "template", "set",
)  # fmt: skip
