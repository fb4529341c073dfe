"""Live pictures for Qt: they come in planes, and are turned at the size at which they are shown."""

import cv2
import numpy as np
from PySide6.QtGui import QImage

from ribalta.core.picture.colours import image_of
from ribalta.core.picture.planes import Picture


def as_image(picture: Picture) -> QImage:
    """One with memory of its own."""
    width, height = picture.size
    image = QImage(width, height, QImage.Format.Format_RGB32)
    rows = np.frombuffer(image.bits(), np.uint8).reshape(height, width, 4)
    cv2.cvtColor(image_of(picture), cv2.COLOR_BGR2BGRA, rows)
    return image
