"""A stored picture that fills an area: what is cropped goes below rather than above, because heads are there."""

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter, QPixmap

ABOVE = 0.3  # of what a picture is cropped by, so much goes above


def draw_cropped(painter: QPainter, area: QRectF, picture: QPixmap) -> None:
    """`picture` is at least as large as `area` one way, as `stored_picture` makes it."""
    inside = QRectF(0, 0, min(area.width(), picture.width()), min(area.height(), picture.height()))
    inside.moveCenter(QRectF(picture.rect()).center())
    inside.moveTop((picture.height() - inside.height()) * ABOVE)
    painter.drawPixmap(area, picture, inside)
