"""The plain counterparts of preparing: frames decoded on two threads and, with `shrink`, halved by Pillow's own resize
(which multiplies by alpha before, in 8 bits). Nothing is written."""

import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
from PIL import Image

what, folder = sys.argv[1:]


def read(path: Path) -> np.ndarray:
    with Image.open(path) as image:
        picture = image.convert("RGBA")
        if what == "shrink":
            picture = picture.resize((picture.width // 2, picture.height // 2))
        return np.asarray(picture)


with ThreadPoolExecutor(2) as executor:
    frames = list(executor.map(read, sorted(Path(folder).glob("*.png"))))
