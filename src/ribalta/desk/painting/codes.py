"""A link as a QR code (ISO/IEC 18004), for the camera of a phone or tablet."""

import segno
from PySide6.QtGui import QImage, QPixmap

QUIET = 4  # cells around it, as the standard says


def qr(text: str, side: int) -> QPixmap:
    """At most `side` pixels wide and high, dark on light. Raises ValueError for a text that is too long."""
    rows = [list(row) for row in segno.make(text, error="m", micro=False).matrix_iter(scale=1, border=QUIET)]
    cells = QImage(len(rows), len(rows), QImage.Format.Format_RGB32)
    for y, row in enumerate(rows):
        for x, dark in enumerate(row):
            cells.setPixel(x, y, 0xFF000000 if dark else 0xFFFFFFFF)
    whole = len(rows) * max(1, side // len(rows))
    return QPixmap.fromImage(cells.scaled(whole, whole))
