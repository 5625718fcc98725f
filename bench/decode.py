"""The floor of any look at frames: all of them decoded by Pillow to arrays on two threads, and nothing else."""

import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
from PIL import Image


def read(path: Path) -> tuple[int, ...]:
    with Image.open(path) as image:
        return np.asarray(image.convert("RGBA")).shape


with ThreadPoolExecutor(2) as executor:
    list(executor.map(read, sorted(Path(sys.argv[1]).glob("*.png"))))
