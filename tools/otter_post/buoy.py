"""The buoy, drawn in vectors: eight drawings of one swing, its lamp lit twice."""

from __future__ import annotations

import math
from pathlib import Path

COUNT = 8
LINE = "#2a1f3d"

DRAWING = """\
<svg xmlns="http://www.w3.org/2000/svg" width="64" height="80" viewBox="0 0 64 80">
  <defs>
    <linearGradient id="steel" x2="1" y2="0">
      <stop stop-color="#e8664f"/><stop offset="0.45" stop-color="#d6473d"/><stop offset="1" stop-color="#9c2b35"/>
    </linearGradient>
    <radialGradient id="glow">
      <stop stop-color="#fff3b0" stop-opacity="0.9"/><stop offset="1" stop-color="#ffd45c" stop-opacity="0"/>
    </radialGradient>
  </defs>
  <g id="buoy" stroke-width="2" stroke-linejoin="round" transform="rotate({lean:.2f} 32 70) translate(0 {rise:.2f})">
    <path d="M13 66 C13 74 51 74 51 66 L47 58 L17 58 Z" fill="#6f2430" stroke="{line}"/>
    <path d="M19 58 L27 24 L37 24 L45 58 Z" fill="url(#steel)" stroke="{line}"/>
    <path d="M22.2 45 L24.6 35 L39.4 35 L41.8 45 Z" fill="#f4ead8"/>
    <path d="M29 40 l3 -3 l3 3 l-3 3 Z" fill="#2f6fa8"/>
    <rect x="28" y="14" width="8" height="10" rx="2" fill="{lamp}" stroke="{line}"/>
    <path d="M26 14 L38 14 L32 8 Z" fill="#3b4a63" stroke="{line}"/>
    {glow}
  </g>
  <path id="water" d="M3 70 Q{a:.2f} {b:.2f} 32 70 T61 70 L57 76 Q32 80 7 76 Z" fill="#3f86b5" fill-opacity="0.82"/>
  <path d="M9 71 Q{a:.2f} {b:.2f} 32 71.5 T55 71" fill="none" stroke="#d8f0f7" stroke-width="1.6"/>
</svg>
"""


def drawing(number: int) -> str:
    """One of them, from 0."""
    turn = 2 * math.pi * number / COUNT
    is_lit = number in (2, 6)
    return DRAWING.format(
        line=LINE,
        lean=7 * math.sin(turn),
        rise=1.5 * math.cos(2 * turn),
        lamp="#fff3b0" if is_lit else "#7d6a4f",
        glow='<circle cx="32" cy="19" r="13" fill="url(#glow)"/>' if is_lit else "",
        a=17 + 2 * math.cos(turn),
        b=67 + 2 * math.sin(turn),
    )


def draw_buoy(folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    for number in range(COUNT):
        (folder / f"buoy_{number + 1}.svg").write_text(drawing(number), "utf-8")
