"""The plain counterpart of proving: the sheets and all sources decoded on two threads, and compared."""

import json
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
from PIL import Image

data, folder = map(Path, sys.argv[1:])


def read(path: Path) -> np.ndarray:
    with Image.open(path) as image:
        return np.asarray(image.convert("RGBA"))


with ThreadPoolExecutor(2) as executor:
    crate = json.loads(data.read_text("utf-8"))
    sheets = list(executor.map(read, (data.parent / sheet["image"] for sheet in crate["sheets"])))

    def same(frame: dict) -> bool:
        (x, y, w, h), on = (frame[key] for key in ("box", "sheet"))
        return np.array_equal(sheets[on][y : y + h, x : x + w], read(folder / (frame["name"] + ".png")))

    sys.exit(not all(executor.map(same, crate["frames"])))
