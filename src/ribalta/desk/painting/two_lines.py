"""A name on one line or two: whole, if it can be."""

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QFontMetrics, QPainter


def broken(name: str, metrics: QFontMetrics, wide: float) -> list[str]:
    """One line or two. What does not fit on two ends in an ellipsis; a word that is too long for a line is broken."""
    if metrics.horizontalAdvance(name) <= wide:
        return [name]
    cut = _first(name, metrics, wide)
    rest = metrics.elidedText(name[cut:].strip(), Qt.TextElideMode.ElideRight, int(wide))
    return [name[:cut].rstrip(), rest]


def _first(name: str, metrics: QFontMetrics, wide: float) -> int:
    """Where the first line ends: behind a word, or else in the middle of one."""
    fits = max((k for k in range(1, len(name)) if metrics.horizontalAdvance(name[:k]) <= wide), default=1)
    if name[fits : fits + 1] == " ":
        return fits
    at = name.rfind(" ", 0, fits)
    if at <= 0 or metrics.horizontalAdvance(name[at:].strip()) <= wide:
        return at if at > 0 else fits
    return fits if metrics.horizontalAdvance(name[fits:].strip()) <= wide else at


def two_lines(painter: QPainter, area: QRectF, name: str, pitch: float | None = None) -> None:
    """With the painter's font and pen, in the middle of the height, from the left; `pitch` px from line to line."""
    metrics = painter.fontMetrics()
    lines = broken(name, metrics, area.width())
    tall = metrics.height() - 1 if pitch is None else pitch
    top = area.center().y() - tall * len(lines) / 2
    for k, line in enumerate(lines):
        painter.drawText(QRectF(area.left(), top + k * tall, area.width(), tall), Qt.AlignmentFlag.AlignVCenter, line)
