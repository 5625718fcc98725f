"""The type of pixels, apart from `model` so that the vocabulary can be had without loading NumPy."""

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

Pixels: TypeAlias = NDArray[np.uint8]
"""Shape (height, width, 4): red, green, blue and straight alpha, 0 to 255."""
