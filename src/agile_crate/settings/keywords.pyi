"""The settings as keyword arguments, for completion and type checkers. Written by tools/settings_keywords.py."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from fractions import Fraction
from typing import Literal, TypeAlias, TypedDict, TypeVar

Path: TypeAlias = str | os.PathLike[str]
Number: TypeAlias = float | str | Fraction

T = TypeVar("T")
Each: TypeAlias = T | str | Mapping[str, T] | Sequence[T | str | Mapping[str, T]]
"""A value for all animations, a table of those for single ones, or a list of both."""

class Keywords(TypedDict, total=False):
    """Every setting of docs/settings.md; None is as if it had not been given."""

    include: str | Sequence[str] | None
    exclude: str | Sequence[str] | None
    digits: int | None
    layers: Literal["separate", "all", "flat"] | None
    sequence: str | Sequence[str] | Mapping[str, str | Sequence[str]] | None
    rename: str | Sequence[str] | Mapping[str, str] | None
    frames: Each[str] | None
    numbers: Each[str] | None
    split: str | Sequence[str] | Mapping[str, str | Mapping[str, str]] | None
    every: Each[int] | None
    drop_duplicates: bool | None
    drop_closing: bool | None
    tolerance: int | None
    reverse: bool | None
    mirrored: str | Sequence[str] | Mapping[str, str] | None
    reversed: str | Sequence[str] | Mapping[str, str] | None
    order: str | Sequence[str] | None
    fps: Each[Number] | None
    duration: Each[str] | None
    hold: str | Sequence[str] | Mapping[str, Mapping[int | str, Number]] | None
    loop: Each[Literal["forever", "once", "back-and-forth"]] | None
    limit: str | Sequence[str] | Mapping[str, int | str] | None
    vector_size: int | str | tuple[int, int] | None
    font: Path | None
    exposure: Number | None
    to_srgb: bool | None
    color_key: str | None
    region: str | None
    scale: Number | None
    fit: int | str | tuple[int, int] | None
    fit_to: Literal["canvas", "art"] | None
    resample: Literal["smooth", "pixel"] | None
    clear_alpha: int | None
    hard_alpha: int | None
    palette: Path | Sequence[str] | None
    colors: int | None
    dither: bool | None
    recolor: str | Sequence[str] | Mapping[str, str] | None
    canvas: int | str | tuple[int, int] | None
    canvas_multiple: int | None
    align: (
        Literal["top-left", "top", "top-right", "left", "center", "right", "bottom-left", "bottom", "bottom-right"]
        | None
    )
    shift: Each[str | tuple[float, float]] | None
    outline: str | None
    trim: Literal["off", "frame", "animation", "sheet"] | None
    trim_alpha: int | None
    no_offsets: bool | None
    pivot: Each[str | tuple[float, float]] | None
    snap_pivot: bool | None
    fill_under: bool | None
    shape: Literal["hull", "contour"] | None
    shape_points: int | None
    shape_of: Literal["frame", "animation"] | None
    layout: Literal["grid", "strip", "rows", "blocks", "tight"] | None
    columns: int | None
    rows: int | None
    cell: int | str | tuple[int, int] | None
    down: bool | None
    gap: int | None
    margin: int | None
    cushion: int | None
    edge_repeat: int | None
    turn: bool | None
    store_duplicates: bool | None
    share_mirrored: bool | None
    aspect: Number | None
    effort: Literal["quick", "normal", "deep"] | None
    one_sheet: bool | None
    break_animations: bool | None
    keep_places: bool | None
    max_size: int | str | tuple[int, int] | None
    size: int | str | tuple[int, int] | None
    square_cells: bool | None
    pow2: bool | None
    square: bool | None
    multiple: int | None
    metadata: str | Sequence[str] | None
    compact: bool | None
    template: Path | Sequence[Path] | None
    set: str | Sequence[str] | Mapping[str, str] | None
    file_name: str | None
    image: Literal["png", "webp"] | None
    also_scale: Number | Sequence[Number] | None
    matched: bool | None
    premultiply: bool | None
    background: str | None
    optimize: bool | None
