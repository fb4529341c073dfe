"""Light as a camera's sensor sends it: brightness and two differences of colour, BT.709, limited range.

People are painted in these values at once: turning a whole picture each time it changes takes longer than painting it.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

Image = NDArray[np.uint8]
Ink = tuple[int, ...]
Colour = tuple[float, float, float]  # red, green, blue, 0..255
KR, KB = 0.2126, 0.0722
KG = 1 - KR - KB
_CB, _CR = 112 / (1 - KB) / 255, 112 / (1 - KR) / 255
BLACK, WHITE = (16, 128, 128), (235, 128, 128)
_OF_IMAGE = np.array(
    [
        [KB * 219 / 255, KG * 219 / 255, KR * 219 / 255, 16],
        [(1 - KB) * _CB, -KG * _CB, -KR * _CB, 128],
        [-KB * _CR, -KG * _CR, (1 - KR) * _CR, 128],
    ]
)
_BACK = np.linalg.inv(_OF_IMAGE[:, :3])
_AS_SEEN = np.hstack([_BACK, -(_BACK @ _OF_IMAGE[:, 3:])])


def colour_ink(colour: Colour) -> Ink:
    """Blue, green, red, and covered."""
    return (int(colour[2]), int(colour[1]), int(colour[0]), 255)


def value_ink(colour: Colour) -> Ink:
    """Brightness and differences of colour."""
    red, green, blue = colour
    bright = KR * red + KG * green + KB * blue
    return (
        int(16.5 + bright * 219 / 255),
        int(128.5 + (blue - bright) * _CB),
        int(128.5 + (red - bright) * _CR),
    )


def values_of(image: Image) -> Image:
    """(height, width, 3) of a picture in blue, green, red, with or without how much is covered."""
    three = image if image.shape[2] == 3 else cv2.cvtColor(image, cv2.COLOR_BGRA2BGR)
    return np.asarray(cv2.transform(three, _OF_IMAGE), np.uint8)


def seen(values: Image) -> Image:
    """(height, width, 3) blue, green, red."""
    return np.asarray(cv2.transform(values, _AS_SEEN), np.uint8)
