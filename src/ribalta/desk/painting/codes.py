"""A link as a QR code (ISO/IEC 18004), for the camera of a phone or tablet."""

import segno
from PySide6.QtGui import QImage, QPixmap

QUIET = 4  # cells around it, as the standard says


def qr(text: str, side: int) -> QPixmap:
    """At most `side` pixels wide and high, dark on light. Raises ValueError for a text that is too long."""
    rows = [list(row) for row in segno.make(text, error="m", micro=False).matrix_iter(scale=1, border=QUIET)]
    scale = max(1, side // len(rows))
    image = QImage(len(rows) * scale, len(rows) * scale, QImage.Format.Format_RGB32)
    image.fill(0xFFFFFFFF)
    for y, row in enumerate(rows):
        for x, dark in enumerate(row):
            if dark:
                for dy in range(scale):
                    for dx in range(scale):
                        image.setPixel(x * scale + dx, y * scale + dy, 0xFF000000)
    return QPixmap.fromImage(image)
