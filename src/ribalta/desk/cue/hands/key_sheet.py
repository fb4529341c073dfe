"""The key sheet: every shortcut on paper, A4, two columns."""

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QMarginsF, QRectF, Qt
from PySide6.QtGui import QColor, QPageSize, QPainter, QPdfWriter

from ribalta.core.base.faults import LocalFault
from ribalta.desk.painting import look

PER_COLUMN, ROW, TOP = 58, 4.4, 16.0  # rows; millimetres
INK, PALE = QColor("#14110e"), QColor("#6b6156")


def write_sheet(path: Path, title: str, rows: Sequence[tuple[str, str]]) -> str:
    """Returns what is to be said. Raises LocalFault when it cannot be written."""
    writer = QPdfWriter(str(path))
    writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
    writer.setPageMargins(QMarginsF(12, 12, 12, 12))
    writer.setTitle(f"Keys of {title}")
    painter = QPainter()
    if not painter.begin(writer):
        raise LocalFault(f"The key sheet cannot be written to {path}: choose another place.")
    try:
        mm = writer.logicalDpiX() / 25.4
        wide = writer.width() / mm
        for k, (keys, does) in enumerate(rows):
            page, place = divmod(k, 2 * PER_COLUMN)
            if place == 0:
                if page:
                    writer.newPage()
                _heading(painter, mm, wide, title)
            column, row = divmod(place, PER_COLUMN)
            left, top = column * wide / 2, TOP + row * ROW
            _words(painter, mm, QRectF(left, top, 34, ROW), keys, 3.0, True)
            _words(painter, mm, QRectF(left + 35, top, wide / 2 - 37, ROW), does, 3.0, False)
    finally:
        painter.end()
    return f"Wrote the key sheet to {path.name}."


def _heading(painter: QPainter, mm: float, wide: float, title: str) -> None:
    _words(painter, mm, QRectF(0, 0, wide, 9), title, 6.0, True)
    painter.setPen(PALE)
    painter.drawLine(0, int(11 * mm), int(wide * mm), int(11 * mm))


def _words(painter: QPainter, mm: float, area: QRectF, words: str, tall: float, bold: bool) -> None:
    font = look.font(12, look.BOLD if bold else look.MEDIUM, narrow=True).__copy__()
    font.setPixelSize(max(1, int(tall * mm)))
    painter.setFont(font)
    painter.setPen(INK)
    box = QRectF(area.left() * mm, area.top() * mm, area.width() * mm, area.height() * mm)
    said = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(box.width()))
    painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, said)
