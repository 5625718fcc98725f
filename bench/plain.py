"""A plain program to compare with: Pillow decodes frames on two threads, pastes them in rows, and saves them."""

import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from PIL import Image


def read(path: Path) -> Image.Image:
    with Image.open(path) as image:
        return image.convert("RGBA")


folder, out, side, columns, rows = sys.argv[1], sys.argv[2], *map(int, sys.argv[3:])
with ThreadPoolExecutor(2) as executor:
    frames = list(executor.map(read, sorted(Path(folder).glob("*.png"))))
for number, first in enumerate(range(0, len(frames), columns * rows), 1):
    part = frames[first : first + columns * rows]
    sheet = Image.new("RGBA", (columns * side, -(-len(part) // columns) * side))
    for index, frame in enumerate(part):
        sheet.paste(frame, (index % columns * side, index // columns * side))
    sheet.save(f"{out}-{number}.png")
