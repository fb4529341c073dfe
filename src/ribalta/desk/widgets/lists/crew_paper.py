"""A crew's list on paper: a box to tick, the step, and its picture."""

from collections.abc import Sequence
from pathlib import Path
from typing import Protocol

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPen

from ribalta.core.show.document.crew_lists import ListStep, Seen
from ribalta.desk.painting import look
from ribalta.desk.painting.paper import Paper

ROW, PICTURED = 60.0, 150.0


class Pictures(Protocol):
    """Where stored pictures come from."""

    def picture(self, name: str) -> bytes | None:
        """By its name, as it is stored; None when it is not there."""
        ...


def write_list(path: Path, title: str, steps: Sequence[ListStep], stored: Pictures) -> None:
    """A PDF on A4, as many pages as it needs. Raises LocalFault."""
    paper = Paper(title, 16)
    writer, painter = paper.writer, QPainter(paper.writer)
    painter.setFont(look.font(34, look.BOLD))
    painter.drawText(QRectF(0, 0, writer.width(), 60), 0, title)
    y = 90.0
    for k, step in enumerate(steps, 1):
        bytes_ = stored.picture(step.picture) if step.picture is not None else None
        image = QImage.fromData(bytes_) if bytes_ else QImage()
        tall = PICTURED if not image.isNull() else ROW
        if y + tall > writer.height():
            writer.newPage()
            y = 0.0
        _row(painter, QRectF(0, y, writer.width(), tall), k, step, image)
        y += tall
    painter.end()
    paper.keep(path, "The list")


def _row(painter: QPainter, area: QRectF, k: int, step: ListStep, image: QImage) -> None:
    painter.setPen(QPen(Qt.GlobalColor.black, 2))
    painter.drawRect(QRectF(2, area.top() + 12, 26, 26))
    right = area.right()
    if not image.isNull():
        tall = area.height() - 16
        wide = tall * image.width() / image.height()
        painter.drawImage(QRectF(area.right() - wide, area.top() + 6, wide, tall), image)
        right -= wide + 16
    painter.setFont(look.font(22, look.MEDIUM))
    words = QRectF(48, area.top() + 8, right - 48, area.height() - 12)
    painter.drawText(words, Qt.TextFlag.TextWordWrap, f"{k}  {step.words}")
    if step.seen is not Seen.BY_HAND:
        painter.setFont(look.font(16))
        painter.drawText(words.adjusted(24, 28, 0, 0), Qt.TextFlag.TextWordWrap, f"the desk sees it: {step.seen}")
