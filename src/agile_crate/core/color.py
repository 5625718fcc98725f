"""Colors as values, and their perceived distances."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray


class Color(NamedTuple):
    """Red, green and blue, 0 to 255 (sRGB)."""

    red: int
    green: int
    blue: int

    @property
    def hex(self) -> str:
        """The color as ``#rrggbb``."""
        return f"#{self.red:02x}{self.green:02x}{self.blue:02x}"


def color_from_hex(text: str) -> Color | None:
    """A color from ``#ff00ff``, ``ff00ff`` or ``#f0f``; None if the text is none of these.

    >>> color_from_hex("#f0a"), color_from_hex("20e0ff"), color_from_hex("red")
    (Color(red=255, green=0, blue=170), Color(red=32, green=224, blue=255), None)
    """
    digits = text.removeprefix("#")
    if len(digits) == 3:
        digits = "".join(digit * 2 for digit in digits)
    if len(digits) != 6 or not set(digits) <= set("0123456789abcdefABCDEF"):
        return None
    return Color(*bytes.fromhex(digits))


def perceived(colors: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Convert sRGB colors of shape (n, 3) to Oklab: lightness 0 to 1, two opponent axes of about -0.4 to 0.4.

    Equal distances look about equally different: 0.02 is just seen, black and white are 1 apart. Björn Ottosson, "A
    perceptual color space for image processing", 2020; the sRGB curve is that of IEC 61966-2-1.
    """
    import numpy as np

    share = np.asarray(colors, np.float64) / 255
    light = np.where(share <= 0.04045, share / 12.92, ((share + 0.055) / 1.055) ** 2.4)
    cones = light @ np.array(
        [
            [0.4122214708, 0.2119034982, 0.0883024619],
            [0.5363325363, 0.6806995451, 0.2817188376],
            [0.0514459929, 0.1073969566, 0.6299787005],
        ]
    )
    result: NDArray[np.float64] = np.cbrt(cones) @ np.array(
        [
            [0.2104542553, 1.9779984951, 0.0259040371],
            [0.7936177850, -2.4285922050, 0.7827717662],
            [-0.0040720468, 0.4505937099, -0.8086757660],
        ]
    )
    return result


def perceived_back(places: NDArray[np.float64]) -> NDArray[np.uint8]:
    """The nearest sRGB colors to places in Oklab, shape (n, 3): the inverse of `perceived`, clipped to the gamut."""
    import numpy as np

    cones = places @ np.array(
        [[1.0, 1.0, 1.0], [0.3963377774, -0.1055613458, -0.0894841775], [0.2158037573, -0.0638541728, -1.2914855480]]
    )
    light = (cones**3) @ np.array(
        [
            [4.0767416621, -1.2684380046, -0.0041960863],
            [-3.3077115913, 2.6097574011, -0.7034186147],
            [0.2309699292, -0.3413193965, 1.7076147010],
        ]
    )
    light = np.clip(light, 0, 1)
    share = np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)
    result: NDArray[np.uint8] = np.floor(share * 255 + 0.5).astype(np.uint8)
    return result
